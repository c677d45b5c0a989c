//! The way round everything that a job burns: what the head is led along before anything burns.

use super::Planned;
use crate::mapping::Purpose;
use crate::segment::{Act, Provenance};
use std::collections::BTreeMap;
use tinkite_base::geometry::hull::convex_hull;
use tinkite_base::geometry::region::{FillRule, Polygon, signed_area, unite};
use tinkite_base::geometry::{Piece, Point, Rect};

/// The shape that the head is led round.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EdgeShape {
    /// The rectangle.
    Box,
    /// The convex hull.
    Hull,
    /// The outermost lines themselves; of engraved areas the convex hull.
    Outline,
}

/// The head strays from a curve by this much at most when it is led along it, mm.
const STRAYS: f64 = 0.1;
/// No more points than these are kept of what only its hull is wanted of.
const MOST_POINTS: usize = 100_000;
/// A line whose ends are nearer than this share of its length goes round something: cuts run over their
/// beginning, or stop short of it.
const NEARLY_CLOSED: f64 = 0.05;

/// The lines round everything that is burnt, in the plane of the job, mm from the program's zero; one
/// that is closed ends where it begins. None where nothing is burnt.
#[must_use]
pub fn edge(planned: &Planned, shape: EdgeShape) -> Vec<Vec<Point>> {
    match shape {
        EdgeShape::Box => bounds(planned).map_or_else(Vec::new, |b| {
            let corners = [(b.x0, b.y0), (b.x1, b.y0), (b.x1, b.y1), (b.x0, b.y1), (b.x0, b.y0)];
            vec![corners.map(Point::from).to_vec()]
        }),
        EdgeShape::Hull => {
            let mut points = Vec::new();
            burns(planned, |_, from, piece| keep(&mut points, from, &piece));
            close(convex_hull(points)).into_iter().collect()
        }
        EdgeShape::Outline => outline(planned),
    }
}

/// The rectangle round everything that is burnt.
fn bounds(planned: &Planned) -> Option<Rect> {
    let mut bounds: Option<Rect> = None;
    burns(planned, |_, from, piece| {
        let round = piece.bounds(from);
        bounds = Some(bounds.map_or(round, |bounds| bounds.union(round)));
    });
    bounds
}

/// Everything that burns.
fn burns(planned: &Planned, mut each: impl FnMut(Provenance, Point, Piece)) {
    works(planned, |of, purpose, from, piece| {
        if purpose == Purpose::Burn {
            each(of, from, piece);
        }
    });
}

/// Everything that is no travel.
fn works(planned: &Planned, mut each: impl FnMut(Provenance, Purpose, Point, Piece)) {
    let segments = planned.segments();
    planned.trace(|traced| {
        let Act::Move(way) = traced.segment.act else { return };
        if way.purpose != Purpose::Travel {
            let (from, piece) = segments.piece(&way);
            each(traced.segment.of, way.purpose, from, piece);
        }
    });
}

/// Keeps what the hull needs of a piece: a million short lines need no more memory than their hull.
fn keep(points: &mut Vec<Point>, from: Point, piece: &Piece) {
    points.push(from);
    piece.flatten(from, STRAYS, |point| points.push(point));
    if points.len() > MOST_POINTS {
        *points = convex_hull(std::mem::take(points));
    }
}

/// Round and back to the first point.
fn close(mut corners: Vec<Point>) -> Option<Vec<Point>> {
    let first = *corners.first()?;
    corners.push(first);
    Some(corners)
}

fn outline(planned: &Planned) -> Vec<Vec<Point>> {
    let steps = &planned.segments().job().steps;
    let is_area =
        |of: Provenance| steps.get(of.step).is_some_and(|step| step.operation.engrave().is_some());
    let mut areas: BTreeMap<usize, Vec<Point>> = BTreeMap::new();
    let mut lines: Vec<Vec<Point>> = Vec::new();
    let mut under_way = None;
    // A bridge does not end a line.
    works(planned, |of, purpose, from, piece| {
        if is_area(of) {
            if purpose == Purpose::Burn {
                keep(areas.entry(of.step).or_default(), from, &piece);
            }
            return;
        }
        let goes_on = under_way == Some(of)
            && lines
                .last()
                .and_then(|line| line.last())
                .is_some_and(|end| end.distance(from) < 1e-6);
        if !goes_on {
            lines.push(vec![from]);
            under_way = Some(of);
        }
        if let Some(line) = lines.last_mut() {
            piece.flatten(from, STRAYS, |point| line.push(point));
        }
    });
    let (mut rings, open): (Vec<_>, Vec<_>) = lines.into_iter().partition(|line| goes_round(line));
    rings.extend(areas.into_values().map(convex_hull));
    // Two that run opposite ways over each other would leave nothing.
    for ring in &mut rings {
        if signed_area(ring.iter().copied()) < 0.0 {
            ring.reverse();
        }
    }
    let outer: Vec<Polygon> = unite(&rings, FillRule::NonZero)
        .into_iter()
        .filter(|ring| signed_area(ring.iter().copied()) > 0.0)
        .map(Polygon::new)
        .collect();
    let inside = |line: &Vec<Point>| {
        line.iter().all(|point| outer.iter().any(|polygon| polygon.contains(*point)))
    };
    let open: Vec<_> = open.into_iter().filter(|line| !inside(line)).collect();
    let rings = outer.iter().filter_map(|polygon| close(polygon.points().to_vec()));
    nearest_first(rings.chain(open).collect())
}

/// Whether a line goes round something.
fn goes_round(line: &[Point]) -> bool {
    let length: f64 = line.windows(2).map(|pair| pair[0].distance(pair[1])).sum();
    let apart = line.first().zip(line.last()).map_or(0.0, |(a, b)| a.distance(*b));
    line.len() > 2 && apart <= NEARLY_CLOSED * length
}

/// The most lines that are looked through for the nearest; what comes behind stays in its order.
const MOST_SORTED: usize = 2_000;

/// From each line to the one that begins nearest to its end.
fn nearest_first(mut lines: Vec<Vec<Point>>) -> Vec<Vec<Point>> {
    let mut at = Point::ZERO;
    for n in 0..lines.len().min(MOST_SORTED) {
        let away = |line: &Vec<Point>| line.first().map_or(f64::INFINITY, |p| p.distance(at));
        let rest = lines[n..].iter().enumerate().take(MOST_SORTED);
        let nearest = rest.min_by(|a, b| away(a.1).total_cmp(&away(b.1))).map_or(0, |(k, _)| k);
        lines.swap(n, n + nearest);
        at = lines[n].last().copied().unwrap_or(at);
    }
    lines
}
