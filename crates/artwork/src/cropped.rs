//! A part of a bitmap: the pixels that lie in a rectangle.

use super::{Bitmap, Depth, Image, Mesh, Region};
use std::sync::Arc;
use tinkite_base::geometry::{Affine, Rect};

impl Image {
    /// What of it lies in a rectangle, mm: whole pixels, the edge at the nearest between two; where the bitmap lies
    /// aslant what is beside the rectangle becomes white. None where nothing is left.
    #[must_use]
    pub fn cropped(mut self, to: Rect) -> Option<Self> {
        if self.to_mm.determinant() == 0.0 {
            return None;
        }
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
            region.crop(Arc::make_mut(bitmap), self.to_mm);
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
    fn whole_pixels_stay_where_they_lie() {
        let part = image().cropped(Rect::new(2.1, -5.0, 6.4, 3.9)).unwrap();
        assert_eq!(part.pixels, (2, 2));
        assert_eq!(part.bitmap.unwrap().grey, [5, 6, 9, 10]);
        assert_eq!(
            part.depth.as_deref(),
            Some(&Depth::Grey([5, 6, 9, 10].map(|n| n * 257).into()))
        );
        // Pixel 5 lay 2 mm from the left and 2 mm under the upper edge.
        assert_eq!(part.to_mm * tinkite_base::geometry::Point::ZERO, (2.0, 4.0).into());
        assert_eq!(image().cropped(Rect::new(-1.0, -1.0, 99.0, 99.0)), Some(image()));
        assert_eq!(image().cropped(Rect::new(9.0, 0.0, 12.0, 6.0)), None);
        assert_eq!(image().cropped(Rect::new(2.0, 2.0, 2.5, 6.0)), None, "not a pixel wide");
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
