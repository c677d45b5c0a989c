//! How a run ended.

use tinkite_files::refusal::Refusal;
use tinkite_run::{Halt, ReportedStanding};
use tinkite_wire::{Dark, Instant, Outcome};

/// How a run ended.
pub struct Ended {
    /// How the session says it ended.
    pub outcome: Outcome,
    /// What was seen of the beam.
    pub dark: Dark,
    /// Where the head is.
    pub halt: Halt,
    /// The last line that was answered, and the last that was sent.
    pub acknowledged: u32,
    /// The last line that was sent.
    pub sent: u32,
    /// Since the link opened.
    pub at: Instant,
    /// How the machine stood when it began.
    pub standing: Option<ReportedStanding>,
    /// What made us stop it, when it was not the operator.
    pub trouble: Option<Refusal>,
}

impl Ended {
    /// Nothing of the program was sent: the job, the program or the machine is not as it has to be.
    #[must_use]
    pub fn is_refused(&self) -> bool {
        let refused = matches!(
            self.trouble,
            Some(Refusal::Unfit(_) | Refusal::Usage(_) | Refusal::Problems(..))
        );
        refused && self.sent == 0
    }

    /// In one word, and why where that is not plain.
    pub fn how(&self) -> (&'static str, Option<String>) {
        match (&self.outcome, &self.trouble) {
            (_, Some(trouble)) if self.is_refused() => ("refused", trouble.words()),
            (_, Some(trouble)) => ("failed", trouble.words()),
            (Outcome::Done, None) => ("done", None),
            (Outcome::Stopped, None) => ("stopped", None),
            (Outcome::Failed(failure), None) => ("failed", Some(failure.to_string())),
        }
    }
}
