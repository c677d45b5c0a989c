//! Asking a controller about itself, without moving anything.

use super::talk::{Host, talk};
use super::{Link, LinkError};
use tinkite_machine::Dialect;
use tinkite_wire::{Connected, Event, Outcome, Session, Settings};

/// What the controller at the other end says of itself. Nothing is started, nothing moves.
///
/// # Errors
/// A controller that does not answer, or that is locked.
pub fn ask(link: &mut dyn Link, dialect: Dialect) -> Result<Connected, LinkError> {
    talk(link, dialect, Settings::default(), &mut Question)
}

/// A talk that is over once the controller has said what it is.
struct Question;

impl Host for Question {
    type Outcome = Connected;
    type Error = LinkError;

    fn turn(&mut self, _session: &mut Session, _link: &dyn Link) -> Result<(), LinkError> {
        Ok(())
    }

    fn event(
        &mut self,
        event: Event,
        _session: &mut Session,
        _link: &dyn Link,
    ) -> Result<Option<Connected>, LinkError> {
        match event {
            Event::Connected(connected) => Ok(Some(connected)),
            Event::Ended { outcome: Outcome::Failed(failure), .. } => {
                Err(LinkError::Failed(failure))
            }
            Event::Ended { .. } => Err(LinkError::WentAway),
            Event::Status(_) | Event::Said(_) | Event::Touched(_) | Event::RunsOn(_) => Ok(None),
        }
    }
}
