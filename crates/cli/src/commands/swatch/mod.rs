//! `tinkite swatch`: test sheets.

mod keep;
mod make;
mod read;

use crate::args::SwatchCommand;
use crate::console::Console;
use tinkite_files::refusal::Refusal;

pub(super) fn run(command: &SwatchCommand, console: &Console) -> Result<(), Refusal> {
    match command {
        SwatchCommand::Make(args) => make::run(args, console),
        SwatchCommand::Read(args) => read::run(args, console),
        SwatchCommand::Keep(args) => keep::run(args, console),
    }
}
