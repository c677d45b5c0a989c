//! How a run ended.

use crate::refusal::Refusal;
use tinkite_wire::{Dark, Outcome};

/// How a run ended.
pub(super) struct Ended {
    pub(super) outcome: Outcome,
    /// What was seen of the beam.
    pub(super) dark: Dark,
    /// What made us stop it, when it was not the operator.
    pub(super) trouble: Option<Refusal>,
}
