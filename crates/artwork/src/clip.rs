//! Clipping: what of a shape lies inside a region. Shapes wholly inside keep their curves; only
//! what the region's edge cuts becomes polygons.

use super::bitmap::{divide, divided};
use super::{Bitmap, Fill, OddPaint, Shape, Whitened};
use std::sync::OnceLock;
use tinkite_base::geometry::fit;
use tinkite_base::geometry::region::{self, FillRule};
use tinkite_base::geometry::{Affine, BezPath, Point, Rect};

/// Cut curves become chords this near to them, mm.
const FINE: f64 = 2e-3;

/// A line this near to a region's edge runs along it and belongs to it, mm: half of its stroke shows. Files and
/// their transforms carry places to about a thousandth.
const ALONG: f64 = 2e-3;

/// A region that things are clipped to.
#[derive(Debug, Clone)]
pub struct Region {
    /// Disjoint outlines and their holes.
    rings: Vec<Vec<Point>>,
    /// The same with its edge, for lines that run along it; made when it is asked for.
    with_edge: OnceLock<Vec<Vec<Point>>>,
    bounds: Rect,
    /// Whether it is exactly the rectangle of its bounds.
    rectangle: bool,
}

impl Region {
    /// The inside of a path.
    pub fn of(path: &BezPath, rule: FillRule) -> Self {
        Self::from_rings(region::unite(&rings(path), rule))
    }

    /// A rectangle.
    pub fn rectangle(rect: Rect) -> Self {
        let ring = vec![
            Point::new(rect.x0, rect.y0),
            Point::new(rect.x1, rect.y0),
            Point::new(rect.x1, rect.y1),
            Point::new(rect.x0, rect.y1),
        ];
        Self::from_rings(vec![ring])
    }

    fn from_rings(rings: Vec<Vec<Point>>) -> Self {
        let points = rings.iter().flatten().map(|p| Rect::from_points(*p, *p));
        let bounds = points.reduce(|a, b| a.union(b)).unwrap_or_default();
        let on_edge = |p: &Point| {
            let near = |a: f64, b: f64| (a - b).abs() < 1e-6;
            (near(p.x, bounds.x0) || near(p.x, bounds.x1))
                && (near(p.y, bounds.y0) || near(p.y, bounds.y1))
        };
        let rectangle = rings.len() == 1 && rings[0].len() == 4 && rings[0].iter().all(on_edge);
        Self { rings, with_edge: OnceLock::new(), bounds, rectangle }
    }

    /// Rings that bound it.
    pub(crate) fn rings(&self) -> &[Vec<Point>] {
        &self.rings
    }

    /// Makes of a bitmap white what lies beside the region; whether anything was. Coarse pixels are divided before that,
    /// so that the edge runs where the region's does; `to_plane` carries pixels to the plane of the region.
    pub fn crop(&self, bitmap: &mut Bitmap, to_plane: &mut Affine) -> bool {
        let (x, y) = divided((bitmap.width, bitmap.height), *to_plane);
        if (x, y) == (1, 1) {
            return bitmap.whiten(&self.rings, *to_plane, Whitened::Outside) > 0;
        }
        let finer = Bitmap {
            width: bitmap.width * x,
            height: bitmap.height * y,
            grey: divide(&bitmap.grey, bitmap.width, (x, y)),
        };
        let to_finer =
            *to_plane * Affine::scale_non_uniform(1.0 / f64::from(x), 1.0 / f64::from(y));
        let mut cut = finer;
        if cut.whiten(&self.rings, to_finer, Whitened::Outside) == 0 {
            return false;
        }
        (*bitmap, *to_plane) = (cut, to_finer);
        true
    }

    /// What of a ring lies in a region; all of it where there is none.
    pub fn within(region: Option<&Self>, ring: Vec<Point>) -> Vec<Vec<Point>> {
        match region {
            Some(to) => region::combined(&to.rings, &[ring], region::Combine::Overlap),
            None => vec![ring],
        }
    }

    /// The region and what runs along its edge.
    fn with_edge(&self) -> &[Vec<Point>] {
        self.with_edge.get_or_init(|| region::grow(&self.rings, ALONG, ALONG / 4.0))
    }

    /// What lies in both regions.
    pub fn and(&self, other: &Self) -> Self {
        Self::from_rings(region::combined(&self.rings, &other.rings, region::Combine::Overlap))
    }
}

/// The rings of a path, open ones closed as a fill closes them.
pub fn rings(path: &BezPath) -> Vec<Vec<Point>> {
    use kurbo::Shape as _;
    let fine = region::chord_tolerance(FINE, path.bounding_box());
    fit::contours(path, fine).iter().map(|contour| contour.flatten(fine)).collect()
}

/// How a shape came through a clip.
#[derive(Debug, Clone, PartialEq)]
pub enum Clipped {
    /// Wholly inside: as it was.
    Kept(Shape),
    /// Cut: its parts inside.
    Cut(Vec<Shape>),
    /// Wholly outside.
    Gone,
}

/// Clips a shape to a region.
pub fn clipped(shape: Shape, to: &Region) -> Clipped {
    use kurbo::Shape as _;
    let bounds = shape.path.bounding_box();
    let slack = to.bounds.inflate(ALONG, ALONG);
    let beside = bounds.x0 > slack.x1
        || bounds.x1 < slack.x0
        || bounds.y0 > slack.y1
        || bounds.y1 < slack.y0;
    if to.rings.is_empty() || beside {
        return Clipped::Gone;
    }
    if to.rectangle && bounds.union(slack) == slack {
        return Clipped::Kept(shape);
    }
    let fine = region::chord_tolerance(FINE, bounds);
    let contours = fit::contours(&shape.path, fine);
    let mut inside = Vec::new();
    let mut cut = false;
    for contour in &contours {
        let mut points = contour.flatten(fine);
        if contour.closed {
            points.push(contour.start);
        }
        let parts = region::clip_line(&points, to.with_edge());
        let length = |points: &[Point]| points.windows(2).map(|w| w[0].distance(w[1])).sum::<f64>();
        let (before, after) = (length(&points), parts.iter().map(|p| length(p)).sum::<f64>());
        // Chords that only touch the region's edge change the sum by rounding alone.
        if before - after > 1e-4 + 1e-6 * before {
            cut = true;
        }
        inside.extend(parts);
    }
    let rule = shape.fill.map(|fill| fill.rule).or(shape.odd.fill.map(|(_, rule)| rule));
    // A hole of the region within the shape cuts none of its lines.
    let may_be_holed = to.rings.len() > 1;
    let area = rule.filter(|_| cut || may_be_holed).map(|rule| {
        let own = region::unite(&rings(&shape.path), rule);
        let left = region::combined(&own, &to.rings, region::Combine::Overlap);
        cut = cut || region::area(&own) - region::area(&left) > 1e-4 + 1e-5 * region::area(&own);
        left
    });
    if !cut {
        return Clipped::Kept(shape);
    }
    let mut parts = Vec::new();
    let (filled, line) = shape.apart();
    if let (Some(filled), Some(area)) = (filled, area.filter(|area| !area.is_empty())) {
        let rule = FillRule::EvenOdd;
        let fill = filled.fill.map(|fill| Fill { rule, ..fill });
        let odd = filled.odd.fill.map(|(odd, _)| (odd, rule));
        let odd = OddPaint { fill: odd, stroke: None };
        parts.push(Shape { path: region::path(&area, true), fill, odd, ..filled });
    }
    if (line.stroke.is_some() || line.odd.stroke.is_some()) && !inside.is_empty() {
        parts.push(Shape { path: region::path(&inside, false), ..line });
    }
    if parts.is_empty() { Clipped::Gone } else { Clipped::Cut(parts) }
}
