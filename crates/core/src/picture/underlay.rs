//! Bitmaps in pictures: traced ones faintly under their outlines, engraved ones as they will look.

use super::frame::View;
use base64::Engine as _;
use image::codecs::png::PngEncoder;
use image::{ExtendedColorType, ImageEncoder};
use std::fmt::Write as _;
use tinkite_artwork::Bitmap;
use tinkite_base::geometry::Affine;
use tinkite_layout::Underlay;

/// A bitmap needs no more pixels than this along its longer side.
const MOST_PIXELS: u32 = 1000;

/// Draws a traced bitmap where it lies.
pub(super) fn draw(out: &mut String, view: &View, underlay: &Underlay) {
    let step = step(&underlay.bitmap);
    place(out, view, &underlay.bitmap, underlay.to_bed, step, 0.3, encode(&underlay.bitmap, step));
}

/// Draws levels of darkness in one colour, as strong as each level.
pub(super) fn tint(out: &mut String, view: &View, levels: &Bitmap, to_bed: Affine, hex: &str) {
    let step = step(levels);
    let part = |at: usize| u8::from_str_radix(hex.get(at..at + 2).unwrap_or("00"), 16).unwrap_or(0);
    let colour = [part(1), part(3), part(5)];
    let (width, height) = (levels.width.div_ceil(step), levels.height.div_ceil(step));
    let mut rgba = Vec::with_capacity(width as usize * height as usize * 4);
    for y in 0..height {
        for x in 0..width {
            rgba.extend(colour);
            rgba.push(mean(levels, x * step, y * step, step));
        }
    }
    let mut png = Vec::new();
    let encoder = PngEncoder::new(&mut png);
    let made =
        encoder.write_image(&rgba, width, height, ExtendedColorType::Rgba8).ok().map(|()| png);
    place(out, view, levels, to_bed, step, 1.0, made);
}

/// The mean of a square of pixels: picking one of them would turn a dither into stripes.
fn mean(bitmap: &Bitmap, x: u32, y: u32, side: u32) -> u8 {
    let (x1, y1) = ((x + side).min(bitmap.width), (y + side).min(bitmap.height));
    let rows = (y..y1).map(|y| (y * bitmap.width) as usize);
    let sum: u32 = rows
        .flat_map(|row| &bitmap.grey[row + x as usize..row + x1 as usize])
        .map(|level| u32::from(*level))
        .sum();
    (sum / ((x1 - x) * (y1 - y)).max(1)) as u8
}

/// Draws grey pixels, row by row from the top, where `to_px` puts them in the picture.
pub(super) fn embed(out: &mut String, size: (usize, usize), grey: &[u8], to_px: Affine) {
    let (width, height) = (size.0 as u32, size.1 as u32);
    let mut png = Vec::new();
    let encoder = PngEncoder::new(&mut png);
    if encoder.write_image(grey, width, height, ExtendedColorType::L8).is_ok() {
        image(out, (width, height), to_px, 1.0, ("png", &png));
    }
}

/// A picture of a kind where `to_px` puts its pixels.
pub(super) fn image(
    out: &mut String,
    (width, height): (u32, u32),
    to_px: Affine,
    opacity: f64,
    (kind, bytes): (&str, &[u8]),
) {
    let [a, b, c, d, e, f] = to_px.as_coeffs();
    let data = base64::engine::general_purpose::STANDARD.encode(bytes);
    let _ = writeln!(
        out,
        r#"<image width="{width}" height="{height}" transform="matrix({a:.6} {b:.6} {c:.6} {d:.6} {e:.3} {f:.3})" opacity="{opacity}" href="data:image/{kind};base64,{data}"/>"#
    );
}

fn step(bitmap: &Bitmap) -> u32 {
    bitmap.width.max(bitmap.height).div_ceil(MOST_PIXELS).max(1)
}

/// One that cannot be encoded is left out, as it is only shown.
fn place(
    out: &mut String,
    view: &View,
    bitmap: &Bitmap,
    to_bed: Affine,
    step: u32,
    opacity: f64,
    png: Option<Vec<u8>>,
) {
    let Some(png) = png else { return };
    let to_px = view.transform() * to_bed * Affine::scale(f64::from(step));
    let size = (bitmap.width.div_ceil(step), bitmap.height.div_ceil(step));
    image(out, size, to_px, opacity, ("png", &png));
}

fn encode(bitmap: &Bitmap, step: u32) -> Option<Vec<u8>> {
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
