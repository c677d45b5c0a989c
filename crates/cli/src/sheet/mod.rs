//! The job sheet: one page that holds all that a person at the machine wants to see, and plays the run.

mod page;
mod played;
mod sketch;

use crate::args::Writing;
use crate::load::Made;
use crate::output::{Output, Written};
use crate::refusal::Refusal;
use std::io::Write;
use std::path::Path;

/// Writes the sheet of a job.
pub(crate) fn write(path: &Path, writing: Writing, made: &Made) -> Result<Written, Refusal> {
    let output = Output::create(path, writing)?;
    let page = page::page(made);
    output.write(|out| out.write_all(page.as_bytes()))
}
