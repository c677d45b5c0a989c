//! Bitmaps: grey pixels over white, at the size that the file or the job says.

mod compression;
mod fill_order;
mod resolution;
mod texts;

pub use texts::without_texts;

use image::{DynamicImage, ImageDecoder, ImageReader, Limits};
use std::io::Cursor;
use std::sync::Arc;
use tinkite_artwork::{Artwork, Bitmap, Depth, Format, Image, Source, Units, over_white};
use tinkite_base::geometry::Affine;
use tinkite_base::problem::{Code, Location, Problem, Problems};
use tinkite_base::quantity::plain;
use tinkite_base::shield::shield;

/// More pixels than this are refused before any is decoded: 30,000 × 10,000.
const MOST_PIXELS: u64 = 300_000_000;

/// What decoding may hold in memory, bytes.
const MOST_MEMORY: u64 = 1 << 30;

/// Taken for a bitmap without a resolution: a common one of screens.
const DPI: f64 = 96.0;

/// Pixels across and down that a bitmap file says it has, without decoding it; `None` where it is no bitmap.
#[must_use]
pub fn bitmap_size(bytes: &[u8]) -> Option<(u32, u32)> {
    shield(|| {
        ImageReader::new(Cursor::new(bytes)).with_guessed_format().ok()?.into_dimensions().ok()
    })
    .ok()
    .flatten()
}

/// Reads a bitmap file.
///
/// # Errors
/// Broken files, and such as have more pixels than anyone could mean.
pub(super) fn read(name: &str, bytes: &[u8], format: Format) -> Result<Artwork, Problems> {
    let Decoded { bitmap, turned, opaque, deep } =
        decode(bytes, format).map_err(|p| Problems::from(p.at(Location::file(name))))?;
    let mut problems = Problems::new();
    if format == Format::Jpeg && !ends_whole(bytes) {
        problems.push(
            Problem::warning(
                Code::CutShort,
                "the JPEG ends before its end mark: part of the picture may be missing",
                "save it again, and copy it whole",
            )
            .at(Location::file(name)),
        );
    }
    let said = resolution::dpi(bytes, format);
    // EXIF may lay the picture on its side; its resolution turns with it.
    let said = said.map(|(x, y)| if turned { (y, x) } else { (x, y) });
    let (x, y) = said.unwrap_or((DPI, DPI));
    let source = match said {
        Some(_) if (x - y).abs() > 0.5 => {
            format!("{} dpi across, {} dpi down, from the file", plain(x, 2), plain(y, 2))
        }
        Some(_) => format!("{} dpi, from the file", plain(x, 2)),
        None => {
            problems.push(
                Problem::warning(
                    Code::UnitDoubt,
                    format!("the bitmap says no resolution; {DPI} dpi is taken"),
                    "say width, height or dpi in the job's [[artwork]]",
                )
                .at(Location::file(name)),
            );
            format!("no resolution in the file; {DPI} dpi taken")
        }
    };
    let scale = (25.4 / x, 25.4 / y);
    let size = (f64::from(bitmap.width) * scale.0, f64::from(bitmap.height) * scale.1);
    let to_mm = Affine::new([scale.0, 0.0, 0.0, -scale.1, 0.0, size.1]);
    let pixels = (bitmap.width, bitmap.height);
    let hides = if opaque { vec![Image::outline(pixels, to_mm)] } else { Vec::new() };
    let image = Image {
        source: Source { line: None, ..Source::default() },
        to_mm,
        pixels,
        bitmap: Some(Arc::new(bitmap)),
        depth: deep.map(|values| Arc::new(Depth::Grey(values))),
        rendered: false,
        painted: 0,
        hides,
    };
    Ok(Artwork {
        units: Units { source, mm_per_unit: scale.0, doubtful: said.is_none() },
        page: Some(size),
        images: vec![image],
        problems,
        ..Artwork::empty(name, format)
    })
}

/// Whether a JPEG has its end marker; some cameras write a little behind it.
fn ends_whole(bytes: &[u8]) -> bool {
    bytes.windows(2).rev().take(1 << 16).any(|pair| pair == [0xff, 0xd9])
}

/// A bitmap as it came out of its file.
pub(super) struct Decoded {
    pub(super) bitmap: Bitmap,
    /// It was turned by a quarter on the way.
    pub(super) turned: bool,
    /// None of its pixels lets anything through.
    pub(super) opaque: bool,
    /// Its lightness in 16 bits, where the file has as many.
    pub(super) deep: Option<Vec<u16>>,
}

/// Decodes a bitmap of a known kind.
pub(super) fn decode(bytes: &[u8], format: Format) -> Result<Decoded, Problem> {
    shield(|| decoded(bytes, format)).unwrap_or_else(|_| {
        let message = format!("the {} bitmap cannot be read: it is damaged", format.name());
        let help = "open it in a drawing program and save it again";
        Err(Problem::error(Code::BrokenBitmap, message, help))
    })
}

fn decoded(bytes: &[u8], format: Format) -> Result<Decoded, Problem> {
    let broken = |error: &image::ImageError| {
        let kind = (format == Format::Tiff).then(|| compression::unread(bytes)).flatten();
        if let Some(kind) = kind {
            let message = format!("the TIFF is {kind}, which is not read");
            let help = "save it again in a drawing program, uncompressed, with LZW, or as PNG";
            return Problem::error(Code::BrokenBitmap, message, help);
        }
        Problem::error(
            Code::BrokenBitmap,
            format!("the {} bitmap cannot be read: {error}", format.name()),
            "open it in a drawing program and save it again",
        )
    };
    let kind = match format {
        Format::Jpeg => image::ImageFormat::Jpeg,
        Format::Bmp => image::ImageFormat::Bmp,
        Format::Gif => image::ImageFormat::Gif,
        Format::Tiff => image::ImageFormat::Tiff,
        Format::WebP => image::ImageFormat::WebP,
        _ => image::ImageFormat::Png,
    };
    let turned_bits = (format == Format::Tiff).then(|| fill_order::usual(bytes)).flatten();
    let bytes = turned_bits.as_deref().unwrap_or(bytes);
    let mut reader = ImageReader::with_format(Cursor::new(bytes), kind);
    // The decoders' own limits come on top of ours; no single row is that wide.
    let mut limits = Limits::default();
    limits.max_alloc = Some(MOST_MEMORY);
    reader.limits(limits);
    let mut decoder = reader.into_decoder().map_err(|e| broken(&e))?;
    let (width, height) = decoder.dimensions();
    let pixels = u64::from(width) * u64::from(height);
    if pixels == 0 {
        let help = "save the bitmap again";
        return Err(Problem::error(Code::SizeZero, "the bitmap has no pixels", help));
    }
    if pixels > MOST_PIXELS || decoder.total_bytes() > MOST_MEMORY {
        return Err(Problem::error(
            Code::HugeBitmap,
            format!("the bitmap has {width} x {height} pixels, more than fit into memory"),
            "make it smaller in a drawing program: a laser resolves about 10 pixels per mm",
        ));
    }
    let orientation = decoder.orientation().unwrap_or(image::metadata::Orientation::NoTransforms);
    let mut picture = DynamicImage::from_decoder(decoder).map_err(|e| broken(&e))?;
    let before = (picture.width(), picture.height());
    picture.apply_orientation(orientation);
    let turned = before != (picture.width(), picture.height());
    let opaque = !picture.color().has_alpha()
        || picture.to_luma_alpha8().pixels().all(|pixel| pixel.0[1] == u8::MAX);
    let deep = (picture.color().bytes_per_pixel() / picture.color().channel_count() > 1)
        .then(|| picture.to_luma16().into_raw());
    Ok(Decoded { bitmap: grey(&picture), turned, opaque, deep })
}

/// The bitmap of pixels of red, green, blue and opacity; `None` when they are not as many.
pub(super) fn of_pixels(width: u32, height: u32, pixels: Vec<u8>) -> Option<Bitmap> {
    image::RgbaImage::from_raw(width, height, pixels).map(|p| grey(&DynamicImage::ImageRgba8(p)))
}

/// Lightness over white (ITU-R BT.709 weights, as the library's own conversion).
fn grey(picture: &DynamicImage) -> Bitmap {
    let (width, height) = (picture.width(), picture.height());
    let grey = if picture.color().has_alpha() {
        let pixels = picture.to_luma_alpha8();
        pixels.pixels().map(|p| over_white(p.0[0], p.0[1])).collect()
    } else {
        picture.to_luma8().into_raw()
    };
    Bitmap { width, height, grey }
}

#[cfg(test)]
mod tests;
