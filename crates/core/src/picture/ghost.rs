//! Bitmaps that were traced, faint under their outlines.

use super::frame::View;
use crate::artwork::Bitmap;
use crate::geometry::Affine;
use crate::layout::Ghost;
use base64::Engine as _;
use image::codecs::png::PngEncoder;
use image::{ExtendedColorType, ImageEncoder};
use std::fmt::Write as _;

/// A ghost needs no more pixels than this along its longer side.
const MOST_PIXELS: u32 = 800;

/// Draws the bitmap where it lies; one that cannot be encoded is left out, as it is only shown.
pub(super) fn draw(out: &mut String, view: &View, ghost: &Ghost) {
    let step = ghost.bitmap.width.max(ghost.bitmap.height).div_ceil(MOST_PIXELS).max(1);
    let Some(png) = encoded(&ghost.bitmap, step) else { return };
    let to_px = view.transform() * ghost.to_bed * Affine::scale(f64::from(step));
    let [a, b, c, d, e, f] = to_px.as_coeffs();
    let (width, height) = (ghost.bitmap.width.div_ceil(step), ghost.bitmap.height.div_ceil(step));
    let data = base64::engine::general_purpose::STANDARD.encode(png);
    let _ = writeln!(
        out,
        r#"<image width="{width}" height="{height}" transform="matrix({a:.6} {b:.6} {c:.6} {d:.6} {e:.3} {f:.3})" opacity="0.3" href="data:image/png;base64,{data}"/>"#
    );
}

fn encoded(bitmap: &Bitmap, step: u32) -> Option<Vec<u8>> {
    let (width, height) = (bitmap.width.div_ceil(step), bitmap.height.div_ceil(step));
    let row = |y: u32| {
        let start = (y * step) as usize * bitmap.width as usize;
        bitmap.grey[start..].iter().take(bitmap.width as usize).step_by(step as usize).copied()
    };
    let grey: Vec<u8> = (0..height).flat_map(row).collect();
    let mut png = Vec::new();
    PngEncoder::new(&mut png).write_image(&grey, width, height, ExtendedColorType::L8).ok()?;
    Some(png)
}
