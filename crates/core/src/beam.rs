//! The beam: from the power asked for to the S value that asks the source for it.

use crate::job::machine::Beam;
use crate::problem::Problem;
use crate::quantity::{Power, SValue, plain};

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
        };
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
