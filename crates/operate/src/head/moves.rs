//! The lines that send the head somewhere with the beam off, and whether it arrived.

use super::by_hand::Stands;
use crate::beam;
use crate::place::{axes, beyond};
use tinkite_core::geometry::Point;
use tinkite_core::machine::{Dialect, Machine, Switch};
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_wire::Connected;

/// A head that stands nearer than this to where it was sent has arrived, mm: half a step of a coarse
/// motor.
pub const THERE: f64 = 0.05;

/// The head goes no faster by hand when nothing is said, mm/s.
pub const GENTLE: f64 = 100.0;

/// The head stands where it was sent: X, Y and Z on the machine's axes, as far as they were said.
pub fn arrived(
    target: (Option<f64>, Option<f64>, Option<f64>),
    stands: &Stands,
) -> Result<(), Refusal> {
    let Some(at) = stands.position else { return Ok(()) };
    let away = [(at[0], target.0), (at[1], target.1), (at[2], target.2)];
    let missed =
        away.iter().any(|(at, to)| at.zip(*to).is_some_and(|(at, to)| (at - to).abs() > THERE));
    if missed {
        let dark = beam::words(stands.dark);
        return Err(Refusal::Link(format!("the head did not arrive{dark}")));
    }
    Ok(())
}

/// The lines that take the head to places from the front left corner of the bed, one after the other,
/// with the beam off.
pub fn moves(machine: &Machine, places: &[Point], speed: Option<f64>) -> Vec<String> {
    let most = machine.slower_top_speed();
    let feed = feed(speed, most);
    let at = |place: &Point| {
        let at = axes(machine, *place);
        (word(at.x), word(at.y))
    };
    if machine.dialect == Dialect::Reprap {
        let moves = places.iter().map(at).map(|(x, y)| format!("G0 X{x} Y{y} F{feed}"));
        return [off(machine), "G21".into(), "G90".into()].into_iter().chain(moves).collect();
    }
    places.iter().map(at).map(|(x, y)| format!("$J=G90G21G53X{x}Y{y}F{feed}")).collect()
}

/// The lines that bring the focus to a height on the machine's axis, mm, within its range round its zero
/// on the stock.
pub fn lift(
    machine: &Machine,
    zero: f64,
    height: f64,
    speed: Option<f64>,
) -> Result<Vec<String>, Refusal> {
    let Some(axis) = &machine.z else {
        return Err(Refusal::Usage("this machine has no Z axis: nothing was sent".into()));
    };
    if let Some(beyond) = beyond(axis, height - zero) {
        return Err(Refusal::Usage(format!(
            "Z {} mm from its zero is {beyond}: nothing was sent",
            plain(height - zero, 2)
        )));
    }
    let (z, feed) = (word(height), feed(speed, axis.axis.top_speed));
    Ok(if machine.dialect == Dialect::Reprap {
        vec![off(machine), "G21".into(), "G90".into(), format!("G0 Z{z} F{feed}")]
    } else {
        vec![format!("$J=G90G21G53Z{z}F{feed}")]
    })
}

/// The feed of a move by hand, mm/min: gentle where nothing is said, and no faster than the axes can.
fn feed(speed: Option<f64>, most: f64) -> String {
    plain((60.0 * speed.unwrap_or(GENTLE).min(most)).max(1.0), 1)
}

/// A coordinate as it is written: thousandths, and no negative zero.
pub fn word(value: f64) -> String {
    plain((value * 1000.0).round() / 1000.0 + 0.0, 3)
}

/// A locked controller takes no move.
pub fn ready(connected: &Connected) -> Result<(), Refusal> {
    if connected.locked {
        let why = "the controller is locked by an alarm: head home, or head unlock when its position is known";
        return Err(Refusal::Link(why.into()));
    }
    Ok(())
}

/// What switches a printer board's beam off.
pub fn off(machine: &Machine) -> String {
    match machine.beam.switch {
        Switch::Lines => "M107".into(),
        Switch::Inline => "M5".into(),
    }
}
