//! What of a program is burnt, what may be, and what is left.

use crate::args::Run;
use crate::console::Console;
use tinkite_core::program::Place;
use tinkite_files::refusal::Refusal;
use tinkite_operate::run::beginning::Beginning;
use tinkite_operate::run::ended::Ended;
use tinkite_operate::run::program::ProgramFile;
use tinkite_operate::run::remains::remains;
use tinkite_report::png;
use tinkite_run::{Walk, Whereabouts};

/// After a run on a machine: what is burnt and what is left. Of a rest that was not begun: what was
/// known of the run before.
pub(super) fn picture(
    program: &ProgramFile,
    beginning: &Beginning,
    ended: &Ended,
    args: &Run,
    console: &Console,
) -> Result<(), Refusal> {
    let Some(path) = &args.picture else { return Ok(()) };
    let dialect = program.about.machine.dialect;
    let (walk, (from, to)) = match (ended.standing, beginning) {
        (Some(standing), _) => {
            let places = match ended.halt.whereabouts {
                Whereabouts::End => (Place::before(u32::MAX), Place::before(u32::MAX)),
                Whereabouts::Here(place) => (place, place),
                Whereabouts::Between(from, to) => (from, to),
                Whereabouts::Asking | Whereabouts::Lost => {
                    (ended.halt.seen, Place::before(ended.sent + 1))
                }
            };
            (Walk { dialect, began: standing.into() }, places)
        }
        (None, Beginning::Rest(rest)) => (rest.broken.walk(dialect), rest.broken.uncertain()),
        (None, _) => return Ok(()),
    };
    let written = png::write(path, args.writing.into(), || remains(program, &walk, from, to))?;
    console.say(&written.words());
    Ok(())
}
