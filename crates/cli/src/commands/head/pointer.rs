//! `tinkite head pointer`: a beam that marks nothing, where the head stands.

use super::by_hand::ByHand;
use super::calls::{ready, tell};
use crate::args::HeadPointer;
use crate::console::Console;
use crate::refusal::Refusal;
use tinkite_core::job::Machine;
use tinkite_core::job::machine::Switch;
use tinkite_core::quantity::plain;

pub(super) fn run(args: &HeadPointer, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(&args.call)?;
    let pointer = hand.machine.beam.pointer.ok_or_else(missing)?;
    let seconds = args.seconds.unwrap_or(pointer.seconds);
    if seconds > pointer.seconds {
        return Err(Refusal::Usage(format!(
            "the pointer of this machine is lit for {} s at most (pointer-for in [beam]); nothing was sent",
            plain(pointer.seconds, 1)
        )));
    }
    console.say(&format!(
        "the pointer is lit at {} for {} s; Ctrl-C puts it out",
        pointer.power,
        plain(seconds, 1)
    ));
    let stands = hand.carry_out(|machine, connected| {
        ready(connected)?;
        lines(machine, seconds)
    })?;
    tell(&hand, &stands, "the pointer was lit here", console)
}

fn missing() -> Refusal {
    Refusal::Usage(
        "this machine has no pointer: find on scrap what marks nothing, and write pointer = \"0.8 %\" into [beam]; nothing was sent"
            .into(),
    )
}

/// For how many seconds the pointer is lit, and the lines that do it.
pub(super) fn lit(machine: &Machine) -> Result<(f64, Vec<String>), Refusal> {
    let seconds = machine.beam.pointer.ok_or_else(missing)?.seconds;
    Ok((seconds, lines(machine, seconds)?))
}

/// All of it is sent at once: the controller itself puts the beam out, whatever becomes of us.
fn lines(machine: &Machine, seconds: f64) -> Result<Vec<String>, Refusal> {
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
