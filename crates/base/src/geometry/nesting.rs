//! Which closed contour lies inside which.

use super::region::Polygon;
use rayon::prelude::*;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};

/// How many points of a contour vote on whether it lies inside another. More than one, because a
/// contour may touch its parent's edge; few, because every vote costs.
const VOTES: usize = 5;

/// Areas that differ by less than this share are equal: copies differ by rounding.
const NOISE: f64 = 1e-9;

/// For each polygon the smallest one that contains it, if any. Only those that `may_contain` says
/// so of can be such a parent; equal polygons do not nest.
#[must_use]
pub fn parents(polygons: &[Polygon], may_contain: impl Fn(usize) -> bool) -> Vec<Option<usize>> {
    let containers = polygons.iter().enumerate().filter(|(n, _)| may_contain(*n));
    // The area is a third axis, so that thousands of shapes of one size that lie on one another
    // are not asked about each other.
    let boxes = containers.map(|(n, polygon)| {
        let (b, area) = (polygon.bounds(), polygon.area());
        GeomWithData::new(Rectangle::from_corners([b.x0, b.y0, area], [b.x1, b.y1, area]), n)
    });
    let tree = RTree::bulk_load(boxes.collect());
    polygons
        .par_iter()
        .enumerate()
        .map(|(own, inner)| {
            let first = inner.points().first()?;
            let low = [first.x, first.y, inner.area() * (1.0 + NOISE)];
            let larger = AABB::from_corners(low, [first.x, first.y, f64::MAX]);
            let mut candidates: Vec<(f64, usize)> = tree
                .locate_in_envelope_intersecting(larger)
                .map(|candidate| (polygons[candidate.data].area(), candidate.data))
                // Lines that cross themselves may enclose as much one way as the other, which is no area at all; they
                // lie in nothing that is not truly larger, least of all in themselves.
                .filter(|(area, n)| *n != own && *area > inner.area())
                .collect();
            candidates.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            candidates.into_iter().map(|(_, n)| n).find(|n| is_inside(inner, &polygons[*n]))
        })
        .collect()
}

fn is_inside(inner: &Polygon, outer: &Polygon) -> bool {
    let points = inner.points();
    let step = points.len().div_ceil(VOTES).max(1);
    let (mut yes, mut asked) = (0, 0);
    for n in (0..points.len()).step_by(step) {
        // The middle of an edge: corners are where shapes touch.
        let p = points[n].midpoint(points[(n + 1) % points.len()]);
        asked += 1;
        yes += usize::from(outer.contains(p));
    }
    2 * yes > asked
}

#[cfg(test)]
mod tests {
    use super::*;
    use kurbo::Point;

    fn square(x: f64, y: f64, side: f64) -> Polygon {
        Polygon::new(
            [(0., 0.), (side, 0.), (side, side), (0., side)]
                .map(|(dx, dy)| Point::new(x + dx, y + dy))
                .to_vec(),
        )
    }

    #[test]
    fn the_parent_is_the_smallest_that_contains() {
        let all = [
            square(2., 2., 2.),
            square(0., 0., 100.),
            square(1., 1., 10.),
            square(50., 50., 5.),
            square(200., 0., 3.),
            square(2., 2., 2.),
        ];
        assert_eq!(parents(&all, |_| true), [Some(2), None, Some(1), Some(1), None, Some(2)]);
    }

    #[test]
    fn a_bow_tie_of_no_area_does_not_lie_in_itself() {
        let bow = [(0., 0.), (4., 4.), (4., 0.), (0., 4.)];
        let bow = || Polygon::new(bow.map(|(x, y)| Point::new(x, y)).to_vec());
        assert_eq!(
            parents(&[bow(), bow(), square(-1., -1., 9.)], |_| true),
            [Some(2), Some(2), None]
        );
    }

    #[test]
    fn a_hole_that_touches_the_edge_is_still_inside() {
        let all = [square(0., 0., 10.), square(0., 3., 2.)];
        assert_eq!(parents(&all, |_| true), [None, Some(0)]);
    }
}
