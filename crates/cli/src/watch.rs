//! Making something again whenever a file that it is made of changes, until Ctrl-C.

use crate::console::Console;
use crate::door;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};
use tinkite_core::checksum::checksum;
use tinkite_core::quantity::{LengthUnit, clock};
use tinkite_files::bundle;
use tinkite_files::load::Made;
use tinkite_files::refusal::Refusal;
use tinkite_operate::stopping::Stopping;

/// How often it is looked whether a file has changed, or whether to stop. A program that saves a file does so in
/// several steps: nothing may change between two looks before the files are read.
const GLANCE: Duration = Duration::from_millis(120);

/// What something was made of, and what it came to.
#[derive(Debug, Clone, Default)]
pub(crate) struct WatchResult {
    /// The files that it was made of.
    pub(crate) files: Vec<PathBuf>,
    /// None where there is nothing to compare.
    pub(crate) sums: Option<Sums>,
}

/// What a plan comes to.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Sums {
    /// s.
    pub(crate) seconds: f64,
    /// mm.
    pub(crate) burn: f64,
    /// mm.
    pub(crate) travel: f64,
}

impl Sums {
    /// Of one behind the other.
    pub(crate) fn and(self, other: Self) -> Self {
        Self {
            seconds: self.seconds + other.seconds,
            burn: self.burn + other.burn,
            travel: self.travel + other.travel,
        }
    }
}

impl WatchResult {
    /// Of a job that went through every stage.
    pub(crate) fn of(made: &Made) -> Self {
        let totals = &made.compiled.within.planned().totals;
        let sums = Sums { seconds: totals.seconds(), burn: totals.burn(), travel: totals.travel() };
        let files = made.parts.iter().map(|part| PathBuf::from(&part.name)).collect();
        Self { files, sums: Some(sums) }
    }
}

/// Makes it now and again whenever a file that it is made of changes; what is refused is told, and waited for.
/// `result` is the file that is made, which is no reason to make it again.
///
/// # Errors
/// That it was stopped; a bundle, which nobody edits.
pub(crate) fn again_and_again(
    jobs: &[PathBuf],
    result: Option<&Path>,
    console: &Console,
    mut make: impl FnMut() -> Result<WatchResult, Refusal>,
) -> Result<(), Refusal> {
    if let Some(job) = jobs.iter().find(|job| bundle::inside(job).is_some()) {
        let why = format!("{}: nobody edits a bundle; watch the job's folder", job.display());
        return Err(Refusal::Usage(why));
    }
    let stopping = Stopping::watch()?;
    let mut files: BTreeSet<PathBuf> = jobs.iter().cloned().collect();
    let mut last = None;
    loop {
        let seen = contents(&files);
        match make() {
            Ok(outcome) => {
                tell_change(last, outcome.sums, console);
                last = outcome.sums.or(last);
                files.extend(outcome.files.into_iter().filter(|file| file.is_file()));
            }
            Err(refusal @ (Refusal::ReaderGone | Refusal::Stopped(_))) => return Err(refusal),
            Err(refusal) => {
                door::close(&refusal, console);
                let made = result.and_then(|path| path.canonicalize().ok());
                let own = |path: &PathBuf| made.is_some() && path.canonicalize().ok() == made;
                files.extend(beside(jobs).into_iter().filter(|path| !own(path)));
            }
        }
        console.say("watching; Ctrl-C stops");
        // What was added to the files while it was made is as it was read a moment ago.
        let mut before = contents(&files);
        before.extend(seen);
        let (mut last, mut compared) = (stamps(&files), None);
        let changed = loop {
            if stopping.is_wanted() {
                return Err(Refusal::Stopped("no longer watching".into()));
            }
            std::thread::sleep(GLANCE);
            let before_glance = std::mem::replace(&mut last, stamps(&files));
            if last != before_glance || compared.as_ref() == Some(&last) {
                continue;
            }
            compared = Some(last.clone());
            let now = contents(&files);
            let changed: Vec<String> = now
                .iter()
                .filter(|(file, content)| before.get(*file) != Some(content))
                .map(|(file, _)| file.display().to_string())
                .collect();
            if !changed.is_empty() {
                break changed;
            }
        };
        console.say(&format!("\n{} changed", changed.join(", ")));
    }
}

fn folder(file: &Path) -> PathBuf {
    match file.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder.to_path_buf(),
        _ => PathBuf::from("."),
    }
}

/// Everything beside the jobs that a job can be made of: a refused job does not say which it needs.
fn beside(jobs: &[PathBuf]) -> Vec<PathBuf> {
    let folders: BTreeSet<PathBuf> = jobs.iter().map(|job| folder(job)).collect();
    let made_of = |path: &PathBuf| {
        let ending = path.extension().unwrap_or_default().to_string_lossy().to_lowercase();
        let known =
            ["toml", "svg", "dxf", "pdf", "png", "jpg", "jpeg", "bmp", "gif", "tif", "tiff", "stl"];
        path.is_file() && known.contains(&ending.as_str())
    };
    folders.iter().flat_map(|folder| tinkite_files::source::list(folder)).filter(made_of).collect()
}

/// What the file system says of the files: length, and when they were written. Their contents are read only where
/// this differs.
fn stamps(files: &BTreeSet<PathBuf>) -> Vec<Option<(u64, Option<SystemTime>)>> {
    let stamp = |file: &PathBuf| {
        let about = std::fs::metadata(file).ok()?;
        Some((about.len(), about.modified().ok()))
    };
    files.iter().map(stamp).collect()
}

/// The sums of the files' contents; a file that is not there has none.
fn contents(files: &BTreeSet<PathBuf>) -> BTreeMap<PathBuf, Option<String>> {
    let content =
        |file: &PathBuf| (file.clone(), std::fs::read(file).ok().map(|bytes| checksum(&bytes)));
    files.iter().map(content).collect()
}

/// Says what a change did to time and lengths.
fn tell_change(before: Option<Sums>, after: Option<Sums>, console: &Console) {
    let (Some(before), Some(after)) = (before, after) else { return };
    let unit = console.unit;
    console.say(&format!(
        "time {}, burnt {}, travel {}",
        change(before.seconds, after.seconds, clock),
        change(before.burn, after.burn, |mm| shown_length(unit, mm)),
        change(before.travel, after.travel, |mm| shown_length(unit, mm)),
    ));
}

fn shown_length(unit: LengthUnit, mm: f64) -> String {
    unit.length(mm, 1)
}

/// `12 s -> 10 s (2 s less)`, in words of `shown`.
fn change(before: f64, after: f64, shown: impl Fn(f64) -> String) -> String {
    let (from, to) = (shown(before), shown(after));
    if from == to {
        return format!("{to} as before");
    }
    let word = if after < before { "less" } else { "more" };
    format!("{from} -> {to} ({} {word})", shown((after - before).abs()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn changes_are_told_by_how_much() {
        assert_eq!(change(12.0, 10.5, clock), "12.0 s -> 10.5 s (1.5 s less)");
        assert_eq!(
            change(10.0, 12.0, |mm| shown_length(LengthUnit::Inch, mm * 25.4)),
            "10 in -> 12 in (2 in more)"
        );
        assert_eq!(change(10.0, 10.01, clock), "10.0 s as before");
    }
}
