//! `tinkite draw`.

use crate::args::Draw;
use crate::console::Console;
use crate::door;
use crate::refusal::Refusal;
use crate::{load, png};
use tinkite_core::picture::{self, Canvas};

pub(super) fn run(args: &Draw, console: &Console) -> Result<(), Refusal> {
    png::kind_of(&args.output)?;
    let made = load::made(&args.job)?;
    let canvas = Canvas { width: args.size.0, height: args.size.1 };
    let written =
        png::write(&args.output, args.writing, || picture::job(&made.compiled, &made.job, canvas))?;
    console.result(&written.words())?;
    door::show(&load::located(made.compiled.problems, &made.sources), &made.sources, console);
    Ok(())
}
