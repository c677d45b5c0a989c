//! `tinkite emit`.

use crate::args::Emit;
use crate::console::Console;
use crate::door;
use crate::load;
use crate::output::Output;
use crate::refusal::Refusal;
use serde::Serialize;
use std::io;
use std::path::{Path, PathBuf};
use tinkite_core::program::{Comments, Program};
use tinkite_core::quantity::{clock, plain};

#[derive(Debug, Serialize)]
struct EmitJson {
    file: String,
    bytes: u64,
    moves: u64,
    seconds: f64,
    extents_mm: Option<crate::report::ExtentsJson>,
}

/// Where a job's program goes when nobody says: beside the job, as NAME.nc.
pub(super) fn program_path(job: &Path) -> PathBuf {
    let name = job.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let stem =
        name.strip_suffix(".kite.toml").or_else(|| name.strip_suffix(".toml")).unwrap_or(&name);
    job.with_file_name(format!("{stem}.nc"))
}

pub(super) fn run(args: &Emit, console: &Console) -> Result<(), Refusal> {
    let path = args.output.clone().unwrap_or_else(|| program_path(&args.job.job));
    let comments = if args.terse { Comments::None } else { Comments::Full };
    let made = load::made(&args.job)?;
    let program = Program::new(&made.job, made.compiled.within);
    let problems = load::located(made.compiled.problems, &made.sources);
    if path.as_os_str() == "-" {
        door::show(&problems, &made.sources, console);
        return match program.write(comments, &mut io::stdout().lock()) {
            Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Err(Refusal::ReaderGone),
            Err(error) => Err(Refusal::output("standard output", &error)),
            Ok(()) => Ok(()),
        };
    }
    let written = Output::create(&path, args.writing)?.write(|out| program.write(comments, out))?;
    let totals = &program.within().timed().totals;
    if console.json {
        return console.json(&EmitJson {
            file: written.path.display().to_string(),
            bytes: written.bytes,
            moves: totals.moves,
            seconds: crate::report::micron(totals.seconds()),
            extents_mm: totals.burnt.map(Into::into),
        });
    }
    let size = totals.burnt.map_or_else(String::new, |r| {
        format!("{} x {} mm, ", plain(r.width(), 2), plain(r.height(), 2))
    });
    console.result(&format!(
        "{}: {size}{} moves, about {}",
        written.words(),
        totals.moves,
        clock(totals.seconds())
    ))?;
    door::show(&problems, &made.sources, console);
    Ok(())
}
