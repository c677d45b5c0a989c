//! What of a line is not understood.

use thiserror::Error;
use tinkite_base::quantity::plain;

/// What of a line is not understood; the sentence goes on behind it.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum NotUnderstood {
    /// A letter that no word begins with.
    #[error("the word {}{}", char::from(*letter), plain(*value, 3))]
    Word {
        /// Its letter.
        letter: u8,
        /// Its number.
        value: f64,
    },
    /// A code of the letter G that nobody has.
    #[error("G{}", plain(*.0, 1))]
    Code(f64),
    /// A coordinate system that is none of the nine.
    #[error("G10 with P{}", plain(*.0, 1))]
    System(f64),
    /// A setting of G10 that is not one of offsets.
    #[error("G10 L{0}")]
    Setting(i64),
    /// Axes without a motion.
    #[error("a position without a motion (G0, G1, G2 or G3) before it")]
    NoMotion,
    /// An arc whose ends are not equally far from its centre, mm.
    #[error("an arc whose ends lie {} and {} mm from its centre", plain(*start, 3), plain(*end, 3))]
    Centre {
        /// How far its start is.
        start: f64,
        /// How far its end is.
        end: f64,
    },
    /// An arc that is too small to reach from its start to its end, mm.
    #[error("an arc of radius {} mm over a chord of {} mm", plain(*radius, 3), plain(*chord, 3))]
    Radius {
        /// As its R says.
        radius: f64,
        /// From start to end.
        chord: f64,
    },
}
