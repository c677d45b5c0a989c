//! How a row's gaps are crossed: at burning speed, or as travel where that is quicker.

use tinkite_base::geometry::Vec2;
use tinkite_job::{Job, Step};
use tinkite_machine::Travel;

/// The head has its speed for at least so long before it burns again, mm: what braking has shaken settles.
const SETTLES: f64 = 0.5;

/// Travel saves at least so much, s: its two more lines have to be said, and planned.
const WORTH: f64 = 0.005;

/// How gaps of one step's rows are crossed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Gaps {
    /// Up to this long they are crossed at burning speed, mm.
    pub short: f64,
    /// At burning speed before and after travel, mm.
    pub settle: f64,
}

impl Gaps {
    /// None is crossed as travel.
    pub(crate) const NONE: Self = Self { short: f64::INFINITY, settle: 0.0 };

    /// Of rows along a direction of the plane, with so much run-up (mm).
    pub(super) fn of(along: Vec2, run_up: f64, step: &Step, job: &Job) -> Self {
        let (top, acceleration) = job.frame().limits(along);
        let travel = match job.machine.travel {
            Travel::Rapid => top,
            Travel::Feed(speed) => speed.0.min(top),
        };
        // What a run-up has beyond getting up to speed is there to settle.
        let speed = step.fastest().0.min(top);
        let spare = run_up - speed * speed / (2.0 * acceleration);
        Self::between(speed, travel, acceleration, spare.max(SETTLES))
    }

    /// For speeds (mm/s) of burning and of travel.
    ///
    /// From v up to p and back takes 2 (p − v) / a over (p² − v²) / a, which at v takes (p − v)² / (a v) longer.
    pub(super) fn between(speed: f64, travel: f64, acceleration: f64, settle: f64) -> Self {
        if travel <= speed {
            return Self::NONE;
        }
        let peak = speed + (WORTH * acceleration * speed).sqrt();
        let (peak, rest) = if peak <= travel {
            (peak, 0.0)
        } else {
            let saved = (travel - speed) * (travel - speed) / (acceleration * speed);
            (travel, (WORTH - saved) / (1.0 / speed - 1.0 / travel))
        };
        let free = (peak * peak - speed * speed) / acceleration + rest;
        Self { short: free + 2.0 * settle, settle }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// How long a head takes over a distance that it enters and leaves at the same speed.
    fn time_of_hurry(distance: f64, speed: f64, top: f64, acceleration: f64) -> f64 {
        // Half of it faster and faster, as far as the top.
        let (mut at, mut now, mut time) = (0.0, speed, 0.0);
        let dt = 1e-5;
        while at < distance / 2.0 {
            now = (now + acceleration * dt).min(top);
            at += now * dt;
            time += dt;
        }
        2.0 * time
    }

    proptest! {
        #[test]
        fn travel_saves_what_it_must_from_the_shortest_gap_on(
            speed in 5.0..400.0f64, more in 1.2..6.0f64, acceleration in 200.0..4000.0f64, settle in 0.0..3.0f64,
        ) {
            let travel = speed * more;
            let gaps = Gaps::between(speed, travel, acceleration, settle);
            let saves = |gap: f64| {
                let free = gap - 2.0 * settle;
                free / speed - time_of_hurry(free, speed, travel, acceleration)
            };
            prop_assert!((saves(gaps.short) - WORTH).abs() < 1e-4, "{}", saves(gaps.short));
            prop_assert!(saves(1.3 * gaps.short) > WORTH);
        }
    }
}
