//! What a bitmap file says about its resolution.

use std::io::Cursor;
use tinkite_artwork::Format;

/// Inches in a metre.
const INCHES: f64 = 1.0 / 0.0254;

/// Dots per inch across and down, when the file says so with real units.
pub(super) fn dpi(bytes: &[u8], format: Format) -> Option<(f64, f64)> {
    let said = match format {
        Format::Png => png(bytes),
        Format::Jpeg => jfif(bytes).or_else(|| exif(bytes)),
        Format::Tiff => exif(bytes),
        Format::Bmp => bmp(bytes),
        _ => None,
    };
    said.filter(|(x, y)| [x, y].iter().all(|d| (1.0..=100_000.0).contains(*d)))
}

fn be32(bytes: &[u8], at: usize) -> Option<u32> {
    bytes.get(at..at + 4)?.try_into().ok().map(u32::from_be_bytes)
}

/// The chunk `pHYs`, in pixels per metre (PNG, section 11.3.5.3); it stands before the pixels.
fn png(bytes: &[u8]) -> Option<(f64, f64)> {
    let mut at = 8;
    loop {
        let length = be32(bytes, at)? as usize;
        match bytes.get(at + 4..at + 8)? {
            b"pHYs" => {
                let (x, y) = (be32(bytes, at + 8)?, be32(bytes, at + 12)?);
                let metres = *bytes.get(at + 16)? == 1;
                return metres.then(|| (f64::from(x) / INCHES, f64::from(y) / INCHES));
            }
            b"IDAT" | b"IEND" => return None,
            _ => at = at.checked_add(length)?.checked_add(12)?,
        }
    }
}

/// The density in the first marker segment of JFIF (ITU-T T.871, section 10.1).
fn jfif(bytes: &[u8]) -> Option<(f64, f64)> {
    let head = bytes.get(2..18)?;
    if head[0..2] != [0xff, 0xe0] || &head[4..9] != b"JFIF\0" {
        return None;
    }
    let density = |at: usize| f64::from(u16::from_be_bytes([head[at], head[at + 1]]));
    let factor = match head[11] {
        1 => 1.0,
        2 => 2.54,
        _ => return None,
    };
    Some((density(12) * factor, density(14) * factor))
}

/// Pixels per metre in the information header.
fn bmp(bytes: &[u8]) -> Option<(f64, f64)> {
    let le = |at: usize| bytes.get(at..at + 4)?.try_into().ok().map(i32::from_le_bytes);
    // Only the headers of 40 bytes and more have them.
    if le(14)? < 40 {
        return None;
    }
    Some((f64::from(le(38)?) / INCHES, f64::from(le(42)?) / INCHES))
}

/// The resolution tags of TIFF and EXIF.
fn exif(bytes: &[u8]) -> Option<(f64, f64)> {
    use exif::{In, Tag, Value};
    let tags = exif::Reader::new().read_from_container(&mut Cursor::new(bytes)).ok()?;
    let number = |tag: Tag| match &tags.get_field(tag, In::PRIMARY)?.value {
        Value::Rational(values) => values.first().map(exif::Rational::to_f64),
        Value::Short(values) => values.first().map(|v| f64::from(*v)),
        _ => None,
    };
    // 2 is inches, which is also the default; 3 is cm; 1 says that there is no unit.
    let factor = match number(Tag::ResolutionUnit).unwrap_or(2.0) as u32 {
        2 => 1.0,
        3 => 2.54,
        _ => return None,
    };
    Some((number(Tag::XResolution)? * factor, number(Tag::YResolution)? * factor))
}
