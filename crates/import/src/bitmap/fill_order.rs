//! TIFFs whose bytes hold their pixels from the lowest bit on (`FillOrder` 2; TIFF 6.0, section 8): fax machines write
//! such.

/// Tags and types of TIFF 6.0.
const FILL_ORDER: u16 = 266;
const STRIP_OFFSETS: u16 = 273;
const STRIP_LENGTHS: u16 = 279;
const SHORT: u16 = 3;

/// The file with its pixels from the highest bit on; `None` where they are so already, or it is no whole TIFF.
pub(super) fn usual(bytes: &[u8]) -> Option<Vec<u8>> {
    let tiff = Tiff { bytes, little: bytes.starts_with(b"II") };
    let directory = usize::try_from(tiff.long(4)?).ok()?;
    let count = usize::from(tiff.short(directory)?);
    let field = |tag: u16| {
        (0..count).map(|n| directory + 2 + 12 * n).find(|at| tiff.short(*at) == Some(tag))
    };
    let order = field(FILL_ORDER)?;
    if tiff.short(order + 8)? != 2 {
        return None;
    }
    let (offsets, lengths) =
        (tiff.values(field(STRIP_OFFSETS)?)?, tiff.values(field(STRIP_LENGTHS)?)?);
    let mut out = bytes.to_vec();
    for (offset, length) in offsets.into_iter().zip(lengths) {
        let strip = out.get_mut(offset..offset.checked_add(length)?)?;
        strip.iter_mut().for_each(|byte| *byte = byte.reverse_bits());
    }
    let one = if tiff.little { [1, 0] } else { [0, 1] };
    out[order + 8..order + 10].copy_from_slice(&one);
    Some(out)
}

struct Tiff<'a> {
    bytes: &'a [u8],
    little: bool,
}

impl Tiff<'_> {
    fn short(&self, at: usize) -> Option<u16> {
        let two = self.bytes.get(at..at.checked_add(2)?)?.try_into().ok()?;
        Some(if self.little { u16::from_le_bytes(two) } else { u16::from_be_bytes(two) })
    }

    fn long(&self, at: usize) -> Option<u32> {
        let four = self.bytes.get(at..at.checked_add(4)?)?.try_into().ok()?;
        Some(if self.little { u32::from_le_bytes(four) } else { u32::from_be_bytes(four) })
    }

    /// The numbers of a field: in it where they find room, else where it says.
    fn values(&self, field: usize) -> Option<Vec<usize>> {
        let (kind, count) = (self.short(field + 2)?, self.long(field + 4)? as usize);
        let size = if kind == SHORT { 2 } else { 4 };
        let held = count.checked_mul(size)? <= 4;
        let at = if held { field + 8 } else { self.long(field + 8)? as usize };
        if count > self.bytes.len() {
            return None;
        }
        let one = |n: usize| match kind {
            SHORT => self.short(at + 2 * n).map(usize::from),
            _ => self.long(at + 4 * n).map(|n| n as usize),
        };
        (0..count).map(one).collect()
    }
}
