//! Corners: loops through the scrap instead of sharp turns, and corners that no beam can make sharp.

use super::bridges::Stretches;
use super::kerf::Corrected;
use super::starts::{TOLERANCE, scrap_side};
use super::{FollowContext, tell};
use crate::Name;
use crate::line::Entry;
use rayon::prelude::*;
use rstar::primitives::{CachedEnvelope, GeomWithData, Line as Segment};
use rstar::{AABB, PointDistance, RTree};
use std::f64::consts::{PI, TAU};
use std::sync::Arc;
use tinkite_base::geometry::along::CORNER;
use tinkite_base::geometry::region::Polygon;
use tinkite_base::geometry::{Contour, Piece, Point, Vec2};
use tinkite_base::problem::{Code, Problem, Problems, count};
use tinkite_base::quantity::plain;
use tinkite_job::{Corners, Side};

/// Sharper than this (radians of turn, 150 degrees) a loop would reach far into the scrap.
const SHARPEST: f64 = 2.62;

/// Radii of loops that are not said, mm: what the speed needs, but no less and no more than this.
const RADII: (f64, f64) = (0.5, 5.0);

/// Where there is no room for a loop, halves of it are tried down to this, mm.
const SMALLEST: f64 = 0.2;

/// An arc of half the kerf's radius, to so many mm, goes round a corner of the drawing.
const SAME_RADIUS: f64 = 1e-4;

/// Loops of one line: where they are made, mm along it, rising, and their ways, which begin and end there.
pub(super) type Loops = Vec<(f64, Contour)>;

/// A sharp turn away from the scrap.
struct Sharp {
    at: Point,
    /// Unit directions before and behind it.
    before: Vec2,
    after: Vec2,
}

/// Plans a loop at every outer corner that has room for one, and leads the line through the very corner there: half
/// the kerf away from it a line is round. Says where there is no room.
pub(super) fn loops(
    lines: Vec<Corrected>,
    context: &FollowContext<'_>,
    problems: &mut Problems,
) -> Vec<(Corrected, Loops)> {
    let Some(Corners::Loop(radius)) = context.follow.corners else {
        return lines.into_iter().map(|line| (line, Vec::new())).collect();
    };
    let radius = radius.unwrap_or_else(|| needed_radius(context));
    let scene = Scene::of(context);
    let looped: Vec<(Corrected, Loops, usize)> =
        lines.into_par_iter().map(|line| loop_round(line, radius, &scene, context)).collect();
    let tight: Vec<_> = looped.iter().filter(|(.., without)| *without > 0).collect();
    let names: Vec<Arc<Name>> = tight.iter().map(|(line, ..)| line.name.clone()).collect();
    let without = tight.iter().map(|(.., without)| without).sum();
    let problem = tell(
        Problem::warning,
        Code::CornerRoom,
        &names,
        |lines| {
            format!(
                "step \"{}\": {} without room for a loop in the scrap, of {lines}",
                context.step.name,
                count(without, "corner")
            )
        },
        "they stay plain; say a smaller loop in corners, or move the parts apart",
    );
    if let Some(problem) = problem {
        problems.push(problem.at(context.place()));
    }
    looped.into_iter().map(|(line, loops, _)| (line, loops)).collect()
}

/// The radius at which the axes follow a circle at the step's speed: v² / a.
fn needed_radius(context: &FollowContext<'_>) -> f64 {
    let speed = context.step.fastest().0;
    let machine = &context.job.machine;
    let acceleration = machine.x.acceleration.min(machine.y.acceleration);
    (speed * speed / acceleration.max(1e-6)).clamp(RADII.0, RADII.1)
}

/// Every line that steps of this kind follow, as it was drawn: where parts end.
struct Scene<'a> {
    edges: RTree<GeomWithData<CachedEnvelope<Segment<[f64; 2]>>, usize>>,
    /// How far the middle of a loop stays away from them, mm.
    clear: f64,
    context: &'a FollowContext<'a>,
}

impl<'a> Scene<'a> {
    fn of(context: &'a FollowContext<'a>) -> Self {
        let lines = context.kindred.iter().flat_map(|laid| &laid.contours);
        let edges = lines.enumerate().flat_map(|(number, contour)| {
            let mut points = contour.flatten(TOLERANCE);
            points.extend(contour.closed.then_some(contour.start));
            let pairs: Vec<_> = points
                .windows(2)
                .map(|p| Segment::new([p[0].x, p[0].y], [p[1].x, p[1].y]))
                .map(|edge| GeomWithData::new(CachedEnvelope::new(edge), number))
                .collect();
            pairs
        });
        let clear = context.follow.kerf.max(context.job.machine.beam.width) / 2.0;
        Self { edges: RTree::bulk_load(edges.collect()), clear, context }
    }

    /// Whether a loop of line `own` at a corner `reach` mm from the drawn one lies on the stock and clear of every
    /// edge but the two that meet there.
    fn leaves_room(&self, way: &Contour, own: usize, at: Point, reach: f64) -> bool {
        let points = way.flatten(TOLERANCE);
        if !points.iter().all(|p| self.context.ground.holds(*p, 1e-6)) {
            return false;
        }
        let near = way.bounds().inflate(self.clear, self.clear);
        let near = AABB::from_corners([near.x0, near.y0], [near.x1, near.y1]);
        let mut edges = self.edges.locate_in_envelope_intersecting(near);
        edges.all(|edge| {
            let meets =
                edge.data == own && edge.geom().distance_2(&[at.x, at.y]) <= (reach + 1e-6).powi(2);
            let edge = edge.geom();
            let [a, b] = [edge.from, edge.to].map(|[x, y]| Point::new(x, y));
            meets
                || points
                    .windows(2)
                    .all(|p| line_distance((p[0], p[1]), (a, b)) >= self.clear - 1e-6)
        })
    }
}

/// The distance between two straight lines.
fn line_distance(a: (Point, Point), b: (Point, Point)) -> f64 {
    let side = |(from, to): (Point, Point), p: Point| (to - from).cross(p - from) > 0.0;
    if side(a, b.0) != side(a, b.1) && side(b, a.0) != side(b, a.1) {
        return 0.0;
    }
    let to = |(from, to): (Point, Point), p: Point| {
        let along = to - from;
        let share = (p - from).dot(along) / along.hypot2().max(f64::MIN_POSITIVE);
        p.distance(from + along * share.clamp(0.0, 1.0))
    };
    [to(a, b.0), to(a, b.1), to(b, a.0), to(b, a.1)].into_iter().fold(f64::INFINITY, f64::min)
}

/// A line with its loops, and how many corners have no room for one.
fn loop_round(
    mut line: Corrected,
    radius: f64,
    scene: &Scene<'_>,
    context: &FollowContext<'_>,
) -> (Corrected, Loops, usize) {
    if !line.contour.closed {
        return (line, Vec::new(), 0);
    }
    let scrap = scrap_side(&line.contour, line.hole, context.follow.side);
    let kerf = if line.drawn.is_some() { context.follow.kerf } else { 0.0 };
    let own = Polygon::new(line.contour.flatten(TOLERANCE));
    let in_scrap = |p: Point| own.contains(p) == scrap.inside;
    let mut without = 0;
    let mut room = |sharp: &Sharp| {
        let turn = sharp.before.cross(sharp.after).atan2(sharp.before.dot(sharp.after));
        let reach = kerf / 2.0 / ((PI - turn.abs()) / 2.0).sin();
        let sizes = std::iter::successors(Some(radius), |r| Some(r / 2.0))
            .take_while(|r| *r >= SMALLEST.min(radius));
        let way = sizes.map(|r| circle(sharp, turn, r)).find(|way| {
            way.pieces.iter().skip(1).take(1).all(|arc| {
                let from = way.pieces[0].end();
                (0..=8).all(|n| in_scrap(arc.point_at(from, f64::from(n) / 8.0)))
            }) && scene.leaves_room(way, line.number, sharp.at, reach)
        });
        without += usize::from(way.is_none());
        way
    };
    let pieces: Vec<(Point, Piece)> = line.contour.walk().map(|(from, p)| (from, *p)).collect();
    let directions: Vec<(Vec2, Vec2)> =
        pieces.iter().map(|(from, piece)| piece.directions(*from)).collect();
    let outer = |before: Vec2, after: Vec2| {
        let turn = before.cross(after).atan2(before.dot(after));
        turn * scrap.left < 0.0 && (CORNER..=SHARPEST).contains(&turn.abs())
    };
    // The line again, with arcs about corners led through them, and its loops by the piece that they come before.
    let mut again: Vec<Piece> = Vec::with_capacity(pieces.len());
    let mut found: Vec<(usize, Contour)> = Vec::new();
    for (n, (from, piece)) in pieces.iter().enumerate() {
        let (start, end) = directions[n];
        if let Some(sharp) = about_corner(*from, piece, kerf / 2.0).filter(|_| outer(start, end))
            && let Some(way) = room(&sharp)
        {
            again.push(Piece::Line { to: sharp.at });
            found.push((again.len(), way));
            again.push(Piece::Line { to: piece.end() });
            continue;
        }
        let before = directions[n.checked_sub(1).unwrap_or(pieces.len() - 1)].1;
        if outer(before, start) {
            let sharp = Sharp { at: *from, before, after: start };
            found.extend(room(&sharp).map(|way| (again.len(), way)));
        }
        again.push(*piece);
    }
    line.contour.pieces = again;
    let mut places = Vec::with_capacity(found.len());
    let mut found = found.into_iter().peekable();
    let mut place = 0.0;
    for (n, (from, piece)) in line.contour.walk().enumerate() {
        while let Some((_, way)) = found.next_if(|(before, _)| *before == n) {
            places.push((place, way));
        }
        place += piece.length(from);
    }
    (line, places, without)
}

/// The corner that an arc of this radius goes round.
fn about_corner(from: Point, piece: &Piece, radius: f64) -> Option<Sharp> {
    let Piece::Arc { centre, sweep, .. } = piece else { return None };
    if radius <= 0.0 || ((from - *centre).hypot() - radius).abs() > SAME_RADIUS || sweep.abs() >= PI
    {
        return None;
    }
    let (before, after) = piece.directions(from);
    Some(Sharp { at: from + before * radius * (sweep.abs() / 2.0).tan(), before, after })
}

/// Straight on over the corner, round in the scrap, and back to it in the new direction.
fn circle(sharp: &Sharp, turn: f64, radius: f64) -> Contour {
    let half = (PI - turn.abs()) / 2.0;
    let away = radius / half.tan();
    let outwards = sharp.before - sharp.after;
    let centre = sharp.at + outwards / outwards.hypot() * (radius / half.sin());
    let back = sharp.at - sharp.after * away;
    let pieces = vec![
        Piece::Line { to: sharp.at + sharp.before * away },
        Piece::Arc { to: back, centre, sweep: turn - TAU.copysign(turn) },
        Piece::Line { to: sharp.at },
    ];
    Contour { start: sharp.at, pieces, closed: false }
}

/// Puts loops into a line; what lies on it keeps its place.
pub(super) fn put(
    contour: Contour,
    loops: &Loops,
    bridges: &mut Stretches,
    entries: &mut [Entry],
) -> Contour {
    if loops.is_empty() {
        return contour;
    }
    let whole = contour.length();
    // How much longer the line is before a place on it. A stretch may reach over its end.
    let longer = |place: f64| -> f64 {
        let turns = (place / whole).floor();
        let all: f64 = loops.iter().map(|(_, way)| way.length()).sum();
        let here = loops.iter().filter(|(at, _)| *at < place - turns * whole);
        place + turns * all + here.map(|(_, way)| way.length()).sum::<f64>()
    };
    bridges.iter_mut().for_each(|bridge| *bridge = (longer(bridge.0), longer(bridge.1)));
    entries.iter_mut().for_each(|entry| entry.at = longer(entry.at));
    let mut pieces = Vec::with_capacity(contour.pieces.len() + 3 * loops.len());
    let mut next = loops.iter().peekable();
    let mut place = 0.0;
    for (from, piece) in contour.walk() {
        while let Some((_, way)) = next.next_if(|(at, _)| *at <= place + 1e-9) {
            pieces.extend(&way.pieces);
        }
        pieces.push(*piece);
        place += piece.length(from);
    }
    Contour { pieces, ..contour }
}

/// Says where lines turn towards the scrap: the beam is round, and so is what it leaves in such a corner.
pub(super) fn tell_inside(
    lines: &[Corrected],
    context: &FollowContext<'_>,
    problems: &mut Problems,
) {
    let kerf = context.follow.kerf;
    if kerf / 2.0 <= context.job.tolerance || context.follow.side == Side::OnLine {
        return;
    }
    let mut spots: Vec<Point> = Vec::new();
    let mut names: Vec<Arc<Name>> = Vec::new();
    let mut known: Option<&Arc<Contour>> = None;
    for line in lines {
        let Some(drawn) = &line.drawn else { continue };
        // What falls apart was drawn as one.
        if known.replace(drawn).is_some_and(|known| Arc::ptr_eq(known, drawn)) {
            continue;
        }
        let scrap = scrap_side(drawn, line.hole, context.follow.side);
        let mut before = drawn.walk().last().map(|(from, piece)| piece.directions(from).1);
        let first = spots.len();
        for (from, piece) in drawn.walk() {
            let (start, end) = piece.directions(from);
            let turn = before.map_or(0.0, |b| b.cross(start).atan2(b.dot(start)));
            if turn * scrap.left > CORNER {
                spots.push(from);
            }
            before = Some(end);
        }
        if spots.len() > first {
            names.push(line.name.clone());
        }
    }
    let corners = count(spots.len(), "inside corner");
    let note = tell(
        Problem::note,
        Code::InsideCorner,
        &names,
        |lines| {
            format!(
                "step \"{}\": {corners} cannot be sharp, but round by {} mm, in {lines}",
                context.step.name,
                plain(kerf / 2.0, 3)
            )
        },
        "",
    );
    if let Some(note) = note {
        problems.push(note.seen_at(spots).at(context.place()));
    }
}
