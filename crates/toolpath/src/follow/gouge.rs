//! Bites: where a line, moved aside by half the kerf, takes material from a part that is not its own.

use super::nest::Nest;
use super::{Drawn, FollowContext};
use crate::Name;
use rayon::prelude::*;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use std::collections::{BTreeSet, HashSet};
use std::sync::{Arc, OnceLock};
use tinkite_base::geometry::region::{self, Combine, FillRule};
use tinkite_base::geometry::{Contour, Piece, Point, Rect, hull, round_to_grid};
use tinkite_base::problem::{Code, Problem, Problems, count, few};
use tinkite_base::quantity::plain;

/// Chords this near to curves are held against each other, mm.
const FINE: f64 = 0.002;

/// Bites less deep than this are rounding, mm: an offset strays by as much.
const SEEN: f64 = 0.01;

/// What areas are counted in may make a bite deeper by this, mm.
const ROUNDING: f64 = 1e-3;

/// The most parts that are looked at for one line. Drawings in which dozens of parts lie on one another
/// are told by those.
const MOST_PARTS: usize = 16;

/// Material that one line takes from another line's part.
struct Bite {
    by: Arc<Name>,
    from: String,
    /// mm², of this line alone.
    area: f64,
    /// How far it reaches into the part, mm.
    depth: f64,
    /// The deepest place.
    at: Point,
}

/// Tells where moved lines cut into neighbours: a warning, and an error above the step's own depth.
pub(super) fn tell(
    drawn: &[Drawn],
    moved: &[Vec<Contour>],
    nest: &Nest<'_>,
    context: &FollowContext<'_>,
    problems: &mut Problems,
) {
    let kerf = context.follow.kerf;
    let parts = Parts::of(nest);
    let bites: Vec<Bite> = drawn
        .par_iter()
        .zip(moved)
        .flat_map_iter(|(line, moved)| parts.find_bites(line, moved, kerf))
        .collect();
    let (deep, shallow): (Vec<Bite>, Vec<Bite>) =
        bites.into_iter().partition(|bite| bite.depth > context.follow.deepest_bite + ROUNDING);
    let told = [(deep, Problem::error as fn(_, String, String) -> _), (shallow, Problem::warning)];
    for (bites, kind) in told {
        let Some(worst) = bites.iter().max_by(|a, b| a.depth.total_cmp(&b.depth)) else { continue };
        let name = |bite: &Bite| {
            format!(
                "{} loses {} mm² to {}, {} mm deep at ({}, {})",
                bite.from,
                plain(bite.area, 2),
                bite.by,
                plain(bite.depth, 2),
                plain(bite.at.x, 2),
                plain(bite.at.y, 2)
            )
        };
        let names: Vec<String> = bites.iter().map(name).collect();
        let message = format!(
            "step \"{}\": a kerf of {} mm cuts into neighbours in {}, at most {} mm deep: {}",
            context.step.name,
            plain(kerf, 3),
            count(bites.len(), "place"),
            plain(worst.depth, 2),
            few(&names, 4)
        );
        let help = "move parts at least a kerf apart; where they share an edge, cut it once with \
                    shared-edges = true and side = \"on-line\"; deepest-bite says how deep a bite \
                    may be";
        problems.push(
            kind(Code::KerfBite, message, help.to_string())
                .at(context.place())
                .seen_at(bites.iter().map(|bite| bite.at).collect())
                .naming(names),
        );
    }
}

/// The parts of a sheet: outlines with their holes.
struct Parts<'a> {
    nest: &'a Nest<'a>,
    /// The holes of each outline.
    holes: Vec<Vec<usize>>,
    /// Closed lines by the rectangle that they cover; of lines that are drawn alike only the first.
    lines: RTree<Boxed<usize>>,
    /// Their pieces, made when first asked for.
    pieces: OnceLock<RTree<Boxed<(usize, Point, Piece)>>>,
}

type Boxed<T> = GeomWithData<Rectangle<[f64; 2]>, T>;

fn with_box<T>(r: Rect, what: T) -> Boxed<T> {
    GeomWithData::new(Rectangle::from_corners([r.x0, r.y0], [r.x1, r.y1]), what)
}

impl<'a> Parts<'a> {
    fn of(nest: &'a Nest<'a>) -> Self {
        let mut holes = vec![Vec::new(); nest.lines.len()];
        let mut seen = HashSet::new();
        let mut lines = Vec::new();
        for n in (0..nest.lines.len()).filter(|n| nest.lines[*n].closed) {
            if let Some(parent) = nest.parents[n].filter(|_| nest.is_hole(n)) {
                holes[parent].push(n);
            }
            if seen.insert(nest.lines[n].vertices().map(round_to_grid).collect::<Vec<_>>()) {
                lines.push(with_box(nest.lines[n].bounds(), n));
            }
        }
        Self { nest, holes, lines: RTree::bulk_load(lines), pieces: OnceLock::new() }
    }

    /// The outline of the part that a line bounds.
    fn part(&self, line: usize) -> usize {
        self.nest.parents[line].filter(|_| self.nest.is_hole(line)).unwrap_or(line)
    }

    fn pieces(&self) -> &RTree<Boxed<(usize, Point, Piece)>> {
        self.pieces.get_or_init(|| {
            let of_line = |line: &Boxed<usize>| {
                let n = line.data;
                let walk = self.nest.lines[n].walk();
                walk.map(|(from, p)| with_box(p.bounds(from), (n, from, *p))).collect::<Vec<_>>()
            };
            RTree::bulk_load(self.lines.iter().flat_map(of_line).collect())
        })
    }

    /// What the moved line takes from parts that are not its own.
    fn find_bites(&self, line: &Drawn, moved: &[Contour], kerf: f64) -> Vec<Bite> {
        let Some(bounds) = hull(moved.iter().map(Contour::bounds)) else { return Vec::new() };
        let own = self.part(line.number);
        let reach = envelope(bounds.inflate(kerf / 2.0, kerf / 2.0));
        let mut others = self.lines.locate_in_envelope_intersecting(reach);
        if !line.contour.closed || others.all(|other| self.part(other.data) == own) {
            return Vec::new();
        }
        let near = self.near(moved, own, kerf / 2.0 - SEEN);
        if near.is_empty() {
            return Vec::new();
        }
        let walked: Vec<Vec<Point>> = moved.iter().map(|contour| contour.flatten(FINE)).collect();
        let band = sweep(&walked, kerf);
        near.into_iter().filter_map(|part| self.bite(line, &band, part, kerf)).collect()
    }

    /// Other parts with a line nearer than `distance` mm to what the beam walks, in their order.
    fn near(&self, moved: &[Contour], own: usize, distance: f64) -> BTreeSet<usize> {
        let mut near = BTreeSet::new();
        for (from, piece) in moved.iter().flat_map(Contour::walk) {
            let reach = piece.bounds(from).inflate(distance, distance);
            let mut others: Vec<&(usize, Point, Piece)> = self
                .pieces()
                .locate_in_envelope_intersecting(envelope(reach))
                .map(|other| &other.data)
                .collect();
            others.sort_by_key(|other| other.0);
            let walked = chords(from, piece);
            for (n, start, other) in others {
                let part = self.part(*n);
                if part == own || near.contains(&part) {
                    continue;
                }
                let other = chords(*start, other);
                let meet = |a| other.iter().any(|b| chord_distance(a, *b) < distance);
                if walked.iter().any(|a| meet(*a)) {
                    near.insert(part);
                }
                if near.len() == MOST_PARTS {
                    return near;
                }
            }
        }
        near
    }

    /// What the swept band takes from the material of a part.
    fn bite(&self, line: &Drawn, band: &[Vec<Point>], part: usize, kerf: f64) -> Option<Bite> {
        let lines: Vec<usize> = std::iter::once(part).chain(self.holes[part].clone()).collect();
        let rings: Vec<Vec<Point>> =
            lines.iter().map(|n| self.nest.lines[*n].flatten(FINE)).collect();
        let material = region::unite(&rings, FillRule::EvenOdd);
        let lost = region::combined(&material, band, Combine::Overlap);
        let area = region::area(&lost);
        let edge = |p: Point| {
            let near = lines.iter().map(|n| {
                let contour = self.nest.lines[*n];
                contour.at(contour.nearest(p)).0.distance(p)
            });
            near.fold(f64::INFINITY, f64::min)
        };
        let (depth, at) = lost
            .iter()
            .flat_map(|ring| edges(ring))
            .flat_map(|(from, to)| along(from, to, kerf / 4.0))
            .map(|p| (edge(p), p))
            .max_by(|a, b| a.0.total_cmp(&b.0))?;
        // Deeper than the beam is wide: the drawn lines themselves cross, which is told as such.
        (depth > SEEN && depth < kerf + SEEN).then(|| Bite {
            by: line.name.clone(),
            from: self.nest.label(part),
            area,
            depth,
            at,
        })
    }
}

/// What a beam as wide as the kerf removes along closed lines.
fn sweep(walked: &[Vec<Point>], kerf: f64) -> Vec<Vec<Point>> {
    let area = region::unite(walked, FillRule::EvenOdd);
    let outer = region::grow(&area, kerf / 2.0, FINE);
    let inner = region::grow(&area, -kerf / 2.0, FINE);
    region::combined(&outer, &inner, Combine::Minus)
}

fn chords(from: Point, piece: &Piece) -> Vec<(Point, Point)> {
    let mut last = from;
    let mut chords = Vec::new();
    piece.flatten(from, FINE, |to| chords.push((std::mem::replace(&mut last, to), to)));
    chords
}

fn edges(ring: &[Point]) -> impl Iterator<Item = (Point, Point)> + '_ {
    ring.iter().copied().zip(ring.iter().copied().cycle().skip(1))
}

/// Points of a straight line, about `step` mm apart: the corners of what is lost lie on the part's
/// own edge, the deepest places between them.
fn along(from: Point, to: Point, step: f64) -> impl Iterator<Item = Point> {
    const MOST: f64 = 64.0;
    let count = (from.distance(to) / step).ceil().clamp(1.0, MOST);
    (0..count as usize).map(move |n| from.lerp(to, n as f64 / count))
}

fn envelope(r: Rect) -> AABB<[f64; 2]> {
    AABB::from_corners([r.x0, r.y0], [r.x1, r.y1])
}

/// The distance between two straight lines that do not cross; those that cross are told elsewhere,
/// and are near by their ends or by a neighbour's.
fn chord_distance(a: (Point, Point), b: (Point, Point)) -> f64 {
    let to = |p: Point, (from, to): (Point, Point)| {
        let along = to - from;
        let share = (p - from).dot(along) / along.hypot2().max(f64::MIN_POSITIVE);
        from.lerp(to, share.clamp(0.0, 1.0)).distance(p)
    };
    [to(a.0, b), to(a.1, b), to(b.0, a), to(b.1, a)].into_iter().fold(f64::INFINITY, f64::min)
}
