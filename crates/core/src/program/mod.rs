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

pub use expression::Plainly;
pub use page::Pages;
pub use write::Comments;
pub(crate) use write::s_words;

use crate::job::Job;
use crate::limits::WithinLimits;

/// A job that may be sent to its machine.
#[derive(Debug)]
pub struct Program<'j> {
    job: &'j Job,
    within: WithinLimits,
}

impl<'j> Program<'j> {
    /// The program of a job that was found to be within limits.
    #[must_use]
    pub fn new(job: &'j Job, within: WithinLimits) -> Self {
        Self { job, within }
    }

    /// The job it was made from.
    #[must_use]
    pub fn job(&self) -> &'j Job {
        self.job
    }

    /// What was found out about its moves.
    #[must_use]
    pub fn within(&self) -> &WithinLimits {
        &self.within
    }
}
