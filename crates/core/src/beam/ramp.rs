//! Power along a move: ramps by length and by speed, cut into stretches of one S value each.

use crate::geometry::{Piece, Point};
use crate::job::machine::Beam;
use crate::mapping::{Move, Pace};
use crate::motion::planner::Ran;
use crate::quantity::SValue;

/// A stretch of a move that is burnt with one S value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stretch {
    /// Where it starts.
    pub from: Point,
    /// The line or arc it follows.
    pub piece: Piece,
    /// The S value.
    pub s: SValue,
    /// Where on the move it begins and ends, mm.
    pub place: (f64, f64),
}

/// How the S value of a move changes along it.
#[derive(Debug, Clone, Copy)]
pub struct Along<'a> {
    beam: &'a Beam,
    m: &'a Move,
    length: f64,
    /// Share of power at standstill, the speeds of the move, and the asked speed.
    slow: Option<(f64, &'a Ran, f64)>,
}

impl<'a> Along<'a> {
    /// For a move that runs as `ran` says; without it, power does not depend on the speed.
    #[must_use]
    pub fn new(m: &'a Move, beam: &'a Beam, ran: Option<&'a Ran>) -> Self {
        let slow = match (m.pace, ran) {
            (Pace::Feed(speed), Some(ran)) if m.slow != 1.0 => Some((m.slow, ran, speed.0)),
            _ => None,
        };
        Self { beam, m, length: m.length(), slow }
    }

    /// S at a place on the move, mm from its start.
    #[must_use]
    pub fn s_at(&self, place: f64) -> f64 {
        let share = (place / self.length).clamp(0.0, 1.0);
        let [a, b] = self.m.power;
        let asked = a.0 + (b.0 - a.0) * share;
        let factor = self.slow.map_or(1.0, |(slow, ran, speed)| {
            slow + (1.0 - slow) * (ran.speed_at(place) / speed).min(1.0)
        });
        asked * factor * self.beam.full
    }

    /// Whether S is the same all along.
    #[must_use]
    pub fn is_constant(&self) -> bool {
        let cruises = |(_, ran, speed): (f64, &Ran, f64)| {
            let slowest = ran.entry.min(ran.exit);
            slowest >= speed * (1.0 - 1e-9)
        };
        self.m.power[0] == self.m.power[1] && self.slow.is_none_or(cruises)
    }

    /// Cuts the move where S changes by more than the source can tell, and no finer than the spot:
    /// within its width any difference is blurred. Every stretch burns with the S of its middle.
    pub fn stretches<E>(&self, mut each: impl FnMut(Stretch) -> Result<(), E>) -> Result<(), E> {
        if self.is_constant() {
            let s = SValue(self.s_at(0.0));
            let Move { from, piece, .. } = *self.m;
            return each(Stretch { from, piece, s, place: (0.0, self.length) });
        }
        let mut phases = vec![0.0];
        if let Some((_, ran, _)) = self.slow {
            let (up, down) = ran.ramps();
            phases.extend([up, self.length - down]);
        }
        phases.push(self.length);
        let level = super::level_step(self.beam);
        let shortest = self.beam.width;
        let mut from = self.m.from;
        for pair in phases.windows(2) {
            let (low, high) = (pair[0], pair[1].max(pair[0]));
            if high - low < 1e-9 {
                continue;
            }
            let change = (self.s_at(high) - self.s_at(low)).abs();
            let wanted = (change / level).ceil().max(1.0);
            let count = wanted.min(((high - low) / shortest).floor().max(1.0)) as usize;
            let mut begin = low;
            for n in 1..=count {
                let end = self.place(low, high, n as f64 / count as f64);
                let share = |place: f64| place / self.length;
                let to = if end >= self.length - 1e-9 { 1.0 } else { share(end) };
                let (_, piece) = self.m.piece.between(self.m.from, share(begin), to);
                let s = SValue(self.s_at(f64::midpoint(begin, end)));
                each(Stretch { from, piece, s, place: (begin, end) })?;
                from = piece.end();
                begin = end;
            }
        }
        Ok(())
    }

    /// The place at which `share` of the change of speed between two places has happened; S is
    /// linear in the speed.
    fn place(&self, low: f64, high: f64, share: f64) -> f64 {
        let even = low + (high - low) * share;
        let Some((_, ran, _)) = self.slow.filter(|_| self.m.power[0] == self.m.power[1]) else {
            return even;
        };
        let (v0, v1) = (ran.speed_at(low), ran.speed_at(high));
        if share >= 1.0 || (v1 - v0).abs() < 1e-9 {
            return even;
        }
        let v = v0 + (v1 - v0) * share;
        // Under constant acceleration v² is linear along the way.
        low + (high - low) * (v * v - v0 * v0) / (v1 * v1 - v0 * v0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Vec2;
    use crate::mapping::Purpose;
    use crate::motion::planner::Block;
    use crate::quantity::{Power, Speed};

    fn beam(levels: Option<u32>) -> Beam {
        Beam {
            full: 1000.0,
            floor: 0.0,
            ceiling: Power(1.0),
            width: 0.1,
            follows_speed: false,
            levels,
            table: None,
            switch: crate::job::machine::Switch::Inline,
        }
    }

    fn m(power: [f64; 2]) -> Move {
        Move {
            purpose: Purpose::Burn,
            from: Point::ZERO,
            piece: Piece::Line { to: Point::new(10.0, 0.0) },
            pace: Pace::Feed(Speed(50.0)),
            power: power.map(Power),
            slow: 1.0,
        }
    }

    fn ran(entry: f64, exit: f64) -> Ran {
        let x = Vec2::new(1.0, 0.0);
        let block = Block {
            length: 10.0,
            speed: 50.0,
            acceleration: 1000.0,
            start: x,
            end: x,
            stop_before: false,
            places: 1,
        };
        Ran::new(block, entry * entry, exit * exit)
    }

    fn all(along: &Along<'_>) -> Vec<Stretch> {
        let mut all = Vec::new();
        let Ok(()) = along.stretches::<std::convert::Infallible>(|s| {
            all.push(s);
            Ok(())
        });
        all
    }

    #[test]
    fn one_power_is_one_stretch() {
        let beam = beam(None);
        let m = m([0.5, 0.5]);
        assert_eq!(all(&Along::new(&m, &beam, None)).len(), 1);
        let at_speed = ran(50.0, 50.0);
        let slow = Move { slow: 0.2, ..m };
        assert_eq!(all(&Along::new(&slow, &beam, Some(&at_speed))).len(), 1);
    }

    #[test]
    fn a_ramp_over_the_length_is_cut_once_a_level() {
        let beam = beam(Some(11));
        let m = m([0.2, 0.6]);
        let stretches = all(&Along::new(&m, &beam, None));
        assert_eq!(stretches.len(), 4);
        let s: Vec<f64> = stretches.iter().map(|s| s.s.0.round()).collect();
        assert_eq!(s, [250.0, 350.0, 450.0, 550.0]);
        assert_eq!(stretches[3].piece.end(), Point::new(10.0, 0.0));
    }

    #[test]
    fn where_the_head_is_slow_power_follows_its_speed() {
        let beam = beam(None);
        let m = Move { slow: 0.5, ..m([0.6, 0.6]) };
        // From standstill to 50 mm/s takes 1.25 mm, and the same at the end.
        let ran = ran(0.0, 0.0);
        let along = Along::new(&m, &beam, Some(&ran));
        assert!((along.s_at(0.0) - 300.0).abs() < 1e-9);
        assert!((along.s_at(1.25) - 600.0).abs() < 1e-9 && (along.s_at(5.0) - 600.0).abs() < 1e-9);
        let stretches = all(&along);
        // No finer than the spot: 12 stretches in 1.25 mm, one in the middle, 12 at the end.
        assert_eq!(stretches.len(), 25);
        let length: f64 = stretches.iter().map(|s| s.piece.length(s.from)).sum();
        assert!((length - 10.0).abs() < 1e-9);
        for stretch in &stretches {
            let middle = f64::midpoint(stretch.place.0, stretch.place.1);
            assert!((along.s_at(middle) - stretch.s.0).abs() < 1e-9);
        }
        // Deliberately stronger where it is slow.
        let m = Move { slow: 1.5, ..m };
        let strong = Along::new(&m, &beam, Some(&ran));
        assert!((strong.s_at(0.0) - 900.0).abs() < 1e-9);
    }
}
