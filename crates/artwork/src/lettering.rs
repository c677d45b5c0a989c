//! Text that a job draws itself: whoever has fonts draws it.

use tinkite_base::geometry::BezPath;

/// Text that cannot be drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NoOutlines;

/// Whoever can draw text.
pub trait Lettering: Sync {
    /// The outlines of one line of text whose baseline starts at the origin, y up, with capitals of
    /// `height` mm, and what font was missing.
    ///
    /// # Errors
    /// No font at all, or nothing visible in the text.
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
        Err(NoOutlines)
    }
}
