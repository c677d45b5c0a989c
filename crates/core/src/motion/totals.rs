//! Lengths, times and extents, summed per step and in all.

use crate::geometry::Rect;
use crate::mapping::{Move, Purpose};

/// What one step comes to.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct StepTotals {
    /// Paths walked (an engraved area counts as one).
    pub paths: usize,
    /// Burnt length, all passes, mm.
    pub burn: f64,
    /// Length with the beam off: travel, run-up and gaps, mm.
    pub travel: f64,
    /// Time, s.
    pub seconds: f64,
    /// The rectangle round everything burnt, mm from the program's zero.
    pub burnt: Option<Rect>,
    /// Lowest and highest S value while burning or piercing.
    pub s: Option<(f64, f64)>,
    /// How often the head stands and pierces.
    pub pierces: usize,
    /// Light in all, J, where the source was measured.
    pub energy: Option<f64>,
    /// How long burning takes, s, and how long it would at the asked speed all along.
    pub burning: (f64, f64),
}

/// What a job comes to.
#[derive(Debug, Clone, PartialEq)]
pub struct Totals {
    /// Each step of the job; those not made are all zero.
    pub steps: Vec<StepTotals>,
    /// How many moves there are.
    pub moves: u64,
    /// The rectangle round everything burnt, mm from the program's zero.
    pub burnt: Option<Rect>,
    /// The rectangle round every move at working speed, run-up included, mm from the
    /// program's zero.
    pub worked: Option<Rect>,
}

impl Totals {
    pub(super) fn new(steps: usize) -> Self {
        Self { steps: vec![StepTotals::default(); steps], moves: 0, burnt: None, worked: None }
    }

    /// Adds a move that is so long on the stock, mm.
    pub(super) fn add_move(&mut self, step: usize, m: &Move, length: f64) {
        self.moves += 1;
        let totals = &mut self.steps[step];
        match m.purpose {
            Purpose::Burn => totals.burn += length,
            Purpose::Travel | Purpose::Dark => totals.travel += length,
        }
        let bounds = m.piece.bounds(m.from);
        let grow = |rect: &mut Option<Rect>| {
            *rect = Some(rect.map_or(bounds, |r| r.union(bounds)));
        };
        if m.purpose == Purpose::Burn {
            grow(&mut totals.burnt);
            grow(&mut self.burnt);
        }
        if m.purpose != Purpose::Travel {
            grow(&mut self.worked);
        }
    }

    pub(super) fn add_time(&mut self, step: usize, seconds: f64) {
        self.steps[step].seconds += seconds;
    }

    pub(super) fn add_s(&mut self, step: usize, s: f64) {
        let known = &mut self.steps[step].s;
        *known = Some(known.map_or((s, s), |(low, high)| (low.min(s), high.max(s))));
    }

    pub(super) fn add_burning(&mut self, step: usize, seconds: f64, asked: f64) {
        let burning = &mut self.steps[step].burning;
        burning.0 += seconds;
        burning.1 += asked;
    }

    pub(super) fn add_energy(&mut self, step: usize, joules: Option<f64>) {
        if let Some(joules) = joules {
            *self.steps[step].energy.get_or_insert(0.0) += joules;
        }
    }

    /// Burnt length in all, mm.
    #[must_use]
    pub fn burn(&self) -> f64 {
        self.steps.iter().map(|s| s.burn).sum()
    }

    /// Length with the beam off in all, mm.
    #[must_use]
    pub fn travel(&self) -> f64 {
        self.steps.iter().map(|s| s.travel).sum()
    }

    /// Time in all, s.
    #[must_use]
    pub fn seconds(&self) -> f64 {
        self.steps.iter().map(|s| s.seconds).sum()
    }
}
