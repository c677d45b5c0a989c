//! Links to controllers: bytes there and back, and the clock that goes with them.

pub mod ask;
mod error;
mod rig;
mod serial;
pub mod talk;
mod tcp;

pub use error::LinkError;
pub use rig::{RigLink, Stand, pace, setup};

use std::io;
use std::time::Duration;
use tinkite_machine::Machine;
use tinkite_rig::Rig;
use tinkite_wire::Instant;

/// What a read brought.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Heard {
    /// This many bytes.
    Bytes(usize),
    /// Nothing, within the time.
    Nothing,
    /// The other end has gone.
    Closed,
}

/// A link that is open.
pub trait Link: Send {
    /// Sends all of it.
    ///
    /// # Errors
    /// What the system says.
    fn send(&mut self, bytes: &[u8]) -> io::Result<()>;
    /// Waits at most `wait` for bytes.
    ///
    /// # Errors
    /// What the system says.
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
///
/// # Errors
/// Neither says one.
pub fn name(asked: Option<&str>, machine: &Machine) -> Result<String, LinkError> {
    asked.map(str::to_string).or_else(|| machine.link.clone()).ok_or(LinkError::NoLink)
}

/// Whether a link leads to the simulated controller in this process, which nothing on a bench follows.
#[must_use]
pub fn is_simulated(name: &str) -> bool {
    name.starts_with("rig:")
}

/// Opens a link by its name: `rig:`, `rig:PACE`, `tcp:HOST:PORT`, `serial:PORT@BAUD`.
/// `diameter` (mm) is that of what the machine's rotary holds, where it is in use.
///
/// # Errors
/// A name that is no link, or what keeps it from being opened.
pub fn open(
    name: &str,
    machine: &Machine,
    diameter: Option<f64>,
) -> Result<Box<dyn Link>, LinkError> {
    open_standing(name, machine, diameter, Stand::default())
}

/// The same, where a simulated controller stands so.
///
/// # Errors
/// As [`open`].
pub fn open_standing(
    name: &str,
    machine: &Machine,
    diameter: Option<f64>,
    stand: Stand,
) -> Result<Box<dyn Link>, LinkError> {
    if let Some(rest) = name.strip_prefix("rig:") {
        let pace = pace(if rest.is_empty() { "max" } else { rest })?;
        return Ok(Box::new(RigLink::new(stand.rig(machine, diameter), pace)));
    }
    if let Some(address) = name.strip_prefix("tcp:") {
        return tcp::TcpLink::open(address).map(|link| Box::new(link) as Box<dyn Link>);
    }
    if let Some(port) = name.strip_prefix("serial:") {
        return serial::SerialLink::open(port).map(|link| Box::new(link) as Box<dyn Link>);
    }
    Err(LinkError::NotALink(name.into()))
}

/// What a read of a port brought: nothing at all means that the other end has gone.
fn hear(read: io::Result<usize>) -> io::Result<Heard> {
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
