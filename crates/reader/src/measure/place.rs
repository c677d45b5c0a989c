//! Where positions are counted from: work offsets and G92 (NIST IR 6556, sections 3.2.2, 3.5.10,
//! 3.5.13 and 3.5.18).

use crate::axes::Axes;

/// The offsets of a controller. What it had before the program is not known: all are zero.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Offsets {
    systems: [Axes; 9],
    current: usize,
    shift: Axes,
    /// A shift that was switched off and may come back.
    kept: Axes,
    /// Of which systems it is not known where they lie.
    unknown: [bool; 9],
}

impl Offsets {
    /// As a controller has them: of the systems behind the last that is named nothing is known.
    pub(crate) fn of(systems: &[Axes]) -> Self {
        let first = systems.first().copied().unwrap_or_default();
        let mut offsets = Self { systems: [first; 9], ..Self::default() }.with_others_unknown();
        for (n, system) in systems.iter().enumerate().take(9) {
            (offsets.systems[n], offsets.unknown[n]) = (*system, false);
        }
        offsets
    }

    /// Only of the first system it is known where it lies.
    pub(crate) fn with_others_unknown(self) -> Self {
        Self { unknown: std::array::from_fn(|n| n > 0), ..self }
    }

    /// The name of the system in force, where nobody knows where it lies.
    pub(crate) fn unknown_in_force(&self) -> Option<&'static str> {
        const NAMES: [&str; 9] =
            ["G54", "G55", "G56", "G57", "G58", "G59", "G59.1", "G59.2", "G59.3"];
        self.unknown[self.current].then_some(NAMES[self.current])
    }

    /// By how much X, Y and Z lie otherwise than by `before`, in the system where that is most;
    /// `shifted`: G92 counts.
    pub(crate) fn away_from(&self, before: &Self, shifted: bool) -> [f64; 3] {
        let shift = |axis: usize| if shifted { self.shift[axis] - before.shift[axis] } else { 0.0 };
        let away = |system: usize| {
            [0, 1, 2]
                .map(|axis| self.systems[system][axis] - before.systems[system][axis] + shift(axis))
        };
        let size = |by: &[f64; 3]| by.iter().map(|v| v.abs()).fold(0.0, f64::max);
        (0..9).map(away).max_by(|a, b| size(a).total_cmp(&size(b))).unwrap_or_default()
    }

    /// From what a program says to the machine's own positions.
    pub(crate) fn machine(&self, axis: usize, said: f64) -> f64 {
        said + self.systems[self.current][axis] + self.shift[axis]
    }

    /// From the machine's own position to what the program would call it.
    pub(crate) fn value_in_program(&self, axis: usize, machine: f64) -> f64 {
        machine - self.systems[self.current][axis] - self.shift[axis]
    }

    /// How far the program's zero lies from the machine's own along an axis.
    pub(crate) fn total(&self, axis: usize) -> f64 {
        self.systems[self.current][axis] + self.shift[axis]
    }

    /// G54 to G59.3: the number of the system from 0.
    pub(crate) fn select(&mut self, system: usize) {
        self.current = system.min(8);
    }

    /// G10 L2: offsets of a system (P, 0 for the one in force) as said.
    pub(crate) fn set(&mut self, system: usize, axis: usize, value: f64) {
        let system = if system == 0 { self.current } else { system - 1 }.min(8);
        self.systems[system][axis] = value;
        self.unknown[system] = false;
    }

    /// G10 L20: so that the place where the machine stands is called `value`.
    pub(crate) fn call(&mut self, system: usize, axis: usize, machine: f64, value: f64) {
        self.set(system, axis, machine - value - self.shift[axis]);
    }

    /// G92: the same for whatever system is in force.
    pub(crate) fn shift(&mut self, axis: usize, machine: f64, value: f64) {
        self.shift[axis] = machine - value - self.systems[self.current][axis];
    }

    /// G92.1 (forgotten) and G92.2 (kept for G92.3).
    pub(crate) fn unshift(&mut self, keep: bool) {
        self.kept = if keep { self.shift } else { [0.0; 6] };
        self.shift = [0.0; 6];
    }

    /// G92.3.
    pub(crate) fn reshift(&mut self) {
        self.shift = self.kept;
    }
}
