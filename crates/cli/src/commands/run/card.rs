//! A program on a card, for a controller that reads it there: written, read back, and on the card before
//! it is said so.

use super::program;
use crate::args::Run;
use crate::console::Console;
use crate::door::Doubts;
use serde::Serialize;
use std::fs::File;
use std::io::{self, BufReader, Read};
use std::path::{Path, PathBuf};
use tinkite_files::output::Output;
use tinkite_files::refusal::Refusal;

#[derive(Debug, Serialize)]
struct CardJson {
    file: String,
    bytes: u64,
    lines: u32,
    seconds: f64,
}

/// Copies what would have been run into `folder`.
pub(super) fn copy(args: &Run, folder: &Path, console: &Console) -> Result<(), Refusal> {
    if !folder.is_dir() {
        return Err(Refusal::Usage(format!(
            "{} is no folder: name the folder of the card, and see that it is there",
            folder.display()
        )));
    }
    let given = args.file.as_deref().unwrap_or(Path::new(""));
    let program = program::prepare(args, given, &mut Doubts::default(), console)?;
    let path = folder.join(name_of(given));
    let output = Output::create(&path, args.writing.into())?;
    let failed = |error| Refusal::output(path.display().to_string(), error);
    let size = io::copy(&mut program.reader(), &mut io::sink()).map_err(failed)?;
    if let Some(largest) = program.about.machine.text.largest.filter(|largest| size > *largest) {
        return Err(Refusal::Usage(format!(
            "the program has {size} bytes, and this controller reads files of {largest}: emit -o {} writes it in several",
            path.display()
        )));
    }
    let written = output.write_lasting(|out| io::copy(&mut program.reader(), out).map(|_| ()))?;
    let copy = File::open(&written.path).map_err(failed)?;
    if !same(program.reader(), BufReader::new(copy)).map_err(failed)? {
        return Err(Refusal::Usage(format!(
            "{} is not what was written when it is read back: DO NOT RUN IT; take another card",
            written.path.display()
        )));
    }
    if console.json {
        return console.json(&CardJson {
            file: written.path.display().to_string(),
            bytes: written.bytes,
            lines: program.report.lines,
            seconds: program.report.seconds,
        });
    }
    console.result(&format!(
        "{}, {} lines, read back the same; the card may be taken out once the system has let it go",
        written.words(),
        program.report.lines
    ))
}

/// The program's name on the card.
fn name_of(given: &Path) -> PathBuf {
    let program = if given.extension().is_some_and(|e| e == "toml") {
        crate::commands::emit::program_path(given)
    } else {
        given.to_path_buf()
    };
    program.file_name().map(PathBuf::from).unwrap_or_default()
}

/// Whether two readers give the same bytes.
fn same(a: BufReader<impl Read>, b: BufReader<impl Read>) -> io::Result<bool> {
    let (mut a, mut b) = (a.bytes(), b.bytes());
    loop {
        match (a.next().transpose()?, b.next().transpose()?) {
            (None, None) => return Ok(true),
            (x, y) if x != y => return Ok(false),
            _ => {}
        }
    }
}
