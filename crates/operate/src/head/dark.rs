//! The beam is put out, whoever lit it.

use tinkite_core::machine::Machine;
use tinkite_files::refusal::Refusal;
use tinkite_link::Link;
use tinkite_link::talk::{Host, talk};
use tinkite_wire::{Dark, Event, Session, Settings};

/// Puts the beam out, and says what was seen of it.
///
/// # Errors
/// A link that breaks.
pub fn darken(link: &mut dyn Link, machine: &Machine) -> Result<Dark, Refusal> {
    talk(link, machine.dialect, Settings::default(), &mut Darkening)
}

/// A talk that is over once the machine is dark.
struct Darkening;

impl Host for Darkening {
    type Outcome = Dark;
    type Error = Refusal;

    fn turn(&mut self, session: &mut Session, link: &dyn Link) -> Result<(), Refusal> {
        session.darken(link.now());
        Ok(())
    }

    fn event(
        &mut self,
        event: Event,
        _session: &mut Session,
        _link: &dyn Link,
    ) -> Result<Option<Dark>, Refusal> {
        Ok(if let Event::Ended { dark, .. } = event { Some(dark) } else { None })
    }
}
