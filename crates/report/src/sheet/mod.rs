//! The job sheet: one page that holds all that a person at the machine wants to see, and plays the run.

mod page;
mod played;
mod sketch;

use std::io::Write;
use std::path::Path;
use tinkite_files::load::Made;
use tinkite_files::output::{Output, Writing, Written};
use tinkite_files::refusal::Refusal;

/// Writes the sheet of a job.
pub fn write(path: &Path, writing: Writing, made: &Made) -> Result<Written, Refusal> {
    let output = Output::create(path, writing)?;
    let page = page::page(made);
    output.write(|out| out.write_all(page.as_bytes()))
}
