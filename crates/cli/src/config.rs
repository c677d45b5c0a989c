//! `config.toml` in the user's configuration folder: defaults that a person sets once.

use crate::refusal::{Refusal, Sources};
use clap::ValueEnum;
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
    /// The machine that is meant where a call needs one and names none: a profile's name or path.
    pub(crate) machine: Option<String>,
    /// In what lengths are told.
    pub(crate) units: Option<Units>,
    /// Colours on the terminal.
    pub(crate) colour: Option<When>,
}

/// Where it is looked for; `None` where there is no home folder.
pub(crate) fn path() -> Option<PathBuf> {
    let folder = etcetera::choose_base_strategy().ok()?.config_dir();
    Some(folder.join("tinkite").join("config.toml"))
}

/// Reads it; a file that is not there says nothing.
///
/// # Errors
/// A file that cannot be read, or holds something else.
pub(crate) fn read() -> Result<Config, Refusal> {
    let Some(path) = path().filter(|path| path.exists()) else { return Ok(Config::default()) };
    let text = crate::source::text(&path)?;
    toml::from_str(&text).map_err(|error: toml::de::Error| {
        let shown = path.display().to_string();
        let place = match error.span() {
            Some(span) => Place::span(&shown, &text, span),
            None => Place::file(&shown),
        };
        let help = "it knows the keys machine, units, colour, book and log";
        let problem = Problem::error(Code::WrongType, error.message(), help);
        Refusal::Problems(problem.at(place).into(), Sources::from([(shown, text)]))
    })
}

/// In what lengths are told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum Units {
    /// Millimetres
    Mm,
    /// Inches
    In,
}

/// When the terminal gets colours.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum When {
    /// Where the terminal has them
    Auto,
    /// Also into files and pipes
    Always,
    /// Never
    Never,
}
