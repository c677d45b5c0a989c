//! What may happen to a file that is already there.

use clap::Args as ClapArgs;
use tinkite_files::output;

/// What may happen to a file that is already there.
#[derive(Debug, Clone, Copy, Default, ClapArgs)]
pub(crate) struct Writing {
    /// Overwrite a file that is already there
    #[arg(long, conflicts_with = "number")]
    pub(crate) force: bool,
    /// Add the next free number to the name instead
    #[arg(long)]
    pub(crate) number: bool,
}

impl From<Writing> for output::Writing {
    fn from(said: Writing) -> Self {
        match said {
            Writing { force: true, .. } => Self::Over,
            Writing { number: true, .. } => Self::Numbered,
            _ => Self::New,
        }
    }
}
