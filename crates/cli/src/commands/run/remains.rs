//! What of a program is burnt, what may be, and what is left.

use super::beginning::Beginning;
use super::ended::Ended;
use super::program::ProgramFile;
use crate::args::Run;
use crate::console::Console;
use crate::png;
use crate::refusal::Refusal;
use tinkite_core::picture::{self, Canvas, Left, LeftMark, Words};
use tinkite_core::program::Place;
use tinkite_core::quantity::plain;
use tinkite_run::{Walk, Whereabouts};

/// What is burnt, what may be, and what is left.
pub(super) fn remains(program: &ProgramFile, walk: &Walk, from: Place, to: Place) -> String {
    let mut marks = Vec::new();
    let mut lengths = [0.0; 3];
    // What was read twice is read a third time; a program that cannot be read shows nothing.
    let _ = walk.parts(program.reader(), from, to, |way, shares| {
        for (n, ((a, b), left)) in shares.into_iter().zip(Left::ALL).enumerate() {
            if b > a {
                lengths[n] += way.length() * (b - a);
                marks.extend(LeftMark::of(way, a, b, left));
            }
        }
    });
    let words = Words {
        title: "What is burnt and what is left",
        subtitle: "dark: burnt; red: may be burnt; pale: left",
    };
    let facts = ["burnt", "may be burnt", "left"].into_iter().zip(lengths);
    let facts =
        facts.filter(|(_, mm)| *mm > 0.0).map(|(what, mm)| format!("{} mm {what}", plain(mm, 1)));
    picture::left(&marks, &program.machine, &words, facts.collect(), Canvas::default())
}

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
    let dialect = program.machine.dialect;
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
    let written = png::write(path, args.writing, || remains(program, &walk, from, to))?;
    console.say(&written.words());
    Ok(())
}
