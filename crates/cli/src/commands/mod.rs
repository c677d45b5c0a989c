//! The commands, one a file.

mod begin;
mod bundle;
mod bundled_jobs;
mod check;
mod completions;
mod demo;
mod draw;
mod edge;
mod emit;
mod head;
mod log;
mod look;
mod machine;
mod man;
mod photo;
mod plan;
mod read;
mod recipe;
mod rig;
mod run;
mod schema;
mod swatch;

use crate::args::{Args, Command};
use crate::console::Console;
use bundled_jobs::name_bundled_jobs;
use tinkite_files::refusal::Refusal;

/// Whether a call tells events, of which the last says how it ended.
pub(crate) fn tells_events(command: &Command) -> bool {
    matches!(command, Command::Run(run) if run.card.is_none())
}

/// Runs what was typed.
pub(crate) fn run(args: &mut Args, console: &Console) -> Result<(), Refusal> {
    name_bundled_jobs(&mut args.command).inspect_err(|refusal| {
        if console.events {
            run::refused(refusal, console);
        }
    })?;
    match &args.command {
        Command::Demo(args) => demo::run(args, console),
        Command::Look(args) => look::run(args, console),
        Command::Begin(args) => begin::run(args, console),
        Command::Check(args) => check::run(args, console),
        Command::Plan(args) => plan::run(args, console),
        Command::Draw(args) => draw::run(args, console),
        Command::Bundle(args) => bundle::run(args, console),
        Command::Photo(args) => photo::run(args, console),
        Command::Edge(args) => edge::run(args, console),
        Command::Emit(args) => emit::run(args, console),
        Command::Read(args) => read::run(args, console),
        Command::Run(args) => run::run(args, console),
        Command::Machine { command } => machine::run(command, console),
        Command::Head { command, panel } => head::run(command.as_ref(), panel, console),
        Command::Log { command } => log::run(command, console),
        Command::Recipe { command } => recipe::run(command, console),
        Command::Swatch { command } => swatch::run(command, console),
        Command::Rig(args) => rig::run(args, console),
        Command::Schema(args) => schema::run(args, console),
        Command::Completions(args) => completions::run(args, console),
        Command::Man(args) => man::run(args, console),
    }
}
