//! Blocks: single moves as a planner sees them, before and after it has found their speeds.

/// What a move lets the head do along itself.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Leg {
    /// Length, mm; above zero.
    pub length: f64,
    /// Highest speed along it, mm/s.
    pub speed: f64,
    /// Acceleration along it, mm/s².
    pub acceleration: f64,
}

impl Leg {
    /// By how much squared speed can grow along it.
    pub(super) fn reach(&self) -> f64 {
        2.0 * self.acceleration * self.length
    }
}

/// One move as the planner sees it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Block {
    /// How far it goes, and how fast it may.
    pub leg: Leg,
    /// Acceleration of the axes, mm/s²: the two that carry a path, and that of the focus; infinite
    /// for those that stand still.
    pub axes: [f64; 3],
    /// Unit direction at its start, by the same axes.
    pub start: [f64; 3],
    /// Unit direction at its end.
    pub end: [f64; 3],
}

/// A block whose speeds are certain. Where it leads no longer matters.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PlannedBlock {
    /// How far it goes, and how fast it may.
    pub leg: Leg,
    /// Speed at its start, mm/s.
    pub entry: f64,
    /// Speed at its end, mm/s.
    pub exit: f64,
    /// How long it takes, s.
    pub seconds: f64,
    /// How long the head has stood before it and waited for its line, s.
    pub waits: f64,
}

impl PlannedBlock {
    /// A block that is entered and left at these speeds.
    pub(super) fn new(leg: Leg, entry: CornerSpeed, exit: CornerSpeed) -> Self {
        let seconds = seconds(&leg, entry, exit);
        Self { leg, entry: entry.plain, exit: exit.plain, seconds, waits: 0.0 }
    }

    fn peak_squared(&self) -> f64 {
        let Leg { length, speed, acceleration } = self.leg;
        let reached =
            acceleration * length + (self.entry * self.entry + self.exit * self.exit) / 2.0;
        reached.min(speed * speed)
    }

    /// The highest speed that is reached in it, mm/s.
    #[must_use]
    pub fn top_speed(&self) -> f64 {
        self.peak_squared().sqrt()
    }

    /// Over which lengths it speeds up and slows down, mm.
    #[must_use]
    pub fn ramps(&self) -> (f64, f64) {
        let ramp = |v: f64| {
            ((self.peak_squared() - v * v) / (2.0 * self.leg.acceleration))
                .clamp(0.0, self.leg.length)
        };
        (ramp(self.entry), ramp(self.exit))
    }

    /// Speed at a place, mm from its start.
    #[must_use]
    pub fn speed_at(&self, place: f64) -> f64 {
        let gained = 2.0 * self.leg.acceleration;
        let up = self.entry * self.entry + gained * place.max(0.0);
        let down = self.exit * self.exit + gained * (self.leg.length - place).max(0.0);
        up.min(down).min(self.peak_squared()).max(0.0).sqrt()
    }
}

/// The speed between two blocks, mm/s, and its square: the planner reckons with squares, times with roots, and a root
/// costs as much as the rest of a block.
#[derive(Debug, Clone, Copy)]
pub(super) struct CornerSpeed {
    pub(super) plain: f64,
    pub(super) squared: f64,
}

impl CornerSpeed {
    pub(super) const ZERO: Self = Self { plain: 0.0, squared: 0.0 };

    pub(super) fn of_squared(squared: f64) -> Self {
        Self { plain: squared.sqrt(), squared }
    }
}

/// How long a move takes from speed `entry` to speed `exit`.
pub(super) fn seconds(leg: &Leg, entry: CornerSpeed, exit: CornerSpeed) -> f64 {
    let Leg { length, speed, acceleration } = *leg;
    let (v0, v1) = (entry.plain, exit.plain);
    let (entry, exit) = (entry.squared, exit.squared);
    let peak_squared = acceleration * length + (entry + exit) / 2.0;
    if peak_squared <= speed * speed {
        let peak = peak_squared.sqrt();
        return ((peak - v0) + (peak - v1)).max(0.0) / acceleration;
    }
    let ramps = (2.0 * speed * speed - entry - exit) / (2.0 * acceleration);
    (2.0 * speed - v0 - v1) / acceleration + (length - ramps).max(0.0) / speed
}

#[cfg(test)]
mod tests {
    use super::*;

    fn planned(length: f64, entry: f64, exit: f64) -> PlannedBlock {
        let leg = Leg { length, speed: 100.0, acceleration: 1000.0 };
        let [entry, exit] = [entry, exit].map(|v| CornerSpeed::of_squared(v * v));
        PlannedBlock::new(leg, entry, exit)
    }

    fn near(a: f64, b: f64) -> bool {
        (a - b).abs() < 1e-9
    }

    #[test]
    fn a_long_block_speeds_up_runs_evenly_and_slows_down() {
        // v² = v0² + 2 a s: 5 mm up from standstill, (100² − 50²) / 2000 = 3.75 mm down to 50.
        let block = planned(100.0, 0.0, 50.0);
        let (up, down) = block.ramps();
        assert!(near(up, 5.0) && near(down, 3.75), "{up} {down}");
        for (place, speed) in [
            (-1.0, 0.0),
            (0.0, 0.0),
            (2.0, 4000.0_f64.sqrt()),
            (5.0, 100.0),
            (60.0, 100.0),
            (98.0, 6500.0_f64.sqrt()),
            (100.0, 50.0),
            (101.0, 50.0),
        ] {
            assert!(near(block.speed_at(place), speed), "{place}: {}", block.speed_at(place));
        }
        // 0.1 s up, 91.25 mm evenly, 0.05 s down.
        assert!(near(block.seconds, 0.1 + 0.9125 + 0.05), "{}", block.seconds);
        assert!(near(block.entry, 0.0) && near(block.exit, 50.0));
    }

    #[test]
    fn a_short_block_turns_before_it_is_at_its_speed() {
        // The peak: v² = a s + (v0² + v1²) / 2 = 4000 + 1450.
        let block = planned(4.0, 20.0, 50.0);
        let peak = 5450.0_f64.sqrt();
        let (up, down) = block.ramps();
        assert!(near(up, (5450.0 - 400.0) / 2000.0), "{up}");
        assert!(near(down, (5450.0 - 2500.0) / 2000.0), "{down}");
        assert!(near(up + down, 4.0) && near(block.speed_at(up), peak));
        assert!(near(block.speed_at(1.0), 2400.0_f64.sqrt()));
        assert!(near(block.speed_at(3.0), 4500.0_f64.sqrt()));
        assert!(near(block.seconds, (2.0 * peak - 20.0 - 50.0) / 1000.0), "{}", block.seconds);
    }

    #[test]
    fn a_block_that_only_slows_down_has_one_ramp() {
        // 100 to 60 takes (10000 − 3600) / 2000 = 3.2 mm.
        let (up, down) = planned(3.2, 100.0, 60.0).ramps();
        assert!(near(up, 0.0) && near(down, 3.2), "{up} {down}");
    }
}
