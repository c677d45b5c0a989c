//! Asking a controller about itself, without moving anything.

use super::{Heard, Link};
use crate::refusal::Refusal;
use std::time::Duration;
use tinkite_core::job::machine::Dialect;
use tinkite_wire::{Connected, Event, Outcome, Protocol, Session, Settings};

/// The language in which a dialect is spoken.
pub(crate) fn protocol(dialect: Dialect) -> Protocol {
    match dialect {
        Dialect::Reprap => Protocol::Reprap,
        Dialect::Grbl | Dialect::Ngc => Protocol::Grbl,
    }
}

/// What the controller at the other end says of itself. Nothing is started, nothing moves.
///
/// # Errors
/// A controller that does not answer, or that is locked.
pub(crate) fn ask(link: &mut dyn Link, dialect: Dialect) -> Result<Connected, Refusal> {
    let mut session = Session::new(protocol(dialect), Settings::default(), link.now());
    let mut incoming = [0; 4096];
    loop {
        let mut outgoing = Vec::new();
        if session.poll_transmit(&mut outgoing) && link.send(&outgoing).is_err() {
            session.handle_closed(link.now());
        }
        while let Some(event) = session.poll_event() {
            match event {
                Event::Connected(connected) => return Ok(connected),
                Event::Ended { outcome: Outcome::Failed(failure), .. } => {
                    return Err(Refusal::Link(failure.to_string()));
                }
                Event::Ended { .. } => {
                    return Err(Refusal::Link("the controller went away".into()));
                }
                Event::Status(_) | Event::Said(_) => {}
            }
        }
        let now = link.now();
        let until = session.poll_timeout().map_or(0, |at| (at - now).0);
        match link.hear(&mut incoming, Duration::from_micros(until).min(Duration::from_millis(50)))
        {
            Ok(Heard::Bytes(count)) => session.handle_bytes(link.now(), &incoming[..count]),
            Ok(Heard::Nothing) => {}
            Ok(Heard::Closed) | Err(_) => session.handle_closed(link.now()),
        }
        if session.poll_timeout().is_some_and(|at| at <= link.now()) {
            session.handle_timeout(link.now());
        }
    }
}
