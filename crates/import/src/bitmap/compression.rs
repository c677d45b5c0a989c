//! Kinds of TIFF that are not read, by their names.

use exif::{In, Reader, Tag};
use std::io::Cursor;

/// What a TIFF is that could not be decoded: its compression (TIFF 6.0, section 3, and its supplements), or
/// that it is one for files above 4 GB. None when neither explains it.
pub(super) fn unread(bytes: &[u8]) -> Option<&'static str> {
    if bytes.starts_with(b"II+\0") || bytes.starts_with(b"MM\0+") {
        return Some("a BigTIFF (for files above 4 GB)");
    }
    let exif = Reader::new().read_from_container(&mut Cursor::new(bytes)).ok()?;
    let number = exif.get_field(Tag::Compression, In::PRIMARY)?.value.get_uint(0)?;
    Some(match number {
        2 => "compressed as a fax (CCITT, Huffman)",
        3 => "compressed as a fax (CCITT group 3)",
        4 => "compressed as a fax (CCITT group 4)",
        6 => "compressed as JPEG in the old way",
        9 | 10 | 34661 => "compressed as JBIG",
        34712 => "compressed as JPEG 2000",
        50000 => "compressed with Zstandard",
        50001 => "compressed as WebP",
        50002 => "compressed as JPEG XL",
        _ => return None,
    })
}
