//! `tinkite`: the command line. It finds files, calls the core, shows what came back, and keeps
//! the promise that nothing is overwritten and nothing is left half written.

mod args;
mod burnt;
mod commands;
mod console;
mod door;
mod fonts;
mod link;
mod load;
mod output;
mod png;
mod refusal;
mod report;
mod stopping;

use clap::Parser;
use std::process::ExitCode;

fn main() -> ExitCode {
    let args = args::Args::parse();
    let console = console::Console::new(&args.common);
    match commands::run(&args, &console) {
        Ok(()) => ExitCode::SUCCESS,
        Err(refusal) => ExitCode::from(door::close(&refusal, &console)),
    }
}
