//! When the lines of a program are done.

/// When lines are done: at every line of a short program, at every second, fourth … of a longer one.
#[derive(Debug, Clone, PartialEq)]
pub struct Timeline {
    at: Vec<f64>,
    /// A slot for so many lines.
    every: usize,
}

/// Slots are merged in pairs beyond this number.
const MOST: usize = 1 << 17;

impl Default for Timeline {
    fn default() -> Self {
        Self { at: Vec::new(), every: 1 }
    }
}

impl Timeline {
    /// Lines are planned together, so their times come in any order; until [`Self::finish`] every
    /// slot holds its own.
    pub(super) fn add(&mut self, line: u32, seconds: f64) {
        while line as usize / self.every + 1 > MOST {
            self.merge();
        }
        let slot = line as usize / self.every + 1;
        if self.at.len() <= slot {
            self.at.resize(slot + 1, 0.0);
        }
        self.at[slot] += seconds;
    }

    /// The slot of line n is n / every + 1; before the first is nothing.
    fn merge(&mut self) {
        let pairs = self.at.get(1..).unwrap_or_default().chunks(2);
        self.at = [0.0].into_iter().chain(pairs.map(|pair| pair.iter().sum())).collect();
        self.every *= 2;
    }

    pub(super) fn finish(&mut self) {
        let mut sum = 0.0;
        for slot in &mut self.at {
            sum += *slot;
            *slot = sum;
        }
    }

    /// Seconds of the program that are over when `line` (from 1) is done. Lines of one slot are taken to
    /// last alike.
    #[must_use]
    pub fn seconds_at(&self, line: u32) -> f64 {
        let line = line as usize + 1;
        let (slot, part) = (line / self.every, line % self.every);
        let last = self.at.last().copied().unwrap_or(0.0);
        let before = self.at.get(slot).copied().unwrap_or(last);
        let after = self.at.get(slot + 1).copied().unwrap_or(last);
        before + (after - before) * part as f64 / self.every as f64
    }

    /// Seconds of the whole program.
    #[must_use]
    pub fn seconds(&self) -> f64 {
        self.at.last().copied().unwrap_or(0.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_line_counts_for_itself_and_long_programs_in_pairs() {
        let mut short = Timeline::default();
        [(2, 5.0), (1, 1.0), (4, 0.5), (2, 1.0)].into_iter().for_each(|(n, s)| short.add(n, s));
        short.finish();
        let at: Vec<f64> = (0..6).map(|line| short.seconds_at(line)).collect();
        assert_eq!(at, [0.0, 1.0, 7.0, 7.0, 7.5, 7.5]);
        let mut long = Timeline::default();
        let lines = 5 * MOST as u32;
        (1..=lines).for_each(|line| long.add(line, 0.25));
        long.finish();
        assert!(long.at.len() <= MOST + 1 && long.seconds() == f64::from(lines) * 0.25);
        for line in [0, 1, 7, 1000, lines - 1, lines] {
            let at = long.seconds_at(line);
            assert!((at - f64::from(line) * 0.25).abs() < 2.0, "{line}: {at}");
        }
    }
}
