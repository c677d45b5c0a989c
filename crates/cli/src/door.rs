//! The door: how refusals and problems are shown, and with which exit status.

use crate::console::Console;
use miette::{
    Diagnostic, GraphicalReportHandler, GraphicalTheme, LabeledSpan, NamedSource,
    Severity as Level, SourceCode, ThemeCharacters, ThemeStyles,
};
use std::collections::BTreeMap;
use std::fmt;
use std::io;
use tinkite_core::problem::{Problem, Problems, Severity};

/// Texts of the files that problems may point into, by name.
pub(crate) type Sources = BTreeMap<String, String>;

/// Why a call did not do what was asked.
#[derive(Debug)]
pub(crate) enum Refusal {
    /// The job, artwork or program is refused.
    Problems(Problems, Sources),
    /// Problems were already shown as part of a report.
    Reported,
    /// The call is wrong, or a file could not be read or written.
    Usage(String),
    /// The controller or the link failed; already told what and where.
    Link(String),
    /// The operator stopped it.
    Stopped(String),
    /// Whoever read our output has gone away.
    ReaderGone,
}

impl Refusal {
    /// A file that could not be read.
    pub(crate) fn unreadable(name: &str, error: &io::Error) -> Self {
        let help = match error.kind() {
            io::ErrorKind::NotFound => "check the name and the folder",
            io::ErrorKind::PermissionDenied => "you may not read it",
            io::ErrorKind::IsADirectory => "name a file in it",
            _ => "check the disk",
        };
        let problem =
            Problem::error("unreadable", format!("{name} cannot be read: {}", plain(error)), help);
        Self::Problems(problem.into(), Sources::new())
    }

    /// A file that could not be written.
    pub(crate) fn output(name: &str, error: &io::Error) -> Self {
        Self::Usage(format!("{name} cannot be written: {}", plain(error)))
    }

    /// Shows it and says the exit status.
    pub(crate) fn show(&self, console: &Console) -> u8 {
        match self {
            Self::Problems(problems, sources) => {
                show(problems, sources, console);
                1
            }
            Self::Reported => 1,
            Self::Usage(message) => {
                console.complain(&format!("tinkite: {message}"));
                2
            }
            Self::Link(message) => {
                console.complain(&format!("tinkite: {message}"));
                3
            }
            Self::Stopped(message) => {
                console.complain(&format!("tinkite: {message}"));
                4
            }
            Self::ReaderGone => 0,
        }
    }
}

/// The system's words without its error number.
fn plain(error: &io::Error) -> String {
    let text = error.to_string();
    text.split(" (os error").next().unwrap_or_default().to_lowercase()
}

/// A problem as miette wants it.
struct Shown<'p> {
    problem: &'p Problem,
    source: Option<NamedSource<String>>,
}

impl fmt::Debug for Shown<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(self.problem, f)
    }
}

impl fmt::Display for Shown<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (&self.problem.place, &self.source) {
            // Without an excerpt the place goes in front of the words.
            (Some(place), None) => write!(f, "{place}: {}", self.problem.message),
            _ => f.write_str(&self.problem.message),
        }
    }
}

impl std::error::Error for Shown<'_> {}

impl Diagnostic for Shown<'_> {
    fn code<'a>(&'a self) -> Option<Box<dyn fmt::Display + 'a>> {
        Some(Box::new(self.problem.code))
    }

    fn severity(&self) -> Option<Level> {
        Some(match self.problem.severity {
            Severity::Error => Level::Error,
            Severity::Warning => Level::Warning,
            Severity::Note => Level::Advice,
        })
    }

    fn help<'a>(&'a self) -> Option<Box<dyn fmt::Display + 'a>> {
        Some(Box::new(&self.problem.help))
    }

    fn source_code(&self) -> Option<&dyn SourceCode> {
        self.source.as_ref().map(|source| source as &dyn SourceCode)
    }

    fn labels(&self) -> Option<Box<dyn Iterator<Item = LabeledSpan> + '_>> {
        let span = self.problem.place.as_ref()?.span.clone()?;
        self.source.as_ref()?;
        let label = LabeledSpan::new_with_span(Some("here".into()), (span.start, span.len()));
        Some(Box::new(std::iter::once(label)))
    }
}

/// Longest stretch of a file that is worth an excerpt, bytes.
const EXCERPT: usize = 400;

/// Shows problems on standard error, each with its place and cure.
pub(crate) fn show(problems: &Problems, sources: &Sources, console: &Console) {
    // The terminal's own palette: legible on light and dark grounds alike.
    let styles = if console.colours_err() { ThemeStyles::ansi() } else { ThemeStyles::none() };
    let theme = GraphicalTheme { characters: ThemeCharacters::unicode(), styles };
    let handler = GraphicalReportHandler::new_themed(theme).with_width(100).with_links(false);
    for problem in problems {
        let place = problem.place.as_ref();
        let short = place.and_then(|p| p.span.as_ref()).is_some_and(|s| s.len() <= EXCERPT);
        let source = place
            .filter(|_| short)
            .and_then(|place| sources.get_key_value(&place.file))
            .map(|(name, text)| NamedSource::new(name, text.clone()));
        let mut text = String::new();
        if handler.render_report(&mut text, &Shown { problem, source }).is_ok() {
            console.complain(&text);
        }
    }
}
