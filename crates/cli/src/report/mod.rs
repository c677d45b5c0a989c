//! Reports: what a command found out, for people and as JSON.

pub(crate) mod look;
pub(crate) mod measure;
pub(crate) mod plan;
pub(crate) mod read;
pub(crate) mod run;
pub(crate) mod table;

use crate::hint;
use serde::Serialize;
use tinkite_core::geometry::Rect;
use tinkite_core::problem::{Code, Problem, Problems, Severity};

/// A problem, as other programs may rely on it.
#[derive(Debug, Serialize)]
pub(crate) struct ProblemJson {
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
pub(crate) fn problems_json(problems: &Problems) -> Vec<ProblemJson> {
    problems.iter().map(ProblemJson::from).collect()
}

/// What is wrong or doubtful with a job.
#[derive(Debug, Serialize)]
pub(crate) struct CheckJson {
    pub(crate) problems: Vec<ProblemJson>,
}

/// What a refused call says of itself.
#[derive(Debug, Serialize)]
pub(crate) struct RefusedJson {
    /// Why, where it is not told by problems.
    pub(crate) refused: Option<String>,
    pub(crate) problems: Vec<ProblemJson>,
}

/// A file that was written.
#[derive(Debug, Serialize)]
pub(crate) struct WrittenJson {
    pub(crate) file: String,
    pub(crate) bytes: u64,
    pub(crate) problems: Vec<ProblemJson>,
}

/// A rectangle, rounded to micrometres.
#[derive(Debug, Serialize)]
pub(crate) struct ExtentsJson {
    min: [f64; 2],
    max: [f64; 2],
}

impl From<Rect> for ExtentsJson {
    fn from(r: Rect) -> Self {
        Self { min: [micron(r.x0), micron(r.y0)], max: [micron(r.x1), micron(r.y1)] }
    }
}

/// Rounded to a thousandth, and never -0.
pub(crate) fn micron(value: f64) -> f64 {
    let rounded = (value * 1000.0).round() / 1000.0;
    if rounded == 0.0 { 0.0 } else { rounded }
}
