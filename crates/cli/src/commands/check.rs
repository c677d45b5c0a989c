//! `tinkite check`.

use crate::args::Check;
use crate::console::Console;
use crate::door;
use tinkite_core::problem::{Code, Problems, Severity, nearest};
use tinkite_files::call::JobCall;
use tinkite_files::hint;
use tinkite_files::load;
use tinkite_files::refusal::Refusal;
use tinkite_log::MadePart;
use tinkite_report::{CheckJson, problems_json};

pub(super) fn run(args: &Check, console: &Console) -> Result<(), Refusal> {
    if let Some(code) = &args.explain {
        return story(code, console);
    }
    let Some(job) = args.job.clone() else { return Ok(()) };
    let part = MadePart { set: args.set.clone(), sheet: args.sheet, ..MadePart::default() };
    let job = JobCall { job, machine: args.machine.clone(), part };
    let (problems, sources) = match load::make(&job) {
        Ok(made) => (load::locate(made.compiled.problems, &made.sources), made.sources),
        Err(Refusal::Problems(problems, sources)) => (problems, sources),
        Err(other) => return Err(other),
    };
    if console.json {
        console.json(&CheckJson { problems: problems_json(&problems) })?;
    } else if problems.is_empty() {
        console.result("nothing is wrong or doubtful")?;
    } else {
        door::show(&problems, &sources, console);
        console.result(&summary(&problems))?;
    }
    if problems.refuse() {
        return Err(Refusal::Reported);
    }
    if !console.json && problems.iter().all(|problem| problem.severity == Severity::Note) {
        console.say(&format!("next: tinkite plan {}", job.job.display()));
    }
    Ok(())
}

fn summary(problems: &Problems) -> String {
    use tinkite_core::problem::count;
    let many =
        |severity, noun| count(problems.iter().filter(|p| p.severity == severity).count(), noun);
    format!(
        "{}, {}, {}",
        many(Severity::Error, "error"),
        many(Severity::Warning, "warning"),
        many(Severity::Note, "note")
    )
}

fn story(code: &str, console: &Console) -> Result<(), Refusal> {
    match Code::of(code) {
        Some(code) => console.result(&format!("{code}: {}{}", code.story(), hint::story(code))),
        None => {
            let codes = || Code::ALL.iter().map(|code| code.text());
            let help = match nearest(code, codes()) {
                Some(near) => format!("did you mean {near}?"),
                None => format!("codes: {}", codes().collect::<Vec<_>>().join(", ")),
            };
            Err(Refusal::Usage(format!("no problem has the code \"{code}\"; {help}")))
        }
    }
}
