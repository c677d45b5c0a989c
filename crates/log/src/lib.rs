//! The log: what was run, how it went, and where a run that broke off can be gone on with. One SQLite file; several
//! processes may use it at once.
//!
//! Where the file lies is for whoever opens it to say. Times come from outside; so do programs, as files that are read
//! and copied.

mod carried;
mod entry;
mod error;
mod schema;
mod tried;

#[cfg(test)]
mod tests;

pub use carried::Carried;
pub use tried::{Sought, Tried, Try, Verdict};

pub use entry::{Began, Ending, MadeFrom, MadePart, Reached, RunEntry, RunKind, StepEntry, digest};
pub use error::{ImportError, LogError};

use rusqlite::{Connection, OpenFlags, OptionalExtension};
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long another process may hold the log.
const PATIENCE: Duration = Duration::from_secs(5);

/// The log, open.
#[derive(Debug)]
pub struct Log {
    connection: Connection,
    path: PathBuf,
}

/// A run under way: nobody else may go on with it. Given back when it is dropped, and by the system
/// when the process dies.
#[derive(Debug)]
pub struct Hold {
    _file: File,
    path: PathBuf,
}

impl Drop for Hold {
    fn drop(&mut self) {
        let _ = std::fs::remove_file(&self.path);
    }
}

impl Log {
    /// Opens it, or makes it.
    ///
    /// # Errors
    /// A file that cannot be opened, is no log, or was written by a later version.
    pub fn open(path: &Path) -> Result<Self, LogError> {
        if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
            std::fs::create_dir_all(folder)
                .map_err(|source| LogError::Write { what: folder.display().to_string(), source })?;
        }
        let log = Self::connect(path, OpenFlags::default())?;
        schema::bring_up_to_date(&log.connection).map_err(|why| log.outdated_error(why))?;
        Ok(log)
    }

    /// Opens one that exists, to look into it.
    ///
    /// # Errors
    /// As [`Self::open`], and a file that is not there.
    pub fn look_into(path: &Path) -> Result<Self, LogError> {
        if !path.exists() {
            return Err(LogError::NoLog { path: path.to_path_buf() });
        }
        Self::open(path)
    }

    fn connect(path: &Path, flags: OpenFlags) -> Result<Self, LogError> {
        let log = |connection| Self { connection, path: path.to_path_buf() };
        let connection = Connection::open_with_flags(path, flags)
            .map_err(|source| LogError::Open { path: path.to_path_buf(), source })?;
        let log = log(connection);
        let set_up = || -> rusqlite::Result<()> {
            log.connection.busy_timeout(PATIENCE)?;
            log.connection.pragma_update(None, "journal_mode", "WAL")?;
            log.connection.pragma_update(None, "synchronous", "FULL")
        };
        set_up().map_err(log.failed())?;
        Ok(log)
    }

    /// What SQLite said, with the file's name.
    fn failed(&self) -> impl Fn(rusqlite::Error) -> LogError + '_ {
        |source| LogError::Sql { path: self.path.clone(), source }
    }

    fn outdated_error(&self, why: schema::Outdated) -> LogError {
        match why {
            schema::Outdated::Later { found, known } => {
                LogError::Later { path: self.path.clone(), found, known }
            }
            schema::Outdated::Sql(source) => self.failed()(source),
        }
    }

    /// Whether the file that stands where this log was opened has the run that began then: SQLite goes on writing
    /// into a file that somebody has deleted.
    ///
    /// # Errors
    /// [`LogError::Gone`] where it has not.
    pub fn is_in_place(&self, run: i64, began_ms: i64) -> Result<(), LogError> {
        let gone = || LogError::Gone { path: self.path.clone() };
        let there = Connection::open_with_flags(&self.path, OpenFlags::SQLITE_OPEN_READ_ONLY)
            .map_err(|_| gone())?;
        there.busy_timeout(PATIENCE).map_err(self.failed())?;
        let began: Option<i64> = there
            .query_row("SELECT began FROM runs WHERE id = ?", [run], |row| row.get(0))
            .optional()
            .or_else(|error| match error {
                rusqlite::Error::SqliteFailure(..) => Ok(None),
                error => Err(self.failed()(error)),
            })?;
        if began == Some(began_ms) { Ok(()) } else { Err(gone()) }
    }

    fn lock_path(&self, run: i64) -> PathBuf {
        let mut name = self.path.clone().into_os_string();
        name.push(format!("-run-{run}.lock"));
        name.into()
    }

    /// Takes hold of a run.
    ///
    /// # Errors
    /// One that another process is running.
    pub fn hold(&self, run: i64) -> Result<Hold, LogError> {
        let path = self.lock_path(run);
        let failed = |source| LogError::Write { what: path.display().to_string(), source };
        let file = File::create(&path).map_err(failed)?;
        match file.try_lock() {
            Ok(()) => Ok(Hold { _file: file, path }),
            Err(std::fs::TryLockError::WouldBlock) => Err(LogError::Held { run }),
            Err(std::fs::TryLockError::Error(error)) => Err(failed(error)),
        }
    }

    /// Copies the program of a run into a file without a name.
    ///
    /// # Errors
    /// One that was taken in from another log without its program, and what the disk or SQLite refuses.
    pub fn program(&self, run: i64) -> Result<File, LogError> {
        if !self.has_program(run)? {
            return Err(LogError::NoProgram { run });
        }
        let mut blob = self
            .connection
            .blob_open("main", "programs", "program", run, true)
            .map_err(self.failed())?;
        let failed = |source| LogError::Write { what: "a temporary file".into(), source };
        let mut file = tempfile::tempfile().map_err(failed)?;
        io::copy(&mut blob, &mut file)
            .and_then(|_| file.seek(SeekFrom::Start(0)))
            .map_err(failed)?;
        Ok(file)
    }

    /// Puts the program of a run in, piece by piece.
    fn store_program(&self, run: i64, program: &mut impl Read) -> Result<(), LogError> {
        let mut blob = self
            .connection
            .blob_open("main", "programs", "program", run, false)
            .map_err(self.failed())?;
        io::copy(program, &mut blob)
            .and_then(|_| blob.flush())
            .map_err(|source| LogError::Store { path: self.path.clone(), source })
    }
}
