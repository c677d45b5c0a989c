//! Which lines of a program each segment becomes.

use super::sizes::Nowhere;
use super::{Remarks, Writer};
use crate::segment::{Segment, Segments};

/// Writes segments only to count their lines.
pub struct Lines<'p> {
    writer: Writer<'p, 'p, Nowhere>,
}

/// Calls `with` with a counter for a program that says of itself what `remarks` has, and with how many lines
/// stand before its first segment.
pub fn write_numbered<T>(
    segments: &Segments,
    remarks: &dyn Remarks,
    with: impl FnOnce(&mut Lines<'_>, u32) -> T,
) -> T {
    let mut nowhere = Nowhere;
    let mut writer = Writer::new(segments, Some(remarks), None, &mut nowhere);
    // Nothing that is only counted can fail to be written.
    let _ = writer.opening();
    let mut lines = Lines { writer };
    let before = lines.count();
    with(&mut lines, before)
}

impl Lines<'_> {
    /// How many lines the next segment becomes, comments included.
    pub fn of(&mut self, segment: &Segment) -> u32 {
        self.writer.line.clear();
        let _ = self.writer.segment(segment);
        self.count()
    }

    fn count(&self) -> u32 {
        let ends = self.writer.line.iter().filter(|byte| **byte == b'\n').count();
        u32::try_from(ends).unwrap_or(u32::MAX)
    }
}
