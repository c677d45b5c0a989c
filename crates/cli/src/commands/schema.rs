//! `tinkite schema`.

use crate::args::{Described, Schema};
use crate::console::Console;
use tinkite_files::refusal::Refusal;

pub(super) fn run(args: &Schema, console: &Console) -> Result<(), Refusal> {
    console.json(&match args.of {
        Described::Job => tinkite_schema::job(),
        Described::Machine => tinkite_schema::machine(),
        Described::Recipes => tinkite_schema::recipes(),
    })
}
