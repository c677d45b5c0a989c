//! How a run ended.

use crate::refusal::Refusal;
use tinkite_run::{Halt, Stance};
use tinkite_wire::{Dark, Instant, Outcome};

/// How a run ended.
pub(super) struct Ended {
    pub(super) outcome: Outcome,
    /// What was seen of the beam.
    pub(super) dark: Dark,
    /// Where the head is.
    pub(super) halt: Halt,
    /// The last line that was answered, and the last that was sent.
    pub(super) acknowledged: u32,
    pub(super) sent: u32,
    /// Since the link opened.
    pub(super) at: Instant,
    /// How the machine stood when it began.
    pub(super) standing: Option<Stance>,
    /// What made us stop it, when it was not the operator.
    pub(super) trouble: Option<Refusal>,
}

impl Ended {
    /// In one word, and why where that is not plain.
    pub(super) fn how(&self) -> (&'static str, Option<String>) {
        match (&self.outcome, &self.trouble) {
            (_, Some(trouble)) => ("failed", trouble.words()),
            (Outcome::Done, None) => ("done", None),
            (Outcome::Stopped, None) => ("stopped", None),
            (Outcome::Failed(failure), None) => ("failed", Some(failure.to_string())),
        }
    }
}
