//! Which kind of file this is, told by its content and never by its name.

/// Kinds of file that can be read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Format {
    /// Scalable Vector Graphics.
    Svg,
    /// Drawing exchange format of CAD programs, as text or binary.
    Dxf,
    /// Portable Document Format.
    Pdf,
    /// A PNG bitmap.
    Png,
    /// A JPEG bitmap.
    Jpeg,
    /// A BMP bitmap.
    Bmp,
    /// A GIF bitmap; its first frame counts.
    Gif,
    /// A TIFF bitmap; its first picture counts.
    Tiff,
    /// A WebP bitmap; its first frame counts.
    WebP,
    /// A solid model of triangles.
    Stl,
    /// A solid model of faces, as text.
    Obj,
}

impl Format {
    /// The name people know it by.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Svg => "SVG",
            Self::Dxf => "DXF",
            Self::Pdf => "PDF",
            Self::Png => "PNG",
            Self::Jpeg => "JPEG",
            Self::Bmp => "BMP",
            Self::Gif => "GIF",
            Self::Tiff => "TIFF",
            Self::WebP => "WebP",
            Self::Stl => "STL",
            Self::Obj => "OBJ",
        }
    }

    /// Whether a file of this kind is a single bitmap.
    #[must_use]
    pub fn is_bitmap(self) -> bool {
        matches!(self, Self::Png | Self::Jpeg | Self::Bmp | Self::Gif | Self::Tiff | Self::WebP)
    }

    /// Whether a file of this kind is a solid model.
    #[must_use]
    pub fn is_solid(self) -> bool {
        matches!(self, Self::Stl | Self::Obj)
    }

    /// What the content says; none for content that is none of these.
    #[must_use]
    pub fn of(bytes: &[u8]) -> Option<Self> {
        let starts = |magic: &[u8]| bytes.starts_with(magic);
        let text = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes).trim_ascii_start();
        let head = &bytes[..bytes.len().min(1024)];
        if starts(b"\x89PNG") {
            Some(Self::Png)
        } else if starts(b"\xff\xd8\xff") {
            Some(Self::Jpeg)
        } else if starts(b"GIF8") {
            Some(Self::Gif)
        } else if starts(b"RIFF") && bytes.get(8..12) == Some(b"WEBP") {
            Some(Self::WebP)
        } else if starts(b"BM") && head.contains(&0) {
            Some(Self::Bmp)
        } else if [b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"].iter().any(|m| starts(*m)) {
            Some(Self::Tiff)
        } else if head.windows(5).any(|w| w == b"%PDF-") {
            // Some programs put a few bytes before it (PDF 1.7, implementation note 13).
            Some(Self::Pdf)
        } else if is_dxf(bytes, text) {
            Some(Self::Dxf)
        } else if is_stl(bytes, text) {
            Some(Self::Stl)
        } else if text.starts_with(b"<") || is_utf16_xml(bytes) {
            Some(Self::Svg)
        } else if is_obj(head) {
            Some(Self::Obj)
        } else {
            None
        }
    }

    /// What a file is that is not read, and what to do about it; none for content that is not known.
    #[must_use]
    pub fn unread(bytes: &[u8]) -> Option<(&'static str, &'static str)> {
        let starts = |magic: &[u8]| bytes.starts_with(magic);
        let brand =
            bytes.get(4..12).filter(|box_| box_.starts_with(b"ftyp")).map(|box_| &box_[4..]);
        Some(match brand {
            _ if starts(b"%!PS") || starts(b"\xc5\xd0\xd3\xc6") => {
                ("PostScript (EPS)", "export the drawing as SVG or PDF")
            }
            Some(b"avif" | b"avis") => ("an AVIF bitmap", "save it as PNG or JPEG"),
            Some(b"heic" | b"heix" | b"mif1" | b"msf1" | b"hevc") => {
                ("a HEIC photo", "send it as JPEG, or save it as JPEG or PNG")
            }
            _ if starts(b"\xff\x0a") || starts(b"\0\0\0\x0cJXL ") => {
                ("a JPEG XL bitmap", "save it as PNG or JPEG")
            }
            _ if starts(b"\0\0\0\x0cjP  ") => ("a JPEG 2000 bitmap", "save it as PNG or JPEG"),
            _ if starts(b"AC10") => ("a DWG drawing", "save it as DXF in the CAD program"),
            _ if starts(b"8BPS") => ("a layered picture of a paint program", "save it as PNG"),
            _ if starts(b"PK\x03\x04") && holds(bytes, b"3D/") => {
                ("a 3MF model", "export it as STL from the modelling program")
            }
            _ if starts(b"PK\x03\x04") => ("a packed archive", "unpack it first"),
            _ if starts(b"ISO-10303-21") => ("a STEP model", "export it as STL"),
            _ if starts(b"ply\n") || starts(b"ply\r") => ("a PLY model", "export it as STL"),
            _ => return None,
        })
    }
}

fn holds(bytes: &[u8], word: &[u8]) -> bool {
    bytes[..bytes.len().min(1 << 16)].windows(word.len()).any(|window| window == word)
}

/// Whether a file begins as XML in two bytes a sign.
fn is_utf16_xml(bytes: &[u8]) -> bool {
    matches!(
        bytes,
        [0xff, 0xfe, b'<', 0, ..] | [0xfe, 0xff, 0, b'<', ..] | [b'<', 0, ..] | [0, b'<', ..]
    )
}

/// Whether a text begins with what an OBJ model has: comments, names, and corners of three numbers.
fn is_obj(head: &[u8]) -> bool {
    let text = String::from_utf8_lossy(head);
    let mut lines = text.lines().map(str::trim).filter(|line| !line.is_empty());
    lines.by_ref().take(40).find_map(|line| {
        let mut words = line.split_whitespace();
        match words.next() {
            Some("v") => {
                let numbers = words.filter(|word| word.parse::<f64>().is_ok()).count();
                Some(numbers >= 3)
            }
            Some("mtllib" | "o" | "g" | "usemtl" | "s" | "vn" | "vt") => None,
            Some(word) if word.starts_with('#') => None,
            _ => Some(false),
        }
    }) == Some(true)
}

fn is_dxf(bytes: &[u8], text: &[u8]) -> bool {
    if bytes.get(..22).is_some_and(|head| head.ends_with(b" Binary DXF\r\n\x1a\0")) {
        return true;
    }
    // Comments (group 999) may stand before the first section.
    let Ok(head) = std::str::from_utf8(&text[..text.len().min(64)]) else {
        return text.starts_with(b"999") || text.starts_with(b"0\n") || text.starts_with(b"0\r\n");
    };
    let mut lines = head.lines().map(str::trim);
    match (lines.next(), lines.next()) {
        (Some("999"), Some(_)) => true,
        (Some("0"), Some(word)) => ["SECTION", "EOF"].contains(&word),
        _ => false,
    }
}

/// Bytes of a binary STL before its triangles, and of each triangle.
const STL_HEAD: usize = 84;
const STL_TRIANGLE: usize = 50;

fn is_stl(bytes: &[u8], text: &[u8]) -> bool {
    let begins = text.get(..5).is_some_and(|head| head.eq_ignore_ascii_case(b"solid"));
    let mut words = bytes[..bytes.len().min(4096)].windows(5);
    if begins && words.any(|w| w.eq_ignore_ascii_case(b"facet")) {
        return true;
    }
    is_binary_stl(bytes)
}

/// Bytes that may stand behind a binary STL.
const BEHIND: usize = 4096;

/// Whether a file is as long as the number of triangles behind its head says.
pub fn is_binary_stl(bytes: &[u8]) -> bool {
    let Some(count) = bytes.get(80..STL_HEAD).and_then(|b| <[u8; 4]>::try_from(b).ok()) else {
        return false;
    };
    let count = u32::from_le_bytes(count) as usize;
    let whole = count.checked_mul(STL_TRIANGLE).and_then(|n| n.checked_add(STL_HEAD));
    // Some programs write a little behind it.
    whole.is_some_and(|whole| (whole..=whole + BEHIND).contains(&bytes.len()) && count > 0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn content_decides() {
        assert_eq!(Format::of(b"\xef\xbb\xbf\n<?xml version='1.0'?><svg/>"), Some(Format::Svg));
        assert_eq!(Format::of(b"  0\r\nSECTION\r\n  2\r\nHEADER"), Some(Format::Dxf));
        assert_eq!(Format::of(b"999\nmade by hand\n0\nSECTION\n"), Some(Format::Dxf));
        assert_eq!(Format::of(b"\n%PDF-1.7\n"), Some(Format::Pdf));
        assert_eq!(Format::of(b"solid hub\nfacet normal 0 0 1"), Some(Format::Stl));
        assert_eq!(
            Format::of(&[&[7u8; 80][..], &1u32.to_le_bytes(), &[0; 50]].concat()),
            Some(Format::Stl)
        );
        assert_eq!(Format::of(b"SOLID HUB\n\tFACET normal 0 0 1"), Some(Format::Stl));
        assert_eq!(Format::of(b"tinkite = 1"), None);
        assert_eq!(Format::of(b""), None);
    }
}
