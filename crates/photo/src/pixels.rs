//! The pixels of a photo, in colour.

use image::{ImageDecoder, ImageReader, Limits};
use std::io::Cursor;
use tinkite_base::geometry::Point;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::shield::shield;

/// More pixels are refused before any is decoded.
pub const MOST_PIXELS: u64 = 120_000_000;

/// Red, green and blue, row by row from the top, as the file says that it is held.
#[derive(Debug, Clone, PartialEq)]
pub struct Pixels {
    /// Across.
    pub width: u32,
    /// Down.
    pub height: u32,
    /// Three bytes each.
    pub rgb: Vec<u8>,
}

impl Pixels {
    /// Reads a picture file.
    ///
    /// # Errors
    /// What is no picture, is broken, or has too many pixels.
    pub fn read(bytes: &[u8]) -> Result<Self, Problem> {
        let broken = |why: String| {
            let help = "save it again as PNG or JPEG";
            Problem::error(Code::BrokenBitmap, format!("the photo cannot be read: {why}"), help)
        };
        let decode = || -> Result<Self, Problem> {
            let reader = || {
                let reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format();
                reader.map_err(|e| broken(e.to_string()))
            };
            let (width, height) = reader()?.into_dimensions().map_err(|e| broken(e.to_string()))?;
            if u64::from(width) * u64::from(height) > MOST_PIXELS {
                let message = format!(
                    "the photo has {width} x {height} pixels, more than {} million",
                    MOST_PIXELS / 1_000_000
                );
                let help = "make it smaller: a few pixels to a mm of the bed are enough";
                return Err(Problem::error(Code::HugeBitmap, message, help));
            }
            let mut reader = reader()?;
            let mut limits = Limits::default();
            limits.max_alloc = Some(MOST_PIXELS * 8);
            reader.limits(limits);
            let mut decoder = reader.into_decoder().map_err(|e| broken(e.to_string()))?;
            let held = decoder.orientation().unwrap_or(image::metadata::Orientation::NoTransforms);
            let mut picture =
                image::DynamicImage::from_decoder(decoder).map_err(|e| broken(e.to_string()))?;
            picture.apply_orientation(held);
            let rgb = picture.into_rgb8();
            Ok(Self { width: rgb.width(), height: rgb.height(), rgb: rgb.into_raw() })
        };
        shield(decode).unwrap_or_else(|_| Err(broken("its data makes no sense".into())))
    }

    /// The colour at a place, between the middles of four pixels; none beside the picture.
    #[must_use]
    pub fn at(&self, p: Point) -> Option<[u8; 3]> {
        let (w, h) = (f64::from(self.width), f64::from(self.height));
        if !(p.x >= 0.0 && p.y >= 0.0 && p.x < w && p.y < h) {
            return None;
        }
        let near = |v: f64, most: u32| {
            let v = (v - 0.5).clamp(0.0, f64::from(most) - 1.0);
            let low = v as usize;
            (low, (low + 1).min(most as usize - 1), v - low as f64)
        };
        let ((x0, x1, tx), (y0, y1, ty)) = (near(p.x, self.width), near(p.y, self.height));
        let pixel = |x: usize, y: usize, n: usize| {
            f64::from(self.rgb[(y * self.width as usize + x) * 3 + n])
        };
        Some(std::array::from_fn(|n| {
            let row = |y| pixel(x0, y, n) * (1.0 - tx) + pixel(x1, y, n) * tx;
            (row(y0) * (1.0 - ty) + row(y1) * ty).round() as u8
        }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Red grows by 10 a column, green by 20 a row.
    fn slope() -> Pixels {
        let pixel = |x: u32, y: u32| [(x * 10) as u8, (y * 20) as u8, 7];
        let rgb = (0..6).flat_map(|y| (0..8).flat_map(move |x| pixel(x, y))).collect();
        Pixels { width: 8, height: 6, rgb }
    }

    #[test]
    fn colours_between_pixels_are_on_the_slope() {
        let picture = slope();
        for (x, y, want) in [
            (0.5, 0.5, [0, 0, 7]),
            (3.5, 2.5, [30, 40, 7]),
            (3.9, 2.5, [34, 40, 7]),
            (3.5, 2.75, [30, 45, 7]),
            (4.3, 4.1, [38, 72, 7]),
            (0.0, 0.0, [0, 0, 7]),
            (7.99, 5.99, [70, 100, 7]),
        ] {
            assert_eq!(picture.at(Point::new(x, y)), Some(want), "{x} {y}");
        }
        for beside in [(-0.01, 1.0), (1.0, -0.01), (8.0, 1.0), (1.0, 6.0), (f64::NAN, 1.0)] {
            assert_eq!(picture.at(Point::new(beside.0, beside.1)), None);
        }
    }

    #[test]
    fn what_is_no_picture_or_too_large_is_refused_in_words() {
        let told = |bytes: &[u8]| Pixels::read(bytes).unwrap_err().message;
        assert!(told(b"no picture").contains("cannot be read"));
        // A bitmap whose head says more pixels than anybody has.
        let mut head = b"BM\0\0\0\0\0\0\0\0\x36\0\0\0\x28\0\0\0".to_vec();
        head.extend(20_000u32.to_le_bytes());
        head.extend(20_000u32.to_le_bytes());
        head.extend(b"\x01\0\x18\0");
        head.extend([0; 24]);
        assert!(
            told(&head).contains("20000 x 20000 pixels, more than 120 million"),
            "{}",
            told(&head)
        );
    }
}
