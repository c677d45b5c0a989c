//! A streaming session with a controller.

mod accounts;
mod grbl;
mod marks;
mod reprap;

use crate::instant::{Instant, Span};
use crate::message::{Complaint, State as Machine, Status};
use grbl::Grbl;
use reprap::Reprap;
use std::collections::BTreeMap;
use thiserror::Error;

/// Which language a session speaks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Protocol {
    /// The public `grbl` interface.
    Grbl,
    /// The text protocol of 3-D-printer firmware.
    Reprap,
}

/// What a session keeps to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Settings {
    /// Receive buffer of the controller in bytes, until it says so itself.
    pub buffer: usize,
    /// Longest line it takes, bytes with the line end.
    pub longest_line: usize,
    /// How often the status is asked for.
    pub status_every: Span,
    /// How long a controller may take to answer at first: boards restart when a port opens.
    pub greeting: Span,
    /// How long it may say nothing at all once it has answered.
    pub silence: Span,
    /// A controller that still runs what a sender left is waited for, and one that is held is taken
    /// over as it stands: its place is wanted.
    pub takes_over: bool,
    /// The head is moved by hand: a locked controller is spoken to, so that it can be homed or unlocked.
    pub by_hand: bool,
}

impl Default for Settings {
    /// Values that the interface's documentation names.
    fn default() -> Self {
        Self {
            buffer: 128,
            longest_line: 80,
            status_every: Span::millis(200),
            greeting: Span::millis(12_000),
            silence: Span::millis(10_000),
            takes_over: false,
            by_hand: false,
        }
    }
}

/// Why a session failed.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum Failure {
    /// Nothing came back at first.
    #[error("the controller does not answer")]
    NoAnswer,
    /// It cannot start now.
    #[error("the controller is {}", .0.words())]
    NotReady(Machine),
    /// It refused a line (number in the program's text; none for our own questions).
    #[error("the controller refused line {}: error:{complaint}", .line.map_or("?".into(), |n| n.to_string()))]
    Refused {
        /// Line of the program's text.
        line: Option<u32>,
        /// What it said.
        complaint: Complaint,
    },
    /// An offset that was in force is gone with the reset at the beginning, and it is not known of which
    /// coordinate system it was: in all, mm.
    #[error(
        "an offset was in force (X {:.3}, Y {:.3} mm from the machine's zero) that belongs to no coordinate system alone, and a reset has forgotten it", .0[0], .0[1]
    )]
    ShiftForgotten([f64; 3]),
    /// Every line was answered, and the head does not stand where the program ends: X and Y, mm.
    #[error(
        "every line was answered, and the head stands at X {:.3} Y {:.3} instead of X {:.3} Y {:.3}, where the program ends", .at[0], .at[1], .end[0], .end[1]
    )]
    NotThere {
        /// Where it stands.
        at: [f64; 2],
        /// Where the program ends.
        end: [f64; 2],
    },
    /// The head is where the program does not lead: X and Y, mm.
    #[error(
        "the head is at X {:.3} Y {:.3}, where the program does not lead: a line was changed on the link, or a zero has moved", .0[0], .0[1]
    )]
    Astray([f64; 2]),
    /// Lines and answers do not agree.
    #[error("{0}")]
    Miscounted(Miscount),
    /// It does not know a line.
    #[error("the controller does not know line {}: {text}", .line.map_or("?".into(), |n| n.to_string()))]
    Unknown {
        /// Line of the program's text.
        line: Option<u32>,
        /// What it said of it.
        text: String,
    },
    /// It halted itself.
    #[error("the controller halted itself: {0}")]
    Halted(String),
    /// Lines do not get through.
    #[error("the link loses or changes lines")]
    BadLink,
    /// It locked itself.
    #[error("the controller raised ALARM:{0}")]
    Alarm(Complaint),
    /// It restarted by itself.
    #[error("the controller restarted in the middle of the run")]
    Restarted,
    /// The link closed.
    #[error("the link to the controller closed")]
    Closed,
    /// It stopped answering.
    #[error("the controller stopped answering")]
    Silent,
}

/// In which way lines and their answers do not agree.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Miscount {
    /// How many lines were taken whose answers never came.
    Lost(usize),
    /// There were more answers than lines: some line may not have been taken.
    Surplus,
}

impl std::fmt::Display for Miscount {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Lost(1) => f.write_str("the answer to a line was lost on the link"),
            Self::Lost(lines) => write!(f, "the answers to {lines} lines were lost on the link"),
            Self::Surplus => f.write_str("the controller answered more often than lines were sent"),
        }
    }
}

/// How a session ended.
#[derive(Debug, Clone, PartialEq)]
pub enum Outcome {
    /// Every line was run and the machine stands still.
    Done,
    /// The operator stopped it.
    Stopped,
    /// Something broke. The first thing that did.
    Failed(Failure),
}

/// What is known of the beam when a session is over.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dark {
    /// Nothing that could light it was sent.
    Untouched,
    /// The controller was seen to have switched it off.
    Confirmed,
    /// The controller was told to switch it off, and its answer was not heard.
    Asked,
    /// It may be lit.
    Unknown,
}

/// A change of speed or power by the operator while a program runs, in the controller's own steps.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Adjust {
    /// Feed 10 % of the program's more.
    Faster,
    /// Feed 10 % less.
    Slower,
    /// The program's own feed.
    FullSpeed,
    /// Power 10 % of the program's more.
    Stronger,
    /// Power 10 % less.
    Weaker,
    /// The program's own power.
    FullPower,
}

/// What a line of a program does.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Effect {
    /// How long it lets the head move or stand, at most.
    pub lasts: Span,
    /// Whether the beam is off behind it.
    pub dark: bool,
    /// Where the head stands behind it, mm in the program's coordinates, where that is known.
    pub stands: Option<[f64; 3]>,
}

impl Effect {
    /// A line that moves nothing and lights nothing.
    pub const NOTHING: Self = Self { lasts: Span(0), dark: true, stands: None };
}

/// A line longer than the controller takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
#[error("the line has {length} bytes, and the controller takes {most}")]
pub struct LineTooLong {
    /// Its length with the line end.
    pub length: usize,
    /// What is taken.
    pub most: usize,
}

/// What the controller said of itself.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Connected {
    /// Its settings (`$30` under 30).
    pub settings: BTreeMap<u16, f64>,
    /// Its receive buffer in bytes, when it said so.
    pub buffer: Option<usize>,
    /// Its offsets by name: `G54` to `G59`, `G92` and others.
    pub offsets: BTreeMap<String, [f64; 3]>,
    /// Its modal state, as it says it: `G54`, `G21` and so on.
    pub modes: Vec<String>,
    /// Where the head stands in the machine's own coordinates, mm; `None` where it does not say. Printer
    /// firmware tells the place in the program's coordinates.
    pub position: Option<[f64; 3]>,
    /// It has just started: where the head stands it does not know, unless it was homed since.
    pub restarted: bool,
    /// It is locked by an alarm: it takes nothing but homing and unlocking.
    pub locked: bool,
    /// The angle of the axis that turns, degrees, where it tells one.
    pub turn: Option<f64>,
    /// A `G92` that was in force and that the reset at the beginning would have forgotten, mm: it was
    /// set again.
    pub kept_shift: Option<[f64; 3]>,
}

impl Connected {
    /// The offset from the machine's zero to that of the program, mm: of the coordinate system
    /// called `system`, or of the one in force, with `G92`. None when it has not said.
    #[must_use]
    pub fn work_offset(&self, system: Option<&str>) -> Option<[f64; 3]> {
        let in_force = self.modes.iter().find(|mode| is_system(mode)).map(String::as_str);
        let system = self.offsets.get(system.or(in_force).unwrap_or("G54"))?;
        let shift = self.offsets.get("G92").copied().unwrap_or_default();
        Some([0, 1, 2].map(|n| system[n] + shift[n]))
    }
}

/// Offsets nearer than this are the same, mm.
const SAME_OFFSET: f64 = 0.003;

impl Connected {
    /// What of an offset that was in force is no longer there, mm: a `G92`, and of which system.
    fn compare_offset(&self, offset: [f64; 3]) -> Forgotten {
        let kept = self.offsets.get("G92").copied().unwrap_or_default();
        let minus = |a: [f64; 3], b: [f64; 3]| [0, 1, 2].map(|n| a[n] - b[n]);
        let same = |a, b| minus(a, b).iter().all(|d| d.abs() < SAME_OFFSET);
        let systems = || self.offsets.iter().filter(|(name, _)| is_system(name));
        let Some(first) = self.offsets.get("G54").copied() else { return Forgotten::Nothing };
        if systems().any(|(_, system)| same(minus(offset, *system), kept)) {
            return Forgotten::Nothing;
        }
        // Programs count from G54. Any other system that is set may have been the one in force.
        let unset = |system| same(system, first) || same(system, [0.0; 3]);
        let sure = systems().all(|(_, system)| unset(*system));
        if sure { Forgotten::Shift(minus(offset, first)) } else { Forgotten::Unclear }
    }
}

/// What a reset has forgotten of an offset.
enum Forgotten {
    Nothing,
    /// A `G92`, mm, while G54 was in force.
    Shift([f64; 3]),
    /// A `G92`; which system was in force is not known.
    Unclear,
}

/// Whether a word names a coordinate system: G54 to G59.
fn is_system(mode: &str) -> bool {
    matches!(mode.strip_prefix("G5"), Some(rest) if matches!(rest.as_bytes().first(), Some(b'4'..=b'9')))
}

/// Something to tell people.
#[derive(Debug, Clone, PartialEq)]
pub enum Event {
    /// It answers and is ready; [`Session::start`] begins the stream.
    Connected(Connected),
    /// A status report came.
    Status(Status),
    /// It said something that is not part of the protocol.
    Said(String),
    /// It was told to stop and has no quick stop: what it has planned it runs to its end, for so long at most.
    RunsOn(Span),
    /// A probe touched something here, on the machine's axes, mm.
    Touched([f64; 3]),
    /// The session is over; nothing comes after this.
    Ended {
        /// How it ended.
        outcome: Outcome,
        /// What was seen of the beam.
        dark: Dark,
    },
}

/// A session. See the crate's documentation for how its methods go together.
#[derive(Debug)]
pub struct Session {
    inner: Inner,
}

#[derive(Debug)]
enum Inner {
    Grbl(Box<Grbl>),
    Reprap(Box<Reprap>),
}

/// The same call for whichever language is spoken.
macro_rules! spoken {
    ($self:expr, $session:ident => $call:expr) => {
        match $self {
            Inner::Grbl($session) => $call,
            Inner::Reprap($session) => $call,
        }
    };
}

impl Session {
    /// Begins a session on a link that has just been opened.
    #[must_use]
    pub fn new(protocol: Protocol, settings: Settings, now: Instant) -> Self {
        let inner = match protocol {
            Protocol::Grbl => Inner::Grbl(Box::new(Grbl::new(settings, now))),
            Protocol::Reprap => Inner::Reprap(Box::new(Reprap::new(settings, now))),
        };
        Self { inner }
    }

    // What happened.

    /// Bytes arrived.
    pub fn handle_bytes(&mut self, now: Instant, bytes: &[u8]) {
        spoken!(&mut self.inner, s => s.handle_bytes(now, bytes));
    }

    /// Time passed; call at [`poll_timeout`](Self::poll_timeout) or whenever.
    pub fn handle_timeout(&mut self, now: Instant) {
        spoken!(&mut self.inner, s => s.handle_timeout(now));
    }

    /// The link closed.
    pub fn handle_closed(&mut self, now: Instant) {
        spoken!(&mut self.inner, s => s.handle_closed(now));
    }

    /// We did something else until now: that nothing was heard meanwhile is not the controller's doing.
    pub fn excuse(&mut self, now: Instant) {
        spoken!(&mut self.inner, s => s.excuse(now));
    }

    // What the operator wants.

    /// Whether more lines are wanted now.
    #[must_use]
    pub fn wants_lines(&self) -> bool {
        spoken!(&self.inner, s => s.wants_lines())
    }

    /// The longest line that is taken, bytes with its end: the controller's buffer decides, once it has told of it.
    #[must_use]
    pub fn longest_line(&self) -> usize {
        spoken!(&self.inner, s => s.longest_line())
    }

    /// Hands over the next line to send (see [`prepare`](crate::prepare)), with its number in the
    /// program's text.
    ///
    /// # Errors
    /// Lines that the controller would not take whole.
    pub fn enqueue(&mut self, number: u32, text: Vec<u8>) -> Result<(), LineTooLong> {
        self.enqueue_with(number, text, Effect::NOTHING)
    }

    /// The same for a line of which it is known what it does: it is given its time, and a hold comes
    /// behind a dark one where the protocol has none of its own.
    ///
    /// # Errors
    /// Lines that the controller would not take whole.
    pub fn enqueue_with(
        &mut self,
        number: u32,
        text: Vec<u8>,
        effect: Effect,
    ) -> Result<(), LineTooLong> {
        match &mut self.inner {
            // It is asked how it stands, and tells.
            Inner::Grbl(session) => session.enqueue(number, text),
            Inner::Reprap(session) => session.enqueue(number, text, effect),
        }
    }

    /// There are no more lines.
    pub fn end_of_program(&mut self, now: Instant) {
        spoken!(&mut self.inner, s => s.end_of_program(now));
    }

    /// Begins the stream, after [`Event::Connected`].
    pub fn start(&mut self) {
        spoken!(&mut self.inner, s => s.start());
    }

    /// Holds: the head comes to a halt and can go on. Printer firmware has no hold: no more lines are
    /// sent to it from the next place on where the beam is off.
    pub fn pause(&mut self) {
        spoken!(&mut self.inner, s => s.pause());
    }

    /// Goes on after a hold of ours, or after one at the machine: a hold, a door that is closed again, an
    /// `M0`.
    pub fn resume(&mut self, now: Instant) {
        spoken!(&mut self.inner, s => s.resume(now));
    }

    /// Changes speed or power while a program runs. Whether the protocol can.
    pub fn adjust(&mut self, adjust: Adjust) -> bool {
        match &mut self.inner {
            Inner::Grbl(session) => session.adjust(adjust),
            Inner::Reprap(_) => false,
        }
    }

    /// Ends the moves by hand that are under way: the head slows down and stands. Whether the protocol
    /// can.
    pub fn cancel_jog(&mut self) -> bool {
        match &mut self.inner {
            Inner::Grbl(session) => session.cancel_jog(),
            Inner::Reprap(_) => false,
        }
    }

    /// Whether it is held, or will be, because we wanted it.
    #[must_use]
    pub fn is_paused(&self) -> bool {
        spoken!(&self.inner, s => s.is_paused())
    }

    /// Stops for good and switches the beam off.
    pub fn stop(&mut self, now: Instant) {
        spoken!(&mut self.inner, s => s.stop(now));
    }

    /// Stops for good as [`Self::stop`] does, because of something that the session cannot see.
    pub fn fail(&mut self, now: Instant, failure: Failure) {
        spoken!(&mut self.inner, s => s.fail(now, failure));
    }

    /// Asks where the head is without waiting for the next turn: what was said last is doubted. A printer
    /// board is asked in its turn, because its answer takes a line's place.
    pub fn look_again(&mut self, now: Instant) {
        if let Inner::Grbl(session) = &mut self.inner {
            session.look_again(now);
        }
    }

    /// Makes the machine dark, whoever lit it, whatever it does: it is brought to a halt and its beam
    /// switched off. The session ends as stopped, with what was seen of the beam.
    pub fn darken(&mut self, now: Instant) {
        spoken!(&mut self.inner, s => s.darken(now));
    }

    // What is to be done.

    /// Bytes to send now, appended to `out`. Whether there are any.
    #[must_use]
    pub fn poll_transmit(&mut self, out: &mut Vec<u8>) -> bool {
        spoken!(&mut self.inner, s => s.poll_transmit(out))
    }

    /// When [`handle_timeout`](Self::handle_timeout) must be called at the latest; never when over.
    #[must_use]
    pub fn poll_timeout(&self) -> Option<Instant> {
        spoken!(&self.inner, s => s.poll_timeout())
    }

    /// The next thing to tell people.
    pub fn poll_event(&mut self) -> Option<Event> {
        spoken!(&mut self.inner, s => s.poll_event())
    }

    // What can be looked at.

    /// The last line of the program's text that the controller has taken.
    #[must_use]
    pub fn acknowledged(&self) -> u32 {
        spoken!(&self.inner, s => s.acknowledged())
    }

    /// The last line of the program's text that was sent.
    #[must_use]
    pub fn last_sent(&self) -> Option<u32> {
        spoken!(&self.inner, s => s.last_sent())
    }

    /// Whether the session is over.
    #[must_use]
    pub fn is_over(&self) -> bool {
        spoken!(&self.inner, s => s.is_over())
    }

    /// Whether we are bringing the machine to a halt: that it is held is our doing then.
    #[must_use]
    pub fn is_stopping(&self) -> bool {
        spoken!(&self.inner, s => s.is_stopping())
    }

    /// Whether it started anew since lines went out: it does not know where the head stands.
    #[must_use]
    pub fn has_restarted(&self) -> bool {
        spoken!(&self.inner, s => s.has_restarted())
    }

    /// Bytes that are sent and not yet answered: always below the controller's buffer.
    #[must_use]
    pub fn in_flight(&self) -> usize {
        spoken!(&self.inner, s => s.in_flight())
    }
}

#[cfg(test)]
mod tests;
