//! What a run tells while it goes on.

use super::program::Step;
use super::shared::SharedFile;
use tinkite_core::program::Place;
use tinkite_core::program::measure::Timeline;
use tinkite_run::{Overrides, Position, Stance};
use tinkite_wire::{Instant, State};

/// How a run looks at a moment.
#[derive(Debug, Clone, Copy)]
pub(super) struct View {
    /// How far the head was seen to be.
    pub(super) seen: Place,
    /// How far the run is, for showing: where the head was seen, or what was taken by a controller that
    /// does not tell where the head is.
    pub(super) progress: Place,
    /// Where it is on the machine's axes.
    pub(super) position: Option<Position>,
    /// The last line that was answered.
    pub(super) acknowledged: u32,
    /// The last line that was sent.
    pub(super) sent: u32,
    pub(super) s: Option<f64>,
    /// The speed that it has, mm/s.
    pub(super) speed: Option<f64>,
    /// What the operator has changed, where the protocol can.
    pub(super) overrides: Option<Overrides>,
    /// How much of what the controller holds is filled, %.
    pub(super) buffer: Option<f64>,
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

/// Who holds the machine.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Holder {
    /// The operator, here.
    Operator,
    /// The operator wants it; it comes at the next place where the beam is off.
    Coming,
    /// A hold at the machine, or an `M0`.
    Hold,
    /// Its door.
    Door,
}

impl Holder {
    /// In one word.
    pub(super) fn word(self) -> &'static str {
        match self {
            Self::Operator => "operator",
            Self::Coming => "coming",
            Self::Hold => "hold",
            Self::Door => "door",
        }
    }
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
    /// The machine is held, or goes on.
    Held(Option<Holder>),
    /// Speed and power were changed: both, %.
    Adjusted(Overrides),
    /// The operator wants to know, or not, what the keys do.
    Help,
    /// The terminal has another size.
    Resized,
}
