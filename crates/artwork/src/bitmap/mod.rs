//! Bitmaps: grey pixels over white.

pub(crate) mod area;
pub mod trace;

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

/// How light a pixel of this lightness and opacity is over white.
#[must_use]
pub fn over_white(grey: u8, alpha: u8) -> u8 {
    let (grey, alpha) = (u32::from(grey), u32::from(alpha));
    ((grey * alpha + 255 * (255 - alpha) + 127) / 255) as u8
}
