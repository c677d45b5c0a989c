//! `tinkite head zero`: the zero on the stock.

use super::calls::tell;
use crate::args::{HeadAxis, HeadZero};
use crate::console::Console;
use tinkite_core::machine::Machine;
use tinkite_files::refusal::Refusal;
use tinkite_operate::head::by_hand::{ByHand, Stands};
use tinkite_operate::head::moves::{THERE, ready, word};

pub(super) fn run(args: &HeadZero, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(&args.call.machine, args.call.to.as_deref())?;
    let axes = if args.axes.is_empty() { &[HeadAxis::X, HeadAxis::Y][..] } else { &args.axes };
    if args.clear {
        let stands = clear(&mut hand, axes)?;
        return tell(&hand, &stands, "the zero is the machine's own again", console);
    }
    let stands = set(&mut hand, axes)?;
    tell(&hand, &stands, "the zero on the stock is here", console)
}

/// The zero on the stock is where the head stands: of these axes.
///
/// # Errors
/// A machine without the axis, a `G92` that is in force, and a controller that does not tell the zero.
pub(super) fn set(hand: &mut ByHand, axes: &[HeadAxis]) -> Result<Stands, Refusal> {
    let named = |axis: HeadAxis| axes.contains(&axis);
    let words: String = [(HeadAxis::X, "X0"), (HeadAxis::Y, "Y0"), (HeadAxis::Z, "Z0")]
        .into_iter()
        .filter(|(axis, _)| named(*axis))
        .map(|(_, word)| word)
        .collect();
    let printer = hand.is_printer();
    let set = hand.carry_out(|machine, connected| {
        ready(connected)?;
        if named(HeadAxis::Z) && machine.z.is_none() {
            return Err(Refusal::Usage("this machine has no Z axis: nothing was sent".into()));
        }
        if printer {
            return Ok(vec![format!("G92 {}", words.replace('0', "0 ").trim_end())]);
        }
        if connected.offsets.get("G92").is_some_and(|shift| shift.iter().any(|d| d.abs() > THERE)) {
            return Err(Refusal::Link("a G92 is in force, which would move the zero again: take it back with tinkite head zero --clear; nothing was sent".into()));
        }
        Ok(vec![format!("G10L20P1{words}")])
    })?;
    if printer {
        return Ok(set);
    }
    // It is believed when the controller tells it.
    let told = hand.carry_out(|_, _| Ok(Vec::new()))?;
    let places = (told.position, told.connected.work_offset(Some("G54")));
    if let (Some(at), Some(zero)) = places {
        let missed = [(HeadAxis::X, 0), (HeadAxis::Y, 1), (HeadAxis::Z, 2)]
            .into_iter()
            .any(|(axis, n)| named(axis) && at[n].is_some_and(|at| (at - zero[n]).abs() > THERE));
        if missed {
            return Err(Refusal::Link(
                "the controller took the zero, and tells another: set it again".into(),
            ));
        }
    }
    Ok(Stands { dark: set.dark, ..told })
}

/// The zero on the stock is taken back: programs count from the machine's own zero again, of these axes.
///
/// # Errors
/// A board that keeps its zero otherwise, and a controller that tells another zero afterwards.
fn clear(hand: &mut ByHand, axes: &[HeadAxis]) -> Result<Stands, Refusal> {
    if hand.is_printer() {
        return Err(Refusal::Usage(
            "this board keeps its zero as a G92, and finds its own again when it is homed: tinkite head home; nothing was sent".into(),
        ));
    }
    let own = |machine: &Machine, axis: HeadAxis| match axis {
        HeadAxis::X => ('X', 0, machine.bed.offset.x),
        HeadAxis::Y => ('Y', 1, machine.bed.offset.y),
        HeadAxis::Z => ('Z', 2, 0.0),
    };
    let cleared = hand.carry_out(|machine, connected| {
        ready(connected)?;
        let words = axes.iter().map(|axis| own(machine, *axis));
        let words: String = words.map(|(letter, _, at)| format!("{letter}{}", word(at))).collect();
        Ok(vec!["G92.1".into(), format!("G21G10L2P1{words}")])
    })?;
    // It is believed when the controller tells it.
    let told = hand.carry_out(|_, _| Ok(Vec::new()))?;
    let machine = &hand.machine;
    let another = told.connected.work_offset(Some("G54")).is_some_and(|zero| {
        axes.iter().map(|axis| own(machine, *axis)).any(|(_, n, at)| (zero[n] - at).abs() > THERE)
    });
    if another {
        return Err(Refusal::Link(
            "the controller took the command, and tells another zero: look at its G54 and G92"
                .into(),
        ));
    }
    Ok(Stands { dark: cleared.dark, ..told })
}
