//! The convex hull of points.

use super::Point;

/// The corners of the smallest convex shape round all points, counter-clockwise, without those that lie
/// on a side; at most two when all points lie on one line. (Andrew's monotone chain, 1979.)
#[must_use]
pub fn convex_hull(mut points: Vec<Point>) -> Vec<Point> {
    points.sort_by(|a, b| a.x.total_cmp(&b.x).then(a.y.total_cmp(&b.y)));
    points.dedup();
    if points.len() < 3 {
        return points;
    }
    let half = |points: &mut dyn Iterator<Item = &Point>| {
        let mut corners: Vec<Point> = Vec::new();
        for point in points {
            while let [.., a, b] = corners[..]
                && (b - a).cross(*point - b) <= 0.0
            {
                corners.pop();
            }
            corners.push(*point);
        }
        // The last is the first of the other half.
        corners.pop();
        corners
    };
    let mut hull = half(&mut points.iter());
    hull.extend(half(&mut points.iter().rev()));
    hull
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn area(corners: &[Point]) -> f64 {
        (0..corners.len())
            .map(|n| corners[n].to_vec2().cross(corners[(n + 1) % corners.len()].to_vec2()) / 2.0)
            .sum()
    }

    #[test]
    fn a_square_with_points_on_and_in_it_has_four_corners() {
        let at = |x: i32, y: i32| Point::new(f64::from(x), f64::from(y));
        let points = (0..25).map(|n| at(n % 5, n / 5)).collect();
        assert_eq!(convex_hull(points), [at(0, 0), at(4, 0), at(4, 4), at(0, 4)]);
        assert_eq!(convex_hull((0..9).map(|n| at(n, 2 * n)).collect()), [at(0, 0), at(8, 16)]);
        assert_eq!(convex_hull(vec![at(3, 3); 4]), [at(3, 3)]);
        assert!(convex_hull(Vec::new()).is_empty());
    }

    proptest! {
        #[test]
        fn every_point_lies_inside_and_every_corner_turns_left(
            points in prop::collection::vec((-50.0..50.0f64, -50.0..50.0f64), 3..60)
        ) {
            let points: Vec<Point> = points.into_iter().map(Point::from).collect();
            let hull = convex_hull(points.clone());
            prop_assume!(hull.len() > 2);
            for n in 0..hull.len() {
                let (a, b) = (hull[n], hull[(n + 1) % hull.len()]);
                prop_assert!(points.iter().all(|p| (b - a).cross(*p - a) >= -1e-9));
                prop_assert!(points.contains(&a));
            }
            prop_assert!(area(&hull) > 0.0);
        }
    }
}
