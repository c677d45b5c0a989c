//! Cutting a move whose power changes along it into parts of one level each.
//!
//! A part ends where the level would change by more than one, and is no shorter than the spot is
//! wide, and no shorter than the controller can run: it must be able to stop within the parts that
//! it sees, v² / 2 a, so a part at speed v is at least v² / (2 a · look-ahead) long; where the head
//! slows down, v is the speed from which it does.

use super::AxisMove;
use tinkite_machine::Machine;
use tinkite_machine::motion::block::PlannedBlock;

/// PowerLaw along a move, as shares of full.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct PowerLaw {
    /// At its start and its end, at the asked speed; linear in between.
    pub(super) ends: [f64; 2],
    /// Share of it at standstill; linear in the speed up to the asked one.
    pub(super) slow: f64,
}

impl PowerLaw {
    /// At a place (share of the move) that is run at a share of the asked speed.
    pub(super) fn at(&self, place: f64, speed: f64) -> f64 {
        let asked = self.ends[0] + (self.ends[1] - self.ends[0]) * place;
        asked * (self.slow + (1.0 - self.slow) * speed.min(1.0))
    }
}

/// A stretch of a move in which its squared speed changes evenly along the way.
#[derive(Debug, Clone, Copy)]
struct Phase {
    /// Where it begins and ends, as a share of the move.
    low: f64,
    high: f64,
    /// Squared speeds there, of the asked one.
    v2: [f64; 2],
    /// Acceleration, in lengths of the move and the asked speed: so that v² = 2 a s.
    acceleration: f64,
    /// Where the head slows down: the squared speed from which it does. The whole of that way must
    /// be in sight when it begins.
    braking: Option<f64>,
}

/// What is known of a move's power and speed along it.
#[derive(Debug, Clone)]
pub(super) struct Profile {
    power: PowerLaw,
    phases: Vec<Phase>,
    /// The shortest part, as a share of the move, and moves that the controller sees ahead.
    shortest: f64,
    seen: Option<f64>,
}

impl Profile {
    /// Of a move that runs in `blocks`, asked for at `speed` in the controller's lengths; without
    /// blocks it runs at that speed all along.
    pub(super) fn new(
        way: &AxisMove,
        power: PowerLaw,
        blocks: &[PlannedBlock],
        speed: f64,
        machine: &Machine,
    ) -> Self {
        let length = way.length().max(1e-9);
        let shortest = machine.beam.width / length;
        // Two of the moves in the queue are the one that runs and the one that is just coming in.
        let seen = machine.look_ahead.map(|window| f64::from(window.saturating_sub(2).max(1)));
        let mut phases = Vec::new();
        let whole: f64 = blocks.iter().map(|planned| planned.leg.length).sum();
        let mut at = 0.0;
        for planned in blocks {
            let (up, down) = planned.ramps();
            let along = planned.leg.length;
            let acceleration = planned.leg.acceleration * whole / (speed * speed);
            for (low, high) in [(0.0, up), (up, along - down), (along - down, along)] {
                if high - low > 1e-9 * along {
                    let v2 = [low, high].map(|place| (planned.speed_at(place) / speed).powi(2));
                    let share = |place: f64| (at + place) / whole;
                    let before: Option<f64> = phases.last().and_then(|p: &Phase| p.braking);
                    let braking = (v2[1] < v2[0]).then(|| before.unwrap_or(0.0).max(v2[0]));
                    let (low, high) = (share(low), share(high));
                    phases.push(Phase { low, high, v2, acceleration, braking });
                }
            }
            at += along;
        }
        if phases.is_empty() {
            let acceleration = f64::INFINITY;
            let (v2, braking) = ([1.0; 2], None);
            phases.push(Phase { low: 0.0, high: 1.0, v2, acceleration, braking });
        }
        if let Some(last) = phases.last_mut() {
            last.high = 1.0;
        }
        Self { power, phases, shortest, seen }
    }

    fn phase(&self, place: f64) -> usize {
        let after = self.phases.partition_point(|phase| phase.high <= place);
        after.min(self.phases.len() - 1)
    }

    fn power_at(&self, phase: &Phase, place: f64) -> f64 {
        let share = ((place - phase.low) / (phase.high - phase.low).max(1e-12)).clamp(0.0, 1.0);
        let v2 = phase.v2[0] + (phase.v2[1] - phase.v2[0]) * share;
        self.power.at(place, v2.max(0.0).sqrt())
    }

    /// The shortest part that may begin at a place, as a share of the move.
    fn least(&self, phase: &Phase, place: f64) -> f64 {
        let share = ((place - phase.low) / (phase.high - phase.low).max(1e-12)).clamp(0.0, 1.0);
        let here = phase.v2[0] + (phase.v2[1] - phase.v2[0]) * share;
        let v2 = phase.braking.unwrap_or(here);
        let runs = self.seen.map_or(0.0, |seen| v2 / (2.0 * phase.acceleration * seen));
        self.shortest.max(runs)
    }

    /// Where the parts end, as shares of the move, when power may change by `level` in each.
    pub(super) fn ends(&self, level: f64) -> Vec<f64> {
        let mut ends = Vec::new();
        let mut begin = 0.0;
        loop {
            let end = self.end(begin, level);
            let at = self.phase(end);
            // What is left is too short to be a part of its own.
            if 1.0 - end < self.least(&self.phases[at], end) {
                ends.push(1.0);
                return ends;
            }
            ends.push(end);
            begin = end;
        }
    }

    fn end(&self, begin: f64, level: f64) -> f64 {
        let first = self.phase(begin);
        let start = self.power_at(&self.phases[first], begin);
        let (mut low, mut high) = (start, start);
        let least = (begin + self.least(&self.phases[first], begin)).min(1.0);
        for phase in &self.phases[first..] {
            let last = self.power_at(phase, phase.high);
            if high.max(last) - low.min(last) <= level {
                (low, high) = (low.min(last), high.max(last));
                continue;
            }
            // Within a phase power only rises or only falls: it is halved until the place is found.
            let (mut a, mut b) = (begin.max(phase.low), phase.high);
            for _ in 0..40 {
                let middle = f64::midpoint(a, b);
                let power = self.power_at(phase, middle);
                if high.max(power) - low.min(power) <= level {
                    a = middle;
                } else {
                    b = middle;
                }
            }
            return a.max(least);
        }
        1.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mapping::Purpose;
    use tinkite_machine::motion::block::{Block, Leg};
    use tinkite_machine::motion::planner::Planner;
    use tinkite_machine::source::Level;

    fn machine(width: f64, window: Option<u32>) -> Machine {
        let mut machine = super::super::sample::machine();
        (machine.beam.width, machine.look_ahead) = (width, window);
        machine
    }

    /// A move of 10 mm.
    fn way() -> AxisMove {
        let (purpose, arc) = (Purpose::Burn, None);
        AxisMove { purpose, from: [0, 0], to: [10_000, 0], arc, level: Level::DARK, feed: None }
    }

    /// Three moves of 10 mm at 100 mm/s and 1000 mm/s²: from standstill, evenly, to standstill.
    fn blocks() -> Vec<PlannedBlock> {
        let leg = Leg { length: 10.0, speed: 100.0, acceleration: 1000.0 };
        let right = [1.0, 0.0, 0.0];
        let block = Block { leg, axes: [1000.0; 3], start: right, end: right };
        let mut planner = Planner::new(0.01, None);
        let mut planned = Vec::new();
        (0..3).for_each(|n| planner.push(block, n, &mut |_, block| planned.push(block)));
        planner.finish(&mut |_, block| planned.push(block));
        planned
    }

    fn ends(power: PowerLaw, blocks: &[PlannedBlock], machine: &Machine, level: f64) -> Vec<f64> {
        Profile::new(&way(), power, blocks, 100.0, machine).ends(level)
    }

    fn near(found: &[f64], expected: &[f64]) {
        let alike = found.len() == expected.len()
            && found.iter().zip(expected).all(|(a, b)| (a - b).abs() < 1e-6);
        assert!(alike, "{found:?}, not {expected:?}");
    }

    /// Power that is as much of full as the speed is of the asked one.
    const FOLLOWS: PowerLaw = PowerLaw { ends: [1.0; 2], slow: 0.0 };
    const RISES: PowerLaw = PowerLaw { ends: [0.0, 1.0], slow: 1.0 };

    #[test]
    fn power_follows_the_place_and_the_speed() {
        let law = PowerLaw { ends: [0.2, 0.6], slow: 0.5 };
        for (place, speed, power) in [
            (0.0, 1.0, 0.2),
            (0.5, 1.0, 0.4),
            (1.0, 1.0, 0.6),
            (0.5, 0.0, 0.2),
            (0.5, 0.5, 0.3),
            (0.5, 3.0, 0.4),
        ] {
            assert!((law.at(place, speed) - power).abs() < 1e-12, "{place} {speed}");
        }
    }

    #[test]
    fn an_even_rise_becomes_even_parts_no_shorter_than_the_spot() {
        let tenths: Vec<f64> = (1..=10).map(|n| f64::from(n) / 10.0).collect();
        near(&ends(RISES, &[], &machine(0.1, None), 0.1), &tenths);
        // A spot of 3 mm: what is left behind 6 mm is one part.
        near(&ends(RISES, &[], &machine(3.0, None), 0.1), &[0.3, 0.6, 1.0]);
        near(&ends(PowerLaw { ends: [0.5; 2], slow: 1.0 }, &[], &machine(0.1, None), 0.1), &[1.0]);
    }

    #[test]
    fn a_start_is_cut_where_the_speed_has_gone_up_by_a_level() {
        // v² = 2 a s: three tenths of the speed after 0.45 mm, six after 1.8, nine after 4.05.
        let start = &blocks()[..1];
        near(&ends(FOLLOWS, start, &machine(0.01, None), 0.3), &[0.045, 0.18, 0.405, 1.0]);
    }

    #[test]
    fn an_end_is_cut_no_finer_than_the_look_ahead_can_run() {
        // From 5 mm on it slows down: to three quarters at 7.1875 mm, to half at 8.75.
        let end = &blocks()[2..];
        let finer = [0.71875, 0.875, 0.96875, 1.0];
        near(&ends(FOLLOWS, end, &machine(0.01, None), 0.25), &finer);
        // Braking takes 5 mm, and all of it must be in sight: five moves of 1 mm, or one of 5.
        near(&ends(FOLLOWS, end, &machine(0.01, Some(7)), 0.25), &[0.71875, 0.875, 1.0]);
        near(&ends(FOLLOWS, end, &machine(0.01, Some(3)), 0.25), &[1.0]);
        // The same at an even speed.
        let even = &blocks()[1..2];
        near(&ends(RISES, even, &machine(0.01, Some(3)), 0.1), &[0.5, 1.0]);
        near(&ends(RISES, even, &machine(0.01, Some(12)), 0.25), &[0.25, 0.5, 0.75, 1.0]);
    }
}
