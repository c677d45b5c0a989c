//! Problems: what is wrong or doubtful, as data. They are gathered on the way and shown at the door.

mod code;

pub use code::Code;

use crate::geometry::Point;
use serde::Serialize;
use std::fmt;
use std::ops::Range;

/// How bad a problem is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing; nothing needs doing.
    Note,
    /// Doubtful: the job runs, but a person should look.
    Warning,
    /// The job, artwork or program is refused.
    Error,
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Note => "note",
            Self::Warning => "warning",
            Self::Error => "error",
        })
    }
}

/// Where in a text a problem stands.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Location {
    /// The file's name as the person gave it.
    pub file: String,
    /// Line, counted from 1; `None` when the problem is about the whole file.
    pub line: Option<u32>,
    /// Byte range in the file's text, for drawing the excerpt.
    pub span: Option<Range<usize>>,
    /// Which thing there: an element's id, a key's path.
    pub thing: Option<String>,
}

impl Location {
    /// The whole of a file.
    #[must_use]
    pub fn file(name: &str) -> Self {
        Self { file: name.into(), ..Self::default() }
    }

    /// A line of a file, counted from 1.
    #[must_use]
    pub fn line(name: &str, line: u32) -> Self {
        Self { file: name.into(), line: Some(line), ..Self::default() }
    }

    /// A byte range of a text; the line is counted out of it.
    #[must_use]
    pub fn span(name: &str, text: &str, span: Range<usize>) -> Self {
        Self {
            file: name.into(),
            line: Some(line_of(text, span.start)),
            span: Some(span),
            thing: None,
        }
    }

    /// The same place, naming the thing that stands there.
    #[must_use]
    pub fn thing(mut self, thing: impl Into<String>) -> Self {
        self.thing = Some(thing.into());
        self
    }
}

impl fmt::Display for Location {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.file)?;
        if let Some(line) = self.line {
            write!(f, ":{line}")?;
        }
        if let Some(thing) = &self.thing {
            write!(f, " ({thing})")?;
        }
        Ok(())
    }
}

/// The line, counted from 1, in which byte `at` of `text` stands.
#[must_use]
pub fn line_of(text: &str, at: usize) -> u32 {
    let head = &text.as_bytes()[..at.min(text.len())];
    1 + head.iter().filter(|b| **b == b'\n').count() as u32
}

/// One problem: a stable code, how bad it is, where, what is wrong and what to do about it.
#[derive(Debug, Clone, PartialEq)]
pub struct Problem {
    /// What kind of problem.
    pub code: Code,
    /// How bad it is.
    pub severity: Severity,
    /// What is wrong, in the reader's words.
    pub message: String,
    /// What to do.
    pub help: String,
    /// Where it stands, when it stands somewhere.
    pub place: Option<Box<Location>>,
    /// Where on the drawing or the bed it can be seen, mm.
    pub spots: Vec<Point>,
    /// Everything that it is about; the message names only the first few.
    pub names: Vec<String>,
    /// What else helps, where whoever shows the problem has a way to do it.
    pub remedy: Option<Remedy>,
}

impl Problem {
    /// A problem that refuses the job.
    #[must_use]
    pub fn error(code: Code, message: impl Into<String>, help: impl Into<String>) -> Self {
        Self {
            code,
            severity: Severity::Error,
            message: message.into(),
            help: help.into(),
            place: None,
            spots: Vec::new(),
            names: Vec::new(),
            remedy: None,
        }
    }

    /// A doubtful thing.
    #[must_use]
    pub fn warning(code: Code, message: impl Into<String>, help: impl Into<String>) -> Self {
        Self { severity: Severity::Warning, ..Self::error(code, message, help) }
    }

    /// A thing worth knowing.
    #[must_use]
    pub fn note(code: Code, message: impl Into<String>, help: impl Into<String>) -> Self {
        Self { severity: Severity::Note, ..Self::error(code, message, help) }
    }

    /// The same problem, with its place.
    #[must_use]
    pub fn at(mut self, place: Location) -> Self {
        self.place = Some(Box::new(place));
        self
    }

    /// The same problem, with where it can be seen, mm.
    #[must_use]
    pub fn seen_at(mut self, spots: Vec<Point>) -> Self {
        self.spots = spots;
        self
    }

    /// The same problem, with what else helps.
    #[must_use]
    pub fn with_remedy(mut self, remedy: Remedy) -> Self {
        self.remedy = Some(remedy);
        self
    }

    /// The same problem, with everything that it is about.
    #[must_use]
    pub fn naming(mut self, names: Vec<String>) -> Self {
        self.names = names;
        self
    }
}

/// What helps beside the words of a problem. Whoever shows it knows by which command or option that is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Remedy {
    /// Looking at what there is in the drawing.
    Look,
    /// Another size or place for a job that is begun.
    SizeOrPlace,
    /// A machine with a bed for so much.
    LargerBed(BedSize),
    /// Making another of the sheets.
    OtherSheet,
    /// Asking for a step by its name.
    AskForStep,
    /// Burning a test sheet, and keeping what worked.
    TestSheet,
    /// Keeping a recipe that worked.
    KeepRecipe,
    /// Copying a recipe to change it.
    CopyRecipe,
    /// Saying what the stock is of.
    SayMaterial,
    /// Dropping a recipe from its book.
    DropRecipe,
    /// Saying what was measured of a test sheet.
    SayMeasured,
    /// Measuring the power of the source.
    MeasurePower,
}

/// How large a bed must be, in tenths of a millimetre, rounded up; as many as there are where it is larger than any.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BedSize {
    width: u16,
    depth: u16,
}

impl BedSize {
    /// For so many mm to the right, and away from the operator.
    #[must_use]
    pub fn new(width: f64, depth: f64) -> Self {
        let tenths = |mm: f64| (10.0 * mm - 1e-2).ceil().clamp(0.0, f64::from(u16::MAX)) as u16;
        Self { width: tenths(width), depth: tenths(depth) }
    }

    /// Width and depth, mm.
    #[must_use]
    pub fn mm(self) -> (f64, f64) {
        (f64::from(self.width) / 10.0, f64::from(self.depth) / 10.0)
    }
}

/// Problems in the order in which they were found.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Problems(Vec<Problem>);

impl Problems {
    /// No problems yet.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Adds one.
    pub fn push(&mut self, problem: Problem) {
        self.0.push(problem);
    }

    /// Adds all of another list.
    pub fn extend(&mut self, other: Self) {
        self.0.extend(other.0);
    }

    /// Of each of these kinds, what is told of more than two things (steps) is told of the first, and of which
    /// others it goes as well. What refuses the job is told of each.
    pub fn tell_once(&mut self, codes: &[Code]) {
        const EACH: usize = 2;
        for code in codes {
            let alike = |p: &Problem| p.code == *code && p.severity != Severity::Error;
            let thing = |problem: &Problem| problem.place.as_ref().and_then(|p| p.thing.clone());
            let things: Vec<String> =
                self.0.iter().filter(|p| alike(p)).filter_map(thing).collect();
            if things.len() <= EACH {
                continue;
            }
            let mut first = true;
            self.0.retain_mut(|problem| {
                if !alike(problem) {
                    return true;
                }
                if std::mem::take(&mut first) {
                    let (more, others) =
                        (count(things.len() - 1, "more step"), few(&things[1..], 6));
                    problem.message =
                        format!("{}; so it goes with {more}: {others}", problem.message);
                    problem.names.clone_from(&things);
                    return true;
                }
                false
            });
        }
    }

    /// Keeps only those for which `keep` holds.
    pub fn retain(&mut self, keep: impl FnMut(&Problem) -> bool) {
        self.0.retain(keep);
    }

    /// Whether anything here refuses the job.
    #[must_use]
    pub fn refuse(&self) -> bool {
        self.0.iter().any(|p| p.severity == Severity::Error)
    }

    /// Whether there is nothing at all.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// How many there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// All of them, in order.
    pub fn iter(&self) -> std::slice::Iter<'_, Problem> {
        self.0.iter()
    }

    /// `Ok(value)` unless a problem here refuses the job; then all of them.
    ///
    /// # Errors
    /// The problems themselves, when one of them is an error.
    pub fn unless_refused<T>(&mut self, value: T) -> Result<T, Self> {
        if self.refuse() { Err(std::mem::take(self)) } else { Ok(value) }
    }
}

impl From<Problem> for std::io::Error {
    /// For writers: what could not be made is what could not be written.
    fn from(problem: Problem) -> Self {
        Self::other(problem.message)
    }
}

impl From<Problem> for Problems {
    fn from(problem: Problem) -> Self {
        Self(vec![problem])
    }
}

impl FromIterator<Problem> for Problems {
    fn from_iter<T: IntoIterator<Item = Problem>>(all: T) -> Self {
        Self(all.into_iter().collect())
    }
}

impl<'a> IntoIterator for &'a Problems {
    type Item = &'a Problem;
    type IntoIter = std::slice::Iter<'a, Problem>;
    fn into_iter(self) -> Self::IntoIter {
        self.0.iter()
    }
}

impl IntoIterator for Problems {
    type Item = Problem;
    type IntoIter = std::vec::IntoIter<Problem>;
    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

/// Names a few of many: `"a, b, c and 9 more"`.
#[must_use]
pub fn few(names: &[String], most: usize) -> String {
    let shown = names.iter().take(most).cloned().collect::<Vec<_>>().join(", ");
    match names.len().saturating_sub(most) {
        0 => shown,
        more => format!("{shown} and {more} more"),
    }
}

/// A count with its noun: `1 shape`, `12 shapes`, `3 stretches`.
#[must_use]
pub fn count(n: usize, noun: &str) -> String {
    let hisses = ["ch", "sh", "s", "x"].iter().any(|end| noun.ends_with(end));
    match n {
        1 => format!("1 {noun}"),
        n => format!("{n} {noun}{}", if hisses { "es" } else { "s" }),
    }
}

/// Of `known`, the word most like `word`, when one is like enough to be a misspelling; else the shortest that
/// begins with it.
#[must_use]
pub fn nearest<'a>(word: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    /// Fewer letters begin too many words.
    const BEGINNING: usize = 3;
    let close = |distance: usize, k: &str| distance <= 1 + k.len().max(word.len()) / 3;
    let begins = |k: &str| word.len() >= BEGINNING && k.starts_with(word);
    known
        .into_iter()
        .filter_map(|k| {
            let distance = strsim::damerau_levenshtein(word, k);
            let close = close(distance, k);
            (close || begins(k)).then_some((!close, distance, k))
        })
        .min()
        .map(|(.., k)| k)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_says_file_line_and_thing() {
        let place = Location::span("a.kite.toml", "one\ntwo\nthree", 8..13).thing("steps.outline");
        assert_eq!(place.to_string(), "a.kite.toml:3 (steps.outline)");
    }

    #[test]
    fn the_nearest_word_is_offered_only_when_it_is_near() {
        assert_eq!(nearest("sped", ["speed", "power"]), Some("speed"));
        assert_eq!(nearest("xyzzy", ["speed", "power"]), None);
        let dithers = ["floyd-steinberg", "sierra-two-row", "sierra"];
        assert_eq!(nearest("floyd", dithers), Some("floyd-steinberg"), "the beginning of it");
        assert_eq!(nearest("siera", dithers), Some("sierra"));
        assert_eq!(nearest("fl", dithers), None);
    }

    #[test]
    fn errors_refuse_and_warnings_do_not() {
        let mut problems = Problems::from(Problem::warning(Code::UnitDoubt, "m", "h"));
        assert_eq!(problems.unless_refused(7), Ok(7));
        problems.push(Problem::error(Code::OffBed, "m", "h"));
        assert_eq!(problems.unless_refused(7).unwrap_err().len(), 2);
    }
}
