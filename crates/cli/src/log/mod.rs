//! The log: what was run, how it went, and where a run that broke off can be gone on with. One file in
//! the user's data folder; several processes may use it at once.

mod carried;
mod entry;
mod schema;
mod tried;

pub(crate) use carried::Carried;
pub(crate) use tried::{Outcome, Sought, Tried, Try};

pub(crate) use entry::{Began, Ending, Entry, Kind, MadeFrom, Reached, StepEntry, digest};

use crate::config;
use crate::refusal::Refusal;
use etcetera::BaseStrategy;
use rusqlite::{Connection, OpenFlags};
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long another process may hold the log.
const PATIENCE: Duration = Duration::from_secs(5);

/// The log, open.
#[derive(Debug)]
pub(crate) struct Log {
    connection: Connection,
    path: PathBuf,
}

/// A run under way: nobody else may go on with it. Given back when it is dropped, and by the system
/// when the process dies.
#[derive(Debug)]
pub(crate) struct Hold {
    _file: File,
    path: PathBuf,
}

impl Drop for Hold {
    fn drop(&mut self) {
        let _ = std::fs::remove_file(&self.path);
    }
}

/// Where the log is: as the call says, or `TINKITE_LOG`, or `config.toml`, or the user's data folder.
pub(crate) fn path(said: Option<&Path>) -> Result<PathBuf, Refusal> {
    let found = |path: PathBuf, by: &str| {
        ::log::info!("log {}: {by}", path.display());
        Ok(path)
    };
    if let Some(path) = said {
        return found(path.to_path_buf(), "--log");
    }
    if let Some(path) = std::env::var_os("TINKITE_LOG").filter(|path| !path.is_empty()) {
        return found(path.into(), "TINKITE_LOG");
    }
    if let Some(path) = config::read()?.log {
        return found(path, "config.toml");
    }
    let folder = etcetera::choose_base_strategy()
        .map_err(|_| Refusal::Usage("there is no home folder for the log; say --log FILE".into()))?
        .data_dir();
    found(folder.join("tinkite").join("runs.sqlite"), "the user's data folder")
}

impl Log {
    /// Opens it, or makes it.
    ///
    /// # Errors
    /// A file that cannot be opened, is no log, or was written by a later version.
    pub(crate) fn open(path: &Path) -> Result<Self, Refusal> {
        if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
            std::fs::create_dir_all(folder)
                .map_err(|error| Refusal::output(&folder.display().to_string(), &error))?;
        }
        let log = Self::connect(path, OpenFlags::default())?;
        schema::bring_up_to_date(&log.connection).map_err(|why| log.refusal(&why))?;
        Ok(log)
    }

    /// Opens one that exists, to look into it.
    ///
    /// # Errors
    /// As [`Self::open`], and a file that is not there.
    pub(crate) fn look_into(path: &Path) -> Result<Self, Refusal> {
        if !path.exists() {
            return Err(Refusal::Usage(format!(
                "there is no log yet at {}: runs on a machine are written there",
                path.display()
            )));
        }
        Self::open(path)
    }

    fn connect(path: &Path, flags: OpenFlags) -> Result<Self, Refusal> {
        let log = |connection| Self { connection, path: path.to_path_buf() };
        let connection = Connection::open_with_flags(path, flags).map_err(|error| {
            Refusal::Usage(format!("the log {} does not open: {error}", path.display()))
        })?;
        let log = log(connection);
        let set_up = || -> rusqlite::Result<()> {
            log.connection.busy_timeout(PATIENCE)?;
            log.connection.pragma_update(None, "journal_mode", "WAL")?;
            log.connection.pragma_update(None, "synchronous", "FULL")
        };
        set_up().map_err(|error| log.refusal(&error.to_string()))?;
        Ok(log)
    }

    fn refusal(&self, why: &str) -> Refusal {
        Refusal::Usage(format!("the log {}: {why}", self.path.display()))
    }

    /// What SQLite said, with the file's name.
    fn failed(&self) -> impl Fn(rusqlite::Error) -> Refusal + '_ {
        |error| self.refusal(&error.to_string())
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
    pub(crate) fn hold(&self, run: i64) -> Result<Hold, Refusal> {
        let path = self.lock_path(run);
        let failed = |error: &io::Error| Refusal::output(&path.display().to_string(), error);
        let file = File::create(&path).map_err(|error| failed(&error))?;
        match file.try_lock() {
            Ok(()) => Ok(Hold { _file: file, path }),
            Err(std::fs::TryLockError::WouldBlock) => Err(Refusal::Usage(format!(
                "run {run} is under way in another process: stop it there first"
            ))),
            Err(std::fs::TryLockError::Error(error)) => Err(failed(&error)),
        }
    }

    /// Copies the program of a run into a file without a name.
    ///
    /// # Errors
    /// One that was taken in from another log without its program, and what the disk or SQLite refuses.
    pub(crate) fn program(&self, run: i64) -> Result<File, Refusal> {
        if !self.has_program(run)? {
            return Err(Refusal::Usage(format!(
                "the log has no program of run {run}: it was taken in from another log without programs (log export --programs)"
            )));
        }
        let mut blob = self
            .connection
            .blob_open("main", "programs", "program", run, true)
            .map_err(self.failed())?;
        let mut file = tempfile::tempfile().map_err(|e| Refusal::output("a temporary file", &e))?;
        io::copy(&mut blob, &mut file)
            .and_then(|_| file.seek(SeekFrom::Start(0)))
            .map_err(|error| Refusal::output("a temporary file", &error))?;
        Ok(file)
    }

    /// Puts the program of a run in, piece by piece.
    fn store_program(&self, run: i64, program: &mut impl Read) -> Result<(), Refusal> {
        let mut blob = self
            .connection
            .blob_open("main", "programs", "program", run, false)
            .map_err(self.failed())?;
        io::copy(program, &mut blob)
            .and_then(|_| blob.flush())
            .map_err(|error| self.refusal(&error.to_string()))
    }
}
