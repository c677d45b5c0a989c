//! Tracing: a bitmap turned into outlines.

use super::Bitmap;
use tinkite_base::geometry::{Affine, BezPath, Point};
use tinkite_base::problem::{Code, Problem};
use visioncortex::clusters::Cluster;
use visioncortex::{BinaryImage, CompoundPathElement, PathSimplifyMode, PointF64};

/// How a bitmap becomes outlines.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Trace {
    /// Pixels darker than this lie inside, 0 (black) to 1 (white).
    pub threshold: f64,
    /// Turns of the outline by less than this (radians) become curves; zero keeps all corners.
    pub smooth: f64,
    /// Specks whose area is below that of a square with this side are left out, mm.
    pub speck: f64,
}

impl Default for Trace {
    fn default() -> Self {
        Self { threshold: 0.5, smooth: std::f64::consts::FRAC_PI_3, speck: 0.3 }
    }
}

/// Outlines, and how many specks were too small.
#[derive(Debug, Clone, Default)]
pub struct Traced {
    /// One path for each connected dark area, holes included, in mm.
    pub paths: Vec<BezPath>,
    /// Areas left out for their size.
    pub specks: usize,
}

/// Segments of smoothed outlines are split until they are shorter than this, px.
const SEGMENT: f64 = 4.0;

/// Turns that end one fitted curve and begin the next, radians.
const SPLICE: f64 = 0.8;

/// The library measures triangles of pixels in 32 bits: longer sides overflow.
const LONGEST_SIDE: u32 = 30_000;

/// Traces `bitmap`, whose pixels `to_mm` carries to the drawing.
///
/// # Errors
/// Bitmaps with a side of more than 30,000 pixels.
pub fn trace(bitmap: &Bitmap, to_mm: Affine, how: &Trace) -> Result<Traced, Problem> {
    let (width, height) = (bitmap.width as usize, bitmap.height as usize);
    if bitmap.width.max(bitmap.height) > LONGEST_SIDE {
        return Err(Problem::error(
            Code::HugeBitmap,
            format!(
                "a bitmap of {width} x {height} pixels is too long to be traced: {LONGEST_SIDE} a side is the most"
            ),
            "make it smaller in a drawing program: a laser resolves about 10 pixels per mm",
        ));
    }
    let limit = how.threshold * 255.0;
    let mut dark = BinaryImage::new_w_h(width, height);
    for (n, grey) in bitmap.grey.iter().enumerate() {
        if f64::from(*grey) < limit {
            dark.set_pixel(n % width, n / width, true);
        }
    }
    let pixel_area = to_mm.determinant().abs();
    let least = how.speck * how.speck / pixel_area.max(f64::MIN_POSITIVE);
    let mut traced = Traced::default();
    for cluster in &dark.to_clusters(false).clusters {
        if (cluster.size() as f64) < least {
            traced.specks += 1;
            continue;
        }
        let path = outline(cluster, how);
        if !path.elements().is_empty() {
            traced.paths.push(to_mm * path);
        }
    }
    Ok(traced)
}

/// The outline of one connected area, in pixels.
fn outline(cluster: &Cluster, how: &Trace) -> BezPath {
    let mode = if how.smooth > 0.0 { PathSimplifyMode::Spline } else { PathSimplifyMode::Polygon };
    let compound = cluster.to_compound_path(mode, how.smooth, SEGMENT, 10, SPLICE);
    let mut path = BezPath::new();
    let point = |p: &PointF64| Point::new(p.x, p.y);
    let mut polygon = |points: &mut dyn Iterator<Item = Point>| {
        let Some(first) = points.next() else { return };
        path.move_to(first);
        points.for_each(|p| path.line_to(p));
        path.close_path();
    };
    let mut curved = BezPath::new();
    for element in &compound.paths {
        match element {
            CompoundPathElement::PathI32(ring) => {
                polygon(&mut ring.path.iter().map(|p| Point::new(f64::from(p.x), f64::from(p.y))))
            }
            CompoundPathElement::PathF64(ring) => polygon(&mut ring.path.iter().map(point)),
            CompoundPathElement::Spline(spline) => {
                let Some(first) = spline.points.first() else { continue };
                curved.move_to(point(first));
                for c in spline.points[1..].chunks_exact(3) {
                    curved.curve_to(point(&c[0]), point(&c[1]), point(&c[2]));
                }
                curved.close_path();
            }
        }
    }
    path.extend(curved);
    path
}
