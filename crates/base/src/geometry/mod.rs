//! Plane geometry in millimetres, on top of kurbo (curves) and i_overlay (polygons).
//!
//! One tolerance enters each call that simplifies; its doc says which distance it bounds.

pub mod along;
pub mod contour;
pub mod cover;
pub mod crossings;
pub mod duplicates;
pub mod fit;
pub mod gaps;
pub mod hull;
pub mod inside;
pub mod medial_axis;
pub mod near;
pub mod nesting;
pub mod offset;
pub mod perspective;
pub mod refit;
pub mod region;
pub mod scan;

pub use contour::{Contour, Piece};
pub use kurbo::{Affine, BezPath, PathEl, Point, Rect, Vec2};

/// Ends nearer than this are the same point, in mm: well above the noise of 32-bit importers at
/// the size of a bed, well below anything that a beam resolves.
pub const SAME_POINT: f64 = 1e-3;

/// The smallest rectangle round all of `rects`; `None` when there are none.
#[must_use]
pub fn hull(rects: impl IntoIterator<Item = Rect>) -> Option<Rect> {
    rects.into_iter().reduce(|a, b| a.union(b))
}

/// The corners of a rectangle, counter-clockwise from the lower left one.
#[must_use]
pub fn corners(r: Rect) -> Vec<Point> {
    [(r.x0, r.y0), (r.x1, r.y0), (r.x1, r.y1), (r.x0, r.y1)].map(Point::from).to_vec()
}

/// The rectangle round what of a path has a length: a stray point counts for no size. None when nothing
/// of it has.
#[must_use]
pub fn drawn_bounds(path: &BezPath) -> Option<Rect> {
    use kurbo::Shape as _;
    let elements = path.elements();
    let begins = (0..elements.len()).filter(|n| matches!(elements[*n], PathEl::MoveTo(_)));
    let begins: Vec<usize> = begins.chain([elements.len()]).collect();
    let parts = begins.windows(2).map(|pair| (&elements[pair[0]..pair[1]]).bounding_box());
    hull(parts.filter(|part| part.width().max(part.height()) > 0.0))
}

/// A point as whole tenths of a micrometre: points that are drawn alike have the same one, whatever
/// noise an importer left. For telling repeated things apart quickly, not for measuring.
#[must_use]
pub fn round_to_grid(p: Point) -> (i64, i64) {
    let whole = |v: f64| (v * 1e4).round() as i64;
    (whole(p.x), whole(p.y))
}
