//! What makes a line one that controllers refuse, or that each takes otherwise: two words of one kind, words that
//! nothing in the line uses, values below zero.
//!
//! Source: NIST IR 6556, sections 3.3.1 (modal groups), 3.4 (order of execution) and 3.5 (words that each code uses);
//! the public `grbl` v1.1 interface (error codes 4, 21, 25, 28 and 36).

use std::fmt;
use tinkite_base::problem::Code;
use tinkite_base::quantity::plain;
use tinkite_base::rs274::Word;

/// Modal groups: of each at most one code may stand on a line. Codes are in tenths.
const GROUPS: [(&[i64], u8); 14] = [
    (&[0, 10, 20, 30, 382, 383, 384, 385, 800], b'G'),
    (&[40, 100, 280, 281, 300, 301, 530, 920, 921, 922, 923], b'G'),
    (&[170, 180, 190], b'G'),
    (&[900, 910], b'G'),
    (&[901, 911], b'G'),
    (&[930, 940], b'G'),
    (&[200, 210], b'G'),
    (&[400, 410, 420], b'G'),
    (&[430, 431, 490], b'G'),
    (&[610, 611, 640], b'G'),
    (&[540, 550, 560, 570, 580, 590, 591, 592, 593], b'G'),
    (&[0, 10, 20, 300, 600], b'M'),
    (&[30, 40, 50], b'M'),
    (&[70, 80, 90], b'M'),
];

/// A code in tenths: `G38.2` is 382.
pub(crate) fn tenths(word: &Word) -> i64 {
    (word.value * 10.0).round() as i64
}

/// The modal group of a code.
pub(crate) fn group(letter: u8, code: i64) -> Option<usize> {
    GROUPS.iter().position(|(codes, of)| *of == letter && codes.contains(&code))
}

/// What is wrong with a line.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Fault {
    /// This word comes behind another of its modal group.
    SameGroup(Word),
    /// A letter that stands twice.
    Twice(u8),
    /// A value that may not be below zero.
    BelowZero(Word),
    /// A word that nothing uses.
    Unused(Word),
    /// `G4` without `P`.
    NoTime,
}

impl Fault {
    /// Its code.
    pub(crate) fn code(&self) -> Code {
        match self {
            Self::SameGroup(_) | Self::Twice(_) => Code::TwoWords,
            Self::BelowZero(_) => Code::BelowZero,
            Self::Unused(_) => Code::UnusedWord,
            Self::NoTime => Code::NoTime,
        }
    }
}

/// A word as it is written.
pub(crate) fn shown(word: &Word) -> String {
    format!("{}{}", word.letter as char, plain(word.value, 3))
}

impl fmt::Display for Fault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::SameGroup(word) => {
                write!(f, "{} stands on one line with another code of its kind", shown(word))
            }
            Self::Twice(letter) => write!(f, "{} stands on one line twice", *letter as char),
            Self::BelowZero(word) => write!(f, "{} is below zero", shown(word)),
            Self::Unused(word) => write!(f, "nothing on its line uses {}", shown(word)),
            Self::NoTime => f.write_str("G4 says no time (P)"),
        }
    }
}

/// The first fault of a line of these words. `arcs`: an arc is the motion in force before it; `printer`: it is for
/// firmware of 3-D printers, whose M codes take words of their own.
pub(crate) fn fault(line: &[Word], arcs: bool, printer: bool) -> Option<Fault> {
    let mut groups = 0_u32;
    let mut letters = 0_u32;
    for word in line {
        if matches!(word.letter, b'G' | b'M') {
            if let Some(group) = group(word.letter, tenths(word)) {
                if groups & (1 << group) != 0 {
                    return Some(Fault::SameGroup(*word));
                }
                groups |= 1 << group;
            }
            continue;
        }
        let bit = 1 << (word.letter - b'A');
        if letters & bit != 0 {
            return Some(Fault::Twice(word.letter));
        }
        letters |= bit;
        if matches!(word.letter, b'F' | b'S' | b'T') && word.value < 0.0 {
            return Some(Fault::BelowZero(*word));
        }
    }
    let has = |letter: u8, codes: &[i64]| {
        line.iter().any(|word| word.letter == letter && codes.contains(&tenths(word)))
    };
    let dwells = has(b'G', &[40]);
    if dwells && letters & bits(if printer { b"PS" } else { b"P" }) == 0 {
        return Some(Fault::NoTime);
    }
    let unused = letters & !used(line, arcs, printer);
    let word = line
        .iter()
        .find(|w| !matches!(w.letter, b'G' | b'M') && unused & (1 << (w.letter - b'A')) != 0);
    word.map(|word| Fault::Unused(*word))
}

fn bits(letters: &[u8]) -> u32 {
    letters.iter().fold(0, |bits, letter| bits | 1 << (letter - b'A'))
}

/// The letters that may stand on a line of these codes.
fn used(line: &[Word], arcs: bool, printer: bool) -> u32 {
    // What is remembered, and the axes: a motion is always in force.
    let mut used = bits(b"FSTNXYZABC");
    let mut arc = arcs;
    for word in line {
        used |= match (word.letter, tenths(word)) {
            (b'G', 0 | 10 | 382..=385 | 800) => {
                arc = false;
                0
            }
            (b'G', 20 | 30) => {
                arc = true;
                0
            }
            (b'G', 40) => bits(b"P"),
            (b'G', 100) => bits(b"LPR"),
            (b'G', 430 | 431) => bits(b"H"),
            (b'G', 410 | 420) => bits(b"D"),
            (b'G', 640) => bits(b"PQ"),
            // Outputs.
            (b'M', 620..=689) => bits(b"PQEL"),
            // Whatever a code means that is not known, its words are its own; told of it is as it is.
            (b'G' | b'M', code) if group(word.letter, code).is_none() => u32::MAX,
            (b'M', _) if printer => u32::MAX,
            _ => 0,
        };
    }
    if arc { used | bits(b"IJKR") } else { used }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_base::rs274::words;

    fn first(line: &str, arcs: bool, printer: bool) -> Option<String> {
        let mut read = Vec::new();
        words(line.as_bytes(), &mut read).unwrap();
        fault(&read, arcs, printer).map(|fault| format!("{}: {fault}", fault.code()))
    }

    #[test]
    fn lines_that_every_controller_takes_have_no_fault() {
        for line in [
            "G21 G90 G94 G17 G54 G40 G49 G61",
            "G1 X1 Y2 S0 F300",
            "G2 X1 Y2 I3 J4",
            "G3 X5 Y0 R2.5",
            "G4 P0.5",
            "G10 L20 P1 X0 Y0",
            "G53 G0 Z5",
            "G92 X0 Y0",
            "M4 S0",
            "M8 T1",
            "M62 P1",
            "M67 E0 Q40",
            "G64 P0.1 Q0.05",
            "G43 H1",
            "",
        ] {
            assert_eq!(first(line, false, false), None, "{line}");
        }
        assert_eq!(first("X5 Y0 I2 J0", true, false), None, "an arc is in force");
        assert_eq!(first("M106 P1 S255 I2", false, true), None);
        assert_eq!(first("G4 S2", false, true), None);
    }

    #[test]
    fn what_boards_refuse_or_take_otherwise_is_a_fault() {
        for (line, expected) in [
            ("G1 X10 X20", "two-words: X stands on one line twice"),
            ("S300 S700", "two-words: S stands on one line twice"),
            ("M3 M5 S300", "two-words: M5 stands on one line with another code of its kind"),
            ("G20 G21", "two-words: G21 stands on one line with another code of its kind"),
            ("G90 G91", "two-words: G91 stands on one line with another code of its kind"),
            ("G0 G1 X5", "two-words: G1 stands on one line with another code of its kind"),
            ("S-5", "below-zero: S-5 is below zero"),
            ("G1 X1E2", "unused-word: nothing on its line uses E2"),
            ("G1 X1 H1", "unused-word: nothing on its line uses H1"),
            ("G1 X1 D1", "unused-word: nothing on its line uses D1"),
            ("G1 X1 I1", "unused-word: nothing on its line uses I1"),
            ("G1 X1 L1", "unused-word: nothing on its line uses L1"),
            ("G1 X1 P1", "unused-word: nothing on its line uses P1"),
            ("G1 X1 Q1", "unused-word: nothing on its line uses Q1"),
            ("G1 X1 R1", "unused-word: nothing on its line uses R1"),
            ("G2 X1 Y0 I1 J0 P2", "unused-word: nothing on its line uses P2"),
            ("G4", "no-time: G4 says no time (P)"),
            ("G4 S1", "no-time: G4 says no time (P)"),
        ] {
            assert_eq!(first(line, false, false).as_deref(), Some(expected), "{line}");
        }
        assert!(first("G1 X5 I2", true, false).is_some(), "the line ends the arcs");
        assert!(first("G1 X5 E2", false, true).is_some());
    }
}
