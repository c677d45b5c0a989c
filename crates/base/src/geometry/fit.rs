//! Curves into lines and circular arcs.
//!
//! Drawing programs and importers hand over cubic Béziers, also where a circle was drawn. A cubic
//! that is the textbook approximation of a circular arc is taken for that arc; any other is split
//! until one arc or line through its ends and middle stays within the tolerance.

use super::SAME_POINT;
use super::contour::{Contour, Piece};
use kurbo::{BezPath, CubicBez, ParamCurve, ParamCurveArclen, PathEl, Point, Vec2};

/// Above this radius (mm) an arc is written as lines: its centre lies so far away that rounding
/// the program's numbers would bend it.
const LARGEST_RADIUS: f64 = 2000.0;

/// Splitting stops here: 2^12 pieces of one Bézier are more than any sensible tolerance needs.
const MOST_SPLITS: u32 = 12;

/// Share of the tolerance that one fit may use; what is left covers the curve between the samples.
const MARGIN: f64 = 0.8;

/// The contours of a path. `tolerance` (mm) bounds the distance between the path and its pieces.
///
/// A subpath is closed when it says so or when its ends meet within [`SAME_POINT`]. Pieces of no
/// length vanish, and so do subpaths of no length.
#[must_use]
pub fn contours(path: &BezPath, tolerance: f64) -> Vec<Contour> {
    let mut done = Vec::new();
    let mut open: Option<Contour> = None;
    let finish = |contour: Option<Contour>, closed: bool, done: &mut Vec<Contour>| {
        if let Some(contour) = contour.and_then(|c| settle_end(c, closed)) {
            done.push(contour);
        }
    };
    for element in path.elements() {
        if let PathEl::MoveTo(to) = *element {
            finish(open.take(), false, &mut done);
            open = Some(Contour { start: to, pieces: Vec::new(), closed: false });
            continue;
        }
        let Some(contour) = open.as_mut() else { continue };
        let from = contour.end();
        match *element {
            PathEl::MoveTo(_) => {}
            PathEl::LineTo(to) => line(from, to, &mut contour.pieces),
            PathEl::QuadTo(c, to) => {
                curve(kurbo::QuadBez::new(from, c, to).raise(), tolerance, &mut contour.pieces);
            }
            PathEl::CurveTo(a, b, to) => {
                curve(CubicBez::new(from, a, b, to), tolerance, &mut contour.pieces);
            }
            PathEl::ClosePath => {
                let start = contour.start;
                finish(open.take(), true, &mut done);
                // SVG: what follows a close without a move starts where the closed line started.
                open = Some(Contour { start, pieces: Vec::new(), closed: false });
            }
        }
    }
    finish(open, false, &mut done);
    done
}

/// Settles whether a subpath is closed, and closes it to the bit.
fn settle_end(mut contour: Contour, said_closed: bool) -> Option<Contour> {
    let gap = contour.end().distance(contour.start);
    if contour.pieces.is_empty() {
        return None;
    }
    contour.closed = said_closed || (gap <= SAME_POINT && contour.length() > 2.0 * SAME_POINT);
    if contour.closed && gap > 0.0 {
        let start = contour.start;
        match contour.pieces.last_mut() {
            Some(Piece::Line { to } | Piece::Arc { to, .. }) if gap <= SAME_POINT => *to = start,
            _ => contour.pieces.push(Piece::Line { to: start }),
        }
    }
    Some(contour)
}

fn line(from: Point, to: Point, pieces: &mut Vec<Piece>) {
    if from != to {
        pieces.push(Piece::Line { to });
    }
}

/// Appends lines and arcs within `tolerance` mm of the cubic.
fn curve(cubic: CubicBez, tolerance: f64, pieces: &mut Vec<Piece>) {
    if cubic.p0 == cubic.p3 && cubic.p0 == cubic.p1 && cubic.p0 == cubic.p2 {
        return;
    }
    match textbook_arc(&cubic).filter(|arc| lies_on(&cubic, arc, tolerance)) {
        Some(piece) => pieces.push(piece),
        None => split(&cubic, tolerance * MARGIN, MOST_SPLITS, pieces),
    }
}

/// The arc that `cubic` approximates in the usual way: arms of equal length `4/3 tan(sweep/4) r`,
/// tangent to the circle at both ends (Goldapp, "Approximation of circular arcs by cubic
/// polynomials", 1991; the construction of every drawing program).
fn textbook_arc(cubic: &CubicBez) -> Option<Piece> {
    let (first, last) = (cubic.p1 - cubic.p0, cubic.p3 - cubic.p2);
    let (a, b) = (first.hypot(), last.hypot());
    let chord = cubic.p3 - cubic.p0;
    // What 32-bit coordinates leave uncertain.
    let noise = 2e-5 * (a + b) + 2e-4;
    if (a - b).abs() > noise || a < 10.0 * noise || chord.hypot() < SAME_POINT {
        return None;
    }
    // The sweep is the angle between the end tangents; the standard form keeps it within a half turn.
    let sweep = first.cross(last).atan2(first.dot(last));
    if sweep.abs() < 0.02 || sweep.abs() > 3.2 {
        return None;
    }
    let radius = chord.hypot() / (2.0 * (sweep / 2.0).sin().abs());
    let arm = 4.0 / 3.0 * (sweep.abs() / 4.0).tan() * radius;
    // The chord must lie midway between the tangents, and the arms must have the standard length.
    let skew = chord.cross(first) / a + chord.cross(last) / b;
    // Programs print the factor with four digits, or shift it by 7e-4 to halve the greatest error.
    if (arm - (a + b) / 2.0).abs() > noise + 8e-4 * arm
        || skew.abs() > noise
        || radius > LARGEST_RADIUS
    {
        return None;
    }
    let height = radius * (sweep / 2.0).cos();
    let normal = Vec2::new(-chord.y, chord.x) / chord.hypot() * sweep.signum();
    let centre = cubic.p0.midpoint(cubic.p3) + normal * height;
    Some(Piece::Arc { to: cubic.p3, centre, sweep })
}

/// Whether a cubic stays within `tolerance` of an arc. The textbook form of a quarter circle of
/// 100 mm is 0.027 mm off in itself: asked for more than that, it is what was drawn that counts.
fn lies_on(cubic: &CubicBez, arc: &Piece, tolerance: f64) -> bool {
    let Piece::Arc { centre, .. } = *arc else { return false };
    let radius = cubic.p0.distance(centre);
    // The rest of the circle lies as near to its centre, on the other side of the chord.
    let middle = arc.point_at(cubic.p0, 0.5);
    if middle.distance(cubic.eval(0.5)) > tolerance * MARGIN {
        return false;
    }
    let off = |n: i32| (cubic.eval(f64::from(n) / 16.0).distance(centre) - radius).abs();
    (1..16).all(|n| off(n) <= tolerance * MARGIN)
}

fn split(cubic: &CubicBez, tolerance: f64, left: u32, pieces: &mut Vec<Piece>) {
    if flat(cubic, tolerance) {
        return line(cubic.p0, cubic.p3, pieces);
    }
    if let Some(piece) = one_arc(cubic, tolerance) {
        pieces.push(piece);
        return;
    }
    if left == 0 {
        return line(cubic.p0, cubic.p3, pieces);
    }
    let (a, b) = cubic.subdivide();
    split(&a, tolerance, left - 1, pieces);
    split(&b, tolerance, left - 1, pieces);
}

/// Whether the chord stays within `tolerance` of the cubic: the control polygon bounds the curve,
/// whose distance is at most 3/4 of the larger control distance.
fn flat(cubic: &CubicBez, tolerance: f64) -> bool {
    let chord = cubic.p3 - cubic.p0;
    let length = chord.hypot();
    let distance = |p: Point| {
        let v = p - cubic.p0;
        let along = if length > 0.0 { v.dot(chord) / (length * length) } else { 0.0 };
        (v - chord * along.clamp(0.0, 1.0)).hypot()
    };
    0.75 * distance(cubic.p1).max(distance(cubic.p2)) <= tolerance
}

/// The arc through both ends and the middle, when the curve stays within `tolerance` of it.
fn one_arc(cubic: &CubicBez, tolerance: f64) -> Option<Piece> {
    let (start, middle, end) = (cubic.p0, cubic.eval(0.5), cubic.p3);
    let (centre, sweep) = arc_through(start, middle, end)?;
    let radius = start.distance(centre);
    let (turn, sweep) = (sweep.signum(), sweep.abs());
    // More than a half turn of one Bézier piece is never a good fit; splitting will find better.
    if radius < tolerance || sweep > std::f64::consts::PI {
        return None;
    }
    let angle = |p: Point| (p - centre).atan2();
    let sweep_to = |p: Point| ((angle(p) - angle(start)) * turn).rem_euclid(std::f64::consts::TAU);
    let mut last = 0.0;
    for n in 1..16 {
        let p = cubic.eval(f64::from(n) / 16.0);
        let along = sweep_to(p);
        if (p.distance(centre) - radius).abs() > tolerance || along < last - 1e-9 || along > sweep {
            return None;
        }
        last = along;
    }
    // A curve that doubles back is longer than its arc.
    if (cubic.arclen(tolerance) - radius * sweep).abs() > 4.0 * tolerance {
        return None;
    }
    Some(Piece::Arc { to: end, centre, sweep: sweep * turn })
}

/// Centre and signed sweep (radians, below a full turn) of the arc through three points in this
/// order; `None` where they lie on a line, or so nearly that the radius is too large to be written.
pub(super) fn arc_through(start: Point, middle: Point, end: Point) -> Option<(Point, f64)> {
    let (u, v) = (middle - start, end - start);
    let twice_area = 2.0 * u.cross(v);
    if twice_area.abs() < 1e-12 || v.hypot() < SAME_POINT {
        return None;
    }
    let centre = start
        + Vec2::new(v.y * u.hypot2() - u.y * v.hypot2(), u.x * v.hypot2() - v.x * u.hypot2())
            / twice_area;
    let radius = start.distance(centre);
    if !radius.is_finite() || radius > LARGEST_RADIUS {
        return None;
    }
    let turn = twice_area.signum();
    let angle = |p: Point| (p - centre).atan2();
    let sweep_to = |p: Point| ((angle(p) - angle(start)) * turn).rem_euclid(std::f64::consts::TAU);
    let sweep = sweep_to(end);
    (sweep_to(middle) <= sweep).then_some((centre, sweep * turn))
}

#[cfg(test)]
mod tests {
    use super::*;
    use kurbo::{Circle, Shape};
    use proptest::prelude::*;

    fn radius_of(contour: &Contour) -> Vec<f64> {
        contour
            .walk()
            .filter_map(|(from, piece)| match piece {
                Piece::Arc { centre, .. } => Some(from.distance(*centre)),
                Piece::Line { .. } => None,
            })
            .collect()
    }

    #[test]
    fn a_guess_stays_within_the_tolerance_that_was_asked_for() {
        let path = Circle::new((3.0, 4.0), 150.0).to_path(15.0);
        for tolerance in [0.05, 0.01, 0.001] {
            let contours = contours(&path, tolerance);
            // Every place of the cubics, held against the arcs.
            let furthest = path
                .segments()
                .flat_map(|segment| (0..=64).map(move |n| segment.eval(f64::from(n) / 64.0)))
                .map(|p| contours[0].at(contours[0].nearest(p)).0.distance(p))
                .fold(0.0, f64::max);
            assert!(furthest <= tolerance, "{furthest} at {tolerance}");
        }
        assert_eq!(contours(&path, 0.05)[0].pieces.len(), 4);
    }

    #[test]
    fn a_circle_drawn_as_four_cubics_comes_back_as_four_exact_arcs() {
        // The form in itself is 2.7e-4 of the radius off.
        for radius in [0.4, 5.0, 29.0] {
            let path = Circle::new((3.0, 4.0), radius).to_path(0.1 * radius);
            let contours = contours(&path, 0.01);
            assert_eq!(contours.len(), 1);
            assert!(contours[0].closed);
            assert_eq!(contours[0].pieces.len(), 4, "r {radius}");
            for r in radius_of(&contours[0]) {
                assert!((r - radius).abs() < 1e-6, "{r} for {radius}");
            }
            let round = std::f64::consts::TAU * radius;
            assert!((contours[0].length() - round).abs() < 1e-5 * round);
        }
    }

    #[test]
    fn an_ellipse_is_fitted_and_not_taken_for_a_circle() {
        let path = kurbo::Ellipse::new((0.0, 0.0), (30.0, 12.0), 0.4).to_path(1e-4);
        let contours = contours(&path, 0.01);
        // Distance of the true ellipse, sampled finely, from the fitted pieces.
        let fitted = contours[0].flatten(1e-4);
        for n in 0..500 {
            let t = f64::from(n) / 500.0 * std::f64::consts::TAU;
            let p = kurbo::Affine::rotate(0.4) * Point::new(30.0 * t.cos(), 12.0 * t.sin());
            assert!(distance_to(&fitted, p, true) < 0.0105);
        }
        assert!(contours[0].pieces.len() < 60, "{} pieces", contours[0].pieces.len());
    }

    #[test]
    fn ends_that_meet_close_a_line_and_a_close_draws_the_missing_side() {
        let open = BezPath::from_svg("M0 0 L10 0 L10 10").unwrap();
        assert!(!contours(&open, 0.01)[0].closed);
        let meets = BezPath::from_svg("M0 0 L10 0 L10 10 L0.0002 0.0003").unwrap();
        let met = &contours(&meets, 0.01)[0];
        assert!(met.closed && met.end() == met.start);
        let said = BezPath::from_svg("M0 0 L10 0 L10 10 Z").unwrap();
        assert_eq!(contours(&said, 0.01)[0].pieces.len(), 3);
        let stray = BezPath::from_svg("M0 0 L0 0 Z M5 5").unwrap();
        assert!(contours(&stray, 0.01).is_empty());
    }

    fn distance_to(points: &[Point], p: Point, closed: bool) -> f64 {
        let ring = points.iter().skip(1).chain(closed.then_some(&points[0]));
        points
            .iter()
            .zip(ring)
            .map(|(a, b)| {
                let d = *b - *a;
                let t = ((p - *a).dot(d) / d.hypot2().max(1e-18)).clamp(0.0, 1.0);
                p.distance(*a + d * t)
            })
            .fold(f64::MAX, f64::min)
    }

    proptest! {
        #[test]
        fn every_cubic_stays_within_the_tolerance(
            c in proptest::array::uniform8(-40.0..40.0f64),
            tolerance in 0.003..0.3f64,
        ) {
            let cubic = CubicBez::new((c[0], c[1]), (c[2], c[3]), (c[4], c[5]), (c[6], c[7]));
            let mut path = BezPath::new();
            path.move_to(cubic.p0);
            path.curve_to(cubic.p1, cubic.p2, cubic.p3);
            let contours = contours(&path, tolerance);
            prop_assert_eq!(contours.len(), 1);
            let fitted = contours[0].flatten(tolerance / 50.0);
            for n in 0..=400 {
                let p = cubic.eval(f64::from(n) / 400.0);
                let d = distance_to(&fitted, p, contours[0].closed);
                prop_assert!(d <= tolerance * 1.05, "{} > {}", d, tolerance);
            }
        }

        /// Cubics that are nearly arcs of any sweep: neither is ever further from the other than was asked
        /// for, so that none is taken for the arc round the other side of its circle.
        #[test]
        fn near_arcs_are_met_both_ways(
            radius in 0.5..60.0f64,
            from in 0.0..6.3f64,
            sweep in prop_oneof![-6.2..6.2f64, 2.8..3.5f64, -3.5..-2.8f64],
            form in prop_oneof![Just(0.0), -1e-3..1e-3f64, -0.3..0.3f64],
            wraps in any::<bool>(),
            tolerance in prop_oneof![Just(0.01), 0.003..0.3f64],
        ) {
            prop_assume!(sweep.abs() > 0.01);
            let at = |angle: f64| Point::new(radius * angle.cos(), radius * angle.sin());
            let along = |angle: f64| Vec2::new(-angle.sin(), angle.cos());
            // As long as the arms of what is left of the circle have to be, too.
            let turn: f64 = if wraps { sweep.signum() * (std::f64::consts::TAU - sweep.abs()) } else { sweep };
            let arm = 4.0 / 3.0 * (turn / 4.0).tan() * radius * (1.0 + form);
            prop_assume!(arm.abs() <= 30.0 * radius);
            let (start, end) = (at(from), at(from + sweep));
            let cubic = CubicBez::new(start, start + along(from) * arm, end - along(from + sweep) * arm, end);
            let mut path = BezPath::new();
            path.move_to(cubic.p0);
            path.curve_to(cubic.p1, cubic.p2, cubic.p3);
            let contours = contours(&path, tolerance);
            prop_assert_eq!(contours.len(), 1);
            // As many chords as stay within a hundredth of the tolerance: their sag is at most
            // an eighth of the second derivative (six arms) over their number squared.
            let chords = (0.75 * arm.abs() / (0.01 * tolerance)).sqrt().max(1500.0).ceil();
            let drawn: Vec<Point> =
                (0..=chords as u32).map(|n| cubic.eval(f64::from(n) / chords)).collect();
            let fitted = contours[0].flatten(tolerance / 50.0);
            for p in drawn.iter().step_by(5) {
                let d = distance_to(&fitted, *p, contours[0].closed);
                prop_assert!(d <= tolerance * 1.05, "drawn {} > {}", d, tolerance);
            }
            for p in &fitted {
                let d = distance_to(&drawn, *p, false);
                prop_assert!(d <= tolerance * 1.05, "burnt {} > {}", d, tolerance);
            }
            let (a, b) = (contours[0].length(), cubic.arclen(1e-4));
            prop_assert!((a - b).abs() <= 0.02 * b + 10.0 * tolerance, "{} mm for {}", a, b);
        }
    }
}
