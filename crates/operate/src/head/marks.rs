//! Registration marks of a job: where they are drawn, and where they were found.

use super::counts::counts_from;
use std::io::Write;
use std::path::{Path, PathBuf};
use tinkite_core::found::{self, MarkError, Written};
use tinkite_core::geometry::Point;
use tinkite_core::job::Zero;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;
use tinkite_files::output::Output;
use tinkite_files::refusal::Refusal;
use tinkite_files::source::text;
use tinkite_wire::Connected;

/// The marks of a job that is open.
#[derive(Debug, Clone)]
pub struct Marks {
    job: PathBuf,
    zero: Zero,
    /// Where each is drawn, and where it was found.
    pub marks: Vec<Written>,
}

impl Marks {
    /// Those of a job, which need not be fit to be run yet.
    pub fn of(job: &Path) -> Result<Self, Refusal> {
        let (zero, marks) = found::marks(&text(job)?).map_err(|error| refusal(job, &error))?;
        Ok(Self { job: job.to_path_buf(), zero, marks })
    }

    /// What the job counts from, mm from the front left corner of the bed.
    pub fn begin(&self, machine: &Machine, connected: &Connected) -> Result<Point, Refusal> {
        counts_from(machine, connected, self.zero).map(|(begin, _)| begin)
    }

    /// Where a place that the job says lies, mm from the front left corner of the bed.
    pub fn on_bed(machine: &Machine, begin: Point, found: Point) -> Point {
        begin + machine.pointing.to_plane(found.to_vec2())
    }

    /// Writes into the job that a mark, from 1, lies under the head. In words.
    pub fn write(
        &self,
        machine: &Machine,
        begin: Point,
        number: usize,
        head: Point,
    ) -> Result<String, Refusal> {
        let at = machine.pointing.to_machine(head - begin).to_point();
        // Read again: somebody may have the file open.
        let changed = found::with_found(&text(&self.job)?, number, at)
            .map_err(|error| refusal(&self.job, &error))?;
        Output::over(&self.job)?.write(|out| out.write_all(changed.as_bytes()))?;
        Ok(format!(
            "mark {number} of {}: found = [\"{} mm\", \"{} mm\"]",
            self.job.display(),
            plain(at.x, 3),
            plain(at.y, 3)
        ))
    }
}

/// What is wrong with a job's marks.
pub fn refusal(job: &Path, error: &MarkError) -> Refusal {
    Refusal::Usage(format!("{}: {error}", job.display()))
}
