//! `tinkite`: the command line. It finds files, calls the core, shows what came back, and keeps
//! the promise that nothing is overwritten and nothing is left half written.
#![allow(rustdoc::broken_intra_doc_links, rustdoc::invalid_html_tags, rustdoc::bare_urls)] // comments of arguments are their help

mod args;
mod commands;
mod completing;
mod console;
mod defaults;
mod door;
mod neutral;
mod problem;
mod verbose;
mod voice;
mod watch;

use std::process::ExitCode;

/// A library that gives up on a broken file is a problem that the core tells, not a fault to print.
fn quiet_libraries() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |info| {
        if !tinkite_core::shield::is_shielded() {
            usual(info);
        }
    }));
}

fn main() -> ExitCode {
    quiet_libraries();
    // A shell that asks for completions is answered, and nothing else is done.
    clap_complete::CompleteEnv::with_factory(defaults::plain_command).complete();
    let (mut args, origins, job) = match defaults::parse() {
        Ok(defaults::Call { args, origins, job }) => (args, origins, job),
        Err((args, refusal)) => {
            return ExitCode::from(door::close(&refusal, &console::Console::new(&args.common)));
        }
    };
    let mut console = console::Console::new(&args.common);
    console.events = commands::tells_events(&args.command);
    if console.verbose {
        verbose::listen();
        origins.iter().for_each(|origin| ::log::info!("{origin}"));
    }
    if let Some(job) = job {
        console.say(&format!("the job of this folder: {}", job.to_string_lossy()));
    }
    match commands::run(&mut args, &console) {
        Ok(()) => ExitCode::SUCCESS,
        Err(refusal) => ExitCode::from(door::close(&refusal, &console)),
    }
}
