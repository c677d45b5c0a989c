//! Text that a job draws itself: whoever has fonts draws it.

use std::collections::BTreeSet;
use tinkite_base::geometry::BezPath;

/// The family of the letters of one stroke, which are always there.
pub const SINGLE_LINE: &str = "single-line";

/// Why text cannot be drawn.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NoOutlines {
    /// There is no font at all.
    NoFont,
    /// Letters that the font has not.
    Letters(BTreeSet<char>),
    /// Nothing of it is visible.
    Nothing,
}

/// Whoever can draw text.
pub trait Lettering: Sync {
    /// The outlines of one line of text whose baseline starts at the origin, y up, with capitals of
    /// `height` mm, and what font was missing. The family [`SINGLE_LINE`] gives open lines.
    ///
    /// # Errors
    /// No font at all, letters that it has not, or nothing visible in the text.
    fn outlines(
        &self,
        text: &str,
        family: Option<&str>,
        height: f64,
    ) -> Result<(BezPath, Option<String>), NoOutlines>;
}

/// Nobody: no text can be drawn.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoLetters;

impl Lettering for NoLetters {
    fn outlines(
        &self,
        _: &str,
        _: Option<&str>,
        _: f64,
    ) -> Result<(BezPath, Option<String>), NoOutlines> {
        Err(NoOutlines::NoFont)
    }
}
