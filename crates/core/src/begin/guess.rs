//! What a part of a drawing is for, and with which values tests begin.

/// What a part of a drawing is meant for, said or guessed; in the order in which it is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Guess {
    Engrave,
    Score,
    Cut,
}

impl Guess {
    pub(super) fn word(self) -> &'static str {
        match self {
            Self::Engrave => "engrave",
            Self::Score => "score",
            Self::Cut => "cut",
        }
    }

    /// Speed in mm/s and power in percent to begin tests with.
    pub(super) fn start(self) -> (f64, f64) {
        match self {
            Self::Engrave => (100.0, 20.0),
            Self::Score => (60.0, 15.0),
            Self::Cut => (15.0, 60.0),
        }
    }
}
