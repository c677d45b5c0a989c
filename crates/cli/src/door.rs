//! The door: how refusals and problems are shown, and with which exit status.

use crate::console::Console;
use crate::problem::shown;
use tinkite_core::problem::{Code, Problem, Problems};
use tinkite_core::quantity::plain;
use tinkite_files::output::Written;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_report::{ProblemJson, RefusedJson, WrittenJson, problems_json};

/// Shows why a call was refused and says the exit status.
pub(crate) fn close(refusal: &Refusal, console: &Console) -> u8 {
    let status = match refusal {
        Refusal::Problems(problems, _) => {
            tell(refusal, console);
            tell_refusal(None, problems_json(problems), console);
            return 1;
        }
        Refusal::Reported => return 1,
        Refusal::Unfit(_) => 1,
        Refusal::ReaderGone => return 0,
        Refusal::Usage(_)
        | Refusal::Output { .. }
        | Refusal::Failed { .. }
        | Refusal::System { .. }
        | Refusal::Log(_) => 2,
        Refusal::Link(_) => 3,
        Refusal::Stopped(_) => 4,
    };
    tell(refusal, console);
    let message = refusal.why();
    if status <= 2 {
        tell_refusal(Some(message), Vec::new(), console);
    }
    status
}

/// Says why something was refused, without ending anything.
pub(crate) fn tell(refusal: &Refusal, console: &Console) {
    match refusal {
        Refusal::Problems(problems, sources) => show(problems, sources, console),
        _ => console.complain(&format!("tinkite: {}", refusal.why())),
    }
}

/// Reports a refusal as JSON where reports are.
fn tell_refusal(message: Option<String>, problems: Vec<ProblemJson>, console: &Console) {
    if console.json && !console.events {
        // A reader that has gone away needs no report.
        let _ = console.event(&RefusedJson { refused: message, problems });
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

/// What is doubtful, told once in a call that meets it several times.
#[derive(Default)]
pub(crate) struct Doubts(Problems);

impl Doubts {
    /// Shows what was not told before.
    pub(crate) fn show(&mut self, problems: &Problems, sources: &Sources, console: &Console) {
        let stands_for = |told: &Problem, problem: &Problem| {
            // With which numbers each piece begins is said before it.
            told == problem || problem.code == Code::Numbers && told.code == Code::Numbers
        };
        let is_new = |problem: &&Problem| !self.0.iter().any(|told| stands_for(told, problem));
        let new: Vec<Problem> = problems.iter().filter(is_new).cloned().collect();
        let mut shown = Problems::new();
        for problem in new {
            shown.push(problem.clone());
            self.0.push(problem);
        }
        show(&shown, sources, console);
    }
}

/// Shows problems on standard error, each with its place and cure.
pub(crate) fn show(problems: &Problems, sources: &Sources, console: &Console) {
    for (n, problem) in problems.iter().enumerate() {
        let source = problem.place.as_ref().and_then(|place| sources.get(&place.file));
        let text = shown(problem, source.map(String::as_str), console.colours_err());
        console.complain(&if n == 0 { format!("\n{text}") } else { text });
        if console.verbose {
            all_names(problem, console);
        }
    }
}
