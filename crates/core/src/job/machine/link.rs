//! The link: where the controller is reached, and how it is spoken to.

use super::super::reader::Section;

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
    pub(super) window: Option<u32>,
}

impl Default for Linked {
    fn default() -> Self {
        Self { to: None, dialect: Dialect::Grbl, window: Some(GRBL_WINDOW) }
    }
}

/// Moves that a board of 3-D-printer firmware sees ahead, as it comes.
const REPRAP_WINDOW: u32 = 16;

/// Moves that a board of the `grbl` interface sees ahead, as it comes.
const GRBL_WINDOW: u32 = 16;

/// Reads `[link]`.
pub(super) fn read(section: Section<'_, '_>) -> Linked {
    let to = section.text("to").map(str::to_string);
    let dialect = section.choice("dialect", &DIALECTS).unwrap_or(Dialect::Grbl);
    let window = section.whole("look-ahead", 1..=100_000).map(|n| n as u32);
    section.finish();
    let left_out = match dialect {
        Dialect::Ngc => None,
        Dialect::Grbl => Some(GRBL_WINDOW),
        Dialect::Reprap => Some(REPRAP_WINDOW),
    };
    Linked { to, dialect, window: window.or(left_out) }
}
