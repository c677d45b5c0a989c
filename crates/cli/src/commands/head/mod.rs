//! `tinkite head`: the machine by hand.

pub(super) mod calls;
mod dark;
mod focus;
mod mark;
pub(super) mod moves;
mod panel;
pub(super) mod pointer;
mod zero;

use crate::args::{HeadCommand, HeadPanel};
use crate::console::Console;
use tinkite_files::refusal::Refusal;

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
        HeadCommand::Zero(args) => zero::run(args, console),
        HeadCommand::Go(args) => moves::go(args, console),
        HeadCommand::Move(args) => moves::move_by(args, console),
        HeadCommand::Free(args) => calls::free(args, console),
        HeadCommand::Focus(args) => focus::run(args, console),
        HeadCommand::Mark(args) => mark::run(args, console),
        HeadCommand::Pointer(args) => pointer::run(args, console),
        HeadCommand::Dark(args) => dark::run(args, console),
    }
}
