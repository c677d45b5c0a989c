//! Areas: how large, and what lies inside.

use i_overlay::core::fill_rule::FillRule as OverlayRule;
use i_overlay::float::simplify::SimplifyShape;
use kurbo::{Point, Rect};

/// Which points a set of closed lines encloses (SVG 1.1, section 11.3).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum FillRule {
    /// Inside where the lines wind round a point at all.
    #[default]
    NonZero,
    /// Inside where a ray from the point crosses an odd number of lines.
    EvenOdd,
}

/// The area in mm² that closed rings enclose under a fill rule, overlaps counted once.
#[must_use]
pub fn enclosed_area(rings: &[Vec<Point>], rule: FillRule) -> f64 {
    let rings: Vec<Vec<[f64; 2]>> =
        rings.iter().map(|ring| ring.iter().map(|p| [p.x, p.y]).collect()).collect();
    let rule = match rule {
        FillRule::NonZero => OverlayRule::NonZero,
        FillRule::EvenOdd => OverlayRule::EvenOdd,
    };
    let shapes = rings.simplify_shape(rule);
    shapes
        .iter()
        .flatten()
        .map(|ring| signed_area(ring.iter().map(|p| Point::new(p[0], p[1]))))
        .sum::<f64>()
        .abs()
}

/// The shoelace area of one ring in mm², counter-clockwise positive.
#[must_use]
pub fn signed_area(ring: impl Iterator<Item = Point> + Clone) -> f64 {
    let next = ring.clone().cycle().skip(1);
    // Relative to the first point: far from the origin the products would eat the digits.
    let origin = ring.clone().next().unwrap_or_default();
    ring.zip(next).map(|(a, b)| (a - origin).cross(b - origin)).sum::<f64>() / 2.0
}

/// One closed polygon that answers "inside?" in time near the number of edges at that height.
#[derive(Debug)]
pub struct Polygon {
    points: Vec<Point>,
    bounds: Rect,
    area: f64,
    /// Edge numbers by horizontal band of `bounds`; empty for small polygons.
    bands: Vec<Vec<u32>>,
}

/// Below this many edges a plain loop is faster than bands.
const FEW_EDGES: usize = 32;

impl Polygon {
    /// From the points of a closed polyline that does not repeat its start.
    #[must_use]
    pub fn new(points: Vec<Point>) -> Self {
        let bounds = points
            .iter()
            .map(|p| Rect::from_points(*p, *p))
            .reduce(|a, b| a.union(b))
            .unwrap_or_default();
        let area = signed_area(points.iter().copied()).abs();
        let mut polygon = Self { points, bounds, area, bands: Vec::new() };
        if polygon.points.len() > FEW_EDGES {
            polygon.bands = polygon.sorted_into_bands();
        }
        polygon
    }

    /// The rectangle round it.
    #[must_use]
    pub fn bounds(&self) -> Rect {
        self.bounds
    }

    /// Its area in mm², without sign.
    #[must_use]
    pub fn area(&self) -> f64 {
        self.area
    }

    /// Its points.
    #[must_use]
    pub fn points(&self) -> &[Point] {
        &self.points
    }

    fn edge(&self, n: usize) -> (Point, Point) {
        (self.points[n], self.points[(n + 1) % self.points.len()])
    }

    fn band_of(&self, y: f64, bands: usize) -> usize {
        let share = (y - self.bounds.y0) / self.bounds.height().max(f64::MIN_POSITIVE);
        ((share * bands as f64) as usize).min(bands - 1)
    }

    fn sorted_into_bands(&self) -> Vec<Vec<u32>> {
        let count = (self.points.len() / 4).min(4096);
        let mut bands = vec![Vec::new(); count];
        for n in 0..self.points.len() {
            let (a, b) = self.edge(n);
            let (low, high) =
                (self.band_of(a.y.min(b.y), count), self.band_of(a.y.max(b.y), count));
            for band in &mut bands[low..=high] {
                band.push(n as u32);
            }
        }
        bands
    }

    /// Whether `p` lies inside (even-odd; on the edge counts as either).
    #[must_use]
    pub fn contains(&self, p: Point) -> bool {
        if !self.bounds.contains(p) {
            return false;
        }
        let crosses = |n: usize| {
            let (a, b) = self.edge(n);
            (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x)
        };
        let crossings = if self.bands.is_empty() {
            (0..self.points.len()).filter(|n| crosses(*n)).count()
        } else {
            let band = &self.bands[self.band_of(p.y, self.bands.len())];
            band.iter().filter(|n| crosses(**n as usize)).count()
        };
        crossings % 2 == 1
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ring(points: &[(f64, f64)]) -> Vec<Point> {
        points.iter().map(|p| Point::from(*p)).collect()
    }

    #[test]
    fn area_follows_the_fill_rule() {
        let outer = ring(&[(0., 0.), (10., 0.), (10., 10.), (0., 10.)]);
        let inner = ring(&[(2., 2.), (6., 2.), (6., 6.), (2., 6.)]);
        let both = [outer, inner];
        assert!((enclosed_area(&both, FillRule::EvenOdd) - 84.0).abs() < 1e-6);
        assert!((enclosed_area(&both, FillRule::NonZero) - 100.0).abs() < 1e-6);
    }

    #[test]
    fn a_figure_of_eight_does_not_cancel_out() {
        let eight = ring(&[(0., 0.), (10., 10.), (10., 0.), (0., 10.)]);
        assert!((enclosed_area(&[eight], FillRule::EvenOdd) - 50.0).abs() < 1e-6);
    }

    #[test]
    fn bands_and_the_plain_loop_agree() {
        let star: Vec<Point> = (0..400)
            .map(|n| {
                let r = if n % 2 == 0 { 20.0 } else { 11.0 };
                Point::ZERO
                    + kurbo::Vec2::from_angle(f64::from(n) / 400.0 * std::f64::consts::TAU) * r
            })
            .collect();
        let banded = Polygon::new(star.clone());
        let mut plain = Polygon::new(star);
        assert!(!banded.bands.is_empty());
        plain.bands = Vec::new();
        let mut inside = 0;
        for n in 0..5000 {
            let p = Point::new(f64::from(n % 71) * 0.6 - 21.0, f64::from(n / 71) * 0.6 - 21.0);
            assert_eq!(banded.contains(p), plain.contains(p), "{p}");
            inside += u32::from(banded.contains(p));
        }
        assert!(inside > 1000);
    }
}
