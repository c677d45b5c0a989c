//! Small gaps: lines whose ends were meant to meet.

use super::Point;
use super::contour::{Contour, Piece};
use std::collections::BTreeMap;

/// What joining did.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Joined {
    /// How many gaps were closed.
    pub gaps: usize,
    /// The widest of them, mm.
    pub widest: f64,
}

/// Joins ends of open contours that lie within `tolerance` mm of each other, nearest first, with a
/// straight line across the gap. Contours keep the place of the first of those that they are made
/// of; a place whose contour went into another is empty.
#[must_use]
pub fn join(contours: Vec<Contour>, tolerance: f64) -> (Vec<Option<Contour>>, Joined) {
    let mut places: Vec<Option<Contour>> = contours.into_iter().map(Some).collect();
    let mut ends = Ends::of(&places);
    let mut joined = Joined::default();
    for (gap, a, b) in near_ends(&places, tolerance) {
        // An end may have been used up by a nearer one.
        let Some(a) = ends.find(&places, a, None) else { continue };
        let Some(b) = ends.find(&places, b, Some(a)) else { continue };
        connect(&mut places, &mut ends, a, b);
        joined.gaps += 1;
        joined.widest = joined.widest.max(gap);
    }
    (places, joined)
}

/// All pairs of ends within `tolerance`, nearest first.
fn near_ends(places: &[Option<Contour>], tolerance: f64) -> Vec<(f64, Point, Point)> {
    let ends: Vec<Point> =
        places.iter().flatten().filter(|c| !c.closed).flat_map(|c| [c.start, c.end()]).collect();
    let tree = rstar::RTree::bulk_load(
        ends.iter()
            .enumerate()
            .map(|(n, p)| rstar::primitives::GeomWithData::new([p.x, p.y], n))
            .collect(),
    );
    let mut pairs: Vec<(f64, usize, usize)> = Vec::new();
    for (n, p) in ends.iter().enumerate() {
        let near = tree.locate_within_distance([p.x, p.y], tolerance * tolerance);
        pairs.extend(near.filter(|e| e.data > n).map(|e| (p.distance(ends[e.data]), n, e.data)));
    }
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2)));
    pairs.into_iter().map(|(gap, a, b)| (gap, ends[a], ends[b])).collect()
}

/// An end of a contour: whose, and whether it is its start.
type End = (usize, bool);

/// Which contours have, or had, an end at a point.
struct Ends(BTreeMap<[u64; 2], Vec<usize>>);

impl Ends {
    fn of(places: &[Option<Contour>]) -> Self {
        let mut ends = Self(BTreeMap::new());
        for (n, contour) in places.iter().enumerate() {
            for p in contour.iter().filter(|c| !c.closed).flat_map(|c| [c.start, c.end()]) {
                ends.add(p, n);
            }
        }
        ends
    }

    fn add(&mut self, p: Point, contour: usize) {
        self.0.entry([p.x.to_bits(), p.y.to_bits()]).or_default().push(contour);
    }

    /// The open contour that has `p` as an end now; not the end `taken`.
    fn find(&self, places: &[Option<Contour>], p: Point, taken: Option<End>) -> Option<End> {
        self.0.get(&[p.x.to_bits(), p.y.to_bits()])?.iter().find_map(|n| {
            let contour = places[*n].as_ref().filter(|c| !c.closed)?;
            [(contour.start, true), (contour.end(), false)]
                .into_iter()
                .find(|(end, start)| *end == p && taken != Some((*n, *start)))
                .map(|(_, start)| (*n, start))
        })
    }
}

fn connect(places: &mut [Option<Contour>], ends: &mut Ends, a: End, b: End) {
    let bridge = |contour: &mut Contour, to: Point| {
        if contour.end() != to {
            contour.pieces.push(Piece::Line { to });
        }
    };
    if a.0 == b.0 {
        if let Some(contour) = &mut places[a.0] {
            let start = contour.start;
            bridge(contour, start);
            contour.closed = true;
        }
        return;
    }
    let (keep, give) = if a.0 < b.0 { (a, b) } else { (b, a) };
    let (Some(first), Some(second)) = (places[keep.0].take(), places[give.0].take()) else {
        return;
    };
    // The first ends where the gap is, the second begins there.
    let mut first = if keep.1 { first.reversed() } else { first };
    let second = if give.1 { second } else { second.reversed() };
    bridge(&mut first, second.start);
    first.pieces.extend(second.pieces);
    ends.add(first.end(), keep.0);
    places[keep.0] = Some(first);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::fit;
    use kurbo::BezPath;

    fn joined(paths: &[&str], tolerance: f64) -> (Vec<Option<Contour>>, Joined) {
        let contours = paths
            .iter()
            .flat_map(|d| fit::contours(&BezPath::from_svg(d).unwrap(), 0.01))
            .collect();
        join(contours, tolerance)
    }

    #[test]
    fn a_loop_that_nearly_closes_is_closed() {
        let (places, what) = joined(&["M0 0H10V10H0V0.04"], 0.05);
        let square = places[0].as_ref().unwrap();
        assert!(square.closed && square.end() == square.start);
        assert_eq!(what.gaps, 1);
        assert!((what.widest - 0.04).abs() < 1e-9);
        assert!(!joined(&["M0 0H10V10H0V0.06"], 0.05).0[0].as_ref().unwrap().closed);
    }

    #[test]
    fn loose_lines_become_one_shape_whichever_way_they_run() {
        let (places, what) = joined(&["M0 0H10", "M10 10V0.01", "M0 10.02H10", "M0 0.01V10"], 0.05);
        let square = places[0].as_ref().unwrap();
        assert!(square.closed && places[1..].iter().all(Option::is_none), "{places:?}");
        assert!((square.length() - 40.0).abs() < 0.1 && what.gaps == 4);
        // Every piece goes on where the one before it ended.
        assert_eq!(square.end(), square.start);
    }

    #[test]
    fn closed_lines_and_far_ends_are_left_alone() {
        let (places, what) = joined(&["M0 0H10V10Z", "M0.01 0H-5", "M20 0H30"], 0.05);
        assert_eq!(what, Joined::default());
        assert!(places.iter().all(Option::is_some));
    }
}
