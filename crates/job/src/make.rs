//! What is done with something: cut, score or engrave.

/// What is done: in a step, and what a recipe is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Make {
    /// Going through.
    Cut,
    /// Marking lines.
    Score,
    /// Filling areas.
    Engrave,
}

impl Make {
    /// All of them with their words.
    pub const WORDS: [(&'static str, Self); 3] =
        [("cut", Self::Cut), ("score", Self::Score), ("engrave", Self::Engrave)];

    /// The word for it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Cut => "cut",
            Self::Score => "score",
            Self::Engrave => "engrave",
        }
    }

    /// What a word means.
    #[must_use]
    pub fn of(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(name, _)| *name == word).map(|(_, make)| *make)
    }
}
