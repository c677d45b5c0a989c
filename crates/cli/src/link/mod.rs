//! Links to controllers: bytes there and back, and the clock that goes with them.

pub(crate) mod ask;
mod rig;
mod serial;
pub(crate) mod talk;
mod tcp;

pub(crate) use rig::{RigLink, pace, setup};

use crate::refusal::Refusal;
use std::io;
use std::time::Duration;
use tinkite_core::machine::Machine;
use tinkite_rig::Rig;
use tinkite_wire::Instant;

/// What a read brought.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Heard {
    /// This many bytes.
    Bytes(usize),
    /// Nothing, within the time.
    Nothing,
    /// The other end has gone.
    Closed,
}

/// A link that is open.
pub(crate) trait Link: Send {
    /// Sends all of it.
    fn send(&mut self, bytes: &[u8]) -> io::Result<()>;
    /// Waits at most `wait` for bytes.
    fn hear(&mut self, buffer: &mut [u8], wait: Duration) -> io::Result<Heard>;
    /// The time, from a zero of the link's own.
    fn now(&self) -> Instant;
    /// The simulated controller at the other end, when it lives in this process.
    fn rig(&self) -> Option<&Rig> {
        None
    }
    /// Whether its time is the clock's: nothing may hold it up then.
    fn is_real(&self) -> bool {
        true
    }
}

/// The link to a machine's controller: as asked for, or as its profile says.
pub(crate) fn name(asked: Option<&str>, machine: &Machine) -> Result<String, Refusal> {
    asked.map(str::to_string).or_else(|| machine.link.clone()).ok_or_else(|| {
        Refusal::Usage(
            "the machine's profile has no [link]; say --to rig:, tcp:HOST:PORT or serial:PORT@BAUD"
                .into(),
        )
    })
}

/// Opens a link by its name: `rig:`, `rig:PACE`, `tcp:HOST:PORT`, `serial:PORT@BAUD`.
/// `diameter` (mm) is that of what the machine's rotary holds, where it is in use.
pub(crate) fn open(
    name: &str,
    machine: &Machine,
    diameter: Option<f64>,
) -> Result<Box<dyn Link>, Refusal> {
    if let Some(rest) = name.strip_prefix("rig:") {
        let pace = pace(if rest.is_empty() { "max" } else { rest })?;
        return Ok(Box::new(RigLink::new(Rig::new(setup(machine, diameter)), pace)));
    }
    if let Some(address) = name.strip_prefix("tcp:") {
        return tcp::TcpLink::open(address).map(|link| Box::new(link) as Box<dyn Link>);
    }
    if let Some(port) = name.strip_prefix("serial:") {
        return serial::SerialLink::open(port).map(|link| Box::new(link) as Box<dyn Link>);
    }
    Err(Refusal::Usage(format!(
        "\"{name}\" is not a link: write rig:, tcp:HOST:PORT or serial:PORT@BAUD"
    )))
}

/// What a read of a port brought: nothing at all means that the other end has gone.
fn heard(read: io::Result<usize>) -> io::Result<Heard> {
    use io::ErrorKind::{Interrupted, TimedOut, WouldBlock};
    match read {
        Ok(0) => Ok(Heard::Closed),
        Ok(count) => Ok(Heard::Bytes(count)),
        Err(error) if matches!(error.kind(), WouldBlock | TimedOut | Interrupted) => {
            Ok(Heard::Nothing)
        }
        Err(error) => Err(error),
    }
}
