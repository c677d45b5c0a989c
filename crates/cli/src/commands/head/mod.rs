//! `tinkite head`: the machine by hand.

pub(super) mod by_hand;
pub(super) mod calls;
mod dark;
mod drive;
mod panel;
mod pointer;

use crate::args::{HeadCommand, HeadPanel};
use crate::console::Console;
use crate::refusal::Refusal;

pub(super) fn run(
    command: Option<&HeadCommand>,
    panel: &HeadPanel,
    console: &Console,
) -> Result<(), Refusal> {
    let Some(command) = command else { return panel::run(panel, console) };
    match command {
        HeadCommand::Where(args) => calls::whereabouts(args, console),
        HeadCommand::Home(args) => calls::home(args, console),
        HeadCommand::Unlock(args) => calls::unlock(args, console),
        HeadCommand::Zero(args) => calls::zero(args, console),
        HeadCommand::Go(args) => calls::go(args, console),
        HeadCommand::Move(args) => calls::move_by(args, console),
        HeadCommand::Pointer(args) => pointer::run(args, console),
        HeadCommand::Dark(args) => dark::run(args, console),
    }
}
