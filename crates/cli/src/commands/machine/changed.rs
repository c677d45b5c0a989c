//! A profile with values that were measured: shown, put into the profile itself, or written beside it.

use crate::args::MachineMeasure;
use crate::console::Console;
use std::io::Write;
use tinkite_core::machine::{self, edit};
use tinkite_files::machines::{FoundProfile, ProfileOrigin};
use tinkite_files::output::{Output, Writing};
use tinkite_files::refusal::{Refusal, Sources};

/// Writes the profile with its changes where that was asked for; else says `shown`, and how they are kept.
pub(super) fn keep(
    found: &FoundProfile,
    changes: &[edit::Change],
    what: &str,
    shown: &str,
    args: &MachineMeasure,
    console: &Console,
) -> Result<(), Refusal> {
    let target = match (&args.output, &found.from) {
        (Some(path), _) => (path.clone(), args.writing.into()),
        (None, from) if !args.keep => {
            console.result(shown)?;
            console.say(match from {
                ProfileOrigin::Shipped => "-o my-laser.machine.toml writes a profile with it",
                _ => "--keep puts it into the profile, -o writes another one",
            });
            return Ok(());
        }
        // It was asked for: this one file is written over.
        (None, ProfileOrigin::File(path) | ProfileOrigin::Own(path)) => {
            (path.clone(), Writing::Over)
        }
        (None, ProfileOrigin::Shipped) => {
            return Err(Refusal::Usage(format!(
                "{} ships with this program and is not changed: -o my-laser.machine.toml writes one with it",
                args.name
            )));
        }
    };
    let (path, writing) = target;
    let name = path.display().to_string();
    let text = edit::changed(&found.text, changes);
    machine::read(&name, &text).map_err(|problems| {
        Refusal::Problems(problems, Sources::from([(name.clone(), text.clone())]))
    })?;
    let written = Output::create(&path, writing)?.write(|out| out.write_all(text.as_bytes()))?;
    console.result(&format!("{}: {what}", written.words()))
}
