//! Files that a call names, as bytes and as text.

use crate::refusal::{Refusal, Sources};
use std::fs::File;
use std::io::Read;
use std::path::Path;
use tinkite_core::problem::{Code, Place, Problem};

/// Text files are refused above this size: nobody writes a job of 4 MB.
const LARGEST_TEXT: u64 = 4 << 20;

/// Reads a file, or standard input for `-`; at most `most` bytes and one more, so that whoever
/// checks the size sees that it is too large without holding all of it.
pub(crate) fn bytes(path: &Path, most: u64) -> Result<Vec<u8>, Refusal> {
    let name = path.display().to_string();
    let mut data = Vec::new();
    let read = if name == "-" {
        std::io::stdin().lock().take(most + 1).read_to_end(&mut data)
    } else {
        File::open(path).and_then(|file| file.take(most + 1).read_to_end(&mut data))
    };
    read.map_err(|e| Refusal::unreadable(&name, &e))?;
    Ok(data)
}

/// Text in UTF-8 of a job or machine file.
pub(crate) fn text(path: &Path) -> Result<String, Refusal> {
    let name = path.display().to_string();
    let data = bytes(path, LARGEST_TEXT)?;
    let refuse = |message: &str, help: &str| {
        let problem = Problem::error(Code::Format, message, help).at(Place::file(&name));
        Refusal::Problems(problem.into(), Sources::new())
    };
    if data.len() as u64 > LARGEST_TEXT {
        return Err(refuse(
            "this is too large for a job or machine file",
            "name the .toml file, not the drawing",
        ));
    }
    ::log::info!("read {name}");
    String::from_utf8(data)
        .map_err(|_| refuse("this is not text in UTF-8", "name a job or machine file (.toml)"))
}
