//! How many bytes each segment takes on the cable.

use super::{Pages, Writer};
use crate::segment::{Segment, Segments};
use std::io;
use tinkite_machine::Dialect;
use tinkite_machine::motion::supply::{LineBytes, NUMBERED};

/// Text that nobody keeps.
pub(super) struct Nowhere;

impl Pages for Nowhere {
    fn put(&mut self, _: &[u8]) -> io::Result<()> {
        Ok(())
    }

    fn turn(&mut self) -> io::Result<()> {
        Ok(())
    }

    fn finish(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Writes segments only to count them.
pub(crate) struct Sizes<'p> {
    writer: Writer<'p, 'p, Nowhere>,
    around: usize,
}

/// Calls `with` with a counter for these segments, from their beginning on.
pub(crate) fn count<T>(segments: &Segments, with: impl FnOnce(&mut Sizes<'_>) -> T) -> T {
    let mut nowhere = Nowhere;
    let writer = Writer::new(segments, None, None, &mut nowhere);
    let printer = segments.job().machine.dialect == Dialect::Reprap;
    with(&mut Sizes { writer, around: if printer { NUMBERED } else { 0 } })
}

impl Sizes<'_> {
    /// The lengths in bytes of the lines that the next segment becomes, with their ends.
    pub(crate) fn of(&mut self, segment: &Segment) -> LineBytes {
        self.writer.line.clear();
        // Nothing that is only counted can fail to be written.
        let _ = self.writer.segment(segment);
        let mut lines = LineBytes::default();
        let texts = self.writer.line.split(|byte| *byte == b'\n');
        texts
            .filter(|text| !text.is_empty())
            .for_each(|text| lines.add(text.len() + 1 + self.around));
        lines
    }
}
