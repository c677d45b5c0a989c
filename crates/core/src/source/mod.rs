//! The source: what it is, and from the power asked for to the level that an S word asks of it.
//!
//! A [`Level`] can only be made here, from a power that was held against ceiling and floor. What is
//! written into a program is a level, so nothing above the ceiling can be written.

pub mod table;

use crate::problem::Problem;
use crate::quantity::{Power, PowerSetpoint, plain};
use table::Table;

/// The source and the S values that drive it.
#[derive(Debug, Clone, PartialEq)]
pub struct Beam {
    /// S value at 100 %.
    pub full: f64,
    /// Lowest S value that lights the source.
    pub floor: f64,
    /// Highest power that may be asked for.
    pub ceiling: Power,
    /// Width of the spot, mm.
    pub width: f64,
    /// Whether the controller scales power by the actual speed (M4) or keeps it (M3).
    pub follows_speed: bool,
    /// How many levels the source tells apart from S0 to full, where that is known.
    pub levels: Option<u32>,
    /// What was measured at the source.
    pub table: Option<Table>,
    /// How a program switches it.
    pub switch: Switch,
}

/// How a program switches the source.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Switch {
    /// M3 or M4 to make it ready, an S word on each move, M5 at the end.
    Inline,
    /// A line of its own before the moves it is meant for: M106 S, and M107 for off.
    Lines,
}

/// A level of the source, as an S word says it: whole thousandths of S.
///
/// Never above the ceiling of the source it was made for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Level(u32);

impl Level {
    /// The beam off.
    pub const DARK: Self = Self(0);

    /// Its S value.
    #[must_use]
    pub fn s(self) -> f64 {
        f64::from(self.0) / 1000.0
    }

    /// Its S value in thousandths.
    #[must_use]
    pub fn thousandths(self) -> u32 {
        self.0
    }

    /// Whether it asks for any light.
    #[must_use]
    pub fn is_lit(self) -> bool {
        self.0 > 0
    }
}

/// Powers this much above the ceiling are the ceiling: what is left of sums and ratios.
const SLACK: f64 = 1e-9;

impl Beam {
    /// By how much S must change before the source, or the text of a program, can tell the
    /// difference: full over its levels, or the largest power of ten that is at most a thousandth
    /// of full. Lines of their own (M106) hold whole numbers.
    #[must_use]
    pub fn level_step(&self) -> f64 {
        let step = match self.levels {
            Some(levels) => self.full / f64::from(levels - 1),
            None => 10_f64.powf((self.full / 1000.0).log10().floor()),
        };
        match self.switch {
            Switch::Inline => step.max(0.001),
            Switch::Lines => step.max(1.0),
        }
    }

    /// Which of the source's levels an S value falls on, counted from 0.
    #[must_use]
    pub fn level_number(&self, s: f64) -> u32 {
        (s / self.level_step()).round() as u32
    }

    /// The level nearest to a power: S is proportional to power, `full` at 100 %. Never above the
    /// ceiling, and never dark where the power is not.
    ///
    /// # Errors
    /// `over-ceiling` above the machine's ceiling, `below-floor` where the source would not light.
    pub fn level(&self, power: Power) -> Result<Level, Problem> {
        if !power.0.is_finite() || power.0 > self.ceiling.0 + SLACK {
            return Err(Problem::error(
                "over-ceiling",
                format!("{power} is above the machine's ceiling of {}", self.ceiling),
                "ask for less power and go slower or in more passes; the ceiling stands in the machine profile",
            ));
        }
        let s = power.0 * self.full;
        if power.0 < 0.0 || s < self.floor - SLACK {
            let least = Power(self.floor / self.full);
            return Err(Problem::error(
                "below-floor",
                format!(
                    "{power} is S{}, and this source does not light below S{} ({least})",
                    plain(s, 1),
                    plain(self.floor, 1)
                ),
                "ask for more power and go faster, or leave the step out",
            ));
        }
        let step = self.level_step();
        let whole = |s: f64| (s / step + 1e-6).floor();
        // Lines of their own are never stronger than what was asked for.
        let nearest = match self.switch {
            Switch::Inline => (s / step).round(),
            Switch::Lines => whole(s),
        };
        let least = if s > 0.0 { (self.floor / step - 1e-6).ceil().max(1.0) } else { 0.0 };
        let most = whole(self.ceiling.0.min(1.0) * self.full);
        let number = nearest.max(least).min(most);
        if number < least {
            return Err(Problem::error(
                "below-floor",
                format!("{power} is less than one level of this source (S{})", plain(step, 3)),
                "ask for more power and go faster, or leave the step out",
            ));
        }
        // A tenth is enough where levels are farther apart; upwards, so that a source that cuts
        // off what is left over gives this level and not the one below.
        let decimal = if step >= 1.0 { 10.0 } else { 1000.0 };
        let most = (self.ceiling.0.min(1.0) * self.full * decimal + 1e-6).floor();
        let written = (number * step * decimal - 1e-6).ceil().min(most);
        Ok(Level((written * 1000.0 / decimal).round() as u32))
    }
}

/// The share of full that a power comes to on this machine, by its measured table.
///
/// # Errors
/// `no-table` for mA and W that the machine's table does not know.
pub fn share(beam: &Beam, asked: PowerSetpoint) -> Result<Power, Problem> {
    let (found, value, unit) = match asked {
        PowerSetpoint::Share(share) => return Ok(Power(share)),
        PowerSetpoint::Current(ma) => {
            (beam.table.as_ref().map(|t| t.share_for_current(ma)), ma, "mA")
        }
        PowerSetpoint::Watts(w) => (beam.table.as_ref().map(|t| t.share_for_watts(w)), w, "W"),
    };
    let why = match found {
        Some(Ok(share)) => return Ok(Power(share)),
        Some(Err(why)) => why,
        None => "the machine profile has no table".into(),
    };
    Err(Problem::error(
        "no-table",
        format!("{} {unit} cannot be turned into an S value: {why}", plain(value, 3)),
        "ask for percent, or measure the source and write table = [[\"10 %\", \"2.1 mA\", \"4 W\"], …] into [beam]",
    ))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn beam() -> Beam {
        Beam {
            full: 255.0,
            floor: 12.0,
            ceiling: Power(0.8),
            width: 0.1,
            follows_speed: false,
            levels: Some(256),
            table: None,
            switch: Switch::Inline,
        }
    }

    #[test]
    fn power_becomes_a_level_between_floor_and_ceiling() {
        let beam = beam();
        assert_eq!(share(&beam, PowerSetpoint::Share(0.4)).unwrap(), Power(0.4));
        assert_eq!(share(&beam, PowerSetpoint::Watts(3.0)).unwrap_err().code, "no-table");
        assert_eq!(beam.level(Power(0.4)).unwrap().s(), 102.0);
        assert_eq!(beam.level(Power(0.8)).unwrap().s(), 204.0);
        assert_eq!(beam.level(Power(0.801)).unwrap_err().code, "over-ceiling");
        assert_eq!(beam.level(Power(f64::NAN)).unwrap_err().code, "over-ceiling");
        let dark = beam.level(Power(0.04)).unwrap_err();
        assert_eq!(dark.code, "below-floor");
        assert!(
            dark.message.contains("S10.2") && dark.message.contains("4.7 %"),
            "{}",
            dark.message
        );
    }

    #[test]
    fn eight_bits_get_whole_numbers_and_small_scales_their_decimals() {
        assert_eq!(beam().level(Power(0.33)).unwrap().s(), 84.0);
        let small = Beam { full: 1.0, floor: 0.0, levels: None, ..beam() };
        assert_eq!(small.level(Power(0.3333)).unwrap().s(), 0.333);
        let large = Beam { full: 1000.0, floor: 0.0, levels: None, ..beam() };
        assert_eq!(large.level(Power(0.3333)).unwrap().s(), 333.0);
        let lines = Beam { switch: Switch::Lines, levels: None, ..beam() };
        assert_eq!(lines.level(Power(0.3333)).unwrap().s(), 84.0);
    }

    proptest! {
        #[test]
        fn no_level_is_above_the_ceiling_or_far_from_what_was_asked(
            full in 1.0..70_000.0f64,
            ceiling in 0.05..1.0f64,
            share in 0.0..1.0f64,
            levels in proptest::option::of(2u32..70_000),
            lines: bool,
        ) {
            let switch = if lines { Switch::Lines } else { Switch::Inline };
            let beam = Beam { full, ceiling: Power(ceiling), floor: 0.0, levels, switch, ..beam() };
            if let Ok(level) = beam.level(Power(ceiling * share)) {
                prop_assert!(level.s() <= ceiling * full + 0.0006, "{level:?}");
                let off = (level.s() - ceiling * share * full).abs();
                prop_assert!(off <= beam.level_step() + 0.001, "{level:?} {off}");
            }
            prop_assert!(beam.level(Power(ceiling * 1.001 + 1e-6)).is_err());
        }
    }
}
