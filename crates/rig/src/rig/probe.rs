//! A probe on the head, and the surface that it touches.

use super::{Pending, Rig};
use crate::axes::Axes;
use std::fmt::Write as _;

/// A probe is let go when it is farther above the surface than this, mm.
const TOUCHING: f64 = 1e-6;

impl Rig {
    /// Whether the probe touches the surface.
    pub(super) fn is_touching(&self) -> bool {
        self.setup.surface.is_some_and(|surface| self.head.at[3] <= surface + TOUCHING)
    }

    /// Goes down to the surface, or as far as it was told to. One that touches already is an alarm.
    pub(super) fn probe(&mut self, to: Axes, feed: f64) {
        if self.is_touching() {
            self.alarm(4);
            return;
        }
        let surface = self.setup.surface.filter(|surface| *surface >= to[3]);
        let [x, y, turn, low] = to;
        self.plan_move([x, y, turn, surface.unwrap_or(low)], Some(feed), None);
        self.pending = Some(Pending::Probe { touches: surface.is_some() });
    }

    /// Says where it touched; an alarm where it did not.
    pub(super) fn finish_probe(&mut self, touches: bool) {
        self.modal.at = self.work_position();
        let [x, y, _, z] = self.head.at;
        let _ = write!(self.output, "[PRB:{x:.3},{y:.3},{z:.3}:{}]\r\n", u8::from(touches));
        if touches { self.ok() } else { self.alarm(5) }
    }
}
