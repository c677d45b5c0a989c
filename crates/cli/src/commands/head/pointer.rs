//! `tinkite head pointer`: a beam that marks nothing, where the head stands.

use super::calls::tell;
use crate::args::HeadPointer;
use crate::console::Console;
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_operate::head::by_hand::ByHand;
use tinkite_operate::head::moves::ready;
use tinkite_operate::head::pointer::{lines, means_the_same, missing};

pub(super) fn run(args: &HeadPointer, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(&args.call.machine, args.call.to.as_deref())?;
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
        means_the_same(machine, connected)?;
        lines(machine, seconds)
    })?;
    tell(&hand, &stands, "the pointer was lit here", console)
}
