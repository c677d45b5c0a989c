//! Reports: what a command found out, for people and as JSON.

pub(crate) mod look;
pub(crate) mod measure;
pub(crate) mod plan;
pub(crate) mod read;
pub(crate) mod table;

use serde::Serialize;
use tinkite_core::geometry::Rect;
use tinkite_core::problem::{Problem, Problems, Severity};

/// A problem, as other programs may rely on it.
#[derive(Debug, Serialize)]
pub(crate) struct ProblemJson {
    code: &'static str,
    severity: Severity,
    message: String,
    help: String,
    r#where: Option<String>,
}

impl From<&Problem> for ProblemJson {
    fn from(problem: &Problem) -> Self {
        Self {
            code: problem.code,
            severity: problem.severity,
            message: problem.message.clone(),
            help: problem.help.clone(),
            r#where: problem.place.as_ref().map(ToString::to_string),
        }
    }
}

/// All problems of a list.
pub(crate) fn problems_json(problems: &Problems) -> Vec<ProblemJson> {
    problems.iter().map(ProblemJson::from).collect()
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
