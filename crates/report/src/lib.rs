//! What came out, told: in words and tables, as JSON that other programs may rely on, as pictures, playback and the job
//! sheet.
//!
//! Nothing here decides anything, reads a file, or knows a terminal: values become text, pixels and pages.

mod begun;
pub mod burnt;
pub mod gif;
pub mod look;
pub mod measure;
pub mod pages;
pub mod plan;
pub mod png;
pub mod read;
pub mod run;
pub mod shapes;
pub mod sheet;
pub mod table;

pub use begun::{Begun, BegunJson};
use serde::Serialize;
use tinkite_core::geometry::Rect;
use tinkite_core::problem::{Code, Problem, Problems, Severity};
use tinkite_files::hint;

/// A problem, as other programs may rely on it.
#[derive(Debug, Serialize)]
pub struct ProblemJson {
    code: Code,
    severity: Severity,
    message: String,
    help: String,
    /// The file that it is about.
    file: Option<String>,
    /// Line in that file, from 1.
    line: Option<u32>,
    /// What stands there: an element's id, a step's name.
    name: Option<String>,
    /// Everything that it is about; the message names only the first few.
    #[serde(skip_serializing_if = "<[_]>::is_empty")]
    names: Vec<String>,
}

impl From<&Problem> for ProblemJson {
    fn from(problem: &Problem) -> Self {
        let place = problem.place.as_ref();
        Self {
            code: problem.code,
            severity: problem.severity,
            message: problem.message.clone(),
            help: hint::help(problem),
            file: place.map(|place| place.file.clone()),
            line: place.and_then(|place| place.line),
            name: place.and_then(|place| place.thing.clone()),
            names: problem.names.clone(),
        }
    }
}

/// All problems of a list.
pub fn problems_json(problems: &Problems) -> Vec<ProblemJson> {
    problems.iter().map(ProblemJson::from).collect()
}

/// What is wrong or doubtful with a job.
#[derive(Debug, Serialize)]
pub struct CheckJson {
    /// Errors, warnings and notes.
    pub problems: Vec<ProblemJson>,
}

/// What a refused call says of itself.
#[derive(Debug, Serialize)]
pub struct RefusedJson {
    /// Why, where it is not told by problems.
    pub refused: Option<String>,
    /// Why, as far as problems tell it.
    pub problems: Vec<ProblemJson>,
}

/// A file that was written.
#[derive(Debug, Serialize)]
pub struct WrittenJson {
    /// Where it lies.
    pub file: String,
    /// How many bytes it has.
    pub bytes: u64,
    /// What is doubtful with it.
    pub problems: Vec<ProblemJson>,
}

/// A rectangle, rounded to micrometres.
#[derive(Debug, Serialize)]
pub struct ExtentsJson {
    min: [f64; 2],
    max: [f64; 2],
}

impl From<Rect> for ExtentsJson {
    fn from(r: Rect) -> Self {
        Self { min: [micron(r.x0), micron(r.y0)], max: [micron(r.x1), micron(r.y1)] }
    }
}

/// Rounded to a thousandth, and never -0.
pub fn micron(value: f64) -> f64 {
    let rounded = (value * 1000.0).round() / 1000.0;
    if rounded == 0.0 { 0.0 } else { rounded }
}
