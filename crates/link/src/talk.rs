//! The one loop between a session and a link.

use super::{Heard, Link};
use std::time::Duration;
use tinkite_machine::Dialect;
use tinkite_wire::{Event, Protocol, Session, Settings};

/// What the session's user wants is noticed at least this often.
const ATTENTION: Duration = Duration::from_millis(10);

/// Who has the session: a question to the controller, a run.
pub trait Host {
    /// What the talk comes to.
    type Outcome;
    /// Why it ends early.
    type Error;

    /// Called before bytes go out: hand over lines, stop.
    ///
    /// # Errors
    /// Whatever ends the talk.
    fn turn(&mut self, session: &mut Session, link: &dyn Link) -> Result<(), Self::Error>;

    /// Something happened. The talk ends with `Some`.
    ///
    /// # Errors
    /// Whatever ends the talk.
    fn event(
        &mut self,
        event: Event,
        session: &mut Session,
        link: &dyn Link,
    ) -> Result<Option<Self::Outcome>, Self::Error>;
}

/// The language in which a dialect is spoken.
fn protocol(dialect: Dialect) -> Protocol {
    match dialect {
        Dialect::Reprap => Protocol::Reprap,
        Dialect::Grbl | Dialect::Ngc => Protocol::Grbl,
    }
}

/// Talks over `link` until `host` has what it wants.
///
/// # Errors
/// Those of the host.
pub fn talk<H: Host>(
    link: &mut dyn Link,
    dialect: Dialect,
    settings: Settings,
    host: &mut H,
) -> Result<H::Outcome, H::Error> {
    let mut session = Session::new(protocol(dialect), settings, link.now());
    let mut outgoing = Vec::new();
    let mut incoming = [0; 4096];
    loop {
        host.turn(&mut session, link)?;
        outgoing.clear();
        if session.poll_transmit(&mut outgoing) && link.send(&outgoing).is_err() {
            session.handle_closed(link.now());
        }
        while let Some(event) = session.poll_event() {
            if let Some(outcome) = host.event(event, &mut session, link)? {
                return Ok(outcome);
            }
        }
        let now = link.now();
        let until = session.poll_timeout().map_or(0, |at| (at - now).0);
        match link.hear(&mut incoming, Duration::from_micros(until).min(ATTENTION)) {
            Ok(Heard::Bytes(count)) => session.handle_bytes(link.now(), &incoming[..count]),
            Ok(Heard::Nothing) => {}
            Ok(Heard::Closed) | Err(_) => session.handle_closed(link.now()),
        }
        if session.poll_timeout().is_some_and(|at| at <= link.now()) {
            session.handle_timeout(link.now());
        }
    }
}
