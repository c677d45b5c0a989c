//! A try of a series: the job of an earlier run with a value changed, on the same spot.

use super::program;
use crate::args::Run;
use crate::console::Console;
use crate::door::Doubts;
use tinkite_core::job::{Zero, set};
use tinkite_files::call::JobCall;
use tinkite_files::refusal::Refusal;
use tinkite_log::MadePart;
use tinkite_log::{Log, MadeFrom, RunEntry};
use tinkite_operate::run::beginning::{Beginning, SameSpot};
use tinkite_operate::run::program::ProgramFile;
use tinkite_operate::run::unchanged::unchanged;

/// The program of the next try, which burns where the earlier run burnt: its job must still give the program
/// that was run then, and only settings of steps may change.
pub(super) fn next(
    args: &Run,
    log: &Log,
    entry: &RunEntry,
    doubts: &mut Doubts,
    console: &Console,
) -> Result<(ProgramFile, Beginning), Refusal> {
    let run = entry.id;
    let Some(made) = &entry.began.made else {
        return Err(Refusal::Usage(format!(
            "run {run} was not made from a job that the log knows: --again {run} alone runs its program as it was"
        )));
    };
    if let Some(other) = args.part.set.iter().find(|set| !is_of_a_step(set)) {
        return Err(Refusal::Usage(format!(
            "--set {other} may change the spot: on the spot of run {run} only settings of steps change (steps.NAME.KEY); run the job itself with it"
        )));
    }
    let MadeFrom { job, machine, part, .. } = made;
    let of = |part: MadePart| JobCall { job: job.clone(), machine: machine.clone(), part };
    let then = program::make(&of(part.clone()), None, false, console)?;
    let why = format!(
        "{} would not burn where it burnt then; --again {run} alone runs the program as it was, and the job as it is now is run by its name",
        job.display()
    );
    unchanged(log, entry, &then, &why)?;
    let now = &args.part;
    let chosen = |said: &[String], then: &[String]| {
        if said.is_empty() { then.to_vec() } else { said.to_vec() }
    };
    let part = MadePart {
        only: chosen(&now.only, &part.only),
        skip: chosen(&now.skip, &part.skip),
        sheet: part.sheet,
        set: set::over(&part.set, &now.set),
    };
    let program = program::make(&of(part), Some(doubts), false, console)?;
    let spot = SameSpot {
        run,
        then: entry.began.standing,
        from_head: program.about.zero == Some(Zero::Head),
        in_place: args.in_place,
    };
    Ok((program, Beginning::SameSpot(Box::new(spot))))
}

/// Whether an option sets a key of a step that does not say what it takes.
fn is_of_a_step(option: &str) -> bool {
    let path = set::path_of(option).unwrap_or_default();
    let [list, _, key, ..] = &path[..] else { return false };
    (list == "steps" || list == "step") && key != "take"
}
