//! What the operator has changed of speed and power while a program runs.

use tinkite_machine::source::Beam;
use tinkite_wire::{Adjust, Status};

/// A change is in force, and told where it is told at all, by so many statuses behind it.
const SETTLED: u32 = 3;
/// The controller's own step, %.
const STEP: f64 = 10.0;

/// Speed and power as they are in force, % of the program's.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Overrides {
    /// Feed, as it was told or ordered.
    pub speed: f64,
    /// Power, as it was told or ordered.
    pub power: f64,
    /// What power may be at most: a step down counts once it was told.
    most_power: f64,
    /// Statuses since the last order.
    since: u32,
}

impl Default for Overrides {
    /// As behind a reset.
    fn default() -> Self {
        Self { speed: 100.0, power: 100.0, most_power: 100.0, since: SETTLED }
    }
}

impl Overrides {
    /// A status came. What it tells beside what was ordered is believed once it cannot have been asked
    /// for before.
    pub fn status(&mut self, status: &Status) {
        self.since = self.since.saturating_add(1);
        let Some([speed, _, power]) = status.overrides else { return };
        if self.since >= SETTLED {
            (self.speed, self.power) = (speed, power);
        }
        let agreed = power == self.power;
        self.most_power = if agreed { power } else { self.most_power.max(power) };
    }

    /// Whether this may be ordered: no power of the program, `s` at most, comes above the ceiling.
    #[must_use]
    pub fn may(&self, adjust: Adjust, s: f64, beam: &Beam) -> bool {
        let most = beam.full * beam.ceiling.0.min(1.0);
        adjust != Adjust::Stronger || s * (self.most_power + STEP) / 100.0 <= most * (1.0 + 1e-9)
    }

    /// It was ordered.
    pub fn ordered(&mut self, adjust: Adjust) {
        self.since = 0;
        let step = |value: f64, by: f64| (value + by).clamp(STEP, 200.0);
        match adjust {
            Adjust::Faster => self.speed = step(self.speed, STEP),
            Adjust::Slower => self.speed = step(self.speed, -STEP),
            Adjust::FullSpeed => self.speed = 100.0,
            Adjust::Stronger => self.power = step(self.power, STEP),
            Adjust::Weaker => self.power = step(self.power, -STEP),
            Adjust::FullPower => self.power = 100.0,
        }
        if adjust == Adjust::Stronger {
            self.most_power = step(self.most_power, STEP);
        }
        if adjust == Adjust::FullPower {
            self.most_power = self.most_power.max(100.0);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_base::quantity::Power;
    use tinkite_machine::source::Switch;
    use tinkite_wire::Message;

    fn beam(ceiling: f64) -> Beam {
        Beam {
            full: 1000.0,
            floor: 0.0,
            ceiling: Power(ceiling),
            width: 0.1,
            follows_speed: true,
            constant_accepted: false,
            pointer: None,
            levels: None,
            table: None,
            switch: Switch::Inline,
        }
    }

    fn read(overrides: &mut Overrides, text: &str) {
        let line = format!("<Run|MPos:0,0,0|FS:600,500{text}>");
        let Message::Status(status) = Message::parse(&line) else { unreachable!("{line}") };
        overrides.status(&status);
    }

    #[test]
    fn power_never_comes_above_the_ceiling_whatever_is_lost_on_the_way() {
        let beam = beam(0.6);
        let mut now = Overrides::default();
        // S500 of 1000: 120 % is the ceiling of 60 %.
        for _ in 0..2 {
            assert!(now.may(Adjust::Stronger, 500.0, &beam));
            now.ordered(Adjust::Stronger);
        }
        assert!(!now.may(Adjust::Stronger, 500.0, &beam));
        // A step down that was only ordered makes no room for a step up.
        now.ordered(Adjust::Weaker);
        assert!(!now.may(Adjust::Stronger, 500.0, &beam));
        (0..5).for_each(|_| read(&mut now, ""));
        assert!(!now.may(Adjust::Stronger, 500.0, &beam));
        read(&mut now, "|Ov:100,100,110");
        assert_eq!(now.power, 110.0);
        assert!(now.may(Adjust::Stronger, 500.0, &beam));
        assert!(!now.may(Adjust::Stronger, 550.0, &beam));
        // Somebody turns it up at the machine.
        read(&mut now, "|Ov:80,100,130");
        assert_eq!((now.speed, now.power), (80.0, 130.0));
        assert!(!now.may(Adjust::Stronger, 500.0, &beam));
        for down in [Adjust::Weaker, Adjust::FullPower, Adjust::Faster, Adjust::Slower] {
            assert!(now.may(down, 500.0, &beam));
        }
    }
}
