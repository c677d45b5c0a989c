//! What of a program is burnt, what may be, and what is left.

use super::program::ProgramFile;
use tinkite_core::picture::{self, Canvas, Left, LeftMark, Words};
use tinkite_core::program::Place;
use tinkite_core::quantity::plain;
use tinkite_run::Walk;

/// What is burnt, what may be, and what is left.
pub fn remains(program: &ProgramFile, walk: &Walk, from: Place, to: Place) -> String {
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
    picture::left(&marks, &program.about.machine, &words, facts.collect(), Canvas::default())
}
