//! Even speed: how fast rows can be run so that nothing but their ends slows the head.

use std::collections::VecDeque;
use tinkite_machine::Machine;
use tinkite_machine::motion::block::PlannedBlock;

/// Lines that are looked at together: fewer come out of what the controller holds anyhow.
const LINES: usize = 64;

/// Looks along the moves of one step for the stretch that slows the head most.
#[derive(Debug)]
pub(super) struct EvenSpeed {
    /// How many moves behind the one that runs the controller sees; none: all.
    seen: Option<usize>,
    /// Twice acceleration times length of each of the last that were seen, mm²/s², and their sum.
    reaches: VecDeque<f64>,
    reach: f64,
    /// Lines and bytes a second that come.
    rates: (Option<f64>, Option<f64>),
    /// Length, mm, and bytes of each of the last lines, and their sums.
    lines: VecDeque<(f64, u32)>,
    length: f64,
    bytes: u64,
    /// How many were added since the sums were made anew.
    age: usize,
    /// The lowest speed so far, mm/s, and that of the stretch that is looked at.
    lowest: f64,
}

impl EvenSpeed {
    pub(super) fn new(machine: &Machine) -> Self {
        let supply = machine.supply;
        Self {
            seen: machine.look_ahead.map(|window| (window as usize).saturating_sub(1).max(1)),
            reaches: VecDeque::new(),
            reach: 0.0,
            rates: (supply.lines_per_second, supply.bytes_per_second),
            lines: VecDeque::new(),
            length: 0.0,
            bytes: 0,
            age: 0,
            lowest: f64::INFINITY,
        }
    }

    /// Whatever comes next has nothing to do with what was before.
    pub(super) fn cut(&mut self) {
        self.reaches.clear();
        self.lines.clear();
        (self.reach, self.length, self.bytes, self.age) = (0.0, 0.0, 0, 0);
    }

    /// Adds a move that is told in so many bytes.
    pub(super) fn add(&mut self, blocks: &[PlannedBlock], bytes: u32) {
        if let Some(seen) = self.seen {
            for leg in blocks.iter().map(|planned| &planned.leg) {
                let reach = 2.0 * leg.acceleration * leg.length;
                self.reaches.push_back(reach);
                self.reach += reach;
                if self.reaches.len() > seen {
                    self.reach -= self.reaches.pop_front().unwrap_or(0.0);
                }
                if self.reaches.len() == seen {
                    // The head must be able to stop at the end of the last that is seen.
                    self.lowest = self.lowest.min(self.reach.max(0.0).sqrt());
                }
            }
        }
        if self.rates.0.is_some() || self.rates.1.is_some() {
            let length: f64 = blocks.iter().map(|planned| planned.leg.length).sum();
            self.lines.push_back((length, bytes));
            self.length += length;
            self.bytes += u64::from(bytes);
            if self.lines.len() > LINES {
                let (length, bytes) = self.lines.pop_front().unwrap_or_default();
                self.length -= length;
                self.bytes -= u64::from(bytes);
            }
            if self.lines.len() == LINES {
                let gap = |rate: Option<f64>| rate.map_or(0.0, |rate| 1.0 / rate);
                let seconds =
                    (LINES as f64 * gap(self.rates.0)).max(self.bytes as f64 * gap(self.rates.1));
                self.lowest = self.lowest.min(self.length.max(0.0) / seconds.max(1e-12));
            }
        }
        self.age += 1;
        if self.age == 4096 {
            // Differences of sums lose digits; they are made anew now and then.
            self.age = 0;
            self.reach = self.reaches.iter().sum();
            self.length = self.lines.iter().map(|(length, _)| length).sum();
        }
    }

    /// The speed at which nothing but the ends of rows slows the head, mm/s; `None` where nothing limits it.
    pub(super) fn speed(&self) -> Option<f64> {
        Some(self.lowest).filter(|speed| speed.is_finite())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_machine::motion::block::Leg;

    fn even(seen: Option<usize>, rates: (Option<f64>, Option<f64>)) -> EvenSpeed {
        EvenSpeed {
            seen,
            reaches: VecDeque::new(),
            reach: 0.0,
            rates,
            lines: VecDeque::new(),
            length: 0.0,
            bytes: 0,
            age: 0,
            lowest: f64::INFINITY,
        }
    }

    fn block(length: f64) -> PlannedBlock {
        let leg = Leg { length, speed: 100.0, acceleration: 500.0 };
        PlannedBlock { leg, entry: 0.0, exit: 0.0, seconds: 1.0, waits: 0.0 }
    }

    fn speed(mut even: EvenSpeed, moves: &[(f64, u32)]) -> Option<f64> {
        for (length, bytes) in moves {
            even.add(&[block(*length)], *bytes);
        }
        even.speed()
    }

    fn near(found: Option<f64>, wanted: f64) {
        assert!(
            found.is_some_and(|found| (found / wanted - 1.0).abs() < 1e-9),
            "{found:?} {wanted}"
        );
    }

    #[test]
    fn lines_that_come_so_fast_carry_the_head_so_far() {
        // 200 lines a second of 0.5 mm each: 100 mm/s. 2,000 bytes a second in lines of 20: half of that.
        near(speed(even(None, (Some(200.0), None)), &[(0.5, 20); 100]), 100.0);
        near(speed(even(None, (None, Some(2000.0))), &[(0.5, 20); 100]), 50.0);
        near(speed(even(None, (Some(200.0), Some(2000.0))), &[(0.5, 20); 100]), 50.0);
        near(speed(even(None, (Some(200.0), Some(8000.0))), &[(0.5, 20); 100]), 100.0);
        assert_eq!(speed(even(None, (Some(200.0), None)), &[(0.5, 20); LINES - 1]), None);
        assert_eq!(speed(even(None, (None, None)), &[(0.5, 20); 100]), None);
    }

    #[test]
    fn the_stretch_that_slows_most_counts_wherever_it_lies() {
        let (long, short) = ([(2.0, 10); 200], [(0.1, 10); 80]);
        let wanted = 0.1 * 300.0;
        for moves in [[&short[..], &long].concat(), [&long[..], &short, &long].concat()] {
            near(speed(even(None, (Some(300.0), None)), &moves), wanted);
        }
        // Cut off from each other, no 64 lines belong together.
        let mut apart = even(None, (Some(300.0), None));
        for (n, (length, bytes)) in short.iter().enumerate() {
            if n == 40 {
                apart.cut();
            }
            apart.add(&[block(*length)], *bytes);
        }
        assert_eq!(apart.speed(), None);
    }

    #[test]
    fn the_head_can_stop_within_what_is_seen() {
        // v² = 2 a s over 8 moves of 0.25 mm at 500 mm/s².
        let wanted = (2.0 * 500.0 * 2.0_f64).sqrt();
        near(speed(even(Some(8), (None, None)), &[(0.25, 1); 20]), wanted);
        near(speed(even(Some(8), (None, None)), &[(0.25, 1); 5000]), wanted);
        assert_eq!(speed(even(Some(8), (None, None)), &[(0.25, 1); 7]), None);
    }
}
