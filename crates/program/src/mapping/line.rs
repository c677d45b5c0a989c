//! Walking a line: pierce, way in, line with its bridges and ramps, overlap, way out.

use super::{DARK, Instruction, Pace, Purpose, StepWalk, Walker};
use tinkite_base::geometry::Contour;
use tinkite_base::quantity::Power;
use tinkite_job::{Ramp, RampEnd};
use tinkite_toolpath::line::Line;

/// Stretches shorter than this (mm) are not worth a change of power.
const SHORTEST: f64 = 1e-4;

impl<'p, E, F: FnMut(Instruction<'p>) -> Result<(), E>> Walker<'p, F> {
    pub(super) fn line(
        &mut self,
        line: &'p Line,
        manner: &StepWalk,
        passes: std::ops::Range<usize>,
    ) -> Result<(), E> {
        let way = line.way().shifted(self.placed.shift);
        let bridges = line.bridges_on_way();
        let corners = match manner.corner_dwell > 0.0 {
            true => line.corners_on_way(manner.corner_radius),
            false => Vec::new(),
        };
        // An open line is walked there and back: no travel, and the beam stays where it is hot.
        let back = (!line.contour.closed && passes.len() > 1).then(|| {
            let length = way.length();
            let stretches = bridges.iter().rev().map(|(from, to)| (length - to, length - from));
            let marks = Along {
                bridges: stretches.collect(),
                corners: corners.iter().rev().map(|at| length - at).collect(),
            };
            (way.reversed(), marks)
        });
        let there = (way, Along { bridges, corners });
        let first = passes.start;
        for pass in passes {
            let (way, along) = match &back {
                Some(back) if (pass - first) % 2 == 1 => back,
                _ => &there,
            };
            self.begin_pass(&manner.step, pass);
            let height = manner.step.height(pass);
            self.travel(way.start, height)?;
            self.pierce(manner, pass)?;
            self.stretches(way, along, manner, pass)?;
        }
        Ok(())
    }

    /// Burns along the way, piece by piece, with power as ramps and bridges say.
    fn stretches(
        &mut self,
        way: &Contour,
        Along { bridges, corners }: &Along,
        manner: &StepWalk,
        pass: usize,
    ) -> Result<(), E> {
        let how = &manner.step.passes[pass];
        let pace = Pace::Feed(how.speed);
        let ramp = &manner.step.ramp;
        let mut dwells = corners.iter().peekable();
        if bridges.is_empty() && corners.is_empty() && ramp.start.is_none() && ramp.end.is_none() {
            let power = [how.power; 2];
            return way
                .pieces
                .iter()
                .try_for_each(|piece| self.go(Purpose::Burn, *piece, pace, power));
        }
        let along = PowerProfile { ramp, power: how.power, length: way.length() };
        let mut breaks = along.breaks();
        breaks.extend(bridges.iter().flat_map(|(from, to)| [*from, *to]));
        breaks.extend(corners);
        breaks.sort_by(f64::total_cmp);
        let mut place = 0.0;
        for (from, piece) in way.walk() {
            let length = piece.length(from);
            let end = place + length;
            let inner =
                breaks.iter().copied().filter(|b| *b > place + SHORTEST && *b < end - SHORTEST);
            let cuts: Vec<f64> = inner.chain([end]).collect();
            let mut low = place;
            for high in cuts {
                let share = |at: f64| (at - place) / length;
                let (_, part) =
                    piece.between(from, share(low), if high == end { 1.0 } else { share(high) });
                let middle = f64::midpoint(low, high);
                let bridged = bridges.iter().any(|(a, b)| (*a..*b).contains(&middle));
                let (purpose, power) = match (bridged, manner.bridge_power) {
                    (true, None) => (Purpose::Dark, DARK),
                    (true, Some(power)) => (Purpose::Burn, [power; 2]),
                    (false, _) => (Purpose::Burn, [along.power_at(low), along.power_at(high)]),
                };
                self.go(purpose, part, pace, power)?;
                low = high;
                // On a bridge the beam does not stand.
                if dwells.next_if(|at| **at <= high + SHORTEST).is_some() && !bridged {
                    let power = along.power_at(high);
                    (self.each)(Instruction::Dwell(manner.corner_dwell, Some(power)))?;
                }
            }
            place = end;
        }
        Ok(())
    }
}

/// What is done along a way, mm from its start, rising.
struct Along {
    /// Stretches that stay attached.
    bridges: Vec<(f64, f64)>,
    /// Corners in which the beam stands.
    corners: Vec<f64>,
}

/// Power along a way, by its ramps.
struct PowerProfile<'a> {
    ramp: &'a Ramp,
    power: Power,
    length: f64,
}

impl PowerProfile<'_> {
    /// Places between which power is linear.
    fn breaks(&self) -> Vec<f64> {
        let Ramp { start, end, .. } = self.ramp;
        let mut breaks: Vec<f64> = start.iter().map(|ramp| ramp.over).collect();
        breaks.extend(end.iter().map(|ramp| self.length - ramp.over));
        // On a short line the ramps meet where neither is farther from the step's power.
        if let (Some(a), Some(b)) = (start, end)
            && a.over + b.over > self.length
        {
            let (p, q) = ((a.power.0 - self.power.0).abs(), (b.power.0 - self.power.0).abs());
            // p (1 − s / a) = q (1 − (length − s) / b)
            let slope = p / a.over + q / b.over;
            if slope > 0.0 {
                breaks.push((p - q + q * self.length / b.over) / slope);
            }
        }
        breaks
    }

    fn power_at(&self, place: f64) -> Power {
        let off = |ramp: &RampEnd, away: f64| {
            (ramp.power.0 - self.power.0) * (1.0 - away / ramp.over).clamp(0.0, 1.0)
        };
        let start = self.ramp.start.as_ref().map_or(0.0, |ramp| off(ramp, place));
        let end = self.ramp.end.as_ref().map_or(0.0, |ramp| off(ramp, self.length - place));
        let farther = if start.abs() >= end.abs() { start } else { end };
        Power(self.power.0 + farther)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn end(power: f64, over: f64) -> Option<RampEnd> {
        Some(RampEnd { power: Power(power), over })
    }

    #[test]
    fn power_rises_from_the_start_and_falls_to_the_end() {
        let ramp = Ramp { slow: None, start: end(0.2, 2.0), end: end(0.1, 4.0) };
        let along = PowerProfile { ramp: &ramp, power: Power(0.6), length: 20.0 };
        let at = |place| along.power_at(place).0;
        assert!((at(0.0) - 0.2).abs() < 1e-12 && (at(1.0) - 0.4).abs() < 1e-12);
        assert!((at(2.0) - 0.6).abs() < 1e-12 && (at(10.0) - 0.6).abs() < 1e-12);
        assert!((at(18.0) - 0.35).abs() < 1e-12 && (at(20.0) - 0.1).abs() < 1e-12);
    }

    #[test]
    fn ramps_that_meet_never_leave_their_own_range() {
        let ramp = Ramp { slow: None, start: end(0.2, 2.0), end: end(0.1, 4.0) };
        let along = PowerProfile { ramp: &ramp, power: Power(0.6), length: 3.0 };
        let breaks = along.breaks();
        for n in 0..=30 {
            let power = along.power_at(f64::from(n) / 10.0).0;
            assert!((0.1 - 1e-9..=0.6).contains(&power), "{power}");
        }
        let meet = breaks[2];
        assert!((0.0..3.0).contains(&meet), "{breaks:?}");
        let step = (along.power_at(meet - 1e-9).0 - along.power_at(meet + 1e-9).0).abs();
        assert!(step < 1e-6, "{step}");
    }
}
