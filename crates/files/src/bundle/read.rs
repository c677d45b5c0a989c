//! Reading bundles. Everything in one may have been made on purpose to do harm.

use super::{BundleEntry, LARGEST, LAYOUT, LIST, List, MOST_FILES};
use crate::refusal::{Refusal, Sources};
use std::fs::File;
use std::io::{BufReader, Read};
use std::path::{Component, Path, PathBuf};
use tinkite_core::checksum::checksum;
use tinkite_core::problem::{Code, Location, Problem};
use zip::ZipArchive;

/// The list is no longer than this, bytes.
const LONGEST_LIST: u64 = 4 << 20;

fn refuse(bundle: &Path, message: impl Into<String>, help: &str) -> Refusal {
    let place = Location::file(&bundle.display().to_string());
    Refusal::Problems(Problem::error(Code::Bundle, message, help).at(place).into(), Sources::new())
}

/// Again made or carried, most faults are gone.
const AGAIN: &str = "make the bundle again, and carry it whole";

/// Whether a path names a bundle that is there.
#[must_use]
pub fn is_bundle(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("zip")) && path.is_file()
}

/// The bundle that a path leads into, and the name in it; empty for the bundle itself as a folder.
pub fn inside(path: &Path) -> Option<(PathBuf, String)> {
    let bundle = path.ancestors().find(|above| is_bundle(above))?;
    let name = path.strip_prefix(bundle).ok()?;
    let parts: Vec<_> = name.components().map(|part| part.as_os_str().to_string_lossy()).collect();
    Some((bundle.to_path_buf(), parts.join("/")))
}

type Archive = ZipArchive<BufReader<File>>;

fn open(bundle: &Path) -> Result<Archive, Refusal> {
    let file = File::open(bundle)
        .map_err(|error| Refusal::unreadable(&bundle.display().to_string(), &error))?;
    ZipArchive::new(BufReader::new(file))
        .map_err(|error| refuse(bundle, format!("the bundle cannot be read: {error}"), AGAIN))
}

/// Takes a file out; at most `most` bytes and one more.
fn take(bundle: &Path, archive: &mut Archive, name: &str, most: u64) -> Result<Vec<u8>, Refusal> {
    let entry = archive
        .by_name(name)
        .map_err(|_| refuse(bundle, format!("{name} is not in the bundle"), AGAIN))?;
    let mut content = Vec::new();
    entry.take(most.saturating_add(1)).read_to_end(&mut content).map_err(|error| {
        refuse(bundle, format!("{name} in the bundle cannot be read: {error}"), AGAIN)
    })?;
    Ok(content)
}

/// A name that stays in its folder.
fn is_plain(name: &str) -> bool {
    let only_names = Path::new(name).components().all(|part| matches!(part, Component::Normal(_)));
    !name.is_empty() && only_names && !name.contains(['\\', ':', '\0'])
}

fn read_list(bundle: &Path, archive: &mut Archive) -> Result<List, Refusal> {
    if archive.len() > MOST_FILES {
        let message = format!("the bundle has {} files, and a job is of few", archive.len());
        return Err(refuse(bundle, message, AGAIN));
    }
    if archive.index_for_name(LIST).is_none() {
        let help = "tinkite bundle JOB writes one; unpack other archives, and name the job in them";
        return Err(refuse(bundle, "this is no bundle: it has no list of its files", help));
    }
    let text = take(bundle, archive, LIST, LONGEST_LIST)?;
    let broken = |why: &dyn std::fmt::Display| {
        refuse(bundle, format!("the bundle's list cannot be read: {why}"), AGAIN)
    };
    if text.len() as u64 > LONGEST_LIST {
        return Err(broken(&"it is too long"));
    }
    let value: serde_json::Value = serde_json::from_slice(&text).map_err(|e| broken(&e))?;
    let layout = value["tinkite_bundle"].as_u64().unwrap_or(0);
    if layout > u64::from(LAYOUT) {
        let by = value["made_by"].as_str().unwrap_or("a newer version");
        let message = format!(
            "the bundle was made by {by}, in layout {layout}; this version reads up to {LAYOUT}"
        );
        return Err(refuse(bundle, message, "take a newer version of tinkite"));
    }
    serde_json::from_value(value).map_err(|e| broken(&e))
}

/// The job in a bundle, as a path into it. Its list is held against what is in it: whatever is missing, added or
/// changed refuses all of it.
pub fn job_in(bundle: &Path) -> Result<PathBuf, Refusal> {
    let mut archive = open(bundle)?;
    let list = read_list(bundle, &mut archive)?;
    if let Some(entry) = list.files.iter().find(|entry| !is_plain(&entry.name)) {
        let message =
            format!("the bundle has a file called {:?}, which would lie outside of it", entry.name);
        return Err(refuse(bundle, message, "do not use it: nobody writes such names by mistake"));
    }
    let all: u64 = list.files.iter().fold(0, |sum, entry| sum.saturating_add(entry.bytes));
    if all > LARGEST {
        let message = format!("the files of the bundle are {} MB together", all >> 20);
        return Err(refuse(bundle, message, "leave out what the job does not need"));
    }
    let unlisted = archive
        .file_names()
        .find(|name| *name != LIST && !list.files.iter().any(|entry| entry.name == *name));
    if let Some(name) = unlisted {
        let message = format!("{name:?} is in the bundle and not on its list");
        return Err(refuse(bundle, message, AGAIN));
    }
    for BundleEntry { name, bytes, sha256 } in &list.files {
        let content = take(bundle, &mut archive, name, *bytes)?;
        if content.len() as u64 != *bytes || checksum(&content) != *sha256 {
            let message = format!("{name} in the bundle is not what its list says");
            return Err(refuse(bundle, message, AGAIN));
        }
    }
    if !list.files.iter().any(|entry| entry.name == list.job) {
        return Err(refuse(bundle, format!("its job, {}, is not in the bundle", list.job), AGAIN));
    }
    ::log::info!("{}: {} files, made by {}", bundle.display(), list.files.len(), list.made_by);
    Ok(bundle.join(&list.job))
}

/// Reads a file of a bundle; at most `most` bytes and one more.
pub fn read(bundle: &Path, name: &str, most: u64) -> Result<Vec<u8>, Refusal> {
    take(bundle, &mut open(bundle)?, name, most)
}

/// Whether a bundle has a file.
pub fn exists(bundle: &Path, name: &str) -> bool {
    open(bundle).is_ok_and(|archive| archive.index_for_name(name).is_some())
}

/// The files of a folder in a bundle, as paths into it; not those of folders in that.
pub fn list(bundle: &Path, folder: &str) -> Vec<PathBuf> {
    let Ok(archive) = open(bundle) else { return Vec::new() };
    let within = if folder.is_empty() { String::new() } else { format!("{folder}/") };
    let names = archive.file_names().filter(|name| {
        name.strip_prefix(&within).is_some_and(|rest| !rest.is_empty() && !rest.contains('/'))
    });
    names.map(|name| bundle.join(name)).collect()
}
