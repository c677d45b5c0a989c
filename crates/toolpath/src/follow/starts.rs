//! Where closed lines are begun, and the leads through the scrap.

use super::bridges::Stretches;
use super::kerf::Corrected;
use super::{FollowContext, tell};
use crate::Name;
use crate::line::Entry;
use rayon::prelude::*;
use rstar::primitives::{CachedEnvelope, Line as Segment};
use rstar::{AABB, PointDistance, RTree, RTreeObject};
use std::collections::HashSet;
use std::f64::consts::{FRAC_1_SQRT_2, FRAC_PI_2};
use std::sync::Arc;
use tinkite_base::geometry::region::{Polygon, signed_area};
use tinkite_base::geometry::{Contour, Piece, Point, Vec2, round_to_grid};
use tinkite_base::problem::{Code, Problem, Problems};
use tinkite_base::quantity::plain;
use tinkite_job::{Corners, Follow, Lead, LeadShape, Side, Start};
use tinkite_layout::LaidStock;

/// More places than this are not tried on one line: they lie close to one another anyway.
const MOST_PLACES: usize = 12;

/// Places along an arc are no nearer to each other, mm.
const APART: f64 = 2.0;

/// Flattening of arcs that a lead must not touch, mm: finer than the gap between a circle and a lead
/// that touches it, where the lead is looked at.
pub(super) const TOLERANCE: f64 = 0.005;

/// Share of a lead that may touch nothing at all; on the rest it comes up to its line.
const FREE: f64 = 0.85;

/// Chooses where each line may be begun, with its leads; says where there is no room for them.
/// A line without a choice gets none: it may be begun at any vertex.
pub(super) fn choose(
    lines: &[(Corrected, Stretches)],
    context: &FollowContext<'_>,
    problems: &mut Problems,
) -> Vec<Vec<Entry>> {
    let follow = context.follow;
    let leads = follow.lead_in.is_some() || follow.lead_out.is_some();
    let others = if leads { Obstacles::of(lines, context) } else { Obstacles::none(context) };
    let chosen: Vec<(Vec<Entry>, bool)> = lines
        .par_iter()
        .map(|(line, bridges)| {
            if !line.contour.closed {
                return (Vec::new(), true);
            }
            if !leads && bridges.is_empty() && follow.start == Start::Nearest {
                let all = along_arcs(&line.contour).into_iter();
                return (all.map(Entry::plain).collect(), true);
            }
            entries(line, bridges, follow, &others)
        })
        .collect();
    refuse_open(lines, context, problems);
    let without: Vec<usize> = (0..lines.len()).filter(|n| !chosen[*n].1).collect();
    let names: Vec<Arc<Name>> = without.iter().map(|n| lines[*n].0.name.clone()).collect();
    let lead = follow.lead_in.or(follow.lead_out).map_or(0.0, |lead| lead.length);
    let problem = tell(
        Problem::warning,
        Code::LeadRoom,
        &names,
        |lines| {
            format!(
                "step \"{}\": there is no room for a lead of {} mm in the scrap of {lines}",
                context.step.name,
                plain(lead, 2)
            )
        },
        "they are begun on the line itself; make lead-in shorter, or move the parts apart",
    );
    if let Some(problem) = problem {
        let spots = without.iter().map(|n| lines[*n].0.contour.start).collect();
        problems.push(problem.seen_at(spots).at(context.place()));
    }
    chosen.into_iter().map(|(entries, _)| entries).collect()
}

/// Refuses what is asked of open lines and has no meaning there: they have no scrap side, and no start to go beyond.
fn refuse_open(
    lines: &[(Corrected, Stretches)],
    context: &FollowContext<'_>,
    problems: &mut Problems,
) {
    let follow = context.follow;
    let loops = matches!(follow.corners, Some(Corners::Loop(_)));
    let asked = [
        (follow.lead_in.is_some(), "lead-in"),
        (follow.lead_out.is_some(), "lead-out"),
        (follow.overlap > 0.0, "overlap"),
        (loops, "corners = \"loop\""),
    ];
    let asked: Vec<&str> = asked.into_iter().filter(|(is, _)| *is).map(|(_, key)| key).collect();
    let open: Vec<&Corrected> =
        lines.iter().map(|(line, _)| line).filter(|line| !line.contour.closed).collect();
    if asked.is_empty() || open.is_empty() {
        return;
    }
    let names: Vec<Arc<Name>> = open.iter().map(|line| line.name.clone()).collect();
    let keys = asked.join(", ");
    let problem = tell(
        Problem::error,
        Code::OpenLead,
        &names,
        |lines| {
            let step = &context.step.name;
            format!("step \"{step}\": {keys} can be had on closed lines only, not on {lines}")
        },
        "close them, or give them a step of their own: take = { kind = \"open\", … }",
    );
    if let Some(problem) = problem {
        let spots = open.iter().map(|line| line.contour.start).collect();
        problems.push(problem.seen_at(spots).at(context.place()));
    }
}

/// The places of one line, and whether its leads found room.
fn entries(
    line: &Corrected,
    bridges: &[(f64, f64)],
    follow: &Follow,
    others: &Obstacles<'_>,
) -> (Vec<Entry>, bool) {
    let contour = &line.contour;
    let length = contour.length();
    let off_bridges = |place: &f64| {
        bridges.iter().all(|(from, to)| {
            let into = (place - from).rem_euclid(length);
            into > to - from + 1e-6 && into < length - 1e-6
        })
    };
    let wanted: Vec<f64> =
        places(contour, follow.start, length).into_iter().filter(off_bridges).collect();
    if follow.lead_in.is_none() && follow.lead_out.is_none() {
        return (wanted.into_iter().map(Entry::plain).collect(), true);
    }
    let scrap = scrap_side(contour, line.hole, follow.side);
    let own = Polygon::new(contour.flatten(TOLERANCE));
    // In a tight corner a curved lead may lie on the wrong side of its own line all along.
    let in_scrap = |p: Point| own.contains(p) == scrap.inside;
    let with_leads = |places: &[f64]| -> Vec<Entry> {
        let led = places.iter().filter_map(|at| led(contour, *at, scrap.left, follow, others));
        led.filter(|entry| {
            entry.lead_in.iter().all(|lead| in_scrap(lead.start))
                && entry.lead_out.iter().all(|lead| in_scrap(lead.end()))
        })
        .collect()
    };
    let found = with_leads(&wanted);
    if !found.is_empty() {
        return (found, true);
    }
    // Rather at another place than without a lead.
    let elsewhere =
        [Start::Flat, Start::Corner].into_iter().flat_map(|s| places(contour, s, length));
    let found = with_leads(&elsewhere.filter(off_bridges).collect::<Vec<_>>());
    if !found.is_empty() {
        return (found, true);
    }
    (wanted.into_iter().map(Entry::plain).collect(), false)
}

/// Places along the arcs of a line that has no corner and few ends of arcs, as circles and slots are: a start shows nowhere
/// more than elsewhere, and the head need not go round to where an arc ends. None for other lines.
fn along_arcs(contour: &Contour) -> Vec<f64> {
    let pieces = &contour.pieces;
    let arcs = pieces.iter().any(|piece| matches!(piece, Piece::Arc { .. }));
    if !arcs || pieces.len() > MOST_PLACES / 2 || !contour.corners().is_empty() {
        return Vec::new();
    }
    let apart = APART.max(contour.length() / (MOST_PLACES - pieces.len()) as f64);
    let mut places = Vec::new();
    let mut from = 0.0;
    for (start, piece) in contour.walk() {
        let length = piece.length(start);
        // Straight edges are begun at their ends.
        let many = match piece {
            Piece::Arc { .. } => (length / apart).ceil().max(1.0),
            Piece::Line { .. } => 1.0,
        };
        places.extend((0..many as usize).map(|n| from + length * n as f64 / many));
        from += length;
    }
    places
}

/// Places at which a closed line may be begun, mm from its start.
fn places(contour: &Contour, start: Start, length: f64) -> Vec<f64> {
    let vertices = || {
        let mut place = 0.0;
        let all: Vec<f64> = contour
            .walk()
            .map(|(from, piece)| {
                let at = place;
                place += piece.length(from);
                at
            })
            .collect();
        thin(all)
    };
    match start {
        Start::Near(p) => vec![contour.nearest(p)],
        Start::Nearest => vertices(),
        Start::Corner => {
            let corners = thin(contour.corners());
            if corners.is_empty() { vertices() } else { corners }
        }
        Start::Flat => flats(contour, length),
    }
}

fn thin(all: Vec<f64>) -> Vec<f64> {
    let step = all.len().div_ceil(MOST_PLACES).max(1);
    all.into_iter().step_by(step).collect()
}

/// The middles of the longest stretches between corners, and places beside them.
fn flats(contour: &Contour, length: f64) -> Vec<f64> {
    let corners = contour.corners();
    let Some(first) = corners.first() else {
        return (0..8).map(|n| f64::from(n) / 8.0 * length).collect();
    };
    let next = corners.iter().skip(1).copied().chain([first + length]);
    let mut runs: Vec<(f64, f64)> = corners.iter().copied().zip(next).collect();
    runs.sort_by(|a, b| (b.1 - b.0).total_cmp(&(a.1 - a.0)).then(a.0.total_cmp(&b.0)));
    // Short stretches lie near corners whatever is done.
    let long = runs.first().map_or(0.0, |(a, b)| (b - a) / 3.0);
    runs.retain(|(a, b)| b - a >= long);
    let place = |share: f64| move |(a, b): &(f64, f64)| (a + (b - a) * share).rem_euclid(length);
    let shares = [0.5, 0.25, 0.75];
    let all = shares.iter().flat_map(|share| runs.iter().map(place(*share)));
    all.take(MOST_PLACES).collect()
}

/// Where the scrap of a closed line lies.
#[derive(Debug, Clone, Copy)]
pub(super) struct Scrap {
    /// Whether it is what the line encloses.
    pub(super) inside: bool,
    /// On which side of the line it lies, seen along it: 1 left, −1 right.
    pub(super) left: f64,
}

pub(super) fn scrap_side(contour: &Contour, hole: bool, side: Side) -> Scrap {
    let counter_clockwise = signed_area(contour.flatten(TOLERANCE).into_iter()) > 0.0;
    let inside = match side {
        Side::Scrap | Side::OnLine => hole,
        Side::Outside => false,
        Side::Inside => true,
    };
    Scrap { inside, left: if counter_clockwise == inside { 1.0 } else { -1.0 } }
}

/// A place with its leads, when there is room for them.
fn led(
    contour: &Contour,
    at: f64,
    scrap: f64,
    follow: &Follow,
    others: &Obstacles<'_>,
) -> Option<Entry> {
    let length = contour.length();
    let normal = |d: Vec2| Vec2::new(-d.y, d.x) * scrap;
    let mut entry = Entry::plain(at);
    if let Some(lead) = follow.lead_in {
        let (p, along) = contour.at(at);
        let before = contour.at((at - 1e-4).rem_euclid(length)).1;
        let end = End { contour, at, p };
        entry.lead_in = Some(way_in(end, along, before, normal, lead, others)?);
    }
    if let Some(lead) = follow.lead_out {
        let at = (at + follow.overlap).rem_euclid(length);
        let (p, after) = contour.at(at);
        let along = contour.at((at - 1e-4).rem_euclid(length)).1;
        // The way out is the way in of the line walked backwards.
        let back = |d: Vec2| -normal(d);
        let end = End { contour, at, p };
        entry.lead_out = Some(way_in(end, -along, -after, back, lead, others)?.reversed());
    }
    Some(entry)
}

/// The place of a line to which a lead comes.
#[derive(Clone, Copy)]
struct End<'a> {
    contour: &'a Contour,
    /// mm along the line.
    at: f64,
    p: Point,
}

impl End<'_> {
    /// Whether a line that a lead of `length` meets at `x` is the lead's own line where it comes up
    /// to it, or one that lies upon that.
    fn is_met_at(&self, x: Point, length: f64) -> bool {
        if (x - self.p).hypot() <= 4.0 * TOLERANCE {
            return true;
        }
        let place = self.contour.nearest(x);
        let whole = self.contour.length();
        let apart = (place - self.at).rem_euclid(whole);
        apart.min(whole - apart) <= 2.0 * (1.0 - FREE) * length
            && (self.contour.at(place).0 - x).hypot() <= 4.0 * TOLERANCE
    }
}

/// A lead to `end`, where the line goes on `along` and came from `before`; the first form that has
/// room.
fn way_in(
    end: End<'_>,
    along: Vec2,
    before: Vec2,
    normal: impl Fn(Vec2) -> Vec2,
    lead: Lead,
    others: &Obstacles<'_>,
) -> Option<Contour> {
    let p = end.p;
    let straight = |towards: Vec2| Contour {
        start: p + towards * lead.length,
        pieces: vec![Piece::Line { to: p }],
        closed: false,
    };
    let n = normal(along);
    let forms = match lead.shape {
        LeadShape::Arc => {
            let radius = lead.length / FRAC_PI_2;
            let centre = p + n * radius;
            let sweep = FRAC_PI_2 * along.cross(n).signum();
            vec![Contour {
                start: centre - along * radius,
                pieces: vec![Piece::Arc { to: p, centre, sweep }],
                closed: false,
            }]
        }
        LeadShape::Straight => {
            let bisector = n + normal(before);
            let middle = if bisector.hypot() > 1e-6 { bisector / bisector.hypot() } else { n };
            vec![straight((n - along) * FRAC_1_SQRT_2), straight(middle)]
        }
    };
    forms.into_iter().find(|form| others.leave_room(form, end))
}

/// What leads must stay clear of.
struct Obstacles<'a> {
    lines: RTree<CachedEnvelope<Segment<[f64; 2]>>>,
    /// Between the place of piercing and any line, mm.
    clear: f64,
    ground: &'a LaidStock,
}

impl<'a> Obstacles<'a> {
    fn none(context: &FollowContext<'a>) -> Self {
        Self { lines: RTree::new(), clear: 0.0, ground: context.ground }
    }

    fn of(lines: &[(Corrected, Stretches)], context: &FollowContext<'a>) -> Self {
        let mut segments: Vec<Segment<[f64; 2]>> = lines
            .par_iter()
            .flat_map_iter(|(line, _)| {
                let mut points = line.contour.flatten(TOLERANCE);
                if line.contour.closed {
                    points.push(line.contour.start);
                }
                let pairs: Vec<_> = points
                    .windows(2)
                    .map(|p| Segment::new([p[0].x, p[0].y], [p[1].x, p[1].y]))
                    .collect();
                pairs
            })
            .collect();
        // What is drawn many times over is in the way once.
        let mut seen = HashSet::with_capacity(segments.len());
        let end = |p: [f64; 2]| round_to_grid(Point::new(p[0], p[1]));
        segments.retain(|segment| seen.insert((end(segment.from), end(segment.to))));
        drop(seen);
        let clear = context.follow.kerf.max(context.job.machine.beam.width) / 2.0;
        let lines = segments.into_iter().map(CachedEnvelope::new).collect();
        Self { lines: RTree::bulk_load(lines), clear, ground: context.ground }
    }

    /// Whether a lead touches no line but the one at its end, and begins clear of every line.
    fn leave_room(&self, lead: &Contour, end: End<'_>) -> bool {
        let length = lead.length();
        let free = lead.part(0.0, FREE * length);
        let (Some(free), Some(last)) = (free, lead.part(FREE * length, length)) else {
            return false;
        };
        let points = free.flatten(TOLERANCE);
        if !points.iter().all(|p| self.ground.holds(*p, 1e-6)) {
            return false;
        }
        let start = [lead.start.x, lead.start.y];
        let clear = self.clear.min(0.9 * length * FRAC_1_SQRT_2);
        let round = AABB::from_corners(start.map(|a| a - clear), start.map(|a| a + clear));
        let mut near = self.lines.locate_in_envelope_intersecting(round);
        if near.any(|line| line.distance_2(&start) < clear * clear) {
            return false;
        }
        self.every_meeting(&points, |_| false)
            && self.every_meeting(&last.flatten(TOLERANCE), |x| end.is_met_at(x, length))
    }

    /// Whether every place where the way along `points` meets a line is one that may be.
    fn every_meeting(&self, points: &[Point], may_be: impl Fn(Point) -> bool) -> bool {
        points.windows(2).all(|pair| {
            let own = Segment::new([pair[0].x, pair[0].y], [pair[1].x, pair[1].y]);
            let envelope: AABB<[f64; 2]> = own.envelope();
            let near = self.lines.locate_in_envelope_intersecting(envelope);
            near.filter_map(|line| meeting(&own, line)).all(&may_be)
        })
    }
}

/// Where two segments meet that do not lie on one straight line.
fn meeting(a: &Segment<[f64; 2]>, b: &Segment<[f64; 2]>) -> Option<Point> {
    let p = |v: [f64; 2]| Point::new(v[0], v[1]);
    let (a0, a1, b0, b1) = (p(a.from), p(a.to), p(b.from), p(b.to));
    let side = |from: Point, to: Point, q: Point| (to - from).cross(q - from);
    let (c, d) = (side(a0, a1, b0), side(a0, a1, b1));
    let (e, f) = (side(b0, b1, a0), side(b0, b1, a1));
    let meet = c * d <= 0.0 && e * f <= 0.0 && !(c == 0.0 && d == 0.0);
    meet.then(|| b0 + (b1 - b0) * (c / (c - d)))
}
