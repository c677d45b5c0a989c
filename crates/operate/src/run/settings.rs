//! What the controller says of its settings, held against the profile.

use tinkite_core::machine::{Dialect, Machine};
use tinkite_wire::Connected;

/// Settings of the controller that would make the program burn otherwise than planned.
pub(super) fn mismatch(connected: &Connected, machine: &Machine) -> Option<String> {
    let full = connected.settings.get(&30);
    if let Some(full) = full.filter(|full| (*full - machine.beam.full).abs() > 0.5) {
        return Some(format!(
            "the controller's full power is S{full} ($30) and the profile's is S{}: every power would be wrong; set one to the other",
            machine.beam.full
        ));
    }
    let constant = connected.settings.get(&32).is_some_and(|value| *value == 0.0);
    (machine.beam.follows_speed && constant).then(|| {
        "the controller is not in laser mode ($32=0) and the profile says follows-speed = true: the beam would burn at full power in corners; set $32=1, or follows-speed = false".to_string()
    })
}

/// What would have been held against the profile and is not told by the controller.
pub(super) fn unknown_settings(connected: &Connected, machine: &Machine) -> Option<String> {
    let wanted = [(30, true), (32, machine.beam.follows_speed)];
    let missing: Vec<String> = wanted
        .into_iter()
        .filter(|(key, matters)| *matters && !connected.settings.contains_key(key))
        .map(|(key, _)| format!("${key}"))
        .collect();
    (machine.dialect == Dialect::Grbl && !missing.is_empty()).then(|| {
        format!(
            "this controller does not tell {}: full power and laser mode are taken from the profile, unchecked",
            missing.join(" and ")
        )
    })
}
