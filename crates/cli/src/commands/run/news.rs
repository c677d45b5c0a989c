//! What a run tells while it goes on.

use super::program::Step;
use super::shared::SharedFile;
use tinkite_core::program::Place;
use tinkite_core::program::measure::Timeline;
use tinkite_run::{Position, Stance};
use tinkite_wire::{Instant, State};

/// How a run looks at a moment.
#[derive(Debug, Clone, Copy)]
pub(super) struct View {
    /// How far the head was seen to be.
    pub(super) seen: Place,
    /// Where it is on the machine's axes.
    pub(super) position: Option<Position>,
    /// The last line that was answered.
    pub(super) acknowledged: u32,
    /// The last line that was sent.
    pub(super) sent: u32,
    pub(super) s: Option<f64>,
    pub(super) state: Option<State>,
    /// Since the link opened.
    pub(super) at: Instant,
}

/// What a stream begins with.
#[derive(Debug, Clone)]
pub(super) struct BeganNews {
    /// How the machine stands.
    pub(super) standing: Stance,
    /// What is streamed.
    pub(super) program: SharedFile,
    pub(super) lines: u32,
    pub(super) seconds: f64,
    pub(super) steps: Vec<Step>,
    pub(super) timeline: Timeline,
}

/// Something that must be told.
#[derive(Debug, Clone)]
pub(super) enum Fact {
    /// The stream begins.
    Began(Box<BeganNews>),
    /// Something the operator should know.
    Told(String),
    /// The controller said something beside the protocol.
    Said(String),
    /// The machine is held by a hold or its door, or goes on.
    Held(Option<&'static str>),
}
