//! Where words go: results to standard output, everything else to standard error.

use crate::args::Common;
use crate::neutral;
use crate::voice::{self, Ear};
use std::io::{self, IsTerminal, Write};
use tinkite_core::quantity::LengthUnit;
use tinkite_files::config::{Units, When};
use tinkite_files::refusal::Refusal;

/// How this call talks.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Console {
    /// Reports are JSON.
    pub(crate) json: bool,
    /// Only results and problems.
    pub(crate) quiet: bool,
    /// Everything is told.
    pub(crate) verbose: bool,
    /// In what reports tell lengths.
    pub(crate) unit: LengthUnit,
    /// Nobody waits until words are read: a machine runs.
    in_background: bool,
    /// The last of its events says how the call ended: nothing else does.
    pub(crate) events: bool,
    colour: When,
    no_color: bool,
}

impl Console {
    pub(crate) fn new(common: &Common) -> Self {
        let no_color = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
        let Common { json, quiet, verbose, colour, units } = *common;
        let unit = match units {
            Units::Mm => LengthUnit::Millimetre,
            Units::In => LengthUnit::Inch,
        };
        Self { json, quiet, verbose, unit, in_background: false, events: false, colour, no_color }
    }

    /// The same, while a machine runs: whoever does not read holds up nothing.
    pub(crate) fn in_background(self) -> Self {
        Self { in_background: true, ..self }
    }

    fn coloured(self, terminal: bool) -> bool {
        match self.colour {
            When::Always => true,
            When::Never => false,
            When::Auto => terminal && !self.no_color,
        }
    }

    /// Whether results may be coloured.
    pub(crate) fn colours_out(self) -> bool {
        self.coloured(io::stdout().is_terminal())
    }

    /// Whether messages may be coloured.
    pub(crate) fn colours_err(self) -> bool {
        self.coloured(io::stderr().is_terminal())
    }

    /// Before a screen is drawn: what is coloured on it is settled here. The drawing library would read `NO_COLOR`
    /// once more, against `--colour always`, and take emphasis away together with the colours.
    pub(crate) fn decides_colours(self) {
        ratatui_crossterm::crossterm::style::force_color_output(true);
    }

    /// Writes a result. A reader that has gone away (`| head`) ends the program quietly.
    pub(crate) fn result(self, text: &str) -> Result<(), Refusal> {
        let text = neutral::text(text.trim_end(), self.colours_out());
        if self.in_background {
            voice::say(Ear::Output, text.into_owned());
            return Ok(());
        }
        let mut out = io::stdout().lock();
        match writeln!(out, "{text}").and_then(|()| out.flush()) {
            Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Err(Refusal::ReaderGone),
            Err(error) => Err(Refusal::output("standard output", error)),
            Ok(()) => Ok(()),
        }
    }

    /// Writes a result as one JSON document.
    pub(crate) fn json(self, value: &impl serde::Serialize) -> Result<(), Refusal> {
        let text = serde_json::to_string_pretty(value)?;
        self.result(&neutral::json(&text))
    }

    /// The same on one line: an event of many.
    pub(crate) fn event(self, value: &impl serde::Serialize) -> Result<(), Refusal> {
        let text = serde_json::to_string(value)?;
        self.result(&neutral::json(&text))
    }

    /// Says something on the way; not when asked to be quiet.
    pub(crate) fn say(self, text: &str) {
        if !self.quiet {
            self.complain(text);
        }
    }

    /// Says something that must be heard. Nobody is left to tell when that fails.
    pub(crate) fn complain(self, text: &str) {
        let text = neutral::text(text.trim_end(), self.colours_err());
        if self.in_background {
            return voice::say(Ear::Error, text.into_owned());
        }
        let _ = writeln!(io::stderr().lock(), "{text}");
    }
}
