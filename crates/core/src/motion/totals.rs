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
    /// The rectangle round everything burnt, machine coordinates.
    pub burnt: Option<Rect>,
}

/// What a job comes to.
#[derive(Debug, Clone, PartialEq)]
pub struct Totals {
    /// Each step of the job; those not made are all zero.
    pub steps: Vec<StepTotals>,
    /// How many moves there are.
    pub moves: u64,
    /// The rectangle round everything burnt, machine coordinates.
    pub burnt: Option<Rect>,
    /// The rectangle round every move at working speed, run-up included.
    pub worked: Option<Rect>,
}

impl Totals {
    pub(super) fn new(steps: usize) -> Self {
        Self { steps: vec![StepTotals::default(); steps], moves: 0, burnt: None, worked: None }
    }

    pub(super) fn add_move(&mut self, step: usize, m: &Move) {
        self.moves += 1;
        let length = m.length();
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
