//! `config.toml` in the user's configuration folder: defaults that a person sets once.

use crate::refusal::{Refusal, Sources};
use etcetera::BaseStrategy;
use serde::Deserialize;
use std::path::PathBuf;
use tinkite_core::problem::{Code, Place, Problem};

/// What stands in it.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Config {
    /// Where runs are written down.
    pub(crate) log: Option<PathBuf>,
    /// The book that recipes are kept in.
    pub(crate) book: Option<PathBuf>,
}

/// Reads it; a file that is not there says nothing.
///
/// # Errors
/// A file that cannot be read, or holds something else.
pub(crate) fn read() -> Result<Config, Refusal> {
    let Ok(strategy) = etcetera::choose_base_strategy() else { return Ok(Config::default()) };
    let path = strategy.config_dir().join("tinkite").join("config.toml");
    if !path.exists() {
        return Ok(Config::default());
    }
    let text = crate::source::text(&path)?;
    toml::from_str(&text).map_err(|error: toml::de::Error| {
        let shown = path.display().to_string();
        let place = match error.span() {
            Some(span) => Place::span(&shown, &text, span),
            None => Place::file(&shown),
        };
        let problem =
            Problem::error(Code::WrongType, error.message(), "it knows the keys log and book");
        Refusal::Problems(problem.at(place).into(), Sources::from([(shown, text)]))
    })
}
