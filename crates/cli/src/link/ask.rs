//! Asking a controller about itself, without moving anything.

use super::Link;
use super::talk::{Host, talk};
use crate::refusal::Refusal;
use tinkite_core::machine::Dialect;
use tinkite_wire::{Connected, Event, Outcome, Session, Settings};

/// What the controller at the other end says of itself. Nothing is started, nothing moves.
///
/// # Errors
/// A controller that does not answer, or that is locked.
pub(crate) fn ask(link: &mut dyn Link, dialect: Dialect) -> Result<Connected, Refusal> {
    talk(link, dialect, Settings::default(), &mut Question)
}

/// A talk that is over once the controller has said what it is.
struct Question;

impl Host for Question {
    type Outcome = Connected;

    fn turn(&mut self, _session: &mut Session, _link: &dyn Link) -> Result<(), Refusal> {
        Ok(())
    }

    fn event(
        &mut self,
        event: Event,
        _session: &mut Session,
        _link: &dyn Link,
    ) -> Result<Option<Connected>, Refusal> {
        match event {
            Event::Connected(connected) => Ok(Some(connected)),
            Event::Ended { outcome: Outcome::Failed(failure), .. } => {
                Err(Refusal::Link(failure.to_string()))
            }
            Event::Ended { .. } => Err(Refusal::Link("the controller went away".into())),
            Event::Status(_) | Event::Said(_) | Event::Touched(_) => Ok(None),
        }
    }
}
