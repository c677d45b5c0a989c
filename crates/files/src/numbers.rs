//! Serial numbers that go on: what the log knows of the numbers that were burnt.

use crate::log;
use crate::refusal::Refusal;
use std::path::Path;
use tinkite_core::job::{Job, set};
use tinkite_core::problem::{Code, Problem};
use tinkite_log::{Log, RunEntry};

/// The key that says the first number.
const FIRST: [&str; 4] = ["place", "copies", "number", "first"];

/// Numbers that go on.
pub struct GoingOn {
    /// What is set for this call.
    pub set: String,
    /// What is told of it, where a run has burnt numbers.
    pub note: Option<Problem>,
}

/// Whether what was set says the first number.
#[must_use]
pub fn says_first(set: &[String]) -> bool {
    set.iter().any(|option| is_first(option))
}

/// What was set, but for the first number.
#[must_use]
pub fn without_first(set: &[String]) -> Vec<String> {
    set.iter().filter(|option| !is_first(option)).cloned().collect()
}

/// What was set, with this as the first number.
#[must_use]
pub fn beginning_with(set: &[String], first: u32) -> Vec<String> {
    let mut set = without_first(set);
    set.push(begins(first));
    set
}

/// The number behind the last that `burnt` had.
///
/// # Errors
/// Numbers that are used up.
pub fn behind(last: u32, burnt: &str) -> Result<u32, Refusal> {
    last.checked_add(1).ok_or_else(|| {
        Refusal::Usage(format!("{burnt} burnt the number {last}, and there is none behind it"))
    })
}

fn is_first(option: &str) -> bool {
    set::path_of(option).is_some_and(|path| path == FIRST)
}

fn begins(first: u32) -> String {
    format!("{}={first}", FIRST.join("."))
}

/// Where the numbers of a job go on; nothing where they do not, or where the call says the first.
///
/// # Errors
/// A log that does not open, and numbers that are used up.
pub fn going_on(job: &Job, path: &Path, said: &[String]) -> Result<Option<GoingOn>, Refusal> {
    let Some(number) = job.placement.copies.number.filter(|number| number.goes_on) else {
        return Ok(None);
    };
    let log = log::path(None)?;
    if says_first(said) {
        return Ok(None);
    }
    let fresh = Ok(Some(GoingOn { set: begins(number.first), note: None }));
    if !log.exists() {
        return fresh;
    }
    let file = std::path::absolute(path).unwrap_or_else(|_| path.to_path_buf());
    let numbers = |entry: &RunEntry| {
        let made = entry.began.made.as_ref().filter(|made| made.job == file)?;
        made.numbers
    };
    let entries = Log::look_into(&log)?.entries(u32::MAX)?;
    let done =
        entries.iter().filter(|entry| entry.how.as_deref() == Some("done") && !entry.brought);
    let greatest = done.filter_map(|entry| Some((numbers(entry)?.1, entry.id))).max();
    let greatest = greatest.filter(|(last, _)| *last >= number.first);
    let first = match greatest {
        Some((last, run)) => behind(last, &format!("run {run}"))?,
        None => number.first,
    };
    let unfinished = entries.iter().find(|entry| {
        let open = entry.how.as_deref() != Some("done") && entry.followed_by.is_empty();
        open && numbers(entry).is_some_and(|(_, last)| last >= first)
    });
    let mut message = match (greatest, unfinished) {
        (None, None) => return fresh,
        (Some((last, run)), _) => {
            format!("serial numbers go on with {first}: run {run} burnt up to {last}")
        }
        (None, Some(_)) => format!("serial numbers begin with {first}"),
    };
    if let Some(open) = unfinished {
        message += &format!("; run {} began some of them and was not finished", open.id);
    }
    let help = match unfinished {
        Some(open) => format!(
            "tinkite run --go-on {} finishes that one; or --set {}=N begins elsewhere",
            open.id,
            FIRST.join(".")
        ),
        None => format!("--set {}=N begins elsewhere", FIRST.join(".")),
    };
    let note = Problem::note(Code::Numbers, message, help);
    Ok(Some(GoingOn { set: begins(first), note: Some(note) }))
}
