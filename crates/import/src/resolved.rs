//! Transforms and paths, as the library that resolves SVG hands them over, as ours.

use tinkite_base::geometry::{Affine, BezPath, Point};
use usvg::tiny_skia_path::PathSegment;

pub(super) fn affine(t: usvg::Transform) -> Affine {
    Affine::new([t.sx, t.ky, t.kx, t.sy, t.tx, t.ty].map(f64::from))
}

pub(super) fn curves(path: &usvg::tiny_skia_path::Path, to_mm: Affine) -> BezPath {
    let point = |p: usvg::tiny_skia_path::Point| to_mm * Point::new(f64::from(p.x), f64::from(p.y));
    let mut curves = BezPath::with_capacity(path.len());
    for segment in path.segments() {
        match segment {
            PathSegment::MoveTo(p) => curves.move_to(point(p)),
            PathSegment::LineTo(p) => curves.line_to(point(p)),
            PathSegment::QuadTo(a, p) => curves.quad_to(point(a), point(p)),
            PathSegment::CubicTo(a, b, p) => curves.curve_to(point(a), point(b), point(p)),
            PathSegment::Close => curves.close_path(),
        }
    }
    curves
}
