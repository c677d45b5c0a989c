//! Where lines cross, themselves or each other.

use super::contour::{Contour, Piece};
use super::{Point, SAME_POINT, Vec2, rounded};
use rayon::prelude::*;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use std::collections::{BTreeMap, HashSet};

/// Two contours that cross, or one that crosses itself.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Crossing {
    /// The earlier contour.
    pub first: usize,
    /// The later one; the same for a contour that crosses itself.
    pub second: usize,
    /// A place where they cross.
    pub at: Point,
}

/// One piece of a contour.
#[derive(Debug, Clone, Copy)]
struct Part {
    contour: usize,
    from: Point,
    piece: Piece,
}

/// A straight line.
#[derive(Debug, Clone, Copy)]
struct Chord {
    from: Point,
    to: Point,
}

/// All pairs of contours that cross, each with one place, on chords within `tolerance` mm. Lines
/// that only touch, meet or lie on one another do not cross.
#[must_use]
pub fn crossings(contours: &[Contour], tolerance: f64) -> Vec<Crossing> {
    // What is drawn many times over crosses others where its first drawing does.
    let mut seen = HashSet::new();
    let firsts = contours
        .iter()
        .enumerate()
        .filter(|(_, c)| seen.insert(c.vertices().map(rounded).collect::<Vec<_>>()));
    let parts: Vec<Part> = firsts
        .flat_map(|(contour, c)| {
            c.walk().map(move |(from, piece)| Part { contour, from, piece: *piece })
        })
        .collect();
    let boxes = parts.iter().enumerate().map(|(n, part)| {
        let b = part.piece.bounds(part.from);
        GeomWithData::new(Rectangle::from_corners([b.x0, b.y0], [b.x1, b.y1]), n)
    });
    let tree = RTree::bulk_load(boxes.collect());
    let found: Vec<Crossing> = parts
        .par_iter()
        .enumerate()
        .flat_map_iter(|(n, part)| {
            let b = part.piece.bounds(part.from);
            let near = AABB::from_corners([b.x0, b.y0], [b.x1, b.y1]);
            let mut earlier: Vec<usize> = tree
                .locate_in_envelope_intersecting(near)
                .map(|other| other.data)
                .filter(|other| *other < n)
                .collect();
            earlier.sort_unstable();
            // Arcs become chords only where something is near.
            let own = if earlier.is_empty() { Vec::new() } else { chords(part, tolerance) };
            earlier
                .into_iter()
                .filter_map(|other| {
                    let one = &parts[other];
                    let at = chords(one, tolerance)
                        .into_iter()
                        .find_map(|a| own.iter().find_map(|b| cross(a, *b)))?;
                    Some(Crossing { first: one.contour, second: part.contour, at })
                })
                .collect::<Vec<_>>()
        })
        .collect();
    let mut pairs: BTreeMap<(usize, usize), Crossing> = BTreeMap::new();
    for crossing in found {
        pairs.entry((crossing.first, crossing.second)).or_insert(crossing);
    }
    pairs.into_values().collect()
}

fn chords(part: &Part, tolerance: f64) -> Vec<Chord> {
    let mut from = part.from;
    let mut chords = Vec::new();
    part.piece.flatten(part.from, tolerance, |to| {
        chords.push(Chord { from: std::mem::replace(&mut from, to), to });
    });
    chords
}

/// Where two chords cross properly: the ends of each lie clearly on both sides of the other.
fn cross(a: Chord, b: Chord) -> Option<Point> {
    let side = |chord: Chord, p: Point| {
        let along: Vec2 = chord.to - chord.from;
        along.cross(p - chord.from) / along.hypot().max(f64::MIN_POSITIVE)
    };
    let (b0, b1) = (side(a, b.from), side(a, b.to));
    let (a0, a1) = (side(b, a.from), side(b, a.to));
    let apart = |x: f64, y: f64| x * y < 0.0 && x.abs().min(y.abs()) > SAME_POINT;
    (apart(b0, b1) && apart(a0, a1)).then(|| b.from.lerp(b.to, b0 / (b0 - b1)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::{BezPath, fit};

    fn found(svg: &str) -> Vec<(usize, usize, Point)> {
        let contours = fit::contours(&BezPath::from_svg(svg).unwrap(), 0.01);
        crossings(&contours, 0.005).into_iter().map(|c| (c.first, c.second, c.at)).collect()
    }

    #[test]
    fn crossing_is_told_and_touching_is_not() {
        let bow = found("M0 0 L20 20 V0 L0 20 Z");
        assert_eq!(bow.len(), 1);
        assert!(bow[0].0 == bow[0].1 && bow[0].2.distance(Point::new(10.0, 10.0)) < 1e-9);
        let two = found("M0 0 H20 V20 H0 Z M10 10 H30 V30 H10 Z");
        assert_eq!(two.len(), 1);
        assert_eq!((two[0].0, two[0].1), (0, 1));
        // Side by side with a shared edge, a T, a corner on an edge, one inside another.
        for apart in [
            "M0 0 H20 V20 H0 Z M20 0 H40 V20 H20 Z",
            "M0 0 H20 M10 0 V10",
            "M0 0 H20 V20 H0 Z M20 10 L30 5 V15 Z",
            "M0 0 H20 V20 H0 Z M5 5 H15 V15 H5 Z",
        ] {
            assert_eq!(found(apart), [], "{apart}");
        }
    }
}
