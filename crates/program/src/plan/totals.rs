//! Lengths, times and extents, summed per step and in all.

use crate::mapping::Purpose;
use tinkite_base::geometry::Rect;

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
    /// Lowest and highest S value while moving.
    pub burnt_s: Option<(f64, f64)>,
    /// How often the head stands and pierces.
    pub pierces: usize,
    /// Light in all, J, where the source was measured.
    pub energy: Option<f64>,
    /// How much of the time is lost because lines come more slowly than the head would run them, s.
    pub starved: f64,
    /// The path that loses most, counted from 1, and how much, s.
    pub most_starved: Option<(usize, f64)>,
    /// How long burning takes, s, and how long it would at the asked speed all along.
    pub burning: (f64, f64),
    /// The speed at which nothing but the ends of rows slows the head, mm/s; `None` where only the axes do.
    pub even_speed: Option<f64>,
}

impl StepTotals {
    /// Light in each mm of line, J, where the source was measured and something is burnt.
    #[must_use]
    pub fn energy_per_mm(&self) -> Option<f64> {
        self.energy.filter(|_| self.burn > 0.0).map(|energy| energy / self.burn)
    }
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
    /// The rectangle round every move, travel included, mm from the program's zero.
    pub reached: Option<Rect>,
    /// Least and greatest height of the focus, mm; `None` where nothing moves it.
    pub heights: Option<(f64, f64)>,
}

impl Totals {
    pub(super) fn new(steps: usize) -> Self {
        Self {
            steps: vec![StepTotals::default(); steps],
            moves: 0,
            burnt: None,
            worked: None,
            reached: None,
            heights: None,
        }
    }

    /// Adds a move that is so long on the stock, mm, and lies in a rectangle.
    pub(super) fn add_move(&mut self, step: usize, purpose: Purpose, length: f64, bounds: Rect) {
        self.moves += 1;
        let totals = &mut self.steps[step];
        match purpose {
            Purpose::Burn => totals.burn += length,
            Purpose::Travel | Purpose::Dark => totals.travel += length,
        }
        let grow = |rect: &mut Option<Rect>| {
            *rect = Some(rect.map_or(bounds, |r| r.union(bounds)));
        };
        if purpose == Purpose::Burn {
            grow(&mut totals.burnt);
            grow(&mut self.burnt);
        }
        if purpose != Purpose::Travel {
            grow(&mut self.worked);
        }
        grow(&mut self.reached);
    }

    /// Passes over the sheet walk the same paths again.
    pub(super) fn add_path(&mut self, step: usize, number: usize) {
        let paths = &mut self.steps[step].paths;
        *paths = (*paths).max(number);
    }

    pub(super) fn add_pierce(&mut self, step: usize, s: f64) {
        let totals = &mut self.steps[step];
        totals.pierces += 1;
        grow_range(&mut totals.s, s);
    }

    pub(super) fn add_height(&mut self, height: f64) {
        grow_range(&mut self.heights, height);
    }

    pub(super) fn add_time(&mut self, step: usize, seconds: f64) {
        self.steps[step].seconds += seconds;
    }

    /// Adds what a path of a step takes longer because its lines come too slowly, s.
    pub(super) fn add_starved(&mut self, step: usize, path: usize, seconds: f64) {
        let totals = &mut self.steps[step];
        totals.starved += seconds;
        if totals.most_starved.is_none_or(|(_, most)| seconds > most) {
            totals.most_starved = Some((path, seconds));
        }
    }

    pub(super) fn add_s(&mut self, step: usize, s: f64) {
        let totals = &mut self.steps[step];
        grow_range(&mut totals.s, s);
        grow_range(&mut totals.burnt_s, s);
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

fn grow_range(range: &mut Option<(f64, f64)>, value: f64) {
    *range = Some(range.map_or((value, value), |(low, high)| (low.min(value), high.max(value))));
}
