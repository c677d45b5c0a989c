//! Pictures: SVG text to a file of the kind that its name says.

use resvg::{tiny_skia, usvg};
use std::io::Write;
use std::path::Path;
use std::sync::Arc;
use thiserror::Error;
use tinkite_core::picture::{Canvas, Scaled};
use tinkite_files::output::{Output, Writing, Written};
use tinkite_files::refusal::Refusal;

/// Kinds of picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PictureKind {
    /// Lines, to any size.
    Svg,
    /// Pixels.
    Png,
}

/// Whether a file's ending asks for playback.
pub fn is_playback(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("gif"))
}

/// Whether a file's ending asks for a job sheet.
pub fn is_sheet(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("html"))
}

/// The kind that a file's ending says.
pub fn kind_of(path: &Path) -> Result<PictureKind, Refusal> {
    let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase());
    match ending.as_deref() {
        Some("svg") => Ok(PictureKind::Svg),
        Some("png") => Ok(PictureKind::Png),
        Some("gif") => Err(Refusal::Usage(format!(
            "{}: only a whole job plays over time; name a .png or .svg",
            path.display()
        ))),
        Some("html") => Err(Refusal::Usage(format!(
            "{}: only a whole job has a sheet; name a .png or .svg",
            path.display()
        ))),
        _ => Err(Refusal::Usage(format!("{}: name a .png or .svg", path.display()))),
    }
}

/// Writes a picture; `svg` is only made when the file may be written.
pub fn write(
    path: &Path,
    writing: Writing,
    svg: impl FnOnce() -> String,
) -> Result<Written, Refusal> {
    let kind = kind_of(path)?;
    let output = Output::create(path, writing)?;
    let svg = svg();
    match kind {
        PictureKind::Svg => output.write(|out| out.write_all(svg.as_bytes())),
        PictureKind::Png => {
            let refuse = |e: PaintError| Refusal::failed(path.display().to_string(), e);
            let png =
                Painter::default().paint(&svg).and_then(|p| encode(&p, None)).map_err(refuse)?;
            output.write(|out| out.write_all(&png))
        }
    }
}

/// Writes a picture that is to scale, so that it says how large it is in print.
pub fn write_scaled(
    path: &Path,
    writing: Writing,
    picture: &Scaled,
    canvas: Canvas,
) -> Result<Written, Refusal> {
    if kind_of(path)? == PictureKind::Svg {
        return write(path, writing, || picture.at_true_size(canvas));
    }
    let output = Output::create(path, writing)?;
    let painted = Painter::default().paint(&picture.svg);
    let png = painted
        .and_then(|pixels| encode(&pixels, Some(picture.px_per_mm)))
        .map_err(|e| Refusal::failed(path.display().to_string(), e))?;
    output.write(|out| out.write_all(&png))
}

/// Why a picture cannot be painted.
#[derive(Debug, Error)]
pub enum PaintError {
    /// It is no SVG.
    #[error(transparent)]
    Svg(#[from] usvg::Error),
    /// It has no size, or more pixels than memory.
    #[error("the picture has no size")]
    NoSize,
    /// It cannot be packed.
    #[error(transparent)]
    Png(#[from] ::png::EncodingError),
}

/// A picture as PNG; it says how many pixels a mm is where that is known.
pub fn encode(pixels: &tiny_skia::Pixmap, px_per_mm: Option<f64>) -> Result<Vec<u8>, PaintError> {
    let mut out = Vec::new();
    let mut encoder = ::png::Encoder::new(&mut out, pixels.width(), pixels.height());
    encoder.set_color(::png::ColorType::Rgba);
    encoder.set_depth(::png::BitDepth::Eight);
    if let Some(px_per_mm) = px_per_mm {
        let metre = (px_per_mm * 1000.0).round() as u32;
        encoder.set_pixel_dims(Some(::png::PixelDimensions {
            xppu: metre,
            yppu: metre,
            unit: ::png::Unit::Meter,
        }));
    }
    let mut writer = encoder.write_header()?;
    writer.write_image_data(&pixels.clone().take_demultiplied())?;
    writer.finish()?;
    Ok(out)
}

/// Turns pictures into pixels. The font is our own, so that they look the same everywhere.
pub struct Painter {
    options: usvg::Options<'static>,
}

impl Default for Painter {
    /// With the letters that this program brings along.
    fn default() -> Self {
        let options = usvg::Options {
            fontdb: Arc::new(tinkite_files::fonts::own()),
            font_family: "DejaVu Sans".into(),
            ..usvg::Options::default()
        };
        Self { options }
    }
}

impl Painter {
    /// The picture as pixels.
    pub fn paint(&self, svg: &str) -> Result<tiny_skia::Pixmap, PaintError> {
        self.paint_dense(svg, 1)
    }

    /// The picture with so many pixels to each of its px, either way.
    pub fn paint_dense(&self, svg: &str, dense: u32) -> Result<tiny_skia::Pixmap, PaintError> {
        let tree = usvg::Tree::from_str(svg, &self.options)?;
        let size = tree.size().to_int_size();
        let mut pixmap = tiny_skia::Pixmap::new(size.width() * dense, size.height() * dense)
            .ok_or(PaintError::NoSize)?;
        let scale = tiny_skia::Transform::from_scale(dense as f32, dense as f32);
        resvg::render(&tree, scale, &mut pixmap.as_mut());
        Ok(pixmap)
    }
}
