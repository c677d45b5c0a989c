//! What the beam did.

use crate::axes::Axes;
use std::collections::BTreeMap;

/// One straight stretch that was burnt, machine coordinates in mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Mark {
    /// Where it began.
    pub from: [f64; 2],
    /// Where it ended.
    pub to: [f64; 2],
    /// S as it was asked for.
    pub s: f64,
    /// Height of the focus, mm.
    pub height: f64,
    /// Angles of the axis that turns, degrees.
    pub turn: [f64; 2],
}

/// Everything that the beam and the head did.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Record {
    /// Burnt stretches, in order; straight runs of one S are one stretch.
    pub marks: Vec<Mark>,
    /// Burnt length, mm.
    pub burn_mm: f64,
    /// Length with the beam off, mm.
    pub travel_mm: f64,
    /// Burnt length by S, in tenths of S so that it can be a key.
    by_s: BTreeMap<u64, f64>,
    /// Height of the focus, mm.
    pub height: f64,
    /// How far the head really is from where the controller believes it to be, mm: steps were lost, or
    /// it started anew in another place.
    pub slip: [f64; 2],
    /// Diameter of what the rotary holds, mm: what its lengths are reckoned with.
    pub diameter: Option<f64>,
    /// Least and greatest coordinates burnt.
    pub extents: Option<([f64; 2], [f64; 2])>,
    /// Seconds in which something moved or dwelt.
    pub busy_seconds: f64,
    /// Seconds in which the beam was lit while nothing moved.
    pub lit_standing_seconds: f64,
    /// Lines taken.
    pub lines: u64,
    /// Lines refused.
    pub errors: u64,
    /// Bytes that came when the receive buffer was full, and were lost.
    pub overrun_bytes: u64,
}

impl Record {
    /// How long a way is on the stock, mm.
    fn length(&self, from: Axes, to: Axes) -> f64 {
        let turned = (to[2] - from[2]).to_radians() * self.diameter.unwrap_or(0.0) / 2.0;
        (to[0] - from[0]).hypot(to[1] - from[1]).hypot(turned)
    }

    /// A way with the beam off.
    pub(crate) fn pass(&mut self, from: Axes, to: Axes) {
        self.travel_mm += self.length(from, to);
    }

    pub(crate) fn burn(&mut self, from: Axes, to: Axes, s: f64) {
        let length = self.length(from, to);
        let really = |p: Axes| [p[0] + self.slip[0], p[1] + self.slip[1], p[2], p[3]];
        let (from, to) = (really(from), really(to));
        let turn = [from[2], to[2]];
        let (whole_from, whole_to) = (from, to);
        let (from, to) = ([from[0], from[1]], [to[0], to[1]]);
        self.burn_mm += length;
        *self.by_s.entry((s * 10.0).round().max(0.0) as u64).or_default() += length;
        let (low, high) = self.extents.get_or_insert((from, from));
        for p in [from, to] {
            for axis in 0..2 {
                low[axis] = low[axis].min(p[axis]);
                high[axis] = high[axis].max(p[axis]);
            }
        }
        match self.marks.last_mut() {
            Some(last)
                if last.s == s
                    && last.to == from
                    && last.height == self.height
                    && last.turn[1] == turn[0]
                    && straight(last, whole_from, whole_to) =>
            {
                last.to = to;
                last.turn[1] = turn[1];
            }
            _ => self.marks.push(Mark { from, to, s, height: self.height, turn }),
        }
    }

    /// Burnt length in mm by S, ascending.
    pub fn by_s(&self) -> impl Iterator<Item = (f64, f64)> + '_ {
        self.by_s.iter().map(|(tenths, mm)| (*tenths as f64 / 10.0, *mm))
    }
}

/// Whether a way goes on in the direction of a mark.
fn straight(mark: &Mark, from: Axes, to: Axes) -> bool {
    let a = [mark.to[0] - mark.from[0], mark.to[1] - mark.from[1], mark.turn[1] - mark.turn[0]];
    let b = [0, 1, 2].map(|n| to[n] - from[n]);
    let cross = [a[0] * b[1] - a[1] * b[0], a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2]];
    let dot: f64 = a.iter().zip(&b).map(|(a, b)| a * b).sum();
    dot > 0.0 && cross.iter().all(|c| c.abs() < 1e-9 * dot.max(1.0))
}
