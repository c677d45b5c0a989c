//! Splines (NURBS) into cubic Béziers.

use tinkite_base::geometry::{BezPath, Point};

/// A spline as it is stored.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Spline {
    pub(super) degree: usize,
    pub(super) closed: bool,
    pub(super) knots: Vec<f64>,
    pub(super) controls: Vec<Point>,
    /// One for each control point, or none.
    pub(super) weights: Vec<f64>,
    /// Points that the curve goes through, when there are no control points.
    pub(super) fit: Vec<Point>,
}

/// A point in homogeneous coordinates: x·w, y·w, w.
type Heavy = [f64; 3];

/// Halving a curve stops here.
const MOST_SPLITS: u32 = 10;

impl Spline {
    /// The curve within `tolerance` (in the drawing's units); none for one that is broken.
    pub(super) fn path(&self, tolerance: f64) -> Option<BezPath> {
        if self.controls.is_empty() {
            return through(&self.fit, self.closed);
        }
        let count = self.controls.len();
        let degree = self.degree;
        let sorted = self.knots.windows(2).all(|w| w[0] <= w[1]);
        let weights_fit = self.weights.is_empty() || self.weights.len() == count;
        let sound = (1..=25).contains(&degree)
            && count > degree
            && self.knots.len() == count + degree + 1
            && sorted
            && weights_fit
            && self.weights.iter().all(|w| *w > 0.0);
        if !sound {
            return None;
        }
        let heavy = |n: usize| {
            let w = self.weights.get(n).copied().unwrap_or(1.0);
            [self.controls[n].x * w, self.controls[n].y * w, w]
        };
        let controls: Vec<Heavy> = (0..count).map(heavy).collect();
        let spans = spans(degree, &self.knots, &controls);
        let mut path = BezPath::new();
        for span in &spans {
            if path.elements().is_empty() {
                path.move_to(point(span[0]));
            }
            curve(span, tolerance, MOST_SPLITS, &mut path);
        }
        if path.elements().is_empty() {
            return None;
        }
        if self.closed {
            path.close_path();
        }
        Some(path)
    }
}

fn point(p: Heavy) -> Point {
    Point::new(p[0] / p[2], p[1] / p[2])
}

fn mix(a: Heavy, b: Heavy, t: f64) -> Heavy {
    [0, 1, 2].map(|n| a[n] + (b[n] - a[n]) * t)
}

/// Splits a B-spline at its knots into Bézier pieces: control point `j` of the piece over `[a, b]`
/// is the blossom of the curve at `degree - j` times `a` and `j` times `b` (Ramshaw's principle).
fn spans(degree: usize, knots: &[f64], controls: &[Heavy]) -> Vec<Vec<Heavy>> {
    let mut pieces = Vec::new();
    for k in degree..controls.len() {
        let (a, b) = (knots[k], knots[k + 1]);
        if a < b {
            let near = &controls[k - degree..=k];
            let knots = &knots[k - degree..=k + degree + 1];
            let at =
                |j: usize| blossom(degree, knots, near, |r| if r <= degree - j { a } else { b });
            pieces.push((0..=degree).map(at).collect());
        }
    }
    pieces
}

/// De Boor's recursion with an argument of its own at each level, 1 to `degree`.
fn blossom(degree: usize, knots: &[f64], near: &[Heavy], argument: impl Fn(usize) -> f64) -> Heavy {
    let mut points = near.to_vec();
    for level in 1..=degree {
        for j in (level..=degree).rev() {
            let (low, high) = (knots[j], knots[j + 1 + degree - level]);
            let t = if high > low { (argument(level) - low) / (high - low) } else { 0.0 };
            points[j] = mix(points[j - 1], points[j], t);
        }
    }
    points[degree]
}

/// One Bézier piece of any degree, weighted, as cubics.
fn curve(span: &[Heavy], tolerance: f64, left: u32, path: &mut BezPath) {
    let weightless = span.iter().all(|p| (p[2] - span[0][2]).abs() < 1e-12 * span[0][2]);
    let p = |n: usize| point(span[n]);
    match span.len() {
        2 if weightless => return path.line_to(p(1)),
        3 if weightless => return path.quad_to(p(1), p(2)),
        4 if weightless => return path.curve_to(p(1), p(2), p(3)),
        _ => {}
    }
    let (first, last) = halves(span);
    // A cubic with the same ends and end tangents; of a rational piece of degree n the derivative
    // at the start is n (w1 / w0) (P1 − P0).
    let n = (span.len() - 1) as f64;
    let end = span.len() - 1;
    let (a, d) = (p(0), p(end));
    let b = a + (p(1) - a) * (n / 3.0 * span[1][2] / span[0][2]);
    let c = d + (p(end - 1) - d) * (n / 3.0 * span[end - 1][2] / span[end][2]);
    let cubic = kurbo::CubicBez::new(a, b, c, d);
    let near = |t: f64| {
        use kurbo::ParamCurve;
        let on = point(at(span, t));
        // Parameters run differently on the two curves: near means near the curve.
        use kurbo::ParamCurveNearest;
        cubic.nearest(on, tolerance * 1e-2).distance_sq.sqrt().min(on.distance(cubic.eval(t)))
    };
    if left == 0 || [0.25, 0.5, 0.75].iter().all(|t| near(*t) < tolerance) {
        return path.curve_to(b, c, d);
    }
    curve(&first, tolerance, left - 1, path);
    curve(&last, tolerance, left - 1, path);
}

/// De Casteljau's algorithm.
fn at(span: &[Heavy], t: f64) -> Heavy {
    let mut points = span.to_vec();
    while points.len() > 1 {
        points = points.windows(2).map(|w| mix(w[0], w[1], t)).collect();
    }
    points[0]
}

fn halves(span: &[Heavy]) -> (Vec<Heavy>, Vec<Heavy>) {
    let (mut first, mut last) = (Vec::new(), Vec::new());
    let mut points = span.to_vec();
    while let (Some(a), Some(b)) = (points.first(), points.last()) {
        first.push(*a);
        last.push(*b);
        points = points.windows(2).map(|w| mix(w[0], w[1], 0.5)).collect();
    }
    last.reverse();
    (first, last)
}

/// The cubic spline through points, smooth to the second derivative over their distances, with no
/// bend at its ends.
fn through(points: &[Point], closed: bool) -> Option<BezPath> {
    let mut points = points.to_vec();
    points.dedup_by(|a, b| a.distance(*b) < 1e-12);
    if closed && points.len() > 2 && points[0].distance(points[points.len() - 1]) > 1e-9 {
        points.push(points[0]);
    }
    let count = points.len();
    if count < 2 {
        return None;
    }
    let gaps: Vec<f64> = points.windows(2).map(|w| w[0].distance(w[1])).collect();
    // Second derivatives at the points: the tridiagonal system, solved by elimination.
    let slope = |n: usize| (points[n + 1] - points[n]) / gaps[n];
    let mut diagonal = vec![1.0; count];
    let mut right = vec![kurbo::Vec2::ZERO; count];
    for n in 1..count - 1 {
        diagonal[n] = 2.0 * (gaps[n - 1] + gaps[n]);
        right[n] = (slope(n) - slope(n - 1)) * 6.0;
        if n > 1 {
            let factor = gaps[n - 1] / diagonal[n - 1];
            diagonal[n] -= factor * gaps[n - 1];
            right[n] = right[n] - right[n - 1] * factor;
        }
    }
    let mut bend = vec![kurbo::Vec2::ZERO; count];
    for n in (1..count.saturating_sub(1)).rev() {
        bend[n] = (right[n] - bend[n + 1] * gaps[n]) / diagonal[n];
    }
    let mut path = BezPath::new();
    path.move_to(points[0]);
    for n in 0..count - 1 {
        let h = gaps[n];
        let start = slope(n) - (bend[n] * 2.0 + bend[n + 1]) * (h / 6.0);
        let end = slope(n) + (bend[n] + bend[n + 1] * 2.0) * (h / 6.0);
        path.curve_to(
            points[n] + start * (h / 3.0),
            points[n + 1] - end * (h / 3.0),
            points[n + 1],
        );
    }
    if closed {
        path.close_path();
    }
    Some(path)
}

#[cfg(test)]
mod tests {
    use super::*;
    use kurbo::Shape as _;

    #[test]
    fn a_rational_quadratic_circle_is_round() {
        let h = std::f64::consts::FRAC_1_SQRT_2;
        let at = [
            (1., 0.),
            (1., 1.),
            (0., 1.),
            (-1., 1.),
            (-1., 0.),
            (-1., -1.),
            (0., -1.),
            (1., -1.),
            (1., 0.),
        ];
        let spline = Spline {
            degree: 2,
            knots: vec![0., 0., 0., 1., 1., 2., 2., 3., 3., 4., 4., 4.],
            controls: at.iter().map(|p| Point::new(p.0 * 10.0, p.1 * 10.0)).collect(),
            weights: vec![1., h, 1., h, 1., h, 1., h, 1.],
            ..Spline::default()
        };
        let path = spline.path(1e-4).unwrap();
        for segment in path.segments() {
            for n in 0..=10 {
                use kurbo::ParamCurve;
                let r = segment.eval(f64::from(n) / 10.0).to_vec2().hypot();
                assert!((r - 10.0).abs() < 2e-4, "{r}");
            }
        }
        assert!((path.area().abs() - std::f64::consts::PI * 100.0).abs() < 0.01);
    }

    #[test]
    fn a_cubic_b_spline_agrees_with_its_definition() {
        // Uniform inner knots; compared with de Boor's recursion.
        let controls: Vec<Point> =
            [(0., 0.), (10., 20.), (25., -5.), (40., 15.), (50., 0.), (60., 8.)]
                .map(Point::from)
                .to_vec();
        let knots = vec![0., 0., 0., 0., 1., 2., 3., 3., 3., 3.];
        let spline = Spline {
            degree: 3,
            knots: knots.clone(),
            controls: controls.clone(),
            ..Spline::default()
        };
        let path = spline.path(1e-6).unwrap();
        let segments: Vec<_> = path.segments().collect();
        assert_eq!(segments.len(), 3);
        for (n, segment) in segments.iter().enumerate() {
            for t in [0.0, 0.3, 0.5, 0.9] {
                use kurbo::ParamCurve;
                let want = de_boor(&knots, &controls, n as f64 + t);
                assert!(segment.eval(t).distance(want) < 1e-9, "{n} {t}");
            }
        }
    }

    fn de_boor(knots: &[f64], controls: &[Point], x: f64) -> Point {
        let k = (3..knots.len() - 4).find(|k| x < knots[k + 1]).unwrap_or(knots.len() - 5);
        let mut d: Vec<Point> = (0..4).map(|j| controls[j + k - 3]).collect();
        for r in 1..4 {
            for j in (r..4).rev() {
                let low = knots[j + k - 3];
                let t = (x - low) / (knots[j + 1 + k - r] - low);
                d[j] = d[j - 1].lerp(d[j], t);
            }
        }
        d[3]
    }

    #[test]
    fn fit_points_are_gone_through_and_broken_splines_refused() {
        let fit: Vec<Point> = [(0., 0.), (10., 5.), (20., 0.), (30., 5.)].map(Point::from).to_vec();
        let path = Spline { fit: fit.clone(), ..Spline::default() }.path(1e-3).unwrap();
        let ends: Vec<Point> =
            path.elements().iter().filter_map(kurbo::PathEl::end_point).collect();
        assert_eq!(ends, fit);
        let broken = Spline { degree: 3, controls: fit, knots: vec![0.0; 3], ..Spline::default() };
        assert_eq!(broken.path(1e-3), None);
        assert_eq!(Spline::default().path(1e-3), None);
    }
}
