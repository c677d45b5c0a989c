//! `tinkite head dark`.

use crate::args::HeadCall;
use crate::beam;
use crate::console::Console;
use crate::machines::find;
use crate::refusal::{Refusal, Sources};
use serde::Serialize;
use std::path::Path;
use tinkite_link as link;
use tinkite_link::talk::{Host, talk};
use tinkite_link::{self, Link};
use tinkite_wire::{Dark, Event, Session, Settings};

#[derive(Debug, Serialize)]
struct DarkJson {
    link: String,
    /// `confirmed`, `asked` or `unknown`.
    dark: &'static str,
}

/// Puts the beam out, whoever lit it.
pub(super) fn run(args: &HeadCall, console: &Console) -> Result<(), Refusal> {
    let found = find(&args.machine, Path::new(""))?;
    let machine = found.read(&mut Sources::new())?;
    let name = link::name(args.to.as_deref(), &machine)?;
    let mut link = link::open(&name, &machine, None)?;
    let dark = talk(link.as_mut(), machine.dialect, Settings::default(), &mut Darkening)?;
    if console.json {
        console.json(&DarkJson { link: name, dark: beam::word(dark) })?;
    }
    if dark == Dark::Confirmed {
        return if console.json { Ok(()) } else { console.result("the beam is off") };
    }
    Err(Refusal::Link(beam::words(dark).trim_start_matches("; ").to_string()))
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
