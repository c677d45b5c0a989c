//! What of each line of a program goes out. The same code decides before the run, when a line that
//! cannot go out refuses the whole program, and while it runs.

use thiserror::Error;
use tinkite_base::rs274::Evaluator;
use tinkite_machine::Dialect;
use tinkite_machine::Machine;
use tinkite_reader::Vocabulary;
use tinkite_wire::{Prepared, prepare};

/// The longest line that boards of the `grbl` interface take, bytes with its end.
const GRBL_LONGEST: usize = 80;

/// The longest line that 3-D-printer firmware takes, bytes with number, checksum and end.
const REPRAP_LONGEST: usize = 96;

/// Why a line of a program cannot be sent, and what to do.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum Unsendable {
    /// The controller would act at once on a byte of it.
    #[error(
        "line {line}: it holds the byte {byte:#04x}, on which the controller would act at once; take it out"
    )]
    RealTimeByte {
        /// The line, from 1.
        line: u32,
        /// The byte.
        byte: u8,
    },
    /// The controller has no such word.
    #[error("line {line}: {why}; take it out, or make the program again for this machine")]
    NotInVocabulary {
        /// The line, from 1.
        line: u32,
        /// What it has not.
        why: String,
    },
    /// It does not fit into the controller's line buffer.
    #[error(
        "line {line}: it has {length} bytes as it is sent, and the controller takes {most}; split it, or write fewer decimals"
    )]
    TooLong {
        /// The line, from 1.
        line: u32,
        /// Its bytes, with what the protocol adds.
        length: usize,
        /// The most that the controller takes.
        most: usize,
    },
}

/// Turns the lines of a program, in order, into what is sent.
#[derive(Debug)]
pub struct Outgoing {
    evaluator: Evaluator,
    dialect: Dialect,
    vocabulary: Vocabulary,
    number: u32,
}

impl Outgoing {
    /// For the machine that it is sent to.
    #[must_use]
    pub fn new(machine: &Machine) -> Self {
        Self {
            evaluator: Evaluator::default(),
            dialect: machine.dialect,
            vocabulary: Vocabulary::of(machine),
            number: 0,
        }
    }

    /// The number of the line that was taken last, from 1.
    #[must_use]
    pub fn number(&self) -> u32 {
        self.number
    }

    /// What of the next line goes out; nothing where it holds comments only. Controllers of either
    /// interface do no arithmetic, so expressions go out as their values.
    ///
    /// # Errors
    /// Why the controller would not take the line.
    pub fn line(&mut self, line: &[u8]) -> Result<Option<Vec<u8>>, Unsendable> {
        self.number += 1;
        let number = self.number;
        let plain = self.evaluator.line(line).ok().flatten();
        let text = match prepare(plain.as_deref().unwrap_or(line)) {
            Prepared::Nothing => return Ok(None),
            Prepared::Send(text) => text,
            Prepared::RealTimeByte(byte) => {
                return Err(Unsendable::RealTimeByte { line: number, byte });
            }
        };
        // Settings and commands of a controller begin with a dollar; they are no RS-274/NGC.
        if self.dialect != Dialect::Reprap
            && text.first() != Some(&b'$')
            && let Some(why) = self.vocabulary.lacks_in(&text)
        {
            return Err(Unsendable::NotInVocabulary { line: number, why });
        }
        let (length, most) = match self.dialect {
            // N, the number, a blank, the line, *, at most three digits, the line end.
            Dialect::Reprap => (text.len() + number.to_string().len() + 7, REPRAP_LONGEST),
            Dialect::Grbl | Dialect::Ngc => (text.len() + 1, GRBL_LONGEST),
        };
        if length > most {
            return Err(Unsendable::TooLong { line: number, length, most });
        }
        Ok(Some(text))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn machine(dialect: &str) -> Machine {
        let text = format!(
            "tinkite = 1\nname = \"m\"\n[bed]\nwidth = \"400 mm\"\ndepth = \"300 mm\"\n[axis.x]\ntop-speed = \"200 mm/s\"\nacceleration = \"1000 mm/s2\"\n[axis.y]\ntop-speed = \"200 mm/s\"\nacceleration = \"1000 mm/s2\"\n[beam]\n[travel]\nas = \"feed\"\nspeed = \"100 mm/s\"\n[link]\ndialect = \"{dialect}\"\n"
        );
        tinkite_machine::read("m", &text).unwrap()
    }

    fn sent(dialect: &str, lines: &[&str]) -> Result<Vec<String>, Unsendable> {
        let mut outgoing = Outgoing::new(&machine(dialect));
        let mut sent = Vec::new();
        for line in lines {
            let line = outgoing.line(line.as_bytes())?;
            sent.extend(line.map(|line| String::from_utf8(line).unwrap()));
        }
        Ok(sent)
    }

    #[test]
    fn comments_stay_at_home_and_arithmetic_is_done_before() {
        let lines = ["; a word", "G21 (mm)", "", "#1=20", "G0 X[#1 + 2.5] Y#1"];
        assert_eq!(sent("ngc", &lines).unwrap(), ["G21", "G0X22.5Y20"]);
    }

    #[test]
    fn the_longest_line_is_taken_and_one_byte_more_is_refused_with_its_number() {
        // 80 bytes with the line end.
        let of = |length: usize| format!("G1X{}", "1".repeat(length - 4));
        assert_eq!(sent("grbl", &["M5", &of(80)]).unwrap().len(), 2);
        let told = sent("grbl", &["M5", "(none)", &of(81)]).unwrap_err();
        assert_eq!(told, Unsendable::TooLong { line: 3, length: 81, most: 80 });
        // N, the number, a blank, *, three digits and the end: 8 bytes more on line 1, of 96.
        let printed = |length: usize| format!("G1X{}", "1".repeat(length - 3));
        assert_eq!(sent("reprap", &[&printed(88)]).unwrap().len(), 1);
        let told = sent("reprap", &[&printed(89)]).unwrap_err();
        assert_eq!(told, Unsendable::TooLong { line: 1, length: 97, most: 96 });
    }

    #[test]
    fn bytes_that_act_at_once_and_words_that_are_not_there_are_refused_with_their_line() {
        let told = sent("grbl", &["M5", "G1 X5!"]).unwrap_err();
        assert_eq!(told, Unsendable::RealTimeByte { line: 2, byte: b'!' });
        let told = sent("grbl", &["M5", "", "G64 P0.1"]).unwrap_err();
        assert!(matches!(told, Unsendable::NotInVocabulary { line: 3, .. }), "{told}");
        // A printer's firmware has words of its own; settings are no words at all.
        assert_eq!(sent("reprap", &["M106 S5"]).unwrap(), ["M106S5"]);
        assert_eq!(sent("grbl", &["$H"]).unwrap(), ["$H"]);
    }
}
