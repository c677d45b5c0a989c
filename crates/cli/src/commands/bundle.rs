//! `tinkite bundle`.

use crate::args::Bundle;
use crate::bundle::{self, Bundled, Entry};
use crate::console::Console;
use crate::output::Output;
use crate::refusal::Refusal;
use crate::report::table::table;
use serde::Serialize;
use std::io::Write;
use std::path::{Path, PathBuf};

#[derive(Debug, Serialize)]
struct BundleJson {
    file: String,
    bytes: u64,
    files: Vec<Entry>,
    /// SHA-256 of the program that comes of the bundle; none where the job is refused.
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
    let output = Output::create(&path, args.writing)?;
    let Bundled { bytes, files, renamed, program } = bundle::bundled(&args.job)?;
    let written = output.write(|out| out.write_all(&bytes))?;
    if console.json {
        return console.json(&BundleJson {
            file: written.path.display().to_string(),
            bytes: written.bytes,
            files,
            program_sha256: program,
        });
    }
    let rows = files.iter().map(|file| {
        let was = renamed.iter().find(|(_, name)| *name == file.name);
        let was = was.map_or(String::new(), |(was, _)| format!("was {was}"));
        vec![file.name.clone(), file.bytes.to_string(), file.sha256.clone(), was]
    });
    console.result(&table(&["file", "bytes", "SHA-256", ""], rows.collect::<Vec<_>>(), &[1]))?;
    console.say(&match program {
        Some(_) => format!(
            "wrote {}: its program was held against that of the folder, and is the same",
            written.path.display()
        ),
        None => format!("wrote {}; the job is refused, here as there", written.path.display()),
    });
    Ok(())
}
