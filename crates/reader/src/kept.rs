//! What a controller keeps that is neither place, nor power, nor motion: air, outputs, coordinate
//! systems, how paths are followed. The last word of each kind counts.

use tinkite_base::quantity::plain;
use tinkite_base::rs274::Word;

/// Which words take each other's place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum ModalGroup {
    Plane,
    System,
    Path,
    Centre,
    /// Air: M7 and M8 may both be on.
    Air(i64),
    Overrides,
    /// An output, or a code that only the board knows, with its P.
    Other {
        code: i64,
        p: Option<i64>,
    },
}

/// The words in force.
#[derive(Debug, Default)]
pub(super) struct Kept(Vec<(ModalGroup, String)>);

impl Kept {
    /// Takes the words of a line.
    pub(super) fn take(&mut self, words: &[Word]) {
        let value = |letter: u8| words.iter().find(|w| w.letter == letter).map(|w| w.value);
        for word in words {
            let tenths = (word.value * 10.0).round() as i64;
            let named = format!("{}{}", word.letter as char, plain(word.value, 1));
            let (kind, text) = match (word.letter, tenths) {
                (b'G', 170 | 180 | 190) => (ModalGroup::Plane, named),
                (b'G', 540..=593) => (ModalGroup::System, named),
                (b'G', 610 | 611 | 640) => (ModalGroup::Path, named),
                (b'G', 901 | 911) => (ModalGroup::Centre, named),
                (b'M', 70 | 80) => (ModalGroup::Air(tenths), named),
                (b'M', 90) => {
                    self.0.retain(|(kind, _)| !matches!(kind, ModalGroup::Air(_)));
                    (ModalGroup::Air(90), named)
                }
                (b'M', 480 | 490) => (ModalGroup::Overrides, named),
                // Pauses, the end, the beam, and what only waits.
                (b'M', 0 | 10 | 20 | 300 | 30 | 40 | 50 | 60 | 600 | 1060 | 1070 | 4000) => {
                    continue;
                }
                (b'M', _) => {
                    let p = value(b'P');
                    let more = [b'P', b'S', b'E', b'Q', b'R'].into_iter();
                    let more = more.filter_map(|l| Some((l, value(l)?)));
                    let more = more.map(|(l, v)| format!("{}{}", l as char, plain(v, 4)));
                    let text = format!("{named}{}", more.collect::<String>());
                    (ModalGroup::Other { code: tenths, p: p.map(|p| p as i64) }, text)
                }
                _ => continue,
            };
            self.0.retain(|(old, _)| {
                *old != kind && !(matches!(kind, ModalGroup::Air(_)) && *old == ModalGroup::Air(90))
            });
            self.0.push((kind, text));
        }
    }

    /// A line for each.
    pub(super) fn lines(&self) -> impl Iterator<Item = String> + '_ {
        self.0.iter().map(|(_, text)| text.clone())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_base::rs274::words;

    #[test]
    fn the_last_word_of_each_kind_is_kept_in_the_order_in_which_they_were_said() {
        let mut kept = Kept::default();
        for line in [
            "G17G54",
            "M8",
            "M42P3S255",
            "M7",
            "M9",
            "M62P1",
            "M8M3S200",
            "G55",
            "M42P3S0",
            "G1X5F100",
        ] {
            let mut read = Vec::new();
            words(line.as_bytes(), &mut read).unwrap();
            kept.take(&read);
        }
        let lines: Vec<String> = kept.lines().collect();
        assert_eq!(lines, ["G17", "M62P1", "M8", "G55", "M42P3S0"]);
    }
}
