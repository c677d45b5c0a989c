//! The door: how refusals and problems are shown, and with which exit status.

use crate::console::Console;
use crate::hint;
use crate::output::Written;
use crate::refusal::{Refusal, Sources};
use crate::report::{ProblemJson, RefusedJson, WrittenJson, problems_json};
use miette::{
    Diagnostic, GraphicalReportHandler, GraphicalTheme, LabeledSpan, NamedSource,
    Severity as Level, SourceCode, ThemeCharacters, ThemeStyles,
};
use std::fmt;
use tinkite_core::problem::{Problem, Problems, Severity};
use tinkite_core::quantity::plain;

/// Shows why a call was refused and says the exit status.
pub(crate) fn close(refusal: &Refusal, console: &Console) -> u8 {
    let (message, status) = match refusal {
        Refusal::Problems(problems, sources) => {
            show(problems, sources, console);
            refused(None, problems_json(problems), console);
            return 1;
        }
        Refusal::Reported => return 1,
        Refusal::ReaderGone => return 0,
        Refusal::Usage(message) => (message, 2),
        Refusal::Link(message) => (message, 3),
        Refusal::Stopped(message) => (message, 4),
    };
    console.complain(&format!("tinkite: {message}"));
    if status == 2 {
        refused(Some(message.clone()), Vec::new(), console);
    }
    status
}

/// Reports a refusal as JSON where reports are.
fn refused(message: Option<String>, problems: Vec<ProblemJson>, console: &Console) {
    // One line: run reports one event a line.
    if console.json
        && let Ok(text) = serde_json::to_string(&RefusedJson { refused: message, problems })
    {
        // A reader that has gone away needs no report.
        let _ = console.result(&text);
    }
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
        let help = hint::help(self.problem);
        (!help.is_empty()).then(|| Box::new(help) as Box<dyn fmt::Display>)
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

/// Reports a file that was written, with what is doubtful about it.
pub(crate) fn wrote(
    written: &Written,
    problems: &Problems,
    sources: &Sources,
    console: &Console,
) -> Result<(), Refusal> {
    if console.json {
        return console.json(&WrittenJson {
            file: written.path.display().to_string(),
            bytes: written.bytes,
            problems: problems_json(problems),
        });
    }
    console.result(&written.words())?;
    show(problems, sources, console);
    Ok(())
}

/// Longest stretch of a file that is worth an excerpt, bytes.
const EXCERPT: usize = 400;

/// Everything that a problem is about, where its message names only the first few.
fn all_names(problem: &Problem, console: &Console) {
    if problem.names.iter().any(|name| !problem.message.contains(name.as_str())) {
        for (n, name) in problem.names.iter().enumerate() {
            console.complain(&match problem.spots.get(n) {
                Some(at) if problem.spots.len() == problem.names.len() => {
                    format!("    {name} at X {} Y {}", plain(at.x, 2), plain(at.y, 2))
                }
                _ => format!("    {name}"),
            });
        }
    }
}

/// Shows problems on standard error, each with its place and cure.
pub(crate) fn show(problems: &Problems, sources: &Sources, console: &Console) {
    // The terminal's own palette: legible on light and dark grounds alike.
    let mut styles = if console.colours_err() { ThemeStyles::ansi() } else { ThemeStyles::none() };
    styles.link = styles.linum;
    let theme = GraphicalTheme { characters: ThemeCharacters::unicode(), styles };
    let handler = GraphicalReportHandler::new_themed(theme).with_width(100).with_links(false);
    for (n, problem) in problems.iter().enumerate() {
        let place = problem.place.as_ref();
        let short = place.and_then(|p| p.span.as_ref()).is_some_and(|s| s.len() <= EXCERPT);
        let source = place
            .filter(|_| short)
            .and_then(|place| sources.get_key_value(&place.file))
            .map(|(name, text)| NamedSource::new(name, text.clone()));
        let mut text = String::new();
        if handler.render_report(&mut text, &Shown { problem, source }).is_ok() {
            // The code stands at the left edge, what it says behind it: more blank lines would only push
            // the first problems off the screen.
            let text = text.replacen("\n\n", "\n", 1);
            console.complain(&if n == 0 { format!("\n{text}") } else { text });
            if console.verbose {
                all_names(problem, console);
            }
        }
    }
}
