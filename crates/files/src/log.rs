//! The log of this user: where it lies. What it holds is the crate of its own.

use crate::config;
use crate::refusal::Refusal;
use etcetera::BaseStrategy;
use std::path::{Path, PathBuf};

/// Where the log is: as the call says, or `TINKITE_LOG`, or `config.toml`, or the user's data folder.
pub fn path(said: Option<&Path>) -> Result<PathBuf, Refusal> {
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
