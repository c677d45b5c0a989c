//! Where a call names a bundle as its job, the job in it is meant.

use crate::args::{Command, RecipeCommand, SwatchCommand};
use std::path::PathBuf;
use tinkite_files::bundle::{is_bundle, job_in};
use tinkite_files::refusal::Refusal;

/// Puts the job in a bundle in the place of the bundle.
///
/// # Errors
/// A bundle that is not what its list says.
pub(crate) fn name_bundled_jobs(command: &mut Command) -> Result<(), Refusal> {
    for job in jobs(command) {
        if is_bundle(job) {
            *job = job_in(job)?;
        }
    }
    Ok(())
}

/// The jobs that a call names.
fn jobs(command: &mut Command) -> Vec<&mut PathBuf> {
    match command {
        Command::Check(args) => args.job.iter_mut().collect(),
        Command::Plan(args) => args.jobs.iter_mut().collect(),
        Command::Draw(args) => vec![&mut args.job.job],
        Command::Emit(args) => vec![&mut args.job.job],
        Command::Edge(args) => vec![&mut args.job.job],
        Command::Bundle(args) => vec![&mut args.job],
        Command::Photo(args) => vec![&mut args.picture],
        Command::Look(args) => args.files.iter_mut().collect(),
        Command::Run(args) => args.file.iter_mut().collect(),
        Command::Head { panel, .. } => panel.job.iter_mut().collect(),
        Command::Recipe { command: RecipeCommand::Keep(args) } => vec![&mut args.job],
        Command::Swatch { command: SwatchCommand::Keep(args) } => vec![&mut args.job],
        Command::Swatch { command: SwatchCommand::Read(args) } => vec![&mut args.job],
        _ => Vec::new(),
    }
}
