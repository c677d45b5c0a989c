//! Programs: the machine's own text, written and read.
//!
//! A [`Program`] can only be made from a job that is within the machine's limits. Text is made in
//! [`write`](Program::write), and taken apart again by [`read`]; numbers are rounded once, in the
//! writer.

mod expression;
mod header;
pub mod measure;
mod number;
mod page;
pub mod read;
mod style;
mod write;

pub use expression::Evaluator;
pub use page::Pages;
pub use write::Comments;
pub(crate) use write::s_words;

use crate::job::Job;
use crate::limits::WithinLimits;
use crate::plan::Planned;

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
