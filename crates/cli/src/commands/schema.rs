//! `tinkite schema`.

use crate::args::{Described, Schema};
use crate::console::Console;
use crate::refusal::Refusal;
use crate::schema::{book, job, machine};

pub(super) fn run(args: &Schema, console: &Console) -> Result<(), Refusal> {
    console.json(&match args.of {
        Described::Job => schemars::schema_for!(job::JobFile),
        Described::Machine => schemars::schema_for!(machine::MachineFile),
        Described::Recipes => schemars::schema_for!(book::RecipesFile),
    })
}
