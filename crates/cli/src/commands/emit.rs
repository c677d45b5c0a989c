//! `tinkite emit`.

use crate::args::Emit;
use crate::console::Console;
use crate::door;
use serde::Serialize;
use std::io;
use std::path::{Path, PathBuf};
use tinkite_core::program::{Comments, Program};
use tinkite_core::quantity::{clock, plain};
use tinkite_files::load;
use tinkite_files::refusal::Refusal;
use tinkite_report::pages::{Files, Page};

#[derive(Debug, Serialize)]
struct EmitJson {
    file: String,
    /// Each file that was written, in the order in which they are run.
    files: Vec<FileJson>,
    dialect: &'static str,
    zero: &'static str,
    lines: u64,
    bytes: u64,
    moves: u64,
    seconds: f64,
    extents_mm: Option<tinkite_report::ExtentsJson>,
    problems: Vec<tinkite_report::ProblemJson>,
}

#[derive(Debug, Serialize)]
struct FileJson {
    file: String,
    lines: u64,
    bytes: u64,
}

impl From<&Page> for FileJson {
    fn from(page: &Page) -> Self {
        let Page { file, lines } = page;
        Self { file: file.path.display().to_string(), lines: *lines, bytes: file.bytes }
    }
}

/// Where a job's program goes when nobody says: beside the job, as NAME.nc.
pub(in crate::commands) fn program_path(job: &Path) -> PathBuf {
    let name = job.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let stem =
        name.strip_suffix(".kite.toml").or_else(|| name.strip_suffix(".toml")).unwrap_or(&name);
    // Beside a bundle, not in it.
    let beside =
        tinkite_files::bundle::inside(job).map_or_else(|| job.to_path_buf(), |(bundle, _)| bundle);
    beside.with_file_name(format!("{stem}.nc"))
}

pub(super) fn run(args: &Emit, console: &Console) -> Result<(), Refusal> {
    let path = args.output.clone().unwrap_or_else(|| program_path(&args.job.job));
    let comments = if args.terse { Comments::None } else { Comments::Full };
    let made = load::make(&args.job.call()?)?;
    let program = Program::new(made.compiled.within);
    let problems = load::locate(made.compiled.problems, &made.sources);
    if path.as_os_str() == "-" {
        door::show(&problems, &made.sources, console);
        return match program.write(comments, &mut io::stdout().lock()) {
            Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Err(Refusal::ReaderGone),
            Err(error) => Err(Refusal::output("standard output", error)),
            Ok(()) => Ok(()),
        };
    }
    let mut pages = Files::new(&path, args.writing.into())?;
    program
        .write_pages(comments, &mut pages)
        .map_err(|error| Refusal::output(path.display().to_string(), error))?;
    let written = pages.persist()?;
    let totals = &program.planned().totals;
    if console.json {
        let field = made.job.field();
        return console.json(&EmitJson {
            file: written[0].file.path.display().to_string(),
            files: written.iter().map(FileJson::from).collect(),
            dialect: made.job.machine.dialect.name(),
            zero: made.job.placement.zero.name(),
            lines: written.iter().map(|one| one.lines).sum(),
            bytes: written.iter().map(|one| one.file.bytes).sum(),
            moves: totals.moves,
            seconds: tinkite_report::micron(totals.seconds()),
            extents_mm: totals.burnt.map(|r| field.machine_rect(r).into()),
            problems: tinkite_report::problems_json(&problems),
        });
    }
    for more in &written[1..] {
        console.result(&more.file.words())?;
    }
    let written = &written[0].file;
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
