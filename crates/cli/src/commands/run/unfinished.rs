//! The last run of the same job, where it was not finished: stock that is half burnt is not burnt from the start again
//! by a mistake.

use super::next_piece::{Word, key};
use crate::args::Run;
use crate::console::Console;
use ratatui_crossterm::crossterm::event::KeyCode;
use std::fs::File;
use std::io::{self, IsTerminal};
use std::path::Path;
use tinkite_files::log;
use tinkite_files::refusal::Refusal;
use tinkite_log::{Log, LogError, RunEntry, digest};
use tinkite_operate::stopping::Stopping;
use tinkite_run::Marked;

/// So many runs back nothing lies on the bed any more.
const RECENT: u32 = 200;

/// Tells of a last run that was not finished. In a terminal somebody says what becomes of it: the call that finishes it
/// comes back, or the same call; elsewhere the call goes on.
///
/// # Errors
/// Somebody says that neither is wanted.
pub(super) fn ask(args: &Run, console: &Console) -> Result<Run, Refusal> {
    let Some(entry) = args.file.as_deref().and_then(|file| unfinished(args, file)) else {
        return Ok(args.clone());
    };
    let run = entry.id;
    let broke = match entry.how.as_deref() {
        Some("stopped") => "was stopped",
        Some(_) => "failed",
        None => "did not come to its end",
    };
    let (line, lines) = (entry.reached.seen.line.min(entry.began.lines), entry.began.lines);
    let told = format!("run {run}, the last of this job, {broke} at line {line} of {lines}");
    let terminal = io::stdin().is_terminal() && io::stderr().is_terminal();
    if !terminal || console.json || args.confirmed {
        if !console.json {
            console.complain(&format!("{told}; tinkite run --go-on {run} finishes it"));
        }
        return Ok(args.clone());
    }
    let asked =
        format!("{told}  [f: finish it   Enter: from the start, on new stock   q: neither]");
    let keys = [
        (KeyCode::Char('f'), Word::Finish),
        (KeyCode::Enter, Word::Burn),
        (KeyCode::Char('q'), Word::End),
    ];
    match key(&asked, &keys, &Stopping::default(), console) {
        Word::Finish => Ok(Run { pieces: args.pieces, ..args.finishing(run) }),
        Word::Burn | Word::Anew => Ok(args.clone()),
        Word::End => Err(Refusal::Stopped(format!(
            "neither was wanted, nothing was sent; tinkite run --go-on {run} finishes run {run} later"
        ))),
    }
}

/// The last run of the file of a call, where it broke off and nothing went on with it.
fn unfinished(args: &Run, file: &Path) -> Option<RunEntry> {
    let fresh = args.go_on.is_none() && args.again.is_none() && args.from_line.is_none();
    let simulated = args.to.as_deref().is_some_and(tinkite_link::is_simulated);
    if !fresh || simulated {
        return None;
    }
    // A log that cannot be read is told when the run is to be written into it.
    let path = log::path(args.log.path.as_deref()).ok().filter(|path| path.exists())?;
    let log = Log::look_into(&path).ok()?;
    let whole = std::path::absolute(file).ok()?;
    let is_job = file.extension().is_some_and(|e| e == "toml");
    let sha256 = if is_job { None } else { Some(digest(&mut File::open(file).ok()?).ok()?.0) };
    let is_same = |entry: &RunEntry| match (&entry.began.made, &sha256) {
        (Some(made), None) => made.job == whole,
        (None, Some(sha256)) => entry.sha256 == *sha256,
        _ => false,
    };
    let last = log.entries(RECENT).ok()?.into_iter().find(|e| !e.brought && is_same(e))?;
    let is_open = last.how.as_deref() != Some("done") && last.followed_by.is_empty();
    let runs_now = || matches!(log.hold(last.id), Err(LogError::Held { .. }));
    (is_open && last.broken().marked != Marked::End && !runs_now()).then_some(last)
}
