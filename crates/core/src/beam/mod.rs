//! The beam: from the power asked for to the S value that asks the source for it.

pub mod check;
pub mod ramp;
pub mod table;

use crate::job::machine::Beam;
use crate::problem::Problem;
use crate::quantity::{Asked, Power, SValue, plain};

/// The share of full that a power comes to on this machine, by its measured table.
///
/// # Errors
/// `no-table` for mA and W that the machine's table does not know.
pub fn share(beam: &Beam, asked: Asked) -> Result<Power, Problem> {
    let (found, value, unit) = match asked {
        Asked::Share(share) => return Ok(Power(share)),
        Asked::Current(ma) => (beam.table.as_ref().map(|t| t.share_for_current(ma)), ma, "mA"),
        Asked::Watts(w) => (beam.table.as_ref().map(|t| t.share_for_watts(w)), w, "W"),
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

/// By how much S must change before the source can tell the difference.
#[must_use]
pub fn level_step(beam: &Beam) -> f64 {
    beam.levels.map_or(1.0, |levels| beam.full / f64::from(levels - 1))
}

/// Which of the source's levels an S value falls on, where the machine says how many there are.
#[must_use]
pub fn level(beam: &Beam, s: SValue) -> Option<u32> {
    beam.levels.map(|_| (s.0 / level_step(beam)).round() as u32)
}

/// The S value for a power: S is proportional to power, `full` at 100 %.
///
/// # Errors
/// `over-ceiling` above the machine's ceiling, `below-floor` where the source would not light.
pub fn s_value(beam: &Beam, power: Power) -> Result<SValue, Problem> {
    if power.0 > beam.ceiling.0 + 1e-12 {
        return Err(Problem::error(
            "over-ceiling",
            format!("{power} is above the machine's ceiling of {}", beam.ceiling),
            "ask for less power and go slower or in more passes; the ceiling stands in the machine profile",
        ));
    }
    let s = power.0 * beam.full;
    if s < beam.floor {
        let least = Power(beam.floor / beam.full);
        return Err(Problem::error(
            "below-floor",
            format!(
                "{power} is S{}, and this source does not light below S{} ({least})",
                plain(s, 1),
                plain(beam.floor, 1)
            ),
            "ask for more power and go faster, or leave the step out",
        ));
    }
    Ok(SValue(s))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn power_becomes_s_between_floor_and_ceiling() {
        let beam = Beam {
            full: 255.0,
            floor: 12.0,
            ceiling: Power(0.8),
            width: 0.1,
            follows_speed: false,
            levels: Some(256),
            table: None,
            switch: crate::job::machine::Switch::Inline,
        };
        assert_eq!(level(&beam, s_value(&beam, Power(0.4)).unwrap()), Some(102));
        assert_eq!(share(&beam, Asked::Share(0.4)).unwrap(), Power(0.4));
        assert_eq!(share(&beam, Asked::Watts(3.0)).unwrap_err().code, "no-table");
        assert_eq!(s_value(&beam, Power(0.4)).unwrap(), SValue(102.0));
        assert_eq!(s_value(&beam, Power(0.8)).unwrap(), SValue(204.0));
        assert_eq!(s_value(&beam, Power(0.801)).unwrap_err().code, "over-ceiling");
        let dark = s_value(&beam, Power(0.04)).unwrap_err();
        assert_eq!(dark.code, "below-floor");
        assert!(
            dark.message.contains("S10.2") && dark.message.contains("4.7 %"),
            "{}",
            dark.message
        );
    }
}
