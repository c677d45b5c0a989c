//! `tinkite log export` and `log import`: runs on their way between two computers at one machine.

use crate::args::{LogExport, LogImport};
use crate::console::Console;
use crate::door;
use serde::Serialize;
use std::fs::File;
use std::io::{self, BufRead, BufReader, BufWriter, Write};
use std::path::Path;
use tinkite_core::problem::{Problems, count};
use tinkite_files::log;
use tinkite_files::output::Output;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_log::{Carried, Log};

/// What came in, for other programs.
#[derive(Debug, Serialize)]
struct ImportedJson {
    runs_new: usize,
    runs_known: usize,
    results_new: usize,
}

pub(super) fn export(args: &LogExport, console: &Console) -> Result<(), Refusal> {
    let log = Log::look_into(&log::path(args.log.path.as_deref())?)?;
    if args.output == Path::new("-") {
        let mut out = BufWriter::new(io::stdout().lock());
        log.carry_out(args.programs, &mut out)?;
        return out.flush().map_err(|error| Refusal::output("standard output", error));
    }
    let output = Output::create(&args.output, args.writing.into())?;
    let mut runs = 0;
    let written = output.write(|out| {
        let carried = log.carry_out(args.programs, out);
        runs = carried.map_err(|refusal| io::Error::other(refusal.to_string()))?;
        Ok(())
    })?;
    console.say(&count(runs, "run"));
    door::wrote(&written, &Problems::new(), &Sources::new(), console)
}

pub(super) fn import(args: &LogImport, console: &Console) -> Result<(), Refusal> {
    let name = args.file.display().to_string();
    let unreadable = |error: io::Error| Refusal::unreadable(&name, &error);
    let mut from: Box<dyn BufRead> = match args.file == Path::new("-") {
        true => Box::new(BufReader::new(io::stdin().lock())),
        false => Box::new(BufReader::new(File::open(&args.file).map_err(unreadable)?)),
    };
    let log = Log::open(&log::path(args.log.path.as_deref())?)?;
    let now = jiff::Timestamp::now().as_millisecond();
    let Carried { new, known, noted } = log.carry_in(&name, &mut from, now)?;
    if console.json {
        return console.json(&ImportedJson {
            runs_new: new,
            runs_known: known,
            results_new: noted,
        });
    }
    console.result(&format!(
        "{} taken in, {known} known already; {} of steps that were not known",
        count(new, "run"),
        count(noted, "result")
    ))
}
