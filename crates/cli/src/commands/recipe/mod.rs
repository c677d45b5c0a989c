//! `tinkite recipe`: the book of settings by material.

mod chosen;
mod copy;
mod keep;
mod list;
mod print;
mod show;

pub(super) use keep::{About, write};

use crate::args::RecipeCommand;
use crate::console::Console;
use tinkite_files::refusal::Refusal;

pub(super) fn run(command: &RecipeCommand, console: &Console) -> Result<(), Refusal> {
    match command {
        RecipeCommand::List(args) => list::run(args, console),
        RecipeCommand::Show(args) => show::run(args, console),
        RecipeCommand::Keep(args) => keep::run(args, console),
        RecipeCommand::Copy(args) => copy::run(args, console),
        RecipeCommand::Drop(args) => keep::drop(args, console),
        RecipeCommand::Print(args) => print::run(args, console),
    }
}
