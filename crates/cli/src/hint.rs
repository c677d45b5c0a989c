//! The options that cure problems. The core does not know that there is a command line.

use tinkite_core::problem::{Code, Problem, Severity};

/// What to do about a problem, with the option that does it.
pub(crate) fn help(problem: &Problem) -> String {
    match option(problem) {
        Some(option) => format!("{}: {option}", problem.help),
        None => problem.help.clone(),
    }
}

fn option(problem: &Problem) -> Option<&'static str> {
    match (problem.code, problem.severity) {
        // A warning only where nobody said where the program's zero lies.
        (Code::OffBed, Severity::Warning) => Some("--zero \"100 mm, 50 mm\""),
        (Code::NoDiameter, _) => Some("--diameter \"70 mm\""),
        _ => None,
    }
}
