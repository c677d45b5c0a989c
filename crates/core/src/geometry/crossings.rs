//! Where lines cross, themselves or each other.

use super::contour::Contour;
use super::{Point, SAME_POINT, Vec2, rounded};
use rayon::prelude::*;
use rstar::primitives::{GeomWithData, Line};
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

/// One straight piece.
#[derive(Debug, Clone, Copy)]
struct Chord {
    contour: usize,
    from: Point,
    to: Point,
}

/// All pairs of contours that cross, each with one place, on chords within `tolerance` mm. Lines
/// that only touch, meet or lie on one another do not cross.
#[must_use]
pub fn crossings(contours: &[Contour], tolerance: f64) -> Vec<Crossing> {
    // What is drawn many times over crosses others where its first drawing does.
    let mut seen = HashSet::new();
    let first: Vec<bool> = contours
        .iter()
        .map(|c| seen.insert(c.vertices().map(rounded).collect::<Vec<_>>()))
        .collect();
    let chords: Vec<Chord> = contours
        .par_iter()
        .enumerate()
        .filter(|(n, _)| first[*n])
        .flat_map_iter(|(n, c)| chords(n, c, tolerance))
        .collect();
    let lines = chords.iter().enumerate().map(|(n, chord)| {
        let ends = Line::new([chord.from.x, chord.from.y], [chord.to.x, chord.to.y]);
        GeomWithData::new(ends, n)
    });
    let tree = RTree::bulk_load(lines.collect());
    let found: Vec<Crossing> = chords
        .par_iter()
        .enumerate()
        .flat_map_iter(|(n, chord)| {
            let [a, b] = [chord.from, chord.to].map(|p| [p.x, p.y]);
            let near = AABB::from_corners(a, b);
            let crossed = move |other: usize, chords: &[Chord]| {
                let one = chords[other];
                let at = cross(one, *chord)?;
                Some(Crossing { first: one.contour, second: chord.contour, at })
            };
            let mut earlier: Vec<usize> = tree
                .locate_in_envelope_intersecting(near)
                .map(|line| line.data)
                .filter(|other| *other < n)
                .collect();
            earlier.sort_unstable();
            earlier.into_iter().filter_map(|other| crossed(other, &chords)).collect::<Vec<_>>()
        })
        .collect();
    let mut pairs: BTreeMap<(usize, usize), Crossing> = BTreeMap::new();
    for crossing in found {
        pairs.entry((crossing.first, crossing.second)).or_insert(crossing);
    }
    pairs.into_values().collect()
}

fn chords(contour: usize, of: &Contour, tolerance: f64) -> Vec<Chord> {
    let mut points = of.flatten(tolerance);
    if of.closed {
        points.push(of.start);
    }
    points.windows(2).map(|w| Chord { contour, from: w[0], to: w[1] }).collect()
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
