//! When the lines of a program are done.

/// When lines are done, at every 64th line.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Timeline {
    at: Vec<f64>,
}

impl Timeline {
    const EVERY: usize = 64;

    /// Lines are planned together, so their times come in any order; until [`Self::finish`] every
    /// slot holds its own.
    pub(super) fn add(&mut self, line: u32, seconds: f64) {
        let slot = line as usize / Self::EVERY + 1;
        if self.at.len() <= slot {
            self.at.resize(slot + 1, 0.0);
        }
        self.at[slot] += seconds;
    }

    pub(super) fn finish(&mut self) {
        let mut sum = 0.0;
        for slot in &mut self.at {
            sum += *slot;
            *slot = sum;
        }
    }

    /// Seconds of the program that are over when `line` (from 1) is done, to within 64 lines.
    #[must_use]
    pub fn seconds_at(&self, line: u32) -> f64 {
        let (slot, part) = (line as usize / Self::EVERY, line as usize % Self::EVERY);
        let last = self.at.last().copied().unwrap_or(0.0);
        let before = self.at.get(slot).copied().unwrap_or(last);
        let after = self.at.get(slot + 1).copied().unwrap_or(last);
        before + (after - before) * part as f64 / Self::EVERY as f64
    }

    /// Seconds of the whole program.
    #[must_use]
    pub fn seconds(&self) -> f64 {
        self.at.last().copied().unwrap_or(0.0)
    }
}
