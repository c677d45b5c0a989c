//! `config.toml` in the user's configuration folder: defaults that a person sets once.

use crate::refusal::{Refusal, Sources};
use etcetera::BaseStrategy;
use serde::Deserialize;
use std::path::PathBuf;
use tinkite_core::problem::{Code, Location, Problem};

/// What stands in it.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Config {
    /// Where runs are written down.
    pub log: Option<PathBuf>,
    /// The book that recipes are kept in.
    pub book: Option<PathBuf>,
    /// The machine that is meant where a call needs one and names none: a profile's name or path.
    pub machine: Option<String>,
    /// In what lengths are told.
    pub units: Option<Units>,
    /// Colours on the terminal.
    pub colour: Option<When>,
    /// What a step's colour stands for in pictures.
    #[serde(rename = "colour-by")]
    pub colour_by: Option<ColourBy>,
}

/// Where it is looked for; `None` where there is no home folder.
pub fn path() -> Option<PathBuf> {
    let folder = etcetera::choose_base_strategy().ok()?.config_dir();
    Some(folder.join("tinkite").join("config.toml"))
}

/// Reads it; a file that is not there says nothing.
///
/// # Errors
/// A file that cannot be read, or holds something else.
pub fn read() -> Result<Config, Refusal> {
    let Some(path) = path().filter(|path| path.exists()) else { return Ok(Config::default()) };
    let text = crate::source::text(&path)?;
    toml::from_str(&text).map_err(|error: toml::de::Error| {
        let shown = path.display().to_string();
        let place = match error.span() {
            Some(span) => Location::span(&shown, &text, span),
            None => Location::file(&shown),
        };
        let help = "it knows the keys machine, units, colour, colour-by, book and log";
        let problem = Problem::error(Code::WrongType, error.message(), help);
        Refusal::Problems(problem.at(place).into(), Sources::from([(shown, text)]))
    })
}

/// In what lengths are told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Units {
    /// Millimetres
    Mm,
    /// Inches
    In,
}

impl Units {
    /// Each of them.
    pub const ALL: [Self; 2] = [Self::Mm, Self::In];

    /// In one word.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Mm => "mm",
            Self::In => "in",
        }
    }

    /// The one that a word means.
    #[must_use]
    pub fn named(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|unit| unit.word() == word)
    }
}

/// What a step's colour stands for in pictures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ColourBy {
    /// The step: each has another one
    Steps,
    /// The drawing: the colour of what the step takes
    Drawing,
}

impl ColourBy {
    /// Each of them.
    pub const ALL: [Self; 2] = [Self::Steps, Self::Drawing];

    /// In one word.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Steps => "steps",
            Self::Drawing => "drawing",
        }
    }

    /// The one that a word means.
    #[must_use]
    pub fn named(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|by| by.word() == word)
    }
}

/// When the terminal gets colours.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum When {
    /// Where the terminal has them
    Auto,
    /// Also into files and pipes
    Always,
    /// Never
    Never,
}

impl When {
    /// Each of them.
    pub const ALL: [Self; 3] = [Self::Auto, Self::Always, Self::Never];

    /// In one word.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Auto => "auto",
            Self::Always => "always",
            Self::Never => "never",
        }
    }

    /// The one that a word means.
    #[must_use]
    pub fn named(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|when| when.word() == word)
    }
}
