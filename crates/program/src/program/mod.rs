//! Programs: the machine's own text.
//!
//! A [`Program`] can only be made from a job that is within the machine's limits. Its text is made by
//! the room [`text`](crate::text); other crates read it back.

mod header;

pub use header::s_words;

use crate::limits::WithinLimits;
use crate::plan::Planned;
pub use crate::text::Pages;
use crate::text::{One, Remarks, write};
use std::io::{self, Write};
use tinkite_job::Job;

/// Whether a program explains itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Comments {
    /// A header, and every step and part by name.
    Full,
    /// None at all.
    None,
}

/// A job that may be sent to its machine. It owns the job that was checked; there is no other that
/// it could be made from.
#[derive(Debug)]
pub struct Program {
    within: WithinLimits,
}

impl Program {
    /// The program of a job that was found to be within limits.
    #[must_use]
    pub fn new(within: WithinLimits) -> Self {
        Self { within }
    }

    /// Writes the program's text in its machine's dialect, all in one. The same program always
    /// gives the same bytes, on any number of cores.
    ///
    /// The beam is off in the first line that can move nothing, on every travel move, and at the
    /// end; positions have at most three decimals.
    ///
    /// # Errors
    /// Whatever `out` returns.
    pub fn write(&self, comments: Comments, out: &mut impl Write) -> io::Result<()> {
        write(self.planned().segments(), self.remarks(comments), None, &mut One(out))
    }

    /// Writes the program's text as files that are no larger than the machine takes. Each is a
    /// program of its own: cut only where the head travels, and dark at both ends.
    ///
    /// # Errors
    /// Whatever `pages` returns; a stretch without travel that is larger than a file may be.
    pub fn write_pages(&self, comments: Comments, pages: &mut impl Pages) -> io::Result<()> {
        let largest = self.job().machine.text.largest;
        write(self.planned().segments(), self.remarks(comments), largest, pages)
    }

    fn remarks(&self, comments: Comments) -> Option<&dyn Remarks> {
        match comments {
            Comments::Full => Some(self.planned()),
            Comments::None => None,
        }
    }

    /// The job it was made from.
    #[must_use]
    pub fn job(&self) -> &Job {
        self.planned().job()
    }

    /// What was found out about what is sent.
    #[must_use]
    pub fn planned(&self) -> &Planned {
        self.within.planned()
    }
}
