//! Whether what is run now is what was run before.

use super::program::ProgramFile;

use tinkite_files::refusal::Refusal;
use tinkite_log::{Log, RunEntry, RunKind, digest};

/// What is run beside an earlier run must be what was run then; `why` says why that matters.
pub fn unchanged(log: &Log, entry: &RunEntry, now: &ProgramFile, why: &str) -> Result<(), Refusal> {
    let mut first = entry.clone();
    while let (RunKind::GoOn, Some(before)) = (first.began.kind, first.began.after) {
        first = log.entry(Some(before))?;
    }
    let (sha256, _) = digest(&mut now.reader().into_inner())
        .map_err(|error| Refusal::unreadable(&now.about.name, &error))?;
    let changed = if now.about.profile != first.began.profile {
        "the machine's profile has"
    } else if sha256 != first.sha256 {
        "the program has"
    } else {
        return Ok(());
    };
    Err(Refusal::Usage(format!("{changed} changed since run {}: {why}", first.id)))
}
