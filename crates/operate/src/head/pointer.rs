//! The pointer: a beam that marks nothing, where the head stands.

use tinkite_core::machine::{Machine, Switch};
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_wire::Connected;

/// The controller must make of an S value what the profile does: with another full power a weak beam
/// burns, and outside laser mode it burns on where the head stands.
///
/// # Errors
/// Another full power (`$30`), or no laser mode (`$32`).
pub fn means_the_same(machine: &Machine, connected: &Connected) -> Result<(), Refusal> {
    let said = |key: u16| connected.settings.get(&key).copied();
    if let Some(full) = said(30).filter(|full| (full - machine.beam.full).abs() > 0.5) {
        return Err(Refusal::Link(format!(
            "the controller takes S {} for full power ($30), and the profile {}: the pointer would burn; nothing was sent",
            plain(full, 1),
            plain(machine.beam.full, 1)
        )));
    }
    if said(32) == Some(0.0) {
        return Err(Refusal::Link(
            "the controller is not in laser mode ($32=0), in which its beam burns on where the head stands: set $32=1; nothing was sent"
                .into(),
        ));
    }
    Ok(())
}

/// A machine that has none.
#[must_use]
pub fn missing() -> Refusal {
    Refusal::Usage(
        "this machine has no pointer: find on scrap what marks nothing, and write pointer = \"0.8 %\" into [beam]; nothing was sent"
            .into(),
    )
}

/// For how many seconds the pointer is lit, and the lines that do it.
pub fn lit(machine: &Machine) -> Result<(f64, Vec<String>), Refusal> {
    let seconds = machine.beam.pointer.ok_or_else(missing)?.seconds;
    Ok((seconds, lines(machine, seconds)?))
}

/// The lines that light it for so many seconds. All of it is sent at once: the controller itself puts the beam out, whatever becomes of us.
pub fn lines(machine: &Machine, seconds: f64) -> Result<Vec<String>, Refusal> {
    let beam = &machine.beam;
    let power = beam.pointer.map_or(0.0, |pointer| pointer.power.0);
    let level = beam
        .level(tinkite_core::quantity::Power(power))
        .map_err(|problem| Refusal::Usage(problem.message))?;
    let s = plain(level.s(), 3);
    Ok(match beam.switch {
        Switch::Lines => {
            let ms = (seconds * 1000.0).round();
            vec![format!("M106 S{s}"), format!("G4 P{ms}"), "M107".into()]
        }
        // In a laser mode the beam is lit at standstill where a feed move is the motion in force.
        Switch::Inline => {
            let time = plain(seconds, 3);
            ["G21".into(), "G1F600".into(), format!("M3S{s}"), format!("G4P{time}"), "M5S0".into()]
                .to_vec()
        }
    })
}
