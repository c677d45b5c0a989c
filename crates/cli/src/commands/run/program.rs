//! The program of a call: made from a job, or found as a file; what is doubtful in it is told.

use crate::args::Run;
use crate::console::Console;
use crate::defaults;
use crate::door::Doubts;
use std::fs::File;
use std::io;
use std::path::Path;
use tinkite_files::call::JobCall;
use tinkite_files::kind::{FileKind, refuse};
use tinkite_files::load;
use tinkite_files::machines;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_log::{Log, RunEntry};
use tinkite_operate::run::lines::PlainEnds;
use tinkite_operate::run::program::{About, FoundProgram, ProgramFile, write};

/// Gets the program and refuses whatever would go wrong.
pub(super) fn prepare(
    args: &Run,
    path: &Path,
    doubts: &mut Doubts,
    console: &Console,
) -> Result<ProgramFile, Refusal> {
    let is_job = path.extension().is_some_and(|e| e == "toml");
    if !is_job {
        let program = ProgramFile::of(from_file(args, path)?, args.card.is_some())?;
        return Ok(tell_doubts(program, doubts, console));
    }
    let (machine, part) = (args.machine.clone(), args.part.clone().made()?);
    let job = JobCall { job: path.to_path_buf(), machine, part };
    let program = make(&job, Some(&mut *doubts), args.card.is_some(), console)?;
    if program.about.counts_on && args.log.path.is_some() {
        return Err(Refusal::Usage(
            "the job's serial numbers go on from run to run, and plan, draw and emit look for them in the usual log: set TINKITE_LOG instead of --log".into(),
        ));
    }
    Ok(program)
}

/// The program of a job; what is doubtful in it is told where there are `doubts`.
pub(super) fn make(
    job: &JobCall,
    mut doubts: Option<&mut Doubts>,
    on_card: bool,
    console: &Console,
) -> Result<ProgramFile, Refusal> {
    let mut made = load::make(job)?;
    if let Some(doubts) = doubts.as_deref_mut() {
        let problems = std::mem::take(&mut made.compiled.problems);
        doubts.show(&load::locate(problems, &made.sources), &made.sources, console);
    }
    let program = ProgramFile::of(write(job, made)?, on_card)?;
    Ok(tell_doubts(program, doubts.unwrap_or(&mut Doubts::default()), console))
}

/// The program of a run in the log.
pub(super) fn recall(
    log: &Log,
    entry: &RunEntry,
    doubts: &mut Doubts,
    console: &Console,
) -> Result<ProgramFile, Refusal> {
    Ok(tell_doubts(ProgramFile::of_run(log, entry)?, doubts, console))
}

/// Tells what is doubtful with a program.
fn tell_doubts(program: ProgramFile, doubts: &mut Doubts, console: &Console) -> ProgramFile {
    doubts.show(&program.report.problems, &Sources::new(), console);
    program
}

fn from_file(args: &Run, path: &Path) -> Result<FoundProgram, Refusal> {
    refuse(path, FileKind::Program)?;
    let name = path.display().to_string();
    if !args.part.is_whole() {
        return Err(Refusal::Usage(
            "--only, --skip, --sheet and --set are for jobs; a program runs as it is".into(),
        ));
    }
    let machine = defaults::machine(args.machine.as_ref())?.ok_or_else(|| {
        Refusal::Usage(format!(
            "{name} is checked against a machine before it runs: say --machine NAME"
        ))
    })?;
    let folder =
        if machines::is_path(&machine) { Path::new("").into() } else { load::folder_of(path) };
    let profile = machines::find(&machine, &folder)?;
    let machine = profile.read(&mut Sources::new())?;
    // A copy of our own: what was measured is what is sent, whoever saves the file meanwhile.
    let mut file = tempfile::tempfile().map_err(|e| Refusal::output("a temporary file", e))?;
    let copied = if name == "-" {
        io::copy(&mut PlainEnds::new(io::stdin().lock()), &mut file)
    } else {
        File::open(path).and_then(|from| io::copy(&mut PlainEnds::new(from), &mut file))
    };
    copied.map_err(|error| match name.as_str() {
        "-" => Refusal::unreadable("standard input", &error),
        _ => Refusal::unreadable(&name, &error),
    })?;
    let machine_name = machine.name.clone();
    let about = About {
        name,
        machine,
        machine_name,
        profile: profile.text,
        made: None,
        counts_on: false,
        sheets: 1,
        zero: None,
        material: None,
        diameter: args.diameter,
    };
    Ok(FoundProgram { about, file, tried: Vec::new() })
}
