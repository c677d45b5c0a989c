//! Files that a call names, as bytes and as text.

use crate::bundle;
use crate::refusal::{Refusal, Sources};
use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};
use tinkite_core::problem::{Code, Location, Problem};

/// Text files are refused above this size: nobody writes a job of 4 MB.
const LARGEST_TEXT: u64 = 4 << 20;

/// Reads a file, or standard input for `-`; at most `most` bytes and one more, so that whoever
/// checks the size sees that it is too large without holding all of it.
pub fn bytes(path: &Path, most: u64) -> Result<Vec<u8>, Refusal> {
    let name = path.display().to_string();
    if let Some((bundle, inner)) = bundle::inside(path).filter(|(_, inner)| !inner.is_empty()) {
        return bundle::read(&bundle, &inner, most);
    }
    let mut data = Vec::new();
    let read = if name == "-" {
        std::io::stdin().lock().take(most + 1).read_to_end(&mut data)
    } else {
        File::open(path).and_then(|file| file.take(most + 1).read_to_end(&mut data))
    };
    read.map_err(|e| Refusal::unreadable(&name, &e))?;
    Ok(data)
}

/// Whether there is a file.
pub fn exists(path: &Path) -> bool {
    match bundle::inside(path).filter(|(_, inner)| !inner.is_empty()) {
        Some((bundle, inner)) => bundle::exists(&bundle, &inner),
        None => path.exists(),
    }
}

/// The files of a folder, sorted.
pub fn list(folder: &Path) -> Vec<PathBuf> {
    if let Some((bundle, inner)) = bundle::inside(folder) {
        let mut paths = bundle::list(&bundle, &inner);
        paths.sort();
        return paths;
    }
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut paths: Vec<PathBuf> = entries.map(|entry| entry.path()).collect();
    paths.sort();
    if folder == Path::new(".") {
        paths.iter_mut().for_each(|path| *path = path.strip_prefix(".").unwrap_or(path).into());
    }
    paths
}

/// Where a file lies that something in `folder` names. What lies in a bundle names nothing outside of it.
///
/// # Errors
/// It would lie outside of the bundle.
pub fn resolve(folder: &Path, file: &str) -> Result<PathBuf, Refusal> {
    let path = folder.join(file);
    let Some((bundle, _)) = bundle::inside(folder) else { return Ok(path) };
    let within = bundle::inside(&path)
        .is_some_and(|(other, name)| other == bundle && !name.split('/').any(|part| part == ".."));
    if within {
        return Ok(path);
    }
    let message = format!("what lies in the bundle names {file}, which lies outside of it");
    let help = "make the bundle with tinkite bundle, which takes everything along";
    let place = Location::file(&bundle.display().to_string());
    let problem = Problem::error(Code::Bundle, message, help).at(place);
    Err(Refusal::Problems(problem.into(), Sources::new()))
}

/// Text in UTF-8 of a job or machine file.
pub fn text(path: &Path) -> Result<String, Refusal> {
    let name = path.display().to_string();
    let data = bytes(path, LARGEST_TEXT)?;
    let refuse = |message: &str, help: &str| {
        let problem = Problem::error(Code::Format, message, help).at(Location::file(&name));
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
