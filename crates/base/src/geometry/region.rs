//! Areas: how large, and what lies inside.

use i_overlay::core::fill_rule::FillRule as Winding;
use i_overlay::core::overlay::Overlay;
use i_overlay::core::overlay_rule::OverlayRule;
use i_overlay::float::clip::FloatClip;
use i_overlay::i_float::int::point::IntPoint;
use i_overlay::mesh::float::outline::offset::OutlineOffset;
use i_overlay::mesh::float::style::{LineJoin, OutlineStyle};
use i_overlay::string::clip::ClipRule;
use kurbo::{BezPath, Point, Rect, Vec2};

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
    match rings {
        [ring] if is_simple(ring) => area(rings),
        _ => area(&unite(rings, rule)),
    }
}

/// Rings of more corners are not looked through edge by edge.
const FEW_CORNERS: usize = 48;

/// Whether a ring of few corners is seen not to meet itself.
fn is_simple(ring: &[Point]) -> bool {
    let n = ring.len();
    if n > FEW_CORNERS {
        return false;
    }
    let edge = |k: usize| (ring[k], ring[(k + 1) % n]);
    let meet = |(a, b): (Point, Point), (c, d): (Point, Point)| {
        let side = |p: Point, q: Point, r: Point| (q - p).cross(r - p);
        side(a, b, c) * side(a, b, d) <= 0.0 && side(c, d, a) * side(c, d, b) <= 0.0
    };
    // Neighbours share a corner; the last edge is the first one's neighbour.
    let others = |k: usize| (k + 2..n).filter(move |other| k > 0 || other + 1 < n);
    (0..n).all(|k| others(k).all(|other| !meet(edge(k), edge(other))))
}

/// The area in mm² of rings that neither cross nor overlap, as [`unite`] makes them.
#[must_use]
pub fn area(rings: &[Vec<Point>]) -> f64 {
    rings.iter().map(|ring| signed_area(ring.iter().copied())).sum::<f64>().abs()
}

/// How near chords need to be to curves in a drawing of this size: `wanted` mm, but no finer than
/// a hundred-thousandth of it: tangles of curves cross themselves in as many places as they have
/// chords.
#[must_use]
pub fn chord_tolerance(wanted: f64, extents: Rect) -> f64 {
    const RESOLVED: f64 = 1e-5;
    wanted.max(RESOLVED * extents.width().max(extents.height()))
}

/// What polygons are counted in: whole steps of a tenth of a micrometre, finer than any program's
/// numbers. On a coarse grid of whole numbers the polygon library always comes to an end; in free
/// coordinates a sliver can make it split the same few edges for minutes.
#[derive(Debug, Clone, Copy)]
struct Grid {
    origin: Point,
    step: f64,
}

/// The step of the grid, mm.
const STEP: f64 = 1e-4;

/// The largest whole number that the library may meet, with room for its sums.
const LARGEST: f64 = (1_i64 << 28) as f64;

impl Grid {
    /// One that holds all of these rings.
    fn over<'r>(rings: impl Iterator<Item = &'r Vec<Point>>) -> Self {
        let points = rings.flatten().map(|p| Rect::from_points(*p, *p));
        let bounds = points.reduce(|a, b| a.union(b)).unwrap_or_default();
        let step = (bounds.width().max(bounds.height()) / LARGEST).max(STEP);
        // A corner of the same lattice for all, so that what was on it once stays where it is.
        let corner = |at: f64| (at / step).round() * step;
        let centre = bounds.center();
        Self { origin: Point::new(corner(centre.x), corner(centre.y)), step }
    }

    fn whole(&self, rings: &[Vec<Point>]) -> Vec<Vec<IntPoint>> {
        let point = |p: &Point| {
            let at = (*p - self.origin) / self.step;
            IntPoint::new(at.x.round() as i32, at.y.round() as i32)
        };
        rings.iter().map(|ring| ring.iter().map(point).collect()).collect()
    }

    fn back(&self, shapes: Vec<Vec<Vec<IntPoint>>>) -> Vec<Vec<Point>> {
        let point =
            |p: &IntPoint| self.origin + Vec2::new(f64::from(p.x), f64::from(p.y)) * self.step;
        shapes.iter().flatten().map(|ring| ring.iter().map(point).collect()).collect()
    }
}

/// Rings as the polygon library takes them in free coordinates.
type Rings = Vec<Vec<[f64; 2]>>;

fn to_library(rings: &[Vec<Point>]) -> Rings {
    rings.iter().map(|ring| ring.iter().map(|p| [p.x, p.y]).collect()).collect()
}

fn from_library(shapes: Vec<Rings>) -> Vec<Vec<Point>> {
    shapes.into_iter().flatten().map(|ring| points(&ring)).collect()
}

fn points(ring: &[[f64; 2]]) -> Vec<Point> {
    ring.iter().map(|p| Point::new(p[0], p[1])).collect()
}

/// What closed rings enclose under a fill rule, as rings that neither cross nor overlap: outlines
/// counter-clockwise, holes clockwise.
#[must_use]
pub fn unite(rings: &[Vec<Point>], rule: FillRule) -> Vec<Vec<Point>> {
    let grid = Grid::over(rings.iter());
    let mut overlay = Overlay::from_subj(&grid.whole(rings));
    grid.back(overlay.overlay(OverlayRule::Subject, winding(rule)))
}

fn winding(rule: FillRule) -> Winding {
    match rule {
        FillRule::NonZero => Winding::NonZero,
        FillRule::EvenOdd => Winding::EvenOdd,
    }
}

/// How two areas are combined.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Combine {
    /// What lies in either.
    Union,
    /// What lies in the first and not in the second.
    Minus,
    /// What lies in both.
    Overlap,
    /// What lies in exactly one of them.
    Apart,
}

/// Combines two areas given by rings that neither cross nor overlap, as [`unite`] makes them.
#[must_use]
pub fn combined(first: &[Vec<Point>], second: &[Vec<Point>], how: Combine) -> Vec<Vec<Point>> {
    combined_as(first, second, how, FillRule::EvenOdd)
}

/// Combines what two sets of rings enclose under a fill rule; they may cross.
#[must_use]
pub fn combined_as(
    first: &[Vec<Point>],
    second: &[Vec<Point>],
    how: Combine,
    rule: FillRule,
) -> Vec<Vec<Point>> {
    let how = match how {
        Combine::Union => OverlayRule::Union,
        Combine::Minus => OverlayRule::Difference,
        Combine::Overlap => OverlayRule::Intersect,
        Combine::Apart => OverlayRule::Xor,
    };
    let grid = Grid::over(first.iter().chain(second));
    let mut overlay = Overlay::from_subj_and_clip(&grid.whole(first), &grid.whole(second));
    grid.back(overlay.overlay(how, winding(rule)))
}

/// An area grown by `distance` mm, or shrunk by a negative one, with round corners whose chords
/// stay within `tolerance` mm. What shrinks to nothing vanishes.
#[must_use]
pub fn grow(area: &[Vec<Point>], distance: f64, tolerance: f64) -> Vec<Vec<Point>> {
    if distance == 0.0 {
        return area.to_vec();
    }
    // Chord c on radius r: sagitta = c² / 8r (small angles), and the library wants c / r.
    let chord = (8.0 * tolerance / distance.abs()).sqrt().clamp(0.01, 0.5);
    let style = OutlineStyle::new(distance).line_join(LineJoin::Round(chord));
    from_library(to_library(area).outline(&style))
}

/// The parts of a polyline that lie inside an area of rings that do not cross.
#[must_use]
pub fn clip_line(line: &[Point], area: &[Vec<Point>]) -> Vec<Vec<Point>> {
    let line: Vec<[f64; 2]> = line.iter().map(|p| [p.x, p.y]).collect();
    let rule = ClipRule { invert: false, boundary_included: true };
    let area = to_library(area);
    line.clip_by_as::<i64>(&area, Winding::EvenOdd, rule).iter().map(|l| points(l)).collect()
}

/// The parts of a polyline that lie outside an area of rings that do not cross.
#[must_use]
pub fn outside_line(line: &[Point], area: &[Vec<Point>]) -> Vec<Vec<Point>> {
    let line: Vec<[f64; 2]> = line.iter().map(|p| [p.x, p.y]).collect();
    let rule = ClipRule { invert: true, boundary_included: true };
    let area = to_library(area);
    line.clip_by_as::<i64>(&area, Winding::EvenOdd, rule).iter().map(|l| points(l)).collect()
}

/// Polylines as a path; `closed` closes each.
#[must_use]
pub fn path(lines: &[Vec<Point>], closed: bool) -> BezPath {
    let mut path = BezPath::new();
    for line in lines {
        let Some((first, rest)) = line.split_first() else { continue };
        path.move_to(*first);
        rest.iter().for_each(|p| path.line_to(*p));
        if closed {
            path.close_path();
        }
    }
    path
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
#[derive(Debug, Clone)]
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
    fn areas_combine_and_grow() {
        let square = |x: f64| vec![ring(&[(x, 0.), (x + 10., 0.), (x + 10., 10.), (x, 10.)])];
        let area = |how| {
            let rings = combined(&square(0.0), &square(6.0), how);
            rings.iter().map(|r| signed_area(r.iter().copied())).sum::<f64>()
        };
        for (how, want) in [
            (Combine::Union, 160.0),
            (Combine::Minus, 60.0),
            (Combine::Overlap, 40.0),
            (Combine::Apart, 120.0),
        ] {
            assert!((area(how) - want).abs() < 1e-3, "{how:?}: {}", area(how));
        }
        let sum = |rings: Vec<Vec<Point>>| {
            rings.iter().map(|r| signed_area(r.iter().copied())).sum::<f64>()
        };
        // 100 + perimeter * d + pi d² for round corners.
        let want = 100.0 + 40.0 * 2.0 + std::f64::consts::PI * 4.0;
        assert!((sum(grow(&square(0.0), 2.0, 1e-3)) - want).abs() < 0.05);
        assert!((sum(grow(&square(0.0), -2.0, 1e-3)) - 36.0).abs() < 1e-3);
        assert!(grow(&square(0.0), -6.0, 1e-3).is_empty());
    }

    #[test]
    fn a_line_keeps_what_lies_inside() {
        let square = vec![ring(&[(0., 0.), (10., 0.), (10., 10.), (0., 10.)])];
        let line = ring(&[(-5., 5.), (5., 5.), (5., 8.), (20., 8.)]);
        let parts = clip_line(&line, &square);
        assert_eq!(parts.len(), 1, "{parts:?}");
        let near = |p: Point, q: (f64, f64)| p.distance(Point::from(q)) < 1e-4;
        let ends = [parts[0][0], parts[0][parts[0].len() - 1]];
        assert!(
            ends.iter().any(|p| near(*p, (0., 5.))) && ends.iter().any(|p| near(*p, (10., 8.)))
        );
        assert_eq!(parts[0].len(), 4);
        assert!(clip_line(&ring(&[(20., 0.), (30., 0.)]), &square).is_empty());
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
