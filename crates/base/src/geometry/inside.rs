//! A region of the plane that points and lines are held against.

use super::contour::Piece;
use super::{Point, Rect, hull};

/// Most bands that edges are sorted into.
const MOST_BANDS: f64 = 4096.0;

/// The area within closed rings (even-odd), with its edges sorted so that few are looked at.
#[derive(Debug, Clone)]
pub struct Inside {
    rings: Vec<Vec<Point>>,
    bounds: Rect,
    /// Edges by the bands that they reach through, from below.
    bands: Vec<Vec<(Point, Point)>>,
}

impl Inside {
    /// The area within `rings`.
    #[must_use]
    pub fn new(rings: Vec<Vec<Point>>) -> Self {
        let points = rings.iter().flatten().map(|p| Rect::from_points(*p, *p));
        let bounds = hull(points).unwrap_or_default();
        let edges = || {
            rings.iter().flat_map(|ring| {
                ring.iter().enumerate().map(|(n, from)| (*from, ring[(n + 1) % ring.len()]))
            })
        };
        let count = (edges().count() as f64).clamp(1.0, MOST_BANDS) as usize;
        let mut inside = Self { bounds, bands: vec![Vec::new(); count], rings: Vec::new() };
        for (from, to) in edges() {
            let (first, last) = inside.bands_of(from.y.min(to.y), from.y.max(to.y));
            inside.bands[first..=last].iter_mut().for_each(|band| band.push((from, to)));
        }
        inside.rings = rings;
        inside
    }

    /// The rings.
    #[must_use]
    pub fn rings(&self) -> &[Vec<Point>] {
        &self.rings
    }

    /// The rectangle round all of it.
    #[must_use]
    pub fn bounds(&self) -> Rect {
        self.bounds
    }

    /// The first and the last band that a range of heights reaches through.
    fn bands_of(&self, low: f64, high: f64) -> (usize, usize) {
        let height = self.bounds.height().max(f64::MIN_POSITIVE);
        let most = self.bands.len() - 1;
        let band = |y: f64| {
            let share = (y - self.bounds.y0) / height;
            ((share * self.bands.len() as f64).max(0.0) as usize).min(most)
        };
        (band(low), band(high))
    }

    /// Whether a point lies in it.
    #[must_use]
    pub fn holds(&self, p: Point) -> bool {
        if !(self.bounds.y0..=self.bounds.y1).contains(&p.y) {
            return false;
        }
        let crossed = |(a, b): &&(Point, Point)| {
            (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x)
        };
        self.bands[self.bands_of(p.y, p.y).0].iter().filter(crossed).count() % 2 == 1
    }

    /// The first place of a piece that does not lie in it, or is near to it; `None` where all of it does. An arc is
    /// held as chords this near to it, mm.
    #[must_use]
    pub fn left_at(&self, from: Point, piece: &Piece, tolerance: f64) -> Option<Point> {
        if !self.holds(from) {
            return Some(from);
        }
        let mut at = from;
        let mut left = None;
        piece.flatten(from, tolerance, |to| {
            left = left.or_else(|| self.crossing(at, to));
            at = to;
        });
        left
    }

    /// Where a line crosses the outline first.
    fn crossing(&self, from: Point, to: Point) -> Option<Point> {
        let side = |a: Point, b: Point, p: Point| (b - a).cross(p - a) > 0.0;
        let (first, last) = self.bands_of(from.y.min(to.y), from.y.max(to.y));
        let meetings = self.bands[first..=last].iter().flatten().filter_map(|(a, b)| {
            let apart = side(from, to, *a) != side(from, to, *b);
            if !apart || side(*a, *b, from) == side(*a, *b, to) {
                return None;
            }
            let (own, edge) = (to - from, *b - *a);
            Some((edge.cross(from - *a) / own.cross(edge)).clamp(0.0, 1.0))
        });
        let share = meetings.min_by(f64::total_cmp)?;
        Some(from.lerp(to, share))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn ring(points: &[(f64, f64)]) -> Vec<Point> {
        points.iter().map(|p| Point::from(*p)).collect()
    }

    /// A square with a square hole.
    fn frame() -> Inside {
        Inside::new(vec![
            ring(&[(0.0, 0.0), (30.0, 0.0), (30.0, 30.0), (0.0, 30.0)]),
            ring(&[(10.0, 10.0), (20.0, 10.0), (20.0, 20.0), (10.0, 20.0)]),
        ])
    }

    #[test]
    fn what_leaves_is_told_where_it_leaves() {
        let line = |x: f64, y: f64| Piece::Line { to: Point::new(x, y) };
        let at = Point::new(5.0, 15.0);
        let frame = frame();
        assert_eq!(frame.left_at(at, &line(5.0, 29.0), 0.01), None);
        // Across the hole, both ends on the frame.
        assert_eq!(frame.left_at(at, &line(25.0, 15.0), 0.01), Some(Point::new(10.0, 15.0)));
        assert_eq!(frame.left_at(at, &line(-5.0, 15.0), 0.01), Some(Point::new(0.0, 15.0)));
        let middle = Point::new(15.0, 15.0);
        assert_eq!(frame.left_at(middle, &line(15.0, 16.0), 0.01), Some(middle));
        // A half circle from (5, 5) to (25, 5) that bulges below the lower edge, or into the hole: at x = 10 it is 75^0.5 above its centre.
        let centre = Point::new(15.0, 5.0);
        for (sweep, low, high) in
            [(std::f64::consts::PI, -0.1, 0.1), (-std::f64::consts::PI, 13.65, 13.67)]
        {
            let arc = Piece::Arc { to: Point::new(25.0, 5.0), centre, sweep };
            let left = frame.left_at(Point::new(5.0, 5.0), &arc, 0.001).expect("it leaves");
            assert!((low..high).contains(&left.y), "{left:?}");
        }
    }

    proptest! {
        #[test]
        fn points_and_lines_lie_within_as_a_look_at_every_edge_says(
            points in proptest::collection::vec((0.0..20.0f64, 0.0..20.0f64), 3..40),
            (from, to) in ((-2.0..22.0f64, -2.0..22.0f64), (-2.0..22.0f64, -2.0..22.0f64)),
        ) {
            let ring = ring(&points);
            let inside = Inside::new(vec![ring.clone()]);
            let holds = |p: Point| {
                // How often the ring goes round it: the sum of all angles, odd or even.
                let turns: f64 = (0..ring.len()).map(|n| {
                    let (a, b) = (ring[n] - p, ring[(n + 1) % ring.len()] - p);
                    a.cross(b).atan2(a.dot(b))
                }).sum();
                (turns / std::f64::consts::TAU).round() as i64 % 2 != 0
            };
            let (from, to) = (Point::from(from), Point::from(to));
            prop_assert_eq!(inside.holds(from), holds(from));
            let left = inside.left_at(from, &Piece::Line { to }, 0.01);
            let near = |share: f64| from.lerp(to, share);
            match left {
                None => prop_assert!((0..=400).all(|n| holds(near(f64::from(n) / 400.0)))),
                Some(left) => {
                    let share = (left - from).hypot() / (to - from).hypot();
                    let before = (0..400).map(|n| f64::from(n) / 400.0 * (share - 1e-9));
                    prop_assert!(before.filter(|s| *s >= 0.0).all(|s| holds(near(s))) || left == from);
                }
            }
        }
    }
}
