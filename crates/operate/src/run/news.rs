//! What a run tells while it goes on.

use super::program::Step;
use super::shared::SharedFile;
use tinkite_core::program::Place;
use tinkite_core::program::measure::Timeline;
use tinkite_run::{Overrides, Position, ReportedStanding};
use tinkite_wire::{Instant, State};

/// How a run looks at a moment.
#[derive(Debug, Clone, Copy)]
pub struct View {
    /// How far the head was seen to be.
    pub seen: Place,
    /// How far the run is, for showing: where the head was seen, or what was taken by a controller that
    /// does not tell where the head is.
    pub progress: Place,
    /// Where it is on the machine's axes.
    pub position: Option<Position>,
    /// The last line that was answered.
    pub acknowledged: u32,
    /// The last line that was sent.
    pub sent: u32,
    /// The S value that the controller reports.
    pub s: Option<f64>,
    /// The speed that it has, mm/s.
    pub speed: Option<f64>,
    /// What the operator has changed, where the protocol can.
    pub overrides: Option<Overrides>,
    /// How much of what the controller holds is filled, %.
    pub buffer: Option<f64>,
    /// What the controller does.
    pub state: Option<State>,
    /// Since the link opened.
    pub at: Instant,
}

/// What a stream begins with.
#[derive(Debug, Clone)]
pub struct BeganNews {
    /// How the machine stands.
    pub standing: ReportedStanding,
    /// What is streamed.
    pub program: SharedFile,
    /// How many lines it has.
    pub lines: u32,
    /// How long it takes as planned, s.
    pub seconds: f64,
    /// Its steps, in their order.
    pub steps: Vec<Step>,
    /// When each line is reached as planned.
    pub timeline: Timeline,
}

/// Who holds the machine.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Holder {
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
    pub fn word(self) -> &'static str {
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
pub enum Fact {
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
