//! Bitmaps: grey pixels over white.

pub(crate) mod area;
pub mod trace;

use tinkite_base::geometry::Affine;

/// A bitmap as a laser sees it: how light each pixel is, transparent ones white.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bitmap {
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
    /// Lightness of each pixel, row by row from the top: 0 black, 255 white.
    pub grey: Vec<u8>,
}

impl Bitmap {
    /// As light as it is over white when so much of it shows, 0 to 1.
    pub fn mix_with_white(mut self, shows: f64) -> Self {
        if shows < 1.0 {
            let light = |grey: u8| 255.0 - (255.0 - f64::from(grey)) * shows.max(0.0);
            self.grey.iter_mut().for_each(|grey| *grey = light(*grey).round() as u8);
        }
        self
    }
}

/// A picture that is cut has pixels no larger than this, mm: about as fine as beams are wide.
const CUT_PIXEL: f64 = 0.1;

/// No picture is made larger than so many pixels for it.
const MOST_CUT_PIXELS: u64 = 1 << 24;

/// Into how many pixels across and down each of a picture is divided before it is cut; `to_mm` carries pixels to mm.
pub(crate) fn divided((width, height): (u32, u32), to_mm: Affine) -> (u32, u32) {
    let [a, b, c, d, ..] = to_mm.as_coeffs();
    let by = |size: f64| (size / CUT_PIXEL - 1e-9).ceil().clamp(1.0, 4096.0);
    let (mut x, mut y) = (by(a.hypot(b)), by(c.hypot(d)));
    let pixels = f64::from(width) * f64::from(height) * x * y;
    let most = MOST_CUT_PIXELS as f64;
    if pixels > most {
        let less = (most / pixels).sqrt();
        (x, y) = ((x * less).floor().max(1.0), (y * less).floor().max(1.0));
    }
    (x as u32, y as u32)
}

/// Rows of values in which each stands so many times across and down.
pub(crate) fn divide<T: Copy>(values: &[T], row: u32, (x, y): (u32, u32)) -> Vec<T> {
    let mut out = Vec::with_capacity(values.len() * x as usize * y as usize);
    for line in values.chunks(row.max(1) as usize) {
        let from = out.len();
        line.iter().for_each(|value| out.extend(std::iter::repeat_n(*value, x as usize)));
        let to = out.len();
        (1..y).for_each(|_| out.extend_from_within(from..to));
    }
    out
}

/// How light a pixel of this lightness and opacity is over white.
#[must_use]
pub fn over_white(grey: u8, alpha: u8) -> u8 {
    let (grey, alpha) = (u32::from(grey), u32::from(alpha));
    ((grey * alpha + 255 * (255 - alpha) + 127) / 255) as u8
}
