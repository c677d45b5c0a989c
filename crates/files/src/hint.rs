//! The commands and options that cure problems. The computation does not know that there is a command line.

use tinkite_core::job::recipe::EditError;
use tinkite_core::problem::{Code, Problem, Remedy, Severity};
use tinkite_link::LinkError;
use tinkite_log::{ImportError, LogError};

/// What to do about a problem, with the command or option that does it.
pub fn help(problem: &Problem) -> String {
    let words = [&*problem.help, words(problem).unwrap_or_default()];
    let said: Vec<&str> = words.into_iter().filter(|words| !words.is_empty()).collect();
    said.join(": ")
}

fn words(problem: &Problem) -> Option<&'static str> {
    Some(match (problem.remedy, problem.code, problem.severity) {
        (Some(remedy), ..) => option_of(remedy),
        // A warning only where nobody said where the program's zero lies.
        (None, Code::OffBed, Severity::Warning) => "--zero \"100 mm, 50 mm\"",
        (None, Code::NoDiameter, _) => "--diameter \"70 mm\"",
        _ => return None,
    })
}

fn option_of(remedy: Remedy) -> &'static str {
    match remedy {
        Remedy::Look => "tinkite look shows what there is",
        Remedy::SizeOrPlace => "--width, --height, --at",
        Remedy::LargerBed(_) => "",
        Remedy::OtherSheet => "--sheet NUMBER for one call, run --sheet all for all",
        Remedy::AskForStep => "--only NAME",
        Remedy::TestSheet => "tinkite swatch make, tinkite swatch keep",
        Remedy::KeepRecipe => "tinkite swatch make, tinkite recipe keep",
        Remedy::CopyRecipe => "tinkite recipe copy, with --to-thickness, --to-machine",
        Remedy::SayMaterial => "--material TEXT",
        Remedy::DropRecipe => "tinkite recipe drop",
        Remedy::SayMeasured => "tinkite swatch keep --measured",
        Remedy::MeasurePower => "tinkite machine measure --power",
    }
}

/// What the story of a code leaves to the command line.
pub fn story(code: Code) -> &'static str {
    match code {
        Code::ConstantPower => " For one run: --accept constant-power.",
        _ => "",
    }
}

/// What helps where a book cannot be changed.
pub fn edit(error: &EditError) -> &'static str {
    match error {
        EditError::There(_) => ": --replace, --name NAME",
        _ => "",
    }
}

/// What helps where the log has something not.
pub fn log(error: &LogError) -> &'static str {
    match error {
        LogError::NoRun { .. } => "; log list tells them",
        LogError::NoProgram { .. } => " (log export --programs)",
        LogError::WhichStep { .. } => ": --step says it",
        LogError::Empty { .. } | LogError::Import { why: ImportError::NoHead, .. } => {
            ": tinkite log export writes what is wanted"
        }
        _ => "",
    }
}

/// What helps where there is no link.
pub fn link(error: &LinkError) -> &'static str {
    match error {
        LinkError::NoLink => "; say --to rig:, tcp:HOST:PORT or serial:PORT@BAUD",
        _ => "",
    }
}
