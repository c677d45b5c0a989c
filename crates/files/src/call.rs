//! Which job a call takes, and what of it.

use std::path::PathBuf;
use tinkite_log::MadePart;

/// Which job, for which machine, and what of it is made.
#[derive(Debug, Clone)]
pub struct JobCall {
    /// The job file.
    pub job: PathBuf,
    /// A machine instead of the job's own: a profile's name or path.
    pub machine: Option<String>,
    /// What of the job is made, and what is changed in it.
    pub part: MadePart,
}

impl JobCall {
    /// All of a job, as its file says it.
    #[must_use]
    pub fn whole(job: PathBuf, machine: Option<String>) -> Self {
        Self { job, machine, part: MadePart::default() }
    }
}
