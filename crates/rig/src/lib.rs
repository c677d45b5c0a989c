//! A simulated controller: the stand-in for a laser on the bench.
//!
//! A [`Rig`] is a value that is stepped: bytes go in ([`Rig::receive`]), simulated time goes by
//! ([`Rig::advance`]), bytes come out ([`Rig::take_output`]). It speaks the public `grbl` interface,
//! plans motion with acceleration and corner speeds in a queue of limited length as a real board
//! does, and keeps what the beam did ([`Record`]).
//!
//! It reads programs as a controller does, with a reader and a planner of its own: nothing here is
//! shared with what writes the programs, so that a mistake made there shows here.
//!
//! With [`Trouble`] it misbehaves, from a seed.
//!
//! [`shell`] puts it on a TCP port or a pseudo-terminal.

mod axes;
mod gcode;
mod modal_groups;
mod motion;
mod offsets;
mod planner;
mod record;
mod rig;
mod settings;
pub mod shell;
mod trouble;

pub use record::{Mark, Record};
pub use rig::Rig;
pub use settings::{Banner, Protocol, Setup, Ways};
pub use trouble::{Fault, FaultSite, NoFault, Trouble};
