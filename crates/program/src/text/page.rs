//! Where a program's text goes: one file, or several of a size that a card or controller takes.

use std::io::{self, Write};

/// Takes a program's text.
pub trait Pages {
    /// Takes the next bytes of the file at hand.
    ///
    /// # Errors
    /// Whatever keeps them from being written.
    fn put(&mut self, bytes: &[u8]) -> io::Result<()>;

    /// Ends the file at hand and begins the next.
    ///
    /// # Errors
    /// Whatever keeps it from being begun.
    fn turn(&mut self) -> io::Result<()>;

    /// Everything was put.
    ///
    /// # Errors
    /// Whatever keeps it from being written.
    fn finish(&mut self) -> io::Result<()>;
}

/// All of a program in one place.
pub(crate) struct One<'o, W>(pub(crate) &'o mut W);

impl<W: Write> Pages for One<'_, W> {
    fn put(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.0.write_all(bytes)
    }

    fn turn(&mut self) -> io::Result<()> {
        Ok(())
    }

    fn finish(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}
