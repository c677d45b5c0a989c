//! Where positions are counted from: the work offsets G54 to G59, which a reset keeps, and G92, which it forgets.

use crate::axes::Axes;

/// The work offsets of a controller.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Offsets {
    systems: [Axes; 6],
    /// Which of them counts, from 0.
    in_force: usize,
    shift: Axes,
}

impl Offsets {
    /// With a zero that somebody has set: G54.
    pub(crate) fn with_zero(zero: Axes) -> Self {
        let mut offsets = Self::default();
        offsets.systems[0] = zero;
        offsets
    }

    /// What a work position and a machine position differ by.
    pub(crate) fn total(&self) -> Axes {
        let system = self.systems[self.in_force];
        std::array::from_fn(|n| system[n] + self.shift[n])
    }

    /// The offsets G54 to G59.
    pub(crate) fn systems(&self) -> &[Axes; 6] {
        &self.systems
    }

    /// Which of them counts, from 0.
    pub(crate) fn in_force(&self) -> usize {
        self.in_force
    }

    /// What `G92` has set.
    pub(crate) fn shift(&self) -> Axes {
        self.shift
    }

    /// From now on system `n` counts, from 0.
    pub(crate) fn choose(&mut self, n: usize) {
        self.in_force = n;
    }

    /// System `n` gets its zero of an axis at a machine position (`G10 L2`).
    pub(crate) fn put(&mut self, n: usize, axis: usize, zero: f64) {
        self.systems[n][axis] = zero;
    }

    /// System `n` gets the zero from which a machine position has these coordinates (`G10 L20`).
    pub(crate) fn call(&mut self, n: usize, axis: usize, machine: f64, work: f64) {
        self.systems[n][axis] = machine - work - self.shift[axis];
    }

    /// A machine position gets these coordinates, whatever system counts (`G92`).
    pub(crate) fn shift_to(&mut self, axis: usize, machine: f64, work: f64) {
        self.shift[axis] = machine - work - self.systems[self.in_force][axis];
    }

    /// `G92.1`.
    pub(crate) fn forget_shift(&mut self) {
        self.shift = Axes::default();
    }

    /// As behind a reset.
    pub(crate) fn reset(self) -> Self {
        Self { systems: self.systems, ..Self::default() }
    }
}
