//! Why a call did not do what was asked.

use crate::hint;
use std::collections::BTreeMap;
use std::error::Error;
use std::io;
use tinkite_core::problem::{Code, Problem, Problems};
use tinkite_link::LinkError;
use tinkite_log::LogError;

/// Texts of the files that problems may point into, by name.
pub type Sources = BTreeMap<String, String>;

/// Why a call did not do what was asked.
#[derive(Debug)]
pub enum Refusal {
    /// The job, artwork or program is refused.
    Problems(Problems, Sources),
    /// Problems were already shown as part of a report.
    Reported,
    /// The call is wrong.
    Usage(String),
    /// The machine, or an earlier run, is not as this one needs it; nothing was sent of it.
    Unfit(String),
    /// A file could not be written.
    Output {
        /// What people call it.
        name: String,
        /// What the system said.
        source: io::Error,
    },
    /// The system does not give what the call needs.
    System {
        /// What it does not give, in words.
        what: &'static str,
        /// What the system said.
        source: io::Error,
    },
    /// What is made of a file, or read from it, cannot be.
    Failed {
        /// What people call the file.
        name: String,
        /// Why.
        source: Box<dyn Error + Send + Sync>,
    },
    /// The log has something not, or takes something not.
    Log(LogError),
    /// The controller or the link failed; already told what and where.
    Link(String),
    /// The operator stopped it.
    Stopped(String),
    /// Whoever read our output has gone away.
    ReaderGone,
}

impl Refusal {
    /// A file that could not be read.
    pub fn unreadable(name: &str, error: &io::Error) -> Self {
        let help = match error.kind() {
            io::ErrorKind::NotFound => "check the name and the folder",
            io::ErrorKind::PermissionDenied => "you may not read it",
            io::ErrorKind::IsADirectory => "name a file in it",
            _ => "check the disk",
        };
        let problem = Problem::error(
            Code::Unreadable,
            format!("{name} cannot be read: {}", plain(error)),
            help,
        );
        Self::Problems(problem.into(), Sources::new())
    }

    /// Why, in one line, for who tells it beside something else.
    pub fn why(&self) -> String {
        match self {
            Self::Usage(why) | Self::Unfit(why) | Self::Link(why) | Self::Stopped(why) => {
                why.clone()
            }
            Self::Output { name, source } => format!("{name} cannot be written: {}", plain(source)),
            Self::Failed { name, source } => format!("{name}: {source}"),
            Self::System { what, source } => format!("{what}: {source}"),
            Self::Log(error) => format!("{error}{}", hint::log(error)),
            Self::Problems(problems, _) => problems
                .iter()
                .map(|problem| problem.message.clone())
                .collect::<Vec<_>>()
                .join("; "),
            Self::Reported => "what was told before".into(),
            Self::ReaderGone => "nobody reads on".into(),
        }
    }

    /// The same, where it is told in words and not by problems.
    pub fn words(&self) -> Option<String> {
        let told = matches!(self, Self::Problems(..) | Self::Reported | Self::ReaderGone);
        (!told).then(|| self.why())
    }

    /// A file that could not be written.
    pub fn output(name: impl Into<String>, source: io::Error) -> Self {
        Self::Output { name: name.into(), source }
    }

    /// Something that cannot be made of a file, or be read from it.
    pub fn failed(
        name: impl Into<String>,
        source: impl Into<Box<dyn Error + Send + Sync>>,
    ) -> Self {
        Self::Failed { name: name.into(), source: source.into() }
    }
}

impl From<LinkError> for Refusal {
    fn from(error: LinkError) -> Self {
        let words = format!("{error}{}", hint::link(&error));
        if error.is_of_the_call() { Self::Usage(words) } else { Self::Link(words) }
    }
}

impl From<serde_json::Error> for Refusal {
    fn from(error: serde_json::Error) -> Self {
        Self::System { what: "this cannot be told as JSON", source: error.into() }
    }
}

impl From<LogError> for Refusal {
    fn from(error: LogError) -> Self {
        Self::Log(error)
    }
}

/// The system's words without its error number.
fn plain(error: &io::Error) -> String {
    let text = error.to_string();
    text.split(" (os error").next().unwrap_or_default().to_lowercase()
}
