//! How each dialect writes what all of them mean.

use tinkite_machine::{Dialect, Machine, Switch};

/// What differs from dialect to dialect in a program's text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Style {
    /// What stands before and after a comment.
    pub(super) comment: (&'static str, &'static str),
    /// The longest line, without its end.
    pub(super) longest: usize,
    /// Whether a line holds one code only, and every move names its own.
    pub(super) one_code: bool,
    /// Whether G4 P counts milliseconds.
    pub(super) milliseconds: bool,
    /// Whether `%` marks both ends.
    pub(super) percent: bool,
    /// Whether M2 ends the program.
    pub(super) ends: bool,
    /// Whether travel is a G0 even where it has a speed of its own.
    pub(super) travel_named: bool,
    /// How the beam is switched.
    pub(super) switch: Switch,
}

impl Style {
    pub(super) fn of(machine: &Machine) -> Self {
        let switch = machine.beam.switch;
        let reprap = machine.dialect == Dialect::Reprap;
        let ngc = machine.dialect == Dialect::Ngc;
        Self {
            comment: if ngc { ("(", ")") } else { ("; ", "") },
            // A board of the grbl interface takes 80 bytes with the line end.
            longest: if machine.dialect == Dialect::Grbl { 78 } else { 120 },
            one_code: reprap,
            milliseconds: reprap,
            percent: ngc,
            ends: !reprap,
            travel_named: reprap,
            switch,
        }
    }

    /// The line that switches the beam off for good.
    pub(super) fn off(self) -> &'static str {
        match (self.switch, self.one_code) {
            (Switch::Lines, _) => "M107",
            (Switch::Inline, true) => "M5",
            (Switch::Inline, false) => "M5 S0",
        }
    }
}
