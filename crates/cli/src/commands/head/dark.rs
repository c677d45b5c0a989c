//! `tinkite head dark`.

use crate::args::HeadCall;
use crate::console::Console;
use serde::Serialize;
use std::path::Path;
use tinkite_files::machines::find;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_link as link;
use tinkite_operate::beam;
use tinkite_operate::head::dark::darken;
use tinkite_wire::Dark;

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
    let dark = darken(link.as_mut(), &machine)?;
    if console.json {
        console.json(&DarkJson { link: name, dark: beam::word(dark) })?;
    }
    if dark == Dark::Confirmed {
        return if console.json { Ok(()) } else { console.result("the beam is off") };
    }
    Err(Refusal::Link(beam::words(dark).trim_start_matches("; ").to_string()))
}
