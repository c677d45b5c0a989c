//! `tinkite completions`.

use crate::args::{Args, Completions};
use crate::console::Console;
use crate::refusal::Refusal;
use clap::CommandFactory;

pub(super) fn run(args: &Completions, console: &Console) -> Result<(), Refusal> {
    let mut script = Vec::new();
    clap_complete::generate(args.shell, &mut Args::command(), "tinkite", &mut script);
    console.result(&String::from_utf8_lossy(&script))
}
