//! A part of a bitmap: the pixels that lie in a rectangle.

use super::bitmap::{divide, divided};
use super::{Bitmap, Depth, Image, Mesh, Region, Whitened};
use std::sync::Arc;
use tinkite_base::geometry::{Affine, Rect};

impl Image {
    /// What of it lies in a rectangle, mm: whole pixels, coarse ones divided, the edge at the nearest between two; where
    /// the bitmap lies aslant what is beside the rectangle becomes white. None where nothing is left.
    #[must_use]
    pub fn cropped(self, to: Rect) -> Option<Self> {
        if self.to_mm.determinant() == 0.0 {
            return None;
        }
        let lies = |image: &Self| image.bounds().union(to) == to;
        if lies(&self) { Some(self) } else { self.finer().part_in(to) }
    }

    /// The same with coarse pixels divided.
    fn finer(mut self) -> Self {
        let (x, y) = divided(self.pixels, self.to_mm);
        if (x, y) == (1, 1) {
            return self;
        }
        let row = self.pixels.0;
        self.bitmap = self.bitmap.map(|bitmap| {
            let grey = divide(&bitmap.grey, row, (x, y));
            Arc::new(Bitmap { width: bitmap.width * x, height: bitmap.height * y, grey })
        });
        self.depth = self.depth.map(|depth| match &*depth {
            Depth::Grey(grey) => Arc::new(Depth::Grey(divide(grey, row, (x, y)))),
            Depth::Solid(_) => depth,
        });
        self.pixels = (self.pixels.0 * x, self.pixels.1 * y);
        self.to_mm *= Affine::scale_non_uniform(1.0 / f64::from(x), 1.0 / f64::from(y));
        self
    }

    fn part_in(mut self, to: Rect) -> Option<Self> {
        let whole = Rect::new(0.0, 0.0, f64::from(self.pixels.0), f64::from(self.pixels.1));
        let seen = self.to_mm.inverse().transform_rect_bbox(to).intersect(whole);
        let [a, b, c, d, ..] = self.to_mm.as_coeffs();
        let upright = (a == 0.0 && d == 0.0) || (b == 0.0 && c == 0.0);
        let keep = if upright {
            Rect::new(seen.x0.round(), seen.y0.round(), seen.x1.round(), seen.y1.round())
        } else {
            Rect::new(seen.x0.floor(), seen.y0.floor(), seen.x1.ceil(), seen.y1.ceil())
        };
        if keep.width() < 1.0 || keep.height() < 1.0 {
            return None;
        }
        let region = Region::rectangle(to);
        if keep != whole {
            let rings = std::mem::take(&mut self.hides);
            self.hides =
                rings.into_iter().flat_map(|ring| Region::within(Some(&region), ring)).collect();
            let (x, y) = (keep.x0 as usize, keep.y0 as usize);
            let (width, height) = (keep.width() as usize, keep.height() as usize);
            let row = self.pixels.0 as usize;
            if let Some(bitmap) = &self.bitmap {
                let grey = part(&bitmap.grey, row, (x, y), (width, height));
                let bitmap = Bitmap { width: width as u32, height: height as u32, grey };
                self.bitmap = Some(Arc::new(bitmap));
            }
            self.depth = self.depth.map(|depth| {
                Arc::new(match &*depth {
                    Depth::Grey(grey) => Depth::Grey(part(grey, row, (x, y), (width, height))),
                    Depth::Solid(mesh) => Depth::Solid(beneath(mesh, keep, whole)),
                })
            });
            self.pixels = (width as u32, height as u32);
            self.to_mm *= Affine::translate((keep.x0, keep.y0));
        }
        if !upright && let Some(bitmap) = &mut self.bitmap {
            // Its pixels are fine enough already.
            Arc::make_mut(bitmap).whiten(region.rings(), self.to_mm, Whitened::Outside);
        }
        Some(self)
    }
}

/// A rectangle out of rows of `row` values.
fn part<T: Copy>(values: &[T], row: usize, from: (usize, usize), size: (usize, usize)) -> Vec<T> {
    let rows = values.chunks(row.max(1)).skip(from.1).take(size.1);
    rows.flat_map(|line| &line[from.0..from.0 + size.0]).copied().collect()
}

/// The solid under a part of its picture.
fn beneath(mesh: &Mesh, keep: Rect, whole: Rect) -> Mesh {
    let along =
        |v: f32, whole: f64, from: f64, size: f64| ((f64::from(v) * whole - from) / size) as f32;
    let corner = |[x, y, z]: [f32; 3]| {
        [
            along(x, whole.width(), keep.x0, keep.width()),
            along(y, whole.height(), keep.y0, keep.height()),
            z,
        ]
    };
    let mut triangles: Vec<_> = mesh.triangles.iter().map(|t| t.map(corner)).collect();
    triangles.retain(|t| {
        let beside =
            |axis: usize| t.iter().all(|c| c[axis] < 0.0) || t.iter().all(|c| c[axis] > 1.0);
        !beside(0) && !beside(1)
    });
    Mesh { triangles, height: mesh.height }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Source;

    /// Four by three pixels of 2 mm, the lower left corner at the origin.
    fn image() -> Image {
        let grey: Vec<u8> = (0..12).collect();
        Image {
            source: Source::default(),
            to_mm: Affine::new([2.0, 0.0, 0.0, -2.0, 0.0, 6.0]),
            pixels: (4, 3),
            depth: Some(Arc::new(Depth::Grey((0..12).map(|n| n * 257).collect()))),
            bitmap: Some(Arc::new(Bitmap { width: 4, height: 3, grey })),
            rendered: false,
            painted: 0,
            hides: Vec::new(),
        }
    }

    #[test]
    fn coarse_pixels_are_cut_where_the_rectangle_runs() {
        let part = image().cropped(Rect::new(2.1, -5.0, 6.4, 3.9)).unwrap();
        // In tenths of a millimetre: from 2.1 to 6.4, and from 3.9 down to 0.
        assert_eq!(part.pixels, (43, 39));
        let bitmap = part.bitmap.unwrap();
        let at = |x: usize, y: usize| bitmap.grey[y * 43 + x];
        assert_eq!([at(0, 0), at(18, 0), at(19, 0), at(39, 0)], [5, 5, 6, 7]);
        assert_eq!([at(0, 18), at(0, 19), at(42, 38)], [5, 9, 11]);
        assert!(
            matches!(part.depth.as_deref(), Some(Depth::Grey(grey)) if grey[19] == 6 * 257 && grey.len() == 43 * 39)
        );
        let corner = part.to_mm * tinkite_base::geometry::Point::ZERO;
        assert!(corner.distance((2.1, 3.9).into()) < 1e-9, "{corner:?}");
        assert_eq!(image().cropped(Rect::new(-1.0, -1.0, 99.0, 99.0)), Some(image()));
        assert_eq!(image().cropped(Rect::new(9.0, 0.0, 12.0, 6.0)), None);
        assert_eq!(image().cropped(Rect::new(2.0, 2.0, 2.04, 6.0)), None, "not a pixel wide");
    }

    #[test]
    fn what_lies_aslant_is_white_beside_the_window() {
        let mut aslant = image();
        aslant.depth = None;
        aslant.to_mm = Affine::rotate(0.5) * aslant.to_mm;
        let part = aslant.cropped(Rect::new(0.0, 2.0, 3.0, 5.0)).unwrap();
        let bitmap = part.bitmap.unwrap();
        let inside = |n: usize| {
            let (x, y) = (n % bitmap.width as usize, n / bitmap.width as usize);
            let p = part.to_mm * tinkite_base::geometry::Point::new(x as f64 + 0.5, y as f64 + 0.5);
            (0.0..3.0).contains(&p.x) && (2.0..5.0).contains(&p.y)
        };
        assert!(bitmap.grey.iter().any(|g| *g != 255) && bitmap.grey.contains(&255));
        for (n, grey) in bitmap.grey.iter().enumerate() {
            assert_eq!(*grey != 255, inside(n), "pixel {n}");
        }
    }
}
