//! The link: where the controller is reached, and how it is spoken to.

use crate::section::Section;

/// How programs are written and lines are spoken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dialect {
    /// Plain RS-274/NGC, for controllers that read whole programs.
    Ngc,
    /// The public `grbl` interface.
    Grbl,
    /// The text protocol of 3-D-printer firmware.
    Reprap,
}

/// Words for dialects in a profile.
const DIALECTS: [(&str, Dialect); 3] =
    [("ngc", Dialect::Ngc), ("grbl", Dialect::Grbl), ("reprap", Dialect::Reprap)];

impl Dialect {
    /// The word for it in a profile.
    #[must_use]
    pub fn name(self) -> &'static str {
        DIALECTS.iter().find(|(_, dialect)| *dialect == self).map_or("", |(name, _)| name)
    }
}

/// What `[link]` says.
pub(super) struct Linked {
    pub(super) to: Option<String>,
    pub(super) dialect: Dialect,
    pub(super) look_ahead: Option<u32>,
    pub(super) supply: Supply,
}

/// How fast lines reach the controller's planner.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Supply {
    /// Lines that the controller works through in a second; none: as many as come.
    pub lines_per_second: Option<f64>,
    /// Bytes that the cable carries in a second; none: as many as come.
    pub bytes_per_second: Option<f64>,
    /// Receive buffer of the controller, bytes.
    pub buffer: usize,
    /// Questions go out among the lines, from whose answers it is known which lines were taken.
    pub asks: bool,
}

impl Supply {
    /// Whether anything keeps lines from coming as fast as the head runs them.
    #[must_use]
    pub fn is_limited(&self) -> bool {
        self.lines_per_second.is_some() || self.bytes_per_second.is_some()
    }
}

impl Default for Supply {
    fn default() -> Self {
        Self { lines_per_second: None, bytes_per_second: None, buffer: BUFFER, asks: false }
    }
}

/// Bytes that a board of either interface holds unread, as it comes.
const BUFFER: usize = 128;

/// A byte on a serial line has eight bits, a start and a stop.
const BITS_OF_BYTE: f64 = 10.0;

/// The baud of a serial link that names none.
pub const BAUD: u32 = 115_200;

/// The baud of `serial:PORT@BAUD`; none for another link.
///
/// # Errors
/// What stands in place of a number.
fn baud(to: &str) -> Result<Option<u32>, &str> {
    let Some(port) = to.strip_prefix("serial:") else { return Ok(None) };
    let Some((_, baud)) = port.rsplit_once('@') else { return Ok(Some(BAUD)) };
    baud.parse().ok().filter(|baud| *baud > 0).map(Some).ok_or(baud)
}

impl Default for Linked {
    fn default() -> Self {
        let supply = Supply::default();
        Self { to: None, dialect: Dialect::Grbl, look_ahead: Some(BOARD_WINDOW), supply }
    }
}

/// Moves that boards hold in their queue, as they come, the one that runs among them: a ring of 16
/// places of which one stays empty. Source: the first number that they report in `[OPT:…]`.
const BOARD_WINDOW: u32 = 15;

/// Reads `[link]`.
pub(super) fn read(section: Section<'_, '_>) -> Linked {
    let to = section.text("to").map(str::to_string);
    let dialect = section.choice("dialect", &DIALECTS).unwrap_or(Dialect::Grbl);
    let look_ahead = section.whole("look-ahead", 1..=100_000).map(|n| n as u32);
    let lines_per_second =
        section.whole("lines-per-second", 1..=1_000_000).map(|lines| lines as f64);
    let baud = to.as_deref().map_or(Ok(None), baud).unwrap_or_else(|wrong| {
        let span = section.span_of("to");
        section.out_of_range("to", span, wrong, "a baud above zero behind the @");
        None
    });
    let known = ["rig:", "tcp:", "serial:"];
    if to.as_deref().is_some_and(|to| !known.iter().any(|kind| to.starts_with(kind))) {
        let span = section.span_of("to");
        let wanted = "rig:, tcp:HOST:PORT or serial:PORT@BAUD";
        section.out_of_range("to", span, &section.written("to"), wanted);
    }
    section.finish();
    let bytes_per_second = baud.map(|baud| f64::from(baud) / BITS_OF_BYTE);
    let supply = Supply {
        lines_per_second,
        bytes_per_second,
        asks: dialect == Dialect::Grbl,
        ..Supply::default()
    };
    let left_out = match dialect {
        Dialect::Ngc => None,
        Dialect::Grbl | Dialect::Reprap => Some(BOARD_WINDOW),
    };
    Linked { to, dialect, look_ahead: look_ahead.or(left_out), supply }
}
