//! A program line by line in plain words.

use super::modal::Modal;
use super::motion::{Act, Motion};
use super::parsed;
use tinkite_base::geometry::Piece;
use tinkite_base::quantity::{Speed, clock, plain};
use tinkite_base::rs274::{Parameters, Word};
use tinkite_machine::Machine;

/// Explains a program, one line after the other.
#[derive(Debug)]
pub struct Explainer {
    modal: Modal,
    parameters: Parameters,
    words: Vec<Word>,
    acts: Vec<Act>,
}

/// Letters of the axes in their order.
const AXES: [char; 6] = ['X', 'Y', 'Z', 'A', 'B', 'C'];

impl Explainer {
    /// For a program that is meant for `machine`, where that is known.
    #[must_use]
    pub fn new(machine: Option<&Machine>) -> Self {
        let modal = Modal::new(machine.map(|machine| machine.dialect));
        Self { modal, parameters: Parameters::default(), words: Vec::new(), acts: Vec::new() }
    }

    /// What the next line does, in plain words; empty for an empty line.
    pub fn line(&mut self, line: &[u8]) -> String {
        if line.trim_ascii() == b"$H" {
            return "the controller finds its zero".into();
        }
        if let Err(error) = parsed(line, &mut self.parameters, &mut self.words) {
            return format!("cannot be read: {}", error.describe(line));
        }
        if self.words.is_empty() {
            return comment(line);
        }
        if self.modal.ended {
            return "after the program's end: not run".into();
        }
        let words = std::mem::take(&mut self.words);
        let mut acts = std::mem::take(&mut self.acts);
        let mut told: Vec<String> = Vec::new();
        match self.modal.line(&words, &mut acts) {
            Err(error) => told.push(format!("{error} is not understood")),
            Ok(()) => {
                let unknown = self.modal.unknown.take();
                told.extend(unknown.map(|m| format!("M{} is not known", plain(m, 1))));
                told.extend(words.iter().filter_map(|word| code(word, &words)));
                // A move says its power itself.
                let moves = acts.iter().any(|act| matches!(act, Act::Move(_)));
                told.extend(self.power(&words).filter(|_| !moves));
                if self.acts_are_chords(&acts) {
                    told.push("an arc across the bed".into());
                } else {
                    told.extend(acts.iter().filter_map(|act| self.act(act)));
                }
            }
        }
        (self.words, self.acts) = (words, acts);
        if told.is_empty() { "nothing changes".into() } else { told.join("; ") }
    }

    fn acts_are_chords(&self, acts: &[Act]) -> bool {
        acts.len() > 4
    }

    /// What an S word means, which depends on whether the beam is ready.
    fn power(&self, words: &[Word]) -> Option<String> {
        let s = words.iter().find(|word| word.letter == b'S')?;
        let dwells = words.iter().any(|w| w.letter == b'G' && w.value == 4.0);
        if dwells {
            return None;
        }
        Some(if s.value <= 0.0 {
            "no power".into()
        } else if self.modal.lit() {
            format!("power S{}", plain(s.value, 1))
        } else {
            format!("power S{}, for when the beam is switched on", plain(s.value, 1))
        })
    }

    fn act(&self, act: &Act) -> Option<String> {
        match act {
            Act::Stop { seconds } if *seconds > 0.0 => {
                let lit = match (self.modal.lit(), self.modal.follows_speed()) {
                    (true, false) => " WITH THE BEAM ON",
                    (true, true) => ", dark, as power follows the speed",
                    (false, _) => "",
                };
                Some(format!("stands still for {}{lit}", clock(*seconds)))
            }
            Act::Stop { .. } | Act::Wait => None,
            Act::Lift { from, to, .. } => {
                let way = if to > from { "up" } else { "down" };
                Some(format!("moves the focus {way} to Z {}", plain(*to, 3)))
            }
            Act::Home => Some("to the place the controller keeps for it".into()),
            Act::Move(m) => Some(self.motion(m)),
        }
    }

    fn motion(&self, m: &Motion) -> String {
        let lit = self.modal.lit();
        let named = self.modal.named();
        let place: Vec<String> = (0..6)
            .filter(|n| m.from[*n] != m.to[*n])
            .map(|n| format!("{} {}", AXES[n], plain(named[n], 3)))
            .collect();
        if place.is_empty() && matches!(m.piece, Piece::Line { .. }) {
            return "stays where it is".into();
        }
        let place = if place.is_empty() { "where it began".into() } else { place.join(" ") };
        let what = match (m.travel, lit, m.piece) {
            (true, true, _) => "travels WITH THE BEAM ON to".to_string(),
            (true, false, _) => "travels to".into(),
            (false, true, Piece::Line { .. }) => "burns to".into(),
            (false, false, Piece::Line { .. }) => "moves dark to".into(),
            (false, lit, Piece::Arc { sweep, centre, .. }) => {
                let side = if sweep < 0.0 { "clockwise" } else { "counter-clockwise" };
                let does = if lit { "burns" } else { "moves dark" };
                let radius = plain(m.start().distance(centre), 3);
                format!("{does} {side} on radius {radius} mm to")
            }
        };
        let speed = if m.rapid {
            String::new()
        } else if m.turn() != 0.0 {
            format!(", in {} s", plain(m.length() / m.speed.max(1e-9), 3))
        } else {
            format!(" at {}", Speed(m.speed))
        };
        let burns = self.modal.burns(m);
        let power = if burns { format!(", S{}", plain(self.modal.s, 1)) } else { String::new() };
        format!("{what} {place}{speed}{power}")
    }
}

fn comment(line: &[u8]) -> String {
    let text = String::from_utf8_lossy(line);
    let text = text.trim();
    match text {
        "" => String::new(),
        "%" => "begin or end of the program".into(),
        _ if text.starts_with('#') => "sets a parameter".into(),
        // A comment speaks for itself.
        _ => String::new(),
    }
}

/// What a G or M code says by itself; motions are told by what they do.
fn code(word: &Word, words: &[Word]) -> Option<String> {
    let tenths = (word.value * 10.0).round() as i64;
    let said = |letter: u8| words.iter().find(|w| w.letter == letter).map(|w| w.value);
    let told = match (word.letter, tenths) {
        (b'G', 100) => match said(b'L').map(|l| l as i64) {
            Some(20) => "gives this place new coordinates and keeps them",
            _ => "sets a work offset and keeps it",
        },
        (b'G', 170) => "arcs lie flat on the bed",
        (b'G', 180 | 190) => "arcs stand across the bed",
        (b'G', 200) => "lengths are inches",
        (b'G', 210) => "lengths are millimetres",
        (b'G', 280 | 300) => "goes home",
        (b'G', 530) => "in the machine's own coordinates",
        (b'G', 540..=593) => {
            let n = match tenths {
                590.. => 6 + tenths - 590,
                _ => (tenths - 540) / 10 + 1,
            };
            return Some(format!("counts from work zero {n}"));
        }
        (b'G', 610 | 611) => "stops at every corner it cannot take exactly",
        (b'G', 640) => "rounds corners to keep its speed",
        (b'G', 800) => "forgets the motion",
        (b'G', 900) => "positions are counted from the zero",
        (b'G', 910) => "positions are counted from where the head is",
        (b'G', 901) => "centres of arcs are counted from the zero",
        (b'G', 911) => "centres of arcs are counted from their start",
        (b'G', 920) => "calls this place by new coordinates",
        (b'G', 921 | 922) => "takes back what G92 did",
        (b'G', 923) => "takes up again what G92 did",
        (b'G', 930) => "feeds are moves per minute",
        (b'G', 940) => "feeds are lengths per minute",
        (b'M', 0 | 10 | 600) => "waits for the operator",
        (b'M', 20 | 300) => "end of the program, beam off",
        (b'M', 30) => "beam ready, power stays as it is said",
        (b'M', 40) => "beam ready, power follows the speed",
        (b'M', 50) => "beam off",
        (b'M', 70 | 80) => "air on",
        (b'M', 90) => "air off",
        (b'M', 1060) => "beam on",
        (b'M', 1070) => "beam off",
        (b'M', 4000) => "waits until the head stands",
        (b'M', 420 | 620..=680) => "switches an output",
        _ => return None,
    };
    Some(told.into())
}
