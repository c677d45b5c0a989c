//! Which words a controller of the `grbl` interface has. It answers any other with an error, and a
//! program that meets one half way is a ruined sheet, so they are looked for before the first byte
//! goes out.
//!
//! Source: the public `grbl` v1.1 interface (supported codes, error code 20).

use crate::line_rules::{group, shown, tenths};
use std::collections::BTreeSet;
use tinkite_base::rs274::{Word, words};
use tinkite_machine::Machine;

/// Codes of the interface beyond the groups that all controllers have.
const NOT_HERE: &[i64] = &[901, 410, 420, 430, 611, 640, 591, 592, 593, 922, 923];

/// Letters besides G and M.
const LETTERS: &[u8] = b"FIJKLNPRSTXYZ";

/// The words of one controller.
#[derive(Debug, Clone)]
pub struct Vocabulary {
    /// Codes that the machine's profile says in lines of its own: the controller has them.
    own: BTreeSet<(u8, i64)>,
    /// The letter of an axis that turns.
    turning: Option<u8>,
}

impl Vocabulary {
    /// What the controller of a machine has.
    #[must_use]
    pub fn of(machine: &Machine) -> Self {
        let mut own = BTreeSet::new();
        let mut line = Vec::new();
        for said in machine.own_lines() {
            if words(said.as_bytes(), &mut line).is_ok() {
                own.extend(line.iter().map(|word| (word.letter, tenths(word))));
            }
        }
        Self { own, turning: machine.rotary.map(|rotary| rotary.letter) }
    }

    /// Why the controller would not take a line, as [`lacks`](Self::lacks); `None` when it would, or
    /// when the line is none of words.
    #[must_use]
    pub fn lacks_in(&self, line: &[u8]) -> Option<String> {
        let mut read = Vec::new();
        words(line, &mut read).ok().and_then(|()| self.lacks(&read))
    }

    /// Why the controller would not take a line of these words; `None` when it would.
    #[must_use]
    pub fn lacks(&self, line: &[Word]) -> Option<String> {
        let word = line.iter().find(|word| !self.has(word));
        word.map(|word| format!("the controller has no {}", shown(word)))
    }

    fn has(&self, word: &Word) -> bool {
        let (letter, code) = (word.letter, tenths(word));
        if !matches!(letter, b'G' | b'M') {
            let own = self.own.iter().any(|(own, _)| *own == letter);
            return LETTERS.contains(&letter) || self.turning == Some(letter) || own;
        }
        let of_all = letter == b'G' && NOT_HERE.contains(&code) || (letter, code) == (b'M', 600);
        group(letter, code).is_some() && !of_all || self.own.contains(&(letter, code))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn lacks(line: &str) -> Option<String> {
        let vocabulary = Vocabulary {
            own: BTreeSet::from([(b'M', 620), (b'M', 670), (b'E', 0), (b'Q', 10)]),
            turning: Some(b'A'),
        };
        let mut read = Vec::new();
        words(line.as_bytes(), &mut read).unwrap();
        vocabulary.lacks(&read)
    }

    #[test]
    fn what_the_interface_has_is_taken_and_the_rest_named() {
        for taken in [
            "G21 G90 G94 G17 G54",
            "G0 X1 Y2 S0",
            "G2 X1 Y2 I3 J4 F100 S5",
            "M4 S0",
            "M8",
            "M62 P1",
            "G10 L20 P1 X0",
            "G53 G0 Z5",
            "G4 P0.5",
            "G38.2 Z-5 F50",
            "G1 A90 F1",
            "",
        ] {
            assert_eq!(lacks(taken), None, "{taken}");
        }
        for (refused, word) in [
            ("G5 X1", "no G5"),
            ("G64 P0.1", "no G64"),
            ("M6 T1", "no M6"),
            ("M106 S5", "no M106"),
            ("G1 X1 D2", "no D2"),
            ("G1 B5", "no B5"),
        ] {
            let why = lacks(refused);
            assert!(why.as_ref().is_some_and(|why| why.contains(word)), "{refused}: {why:?}");
        }
    }
}
