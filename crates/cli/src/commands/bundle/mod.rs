//! `tinkite bundle`.

mod make;
mod private;
mod report;

use crate::args::Bundle;
use crate::console::Console;
use make::{Bundled, bundle};
use serde::Serialize;
use std::io::{BufRead, IsTerminal, Write};
use std::path::{Path, PathBuf};
use tinkite_files::bundle::BundleEntry;
use tinkite_files::output::Output;
use tinkite_files::refusal::Refusal;
use tinkite_report::table::table;

#[derive(Debug, Serialize)]
struct BundleJson {
    file: String,
    bytes: u64,
    files: Vec<BundleEntry>,
    /// SHA-256 of the program that comes of the bundle; `None` where the job is refused.
    program_sha256: Option<String>,
}

/// Beside the job, as NAME.kite.zip.
fn beside(job: &Path) -> PathBuf {
    let name = job.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let stem =
        name.strip_suffix(".kite.toml").or_else(|| name.strip_suffix(".toml")).unwrap_or(&name);
    job.with_file_name(format!("{stem}.kite.zip"))
}

pub(super) fn run(args: &Bundle, console: &Console) -> Result<(), Refusal> {
    let path = args.output.clone().unwrap_or_else(|| beside(&args.job));
    if !path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("zip")) {
        let why = format!("{}: a bundle is known by its ending, .kite.zip", path.display());
        return Err(Refusal::Usage(why));
    }
    let output = Output::create(&path, args.writing.into())?;
    let report = args.report.then_some(&args.log);
    let Bundled { bytes, files, renamed, program, tell_more } = bundle(&args.job, report)?;
    let listed = |files: &[BundleEntry]| {
        let rows = files.iter().map(|file| {
            let was = renamed.iter().find(|(_, name)| *name == file.name);
            let was = was.map_or(String::new(), |(was, _)| format!("was {was}"));
            vec![file.name.clone(), file.bytes.to_string(), file.sha256.clone(), was]
        });
        table(&["file", "bytes", "SHA-256", ""], rows.collect::<Vec<_>>(), &[1])
    };
    if !tell_more.is_empty() {
        console.complain(&format!(
            "warning: where and when it was made may stand in {}: only JPEG and PNG go without",
            tell_more.join(", ")
        ));
    }
    if args.report && !ask_whether_to_send(&listed(&files), console)? {
        return Err(Refusal::Stopped("the bundle was not written".into()));
    }
    let written = output.write(|out| out.write_all(&bytes))?;
    if console.json {
        return console.json(&BundleJson {
            file: written.path.display().to_string(),
            bytes: written.bytes,
            files,
            program_sha256: program,
        });
    }
    if !args.report {
        console.result(&listed(&files))?;
    }
    console.say(&match program {
        Some(_) => format!(
            "wrote {}: its program is the same as that of the folder",
            written.path.display()
        ),
        None => format!("wrote {}; the job is refused, here as there", written.path.display()),
    });
    Ok(())
}

/// Shows what would be handed over before it is written; asks where somebody sits at a terminal.
fn ask_whether_to_send(list: &str, console: &Console) -> Result<bool, Refusal> {
    if !console.json {
        console.result(list)?;
    }
    if console.json || !std::io::stdin().is_terminal() || !std::io::stderr().is_terminal() {
        return Ok(true);
    }
    console.complain("report/ tells about the job, its last run and this program; write it? Enter writes, n does not");
    let mut answer = String::new();
    std::io::stdin()
        .lock()
        .read_line(&mut answer)
        .map_err(|error| Refusal::unreadable("standard input", &error))?;
    Ok(matches!(answer.trim(), "" | "y" | "yes") && answer.ends_with('\n'))
}
