//! Offsets of closed lines that keep arcs as arcs.

use super::region::{self, FillRule};
use super::{Contour, Piece, Point, Vec2};
use crate::shield;
use cavalier_contours::polyline::{PlineOffsetOptions, PlineSource, PlineSourceMut, Polyline};
use std::f64::consts::PI;

/// How far the polygons that an offset is held against may stray from its arcs, mm.
const CHECKED: f64 = 0.005;

/// The line `by` mm outside a closed line, or inside it for a negative distance: `None` when nothing
/// is left of it, several when it falls apart. Arcs stay arcs; outer corners become arcs about the
/// corner, so that every point keeps its distance.
///
/// Each result is held against the same offset made with polygons; where the two disagree (lines
/// that cross themselves) the polygon counts, within 0.005 mm.
#[must_use]
pub fn offset(contour: &Contour, by: f64) -> Vec<Contour> {
    let ring = contour.flatten(CHECKED / 4.0);
    if by == 0.0 || ring.len() < 2 {
        return vec![contour.clone()];
    }
    let area = region::unite(&[ring], FillRule::NonZero);
    let expected = region::grow(&area, by, CHECKED / 4.0);
    let sum = |rings: &[Vec<Point>]| -> f64 {
        rings.iter().map(|ring| region::signed_area(ring.iter().copied())).sum()
    };
    let wanted = sum(&expected);
    let found = shield::shield(|| with_arcs(contour, by)).unwrap_or_default();
    let flat: Vec<Vec<Point>> = found.iter().map(|c| c.flatten(CHECKED / 4.0)).collect();
    let round: f64 = expected.iter().map(|ring| perimeter(ring)).sum();
    // Both stray by their tolerance along the whole of the line, at most.
    let agrees = (sum(&flat).abs() - wanted.abs()).abs() <= CHECKED * (round + 1.0)
        && flat.len() == expected.len();
    if agrees {
        return found;
    }
    expected.iter().filter_map(|ring| polygon(ring)).collect()
}

fn perimeter(ring: &[Point]) -> f64 {
    ring.iter().zip(ring.iter().cycle().skip(1)).map(|(a, b)| a.distance(*b)).sum()
}

fn polygon(ring: &[Point]) -> Option<Contour> {
    let (start, rest) = ring.split_first()?;
    let mut pieces: Vec<Piece> = rest.iter().map(|to| Piece::Line { to: *to }).collect();
    pieces.push(Piece::Line { to: *start });
    (pieces.len() > 2).then_some(Contour { start: *start, pieces, closed: true })
}

/// By the polyline library, which knows arcs by their bulge, tan(sweep / 4).
fn with_arcs(contour: &Contour, by: f64) -> Vec<Contour> {
    let mut line = Polyline::new_closed();
    for (from, piece) in contour.walk() {
        match *piece {
            Piece::Line { .. } => {
                line.add(from.x, from.y, 0.0);
            }
            Piece::Arc { sweep, .. } => {
                // A bulge above one is no arc to the library: halves of it are.
                let parts = if sweep.abs() > 0.99 * PI { 2 } else { 1 };
                for part in 0..parts {
                    let start = piece.point_at(from, f64::from(part) / f64::from(parts));
                    line.add(start.x, start.y, (sweep / f64::from(parts) / 4.0).tan());
                }
            }
        }
    }
    // To the left is inside for a line that runs counter-clockwise.
    let inwards = if line.area() > 0.0 { -by } else { by };
    let options = PlineOffsetOptions { handle_self_intersects: false, ..Default::default() };
    line.parallel_offset_opt(inwards, &options).iter().filter_map(back).collect()
}

fn back(line: &Polyline<f64>) -> Option<Contour> {
    let count = line.vertex_count();
    let point = |n: usize| {
        let v = line.at(n % count);
        Point::new(v.x, v.y)
    };
    if count < 2 {
        return None;
    }
    let mut pieces = Vec::with_capacity(count);
    for n in 0..count {
        let (from, to, bulge) = (point(n), point(n + 1), line.at(n).bulge);
        let chord = to - from;
        if chord.hypot() < 1e-9 {
            continue;
        }
        if bulge.abs() < 1e-9 {
            pieces.push(Piece::Line { to });
            continue;
        }
        let sweep = 4.0 * bulge.atan();
        // The centre lies beside the chord's middle, by chord / 2 / tan(sweep / 2).
        let height = chord.hypot() / 2.0 / (sweep / 2.0).tan();
        let normal = Vec2::new(-chord.y, chord.x) / chord.hypot();
        pieces.push(Piece::Arc { to, centre: from.midpoint(to) + normal * height, sweep });
    }
    // What was left out was of no length, so the last end is the start within noise.
    let start = point(0);
    if let Some(Piece::Line { to } | Piece::Arc { to, .. }) = pieces.last_mut() {
        *to = start;
    }
    (!pieces.is_empty()).then_some(Contour { start, pieces, closed: true })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::fit;
    use kurbo::{BezPath, Circle, Rect, RoundedRect, Shape};
    use proptest::prelude::*;

    fn area(contours: &[Contour]) -> f64 {
        let ring = |c: &Contour| region::signed_area(c.flatten(1e-5).into_iter()).abs();
        contours.iter().map(ring).sum()
    }

    fn one(path: &BezPath) -> Contour {
        fit::contours(path, 0.001).remove(0)
    }

    #[test]
    fn a_circle_becomes_a_circle() {
        let circle = one(&Circle::new((3.0, 4.0), 10.0).to_path(1e-3));
        for by in [0.1, -0.075, 2.0, -9.0] {
            let grown = offset(&circle, by);
            assert_eq!(grown.len(), 1);
            for (from, piece) in grown[0].walk() {
                let Piece::Arc { centre, .. } = piece else { panic!("{piece:?}") };
                assert!((from.distance(*centre) - (10.0 + by)).abs() < 1e-4);
                assert!(centre.distance(Point::new(3.0, 4.0)) < 1e-4);
            }
        }
        assert!(offset(&circle, -10.5).is_empty());
    }

    #[test]
    fn a_rectangle_gets_round_corners_outside_and_sharp_ones_inside() {
        let square = one(&Rect::new(0.0, 0.0, 20.0, 10.0).to_path(1e-3));
        let out = offset(&square, 0.5);
        assert_eq!(out[0].pieces.iter().filter(|p| matches!(p, Piece::Arc { .. })).count(), 4);
        let round = 20.0 * 10.0 + 2.0 * 30.0 * 0.5 + PI * 0.25;
        assert!((area(&out) - round).abs() < 1e-3, "{}", area(&out));
        let inner = offset(&square, -0.5);
        assert_eq!(inner[0].pieces.len(), 4);
        assert!((area(&inner) - 19.0 * 9.0).abs() < 1e-4);
    }

    #[test]
    fn rounded_corners_keep_their_centres_either_way_round() {
        let path = RoundedRect::new(0.0, 0.0, 40.0, 30.0, 5.0).to_path(1e-3);
        let there = one(&path);
        for contour in [there.clone(), there.reversed()] {
            let inner = offset(&contour, -2.0);
            let radii: Vec<f64> = inner[0]
                .walk()
                .filter_map(|(from, piece)| match piece {
                    Piece::Arc { centre, .. } => Some(from.distance(*centre)),
                    Piece::Line { .. } => None,
                })
                .collect();
            assert!(radii.len() >= 4 && radii.iter().all(|r| (r - 3.0).abs() < 1e-3), "{radii:?}");
        }
    }

    #[test]
    fn a_neck_falls_apart_and_a_crossing_line_is_still_offset() {
        // Two squares joined by a neck 1 mm wide.
        let neck = BezPath::from_svg("M0 0H10V4.5H20V0H30V10H20V5.5H10V10H0Z").unwrap();
        assert_eq!(offset(&one(&neck), -0.6).len(), 2);
        assert_eq!(offset(&one(&neck), -0.4).len(), 1);
        let eight = BezPath::from_svg("M0 0L10 10V0L0 10Z").unwrap();
        let grown = offset(&one(&eight), 0.2);
        assert!(!grown.is_empty() && area(&grown) > 50.0);
    }

    proptest! {
        /// Steiner's formula: a convex ring grown by d gains its perimeter times d and π d².
        #[test]
        fn convex_outlines_grow_by_steiners_formula(
            radius in 2.0..50.0f64, corners in 3usize..40, turn in 0.0..6.0f64, by in 0.01..3.0f64,
        ) {
            let ring: Vec<Point> = (0..corners).map(|n| {
                let angle = turn + n as f64 / corners as f64 * 2.0 * PI;
                Point::ZERO + Vec2::from_angle(angle) * radius
            }).collect();
            let contour = polygon(&ring).unwrap();
            let grown = offset(&contour, by);
            let exact = area(std::slice::from_ref(&contour)) + contour.length() * by + PI * by * by;
            prop_assert_eq!(grown.len(), 1);
            let slack = 0.005 * grown[0].length();
            prop_assert!((area(&grown) - exact).abs() < slack, "{} {}", area(&grown), exact);
        }

        /// Every point of an offset lies at its distance from the line, and none nearer.
        #[test]
        fn every_point_keeps_its_distance(
            radii in proptest::collection::vec(6.0..20.0f64, 5..24), by in -3.0..3.0f64,
        ) {
            let n = radii.len() as f64;
            let ring: Vec<Point> = radii.iter().enumerate().map(|(k, r)| {
                Point::ZERO + Vec2::from_angle(k as f64 / n * 2.0 * PI) * *r
            }).collect();
            let contour = polygon(&ring).unwrap();
            for grown in offset(&contour, by) {
                for p in grown.flatten(0.001) {
                    let q = contour.at(contour.nearest(p)).0;
                    prop_assert!((p.distance(q) - by.abs()).abs() < 0.005, "{} {}", p.distance(q), by);
                }
            }
        }
    }
}
