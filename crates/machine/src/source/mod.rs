//! The source: what it is, and from the power asked for to the level that an S word asks of it.
//!
//! A [`Level`] can only be made here, from a power that was held against ceiling and floor. What is
//! written into a program is a level, so nothing above the ceiling can be written.

pub mod table;

use table::Table;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Power, PowerSetpoint, plain};

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
    /// Whether the operator accepts that a constant beam burns on where the head stands, when lines stop
    /// coming.
    pub constant_accepted: bool,
    /// A level that is harmless to look for, where it was found.
    pub pointer: Option<Pointer>,
    /// How many levels the source tells apart from S0 to full, where that is known.
    pub levels: Option<u32>,
    /// What was measured at the source.
    pub table: Option<Table>,
    /// How a program switches it.
    pub switch: Switch,
}

/// A beam so weak that it marks nothing and shows where it falls.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pointer {
    /// Its power: between the floor and 2 %.
    pub power: Power,
    /// It is lit for so long at most, s.
    pub seconds: f64,
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

    /// Its levels, ready to be looked up.
    #[must_use]
    pub fn scale(&self) -> Scale {
        let step = self.level_step();
        // Read back it is the same level: a tenth is enough where levels are farther apart.
        let decimal = if step >= 1.0 { 10.0 } else { 1000.0 };
        let most = self.ceiling.0.min(1.0) * self.full;
        Scale {
            full: self.full,
            floor: self.floor,
            ceiling: self.ceiling,
            step,
            least: (self.floor / step - 1e-6).ceil().max(1.0),
            most: (most / step + 1e-6).floor(),
            nearest: self.switch == Switch::Inline,
            decimal,
            written_most: (most * decimal + 1e-6).floor(),
        }
    }

    /// The level nearest to a power; see [`Scale::level`].
    ///
    /// # Errors
    /// As [`Scale::level`].
    pub fn level(&self, power: Power) -> Result<Level, Problem> {
        self.scale().level(power).map_err(|problem| self.measured(problem, power))
    }

    /// What was measured at a power, to stand behind it: `20 mA, 40 W`; empty where nothing was.
    #[must_use]
    pub fn readings(&self, power: Power) -> String {
        let Some(table) = &self.table else { return String::new() };
        let current = table.current(power.0).map(|current| format!("{} mA", plain(current, 1)));
        let watts = table.watts(power.0).map(|watts| format!("{} W", plain(watts, 1)));
        [current, watts].into_iter().flatten().collect::<Vec<_>>().join(", ")
    }

    /// A problem with a power, in what its source was measured in as well.
    #[must_use]
    pub fn measured(&self, problem: Problem, power: Power) -> Problem {
        let words = |power: Power| {
            let readings = self.readings(power);
            // Beyond the last reading nothing is known.
            let known = self.table.as_ref().is_some_and(|table| power.0 <= table.last() + SLACK);
            if known && !readings.is_empty() {
                format!("{power} ({readings})")
            } else {
                power.to_string()
            }
        };
        if problem.code != Code::OverCeiling || self.table.is_none() {
            return problem;
        }
        let message =
            format!("{} is above the machine's ceiling of {}", words(power), words(self.ceiling));
        Problem { message, ..problem }
    }
}

/// The levels of a source, ready to be looked up.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scale {
    full: f64,
    floor: f64,
    ceiling: Power,
    /// S from one level to the next.
    step: f64,
    /// Numbers of the lowest lit level and of the highest that may be asked for.
    least: f64,
    most: f64,
    /// Whether a power is rounded to the nearest level, not to the one below.
    nearest: bool,
    /// How many parts of S are written, and the most of them.
    decimal: f64,
    written_most: f64,
}

impl Scale {
    /// By how much power must change for another level, as a share of full.
    #[must_use]
    pub fn share_of_level(&self) -> f64 {
        self.step / self.full
    }

    /// The level nearest to a power: S is proportional to power, full at 100 %. Never above the
    /// ceiling, and never dark where the power is not.
    ///
    /// # Errors
    /// `over-ceiling` above the machine's ceiling, `below-floor` where the source would not light.
    pub fn level(&self, power: Power) -> Result<Level, Problem> {
        let s = power.0 * self.full;
        if !power.0.is_finite() || power.0 > self.ceiling.0 + SLACK {
            return Err(self.over_ceiling(power));
        }
        if power.0 < 0.0 || s < self.floor - SLACK {
            return Err(self.below_floor(power));
        }
        // Lines of their own are never stronger than what was asked for.
        let number = s / self.step;
        let number = if self.nearest { number.round() } else { (number + 1e-6).floor() };
        let least = if s > 0.0 { self.least } else { 0.0 };
        let number = number.max(least).min(self.most);
        if number < least {
            return Err(Problem::error(
                Code::BelowFloor,
                format!("{power} is less than one level of this source (S{})", plain(self.step, 3)),
                "ask for more power and go faster, or leave the step out",
            ));
        }
        // Upwards, so that a source that cuts off what is left over gives this level and not the
        // one below.
        let written = (number * self.step * self.decimal - 1e-6).ceil().min(self.written_most);
        Ok(Level((written * 1000.0 / self.decimal).round() as u32))
    }

    fn over_ceiling(&self, power: Power) -> Problem {
        Problem::error(
            Code::OverCeiling,
            format!(
                "{power} (S{}) is above the machine's ceiling of {} (S{})",
                plain(power.0 * self.full, 1),
                self.ceiling,
                plain(self.ceiling.0 * self.full, 1)
            ),
            "ask for less power and go slower or in more passes; the ceiling stands in the machine profile",
        )
    }

    fn below_floor(&self, power: Power) -> Problem {
        let least = Power(self.floor / self.full);
        Problem::error(
            Code::BelowFloor,
            format!(
                "{power} is S{}, and this source does not light below S{} ({least})",
                plain(power.0 * self.full, 1),
                plain(self.floor, 1)
            ),
            "ask for more power and go faster, or leave the step out",
        )
    }
}

/// The share of full that a power comes to on this machine, by its measured table.
///
/// # Errors
/// `no-table` for mA and W that the machine's table does not know.
pub fn share(beam: &Beam, asked: PowerSetpoint) -> Result<Power, Problem> {
    let (found, value, unit) = match asked {
        PowerSetpoint::Share(share) => return Ok(Power(share)),
        PowerSetpoint::Level(s) => return Ok(Power(s / beam.full)),
        PowerSetpoint::Current(ma) => {
            (beam.table.as_ref().map(|t| t.share_for_current(ma)), ma, "mA")
        }
        PowerSetpoint::Watts(w) => (beam.table.as_ref().map(|t| t.share_for_watts(w)), w, "W"),
    };
    let why = match found {
        Some(Ok(share)) => return Ok(Power(share)),
        Some(Err(why)) => why.to_string(),
        None => "the machine profile has no table".into(),
    };
    Err(Problem::error(
        Code::NoTable,
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
            constant_accepted: true,
            pointer: None,
            levels: Some(256),
            table: None,
            switch: Switch::Inline,
        }
    }

    #[test]
    fn power_becomes_a_level_between_floor_and_ceiling() {
        let beam = beam();
        assert_eq!(share(&beam, PowerSetpoint::Share(0.4)).unwrap(), Power(0.4));
        assert_eq!(share(&beam, PowerSetpoint::Watts(3.0)).unwrap_err().code.text(), "no-table");
        assert_eq!(beam.level(Power(0.4)).unwrap().s(), 102.0);
        assert_eq!(beam.level(Power(0.8)).unwrap().s(), 204.0);
        assert_eq!(beam.level(Power(0.801)).unwrap_err().code.text(), "over-ceiling");
        assert_eq!(beam.level(Power(f64::NAN)).unwrap_err().code.text(), "over-ceiling");
        let dark = beam.level(Power(0.04)).unwrap_err();
        assert_eq!(dark.code.text(), "below-floor");
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

    #[test]
    fn no_power_is_dark_and_the_least_is_lit() {
        let beam = Beam { floor: 0.0, ..beam() };
        assert!(!beam.level(Power(0.0)).unwrap().is_lit());
        assert_eq!(beam.level(Power(0.0001)).unwrap().s(), 1.0);
        assert_eq!(beam.level(Power(-0.001)).unwrap_err().code.text(), "below-floor");
        assert!((beam.scale().share_of_level() - 1.0 / 255.0).abs() < 1e-12);
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
