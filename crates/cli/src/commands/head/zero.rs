//! `tinkite head zero`: the zero on the stock.

use super::calls::tell;
use crate::args::{HeadAxis, HeadZero};
use crate::console::Console;
use tinkite_files::refusal::Refusal;
use tinkite_operate::head::by_hand::{ByHand, Stands};
use tinkite_operate::head::moves::{THERE, ready};

pub(super) fn run(args: &HeadZero, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(&args.call.machine, args.call.to.as_deref())?;
    let axes = if args.axes.is_empty() { &[HeadAxis::X, HeadAxis::Y][..] } else { &args.axes };
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
            return Err(Refusal::Link("a G92 is in force, which would move the zero again: take it back with G92.1, or reset the controller; nothing was sent".into()));
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
