//! `tinkite plan`.

use crate::args::JobArgs;
use crate::console::Console;
use crate::door;
use crate::load;
use crate::refusal::Refusal;
use crate::report::plan;

pub(super) fn run(args: &JobArgs, console: &Console) -> Result<(), Refusal> {
    let made = load::made(args)?;
    if console.json {
        return console.json(&plan::json(&made));
    }
    console.result(&plan::text(&made))?;
    door::show(&load::located(made.compiled.problems, &made.sources), &made.sources, console);
    Ok(())
}
