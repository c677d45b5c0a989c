//! Which words a controller of the `grbl` interface has. It answers any other with an error, and a
//! program that meets one half way is a ruined sheet, so they are looked for before the first byte
//! goes out.
//!
//! Source: the public `grbl` v1.1 interface (supported codes, modal groups, error codes 4, 20, 21,
//! 25 and 28).

use std::collections::BTreeSet;
use tinkite_base::quantity::plain;
use tinkite_base::rs274::{Word, words};
use tinkite_machine::Machine;

/// Modal groups: of each at most one code may stand on a line. Codes are in tenths.
const GROUPS: [(&[i64], u8); 12] = [
    (&[0, 10, 20, 30, 382, 383, 384, 385, 800], b'G'),
    (&[40, 100, 280, 281, 300, 301, 530, 920, 921], b'G'),
    (&[170, 180, 190], b'G'),
    (&[900, 910], b'G'),
    (&[911], b'G'),
    (&[930, 940], b'G'),
    (&[200, 210], b'G'),
    (&[400, 431, 490, 610], b'G'),
    (&[540, 550, 560, 570, 580, 590], b'G'),
    (&[0, 10, 20, 300], b'M'),
    (&[30, 40, 50], b'M'),
    (&[70, 80, 90], b'M'),
];

/// Letters besides G and M.
const LETTERS: &[u8] = b"FIJKLNPRSTXYZ";

/// A code in tenths: `G38.2` is 382.
fn tenths(word: &Word) -> i64 {
    (word.value * 10.0).round() as i64
}

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
        let text = &machine.text;
        let frequency = text.frequency_line(1000.0);
        let air = machine.air.iter().flat_map(|air| [&air.on, &air.off]);
        let mut own = BTreeSet::new();
        let mut line = Vec::new();
        for said in text.opening.iter().chain(&text.closing).chain(&frequency).chain(air) {
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
        let mut seen: BTreeSet<(u8, usize)> = BTreeSet::new();
        for word in line {
            let shown = || format!("{}{}", word.letter as char, plain(word.value, 3));
            let known = match word.letter {
                letter @ (b'G' | b'M') => {
                    let code = tenths(word);
                    let group = GROUPS
                        .iter()
                        .position(|(codes, of)| *of == letter && codes.contains(&code));
                    if group.is_some_and(|group| !seen.insert((letter, group))) {
                        return Some(format!(
                            "{} stands on one line with another code of its kind",
                            shown()
                        ));
                    }
                    group.is_some() || self.own.contains(&(letter, code))
                }
                letter => {
                    if !seen.insert((letter, 0)) {
                        return Some(format!("{} stands on one line twice", letter as char));
                    }
                    if matches!(letter, b'F' | b'S' | b'N' | b'T') && word.value < 0.0 {
                        return Some(format!("{} is below zero", shown()));
                    }
                    LETTERS.contains(&letter) || self.turning == Some(letter)
                }
            };
            if !known {
                return Some(format!("the controller has no {}", shown()));
            }
        }
        let dwells = line.iter().any(|word| word.letter == b'G' && tenths(word) == 40);
        let waits = line.iter().any(|word| word.letter == b'P');
        (dwells && !waits).then(|| "G4 says no time (P)".to_string())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn lacks(line: &str) -> Option<String> {
        let vocabulary = Vocabulary { own: BTreeSet::from([(b'M', 620)]), turning: Some(b'A') };
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
            ("G1 X1 E2", "no E2"),
            ("G1 B5", "no B5"),
            ("G1 X1 X2", "X stands on one line twice"),
            ("G0 G1 X1", "another code of its kind"),
            ("M3 M5", "another code of its kind"),
            ("F-5", "below zero"),
            ("G4 S1", "no time"),
        ] {
            let why = lacks(refused);
            assert!(why.as_ref().is_some_and(|why| why.contains(word)), "{refused}: {why:?}");
        }
    }
}
