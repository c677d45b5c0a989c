//! `tinkite machine`: profiles.

mod changed;
mod check;
mod full_power;
mod list;
mod measure;
mod new;
mod power;
mod questions;
mod show;
mod times;

use crate::args::MachineCommand;
use crate::console::Console;
use tinkite_files::refusal::Refusal;

pub(super) fn run(command: &MachineCommand, console: &Console) -> Result<(), Refusal> {
    match command {
        MachineCommand::List => list::run(console),
        MachineCommand::Show(args) if args.power => power::run(&args.name, console),
        MachineCommand::Show(args) => show::run(&args.name, console),
        MachineCommand::New(args) => new::run(args, console),
        MachineCommand::Check(args) => check::run(args, console),
        MachineCommand::Measure(args) => measure::run(args, console),
    }
}
