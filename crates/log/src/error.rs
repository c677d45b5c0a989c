//! Why something cannot be had of the log, or put into it.

use std::io;
use std::path::PathBuf;
use thiserror::Error;

/// Why something cannot be had of the log, or put into it.
#[derive(Debug, Error)]
pub enum LogError {
    /// There is no such file.
    #[error("there is no log yet at {}: runs on a machine are written there", path.display())]
    NoLog {
        /// Where it would be.
        path: PathBuf,
    },
    /// The file is none, or cannot be opened.
    #[error("the log {} does not open: {source}", path.display())]
    Open {
        /// The file.
        path: PathBuf,
        /// What SQLite said.
        source: rusqlite::Error,
    },
    /// It was taken away while a run was written into it.
    #[error("the log {} was deleted or replaced while the run went on: it does not have the run", path.display())]
    Gone {
        /// Where it was.
        path: PathBuf,
    },
    /// SQLite refuses.
    #[error("the log {}: {source}", path.display())]
    Sql {
        /// The file.
        path: PathBuf,
        /// What it said.
        source: rusqlite::Error,
    },
    /// A program cannot be put in.
    #[error("the log {}: {source}", path.display())]
    Store {
        /// The file.
        path: PathBuf,
        /// What the system said.
        source: io::Error,
    },
    /// A later version wrote it.
    #[error("the log {}: it was written by a later version of tinkite (layout {found}; this one knows {known})", path.display())]
    Later {
        /// The file.
        path: PathBuf,
        /// Its layout.
        found: usize,
        /// The last layout that is known.
        known: usize,
    },
    /// A file cannot be written.
    #[error("{what} cannot be written: {}", plain(source))]
    Write {
        /// The file.
        what: String,
        /// What the system said.
        source: io::Error,
    },
    /// Another process has the run.
    #[error("run {run} is under way in another process: stop it there first")]
    Held {
        /// Its number.
        run: i64,
    },
    /// The run came from another log, without its program.
    #[error(
        "the log has no program of run {run}: it was taken in from another log without programs"
    )]
    NoProgram {
        /// Its number.
        run: i64,
    },
    /// There is no run of this number.
    #[error("there is no run {run} in {}", path.display())]
    NoRun {
        /// The number.
        run: i64,
        /// The file.
        path: PathBuf,
    },
    /// There is no run at all.
    #[error("there is no run in {} yet", path.display())]
    NoRuns {
        /// The file.
        path: PathBuf,
    },
    /// The run has several steps, or none of this name.
    #[error("which step of run {run}? Its steps: {steps}")]
    WhichStep {
        /// Its number.
        run: i64,
        /// Their names.
        steps: String,
    },
    /// Something cannot be said as JSON.
    #[error(transparent)]
    Json(#[from] serde_json::Error),
    /// What should be taken in is empty.
    #[error("{file} is empty: it holds no runs")]
    Empty {
        /// The file.
        file: String,
    },
    /// What should be taken in is wrong.
    #[error("{file}:{line}: {why}; nothing was taken in")]
    Import {
        /// The file.
        file: String,
        /// The line, from 1.
        line: usize,
        /// What is wrong with it.
        why: ImportError,
    },
}

/// The system's words without its error number.
fn plain(error: &io::Error) -> String {
    let text = error.to_string();
    text.split(" (os error").next().unwrap_or_default().to_lowercase()
}

/// What is wrong with a line that should be taken in.
#[derive(Debug, Error)]
pub enum ImportError {
    /// A later version wrote it.
    #[error("it was written by a later version of tinkite")]
    Later,
    /// The first line is not that of such a file.
    #[error("it is not a file of exported runs")]
    NoHead,
    /// The line is no JSON object, or does not read.
    #[error("{0}")]
    Line(String),
    /// A run without its number.
    #[error("it has no number (run)")]
    NoNumber,
    /// Something that no run has.
    #[error("nothing of a run is called \"{0}\"")]
    Unknown(String),
    /// A kind that no run is of.
    #[error("no run is of kind \"{0}\"")]
    RunKind(String),
    /// What was put in does not read back.
    #[error("it is no run")]
    NoRun,
    /// A value that its column does not take.
    #[error("{0} is too large")]
    TooLarge(String),
    /// A value of another type.
    #[error("{0} should be text or a number")]
    WrongType(String),
    /// SQLite refuses.
    #[error(transparent)]
    Sql(#[from] rusqlite::Error),
    /// A temporary file cannot be written or read.
    #[error(transparent)]
    File(#[from] io::Error),
}
