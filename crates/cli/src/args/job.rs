//! What of a job is made, and the commands that take one.

use crate::completing::{machines, steps};
use clap::Args as ClapArgs;
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

use super::sheets::Sheets;
use super::writing::Writing;
use tinkite_files::call::JobCall;
use tinkite_files::refusal::Refusal;
use tinkite_log::MadePart;

/// Which job, and what of it.
#[derive(Debug, Clone, ClapArgs)]
pub(crate) struct JobArgs {
    /// The job file
    pub(crate) job: PathBuf,
    /// Use this machine instead of the job's: a profile's name or path
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: Option<String>,
    #[command(flatten)]
    pub(crate) part: PartArgs,
}

impl JobArgs {
    /// All of a job, as its file says it.
    pub(crate) fn whole(job: PathBuf, machine: Option<String>) -> Self {
        Self { job, machine, part: PartArgs::default() }
    }

    /// The same, without its options.
    ///
    /// # Errors
    /// More than one sheet.
    pub(crate) fn call(&self) -> Result<JobCall, Refusal> {
        let Self { job, machine, part } = self.clone();
        Ok(JobCall { job, machine, part: part.made()? })
    }
}

/// What of a job is made, and what of it is changed for this call.
#[derive(Debug, Clone, Default, PartialEq, ClapArgs)]
pub(crate) struct PartArgs {
    /// Only this step of a job (may be repeated)
    #[arg(long, value_name = "STEP", add = ArgValueCandidates::new(steps))]
    pub(crate) only: Vec<String>,
    /// Not this step of a job (may be repeated)
    #[arg(long, value_name = "STEP", add = ArgValueCandidates::new(steps))]
    pub(crate) skip: Vec<String>,
    /// Which sheet, when copies take several; run and plan take all of them, or 3- from the third on
    #[arg(long, value_name = "NUMBER|all", value_parser = Sheets::read)]
    pub(crate) sheet: Option<Sheets>,
    /// Change a value of the job for this call: 'steps.outline.power="55 %"' (may be repeated)
    #[arg(long, value_name = "KEY=VALUE")]
    pub(crate) set: Vec<String>,
}

impl From<MadePart> for PartArgs {
    fn from(MadePart { only, skip, sheet, set }: MadePart) -> Self {
        Self { only, skip, sheet: sheet.map(Sheets::One), set }
    }
}

impl PartArgs {
    /// What of a job is made in one program.
    ///
    /// # Errors
    /// More than one sheet.
    pub(crate) fn made(self) -> Result<MadePart, Refusal> {
        let Self { only, skip, sheet, set } = self;
        Ok(MadePart { only, skip, sheet: sheet.map(Sheets::one).transpose()?, set })
    }

    /// The same, of one of its sheets.
    pub(crate) fn of_sheet(self, sheet: Option<u32>) -> MadePart {
        let Self { only, skip, set, .. } = self;
        MadePart { only, skip, sheet, set }
    }

    /// Whether it is the job as its file says it.
    pub(crate) fn is_whole(&self) -> bool {
        *self == Self::default()
    }
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Check {
    /// The job file
    #[arg(required_unless_present = "explain")]
    pub(crate) job: Option<PathBuf>,
    /// Use this machine instead of the job's
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: Option<String>,
    /// Change a value of the job for this call: 'steps.outline.power="55 %"' (may be repeated)
    #[arg(long, value_name = "KEY=VALUE", conflicts_with = "explain")]
    pub(crate) set: Vec<String>,
    /// Which sheet, when copies take several
    #[arg(long, value_name = "NUMBER", conflicts_with = "explain")]
    pub(crate) sheet: Option<u32>,
    /// Explain a problem code
    #[arg(long, value_name = "CODE", conflicts_with = "job")]
    pub(crate) explain: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Plan {
    /// The job files
    #[arg(required = true, value_name = "JOB")]
    pub(crate) jobs: Vec<PathBuf>,
    /// Use this machine instead of the jobs': a profile's name or path
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: Option<String>,
    #[command(flatten)]
    pub(crate) part: PartArgs,
    /// Try what would save time, and say by how much and what it costs; nothing is changed
    #[arg(long, conflicts_with = "watch")]
    pub(crate) faster: bool,
    /// Plan again whenever the job or a file of it changes, until Ctrl-C
    #[arg(long, conflicts_with = "json")]
    pub(crate) watch: bool,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Emit {
    #[command(flatten)]
    pub(crate) job: JobArgs,
    /// Where to write the program; - is standard output [default: beside the job, as NAME.nc]
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Without comments
    #[arg(long)]
    pub(crate) terse: bool,
    #[command(flatten)]
    pub(crate) writing: Writing,
}
