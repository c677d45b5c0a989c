//! A picture file without what it tells beside its pixels: where and when a photo was taken, with what, what somebody
//! wrote into it, the small picture and the film behind it. Pixels, colours, size and which way is up stay.

use exif::experimental::Writer;
use exif::{In, Tag};
use std::io::Cursor;

/// What of EXIF decides how the picture lies and how large it is.
const KEPT: [Tag; 4] = [Tag::Orientation, Tag::XResolution, Tag::YResolution, Tag::ResolutionUnit];

/// A JPEG or PNG file without its texts; `None` for other formats, and where the file cannot be walked through.
#[must_use]
pub fn without_texts(bytes: &[u8]) -> Option<Vec<u8>> {
    match bytes {
        [0xff, 0xd8, ..] => jpeg(bytes),
        [0x89, b'P', b'N', b'G', ..] => png(bytes),
        _ => None,
    }
}

/// EXIF with nothing but what is kept, where there is any.
fn exif(bytes: &[u8]) -> Option<Vec<u8>> {
    let told = exif::Reader::new().read_from_container(&mut Cursor::new(bytes)).ok()?;
    let fields =
        || told.fields().filter(|field| field.ifd_num == In::PRIMARY && KEPT.contains(&field.tag));
    fields().next()?;
    let mut writer = Writer::new();
    fields().for_each(|field| writer.push_field(field));
    let mut out = Cursor::new(Vec::new());
    writer.write(&mut out, false).ok()?;
    Some(out.into_inner())
}

fn be16(bytes: &[u8], at: usize) -> Option<usize> {
    bytes.get(at..at + 2)?.try_into().ok().map(|two| usize::from(u16::from_be_bytes(two)))
}

/// Segments up to the end mark (ITU-T T.81, annex B): of the applications' own, JFIF, colour profiles and the colour
/// transform stay; comments go, and whatever lies behind the end mark.
fn jpeg(bytes: &[u8]) -> Option<Vec<u8>> {
    let mut out = vec![0xff, 0xd8];
    let mut kept = exif(bytes);
    let mut at = 2;
    loop {
        let marker = *bytes.get(at + 1)?;
        if bytes[at] != 0xff {
            return None;
        }
        match marker {
            // Any number of these may fill up.
            0xff => {
                at += 1;
                continue;
            }
            0xd9 => {
                out.extend([0xff, 0xd9]);
                return Some(out);
            }
            _ => {}
        }
        let end = at + 2 + be16(bytes, at + 2)?;
        let segment = bytes.get(at..end)?;
        let stays = match marker {
            0xe0 | 0xee => true,
            0xe2 => segment[4..].starts_with(b"ICC_PROFILE\0"),
            0xe1..=0xef | 0xfe => false,
            _ => true,
        };
        // JFIF comes first, where it is there.
        if marker != 0xe0
            && let Some(exif) = kept.take()
        {
            out.extend([0xff, 0xe1]);
            out.extend(u16::try_from(exif.len() + 8).ok()?.to_be_bytes());
            out.extend(b"Exif\0\0");
            out.extend(exif);
        }
        if stays {
            out.extend(segment);
        }
        at = end;
        if marker == 0xda {
            // Coded pixels, up to a marker that is neither a stuffed byte nor a restart.
            let coded = bytes.get(at..)?.windows(2).position(|pair| {
                pair[0] == 0xff && !matches!(pair[1], 0x00 | 0xd0..=0xd7 | 0xff)
            })?;
            out.extend(&bytes[at..at + coded]);
            at += coded;
        }
    }
}

/// The sum behind a chunk.
fn sum_of(chunk: &[u8]) -> [u8; 4] {
    let mut sum = flate2::Crc::new();
    sum.update(chunk);
    sum.sum().to_be_bytes()
}

/// Chunks (PNG, section 11): those that decide pixels, colours and size stay.
fn png(bytes: &[u8]) -> Option<Vec<u8>> {
    const STAY: [&[u8]; 9] =
        [b"tRNS", b"gAMA", b"cHRM", b"sRGB", b"iCCP", b"cICP", b"sBIT", b"bKGD", b"pHYs"];
    let mut out = bytes.get(..8)?.to_vec();
    let mut at = 8;
    loop {
        let length = u32::from_be_bytes(bytes.get(at..at + 4)?.try_into().ok()?) as usize;
        let end = at.checked_add(length)?.checked_add(12)?;
        let chunk = bytes.get(at..end)?;
        let name = &chunk[4..8];
        let decides = name[0].is_ascii_uppercase();
        if name == b"eXIf" {
            if let Some(exif) = exif(bytes) {
                let mut content = name.to_vec();
                content.extend(exif);
                out.extend(u32::try_from(content.len() - 4).ok()?.to_be_bytes());
                out.extend(&content);
                out.extend(sum_of(&content));
            }
        } else if decides || STAY.contains(&name) {
            out.extend(chunk);
        }
        at = end;
        if name == b"IEND" {
            return Some(out);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bitmap::decode;
    use tinkite_artwork::Format;

    const WORDS: &[u8] = b"by the pond behind our workshop";

    /// EXIF of a picture that lies on its side, at 300 dpi, with a text.
    fn exif_with_text() -> Vec<u8> {
        use exif::{Field, Rational, Value};
        let field = |tag, value| Field { tag, ifd_num: In::PRIMARY, value };
        let dpi = || Value::Rational(vec![Rational { num: 300, denom: 1 }]);
        let fields = [
            field(Tag::Orientation, Value::Short(vec![6])),
            field(Tag::XResolution, dpi()),
            field(Tag::YResolution, dpi()),
            field(Tag::ResolutionUnit, Value::Short(vec![2])),
            field(Tag::ImageDescription, Value::Ascii(vec![WORDS.to_vec()])),
        ];
        let mut writer = Writer::new();
        fields.iter().for_each(|field| writer.push_field(field));
        let mut out = Cursor::new(Vec::new());
        writer.write(&mut out, true).unwrap();
        out.into_inner()
    }

    fn picture(format: image::ImageFormat) -> Vec<u8> {
        let mut out = Cursor::new(Vec::new());
        let pixels = |x: u32, y: u32| image::Luma([(x * 7 + y * 3) as u8]);
        image::GrayImage::from_fn(24, 10, pixels).write_to(&mut out, format).unwrap();
        out.into_inner()
    }

    fn holds(bytes: &[u8], words: &[u8]) -> bool {
        bytes.windows(words.len()).any(|window| window == words)
    }

    #[test]
    fn a_photo_loses_its_texts_and_keeps_its_pixels_size_and_which_way_is_up() {
        let plain = picture(image::ImageFormat::Jpeg);
        let mut told = plain[..2].to_vec();
        for (marker, head, text) in [
            (0xe1, &b"Exif\0\0"[..], exif_with_text()),
            (0xfe, b"", WORDS.to_vec()),
            (0xed, b"", WORDS.to_vec()),
        ] {
            told.extend([0xff, marker]);
            told.extend(((text.len() + head.len() + 2) as u16).to_be_bytes());
            told.extend(head);
            told.extend(text);
        }
        told.extend(&plain[2..]);
        // A film behind the picture.
        told.extend(WORDS);
        assert!(holds(&told, WORDS));
        let bare = without_texts(&told).unwrap();
        assert!(!holds(&bare, WORDS));
        let [a, b] = [&told, &bare].map(|bytes| decode(bytes, Format::Jpeg).unwrap());
        assert!(a.turned && b.turned, "it lies on its side");
        assert_eq!(a.bitmap, b.bitmap);
        assert_eq!(super::super::resolution::dpi(&bare, Format::Jpeg), Some((300.0, 300.0)));
        // Nothing to take away: nothing changes.
        assert_eq!(without_texts(&plain).unwrap(), plain);
        assert_eq!(without_texts(&bare).unwrap(), bare);
    }

    #[test]
    fn so_does_a_png_and_what_cannot_be_walked_through_is_left_alone() {
        let plain = picture(image::ImageFormat::Png);
        let mut told = plain[..33].to_vec();
        for (name, content) in
            [(b"tEXt", [b"Comment\0", WORDS].concat()), (b"eXIf", exif_with_text())]
        {
            told.extend((content.len() as u32).to_be_bytes());
            let chunk = [&name[..], &content].concat();
            told.extend(&chunk);
            told.extend(sum_of(&chunk));
        }
        told.extend(&plain[33..]);
        let bare = without_texts(&told).unwrap();
        assert!(holds(&told, WORDS) && !holds(&bare, WORDS));
        let [a, b] = [&told, &bare].map(|bytes| decode(bytes, Format::Png).unwrap());
        assert_eq!((a.bitmap, a.turned), (b.bitmap, b.turned));
        assert_eq!(without_texts(&plain).unwrap(), plain);
        for bytes in [&plain[..], &picture(image::ImageFormat::Jpeg)] {
            for end in 0..bytes.len() {
                let _ = without_texts(&bytes[..end]);
            }
            assert_eq!(without_texts(&bytes[..bytes.len() - 9]), None);
        }
        assert_eq!(without_texts(b"GIF89a"), None);
    }
}
