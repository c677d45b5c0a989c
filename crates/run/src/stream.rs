//! A program's lines on their way through a session, and where the head is in them.

use crate::locator::{Located, Locator};
use crate::outgoing::{Outgoing, Unsendable};
use crate::position::{Position, Reports, fill};
use std::io::{self, BufRead};
use thiserror::Error;
use tinkite_machine::Dialect;
use tinkite_machine::Machine;
use tinkite_reader::{Axes, Place, Standing, Trail};
use tinkite_wire::{
    Dark, Effect, Failure, Instant, LineTooLong, Miscount, Outcome, Session, Span, State, Status,
};

/// What stops a stream from our side.
#[derive(Debug, Error)]
pub enum StreamError {
    /// The program cannot be read on.
    #[error("line {line}: the program cannot be read on: {error}")]
    Unreadable {
        /// The line that was to come.
        line: u32,
        /// What happened.
        error: io::Error,
    },
    /// A line cannot go out.
    #[error(transparent)]
    Unsendable(Unsendable),
    /// A line is longer than the session sends.
    #[error("line {line}: {error}")]
    TooLong {
        /// The line, from 1.
        line: u32,
        /// How long it is, and may be.
        error: LineTooLong,
    },
}

/// What is known of the head when a run has ended.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Whereabouts {
    /// The program is done.
    End,
    /// It stood here, and the controller kept its position.
    Here(Place),
    /// Here or there: the path leads by more than once.
    Between(Place, Place),
    /// It ran on with what it had, and can be asked when it stands.
    Asking,
    /// Position or power were lost.
    Lost,
}

/// How a run ended, as far as the head is concerned.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Halt {
    /// Where the head is.
    pub whereabouts: Whereabouts,
    /// The furthest place at which it was seen.
    pub seen: Place,
    /// The position at which it was seen last, machine axes.
    pub position: Option<Position>,
}

/// The end of a program may be missed by this much, mm: half a step of a coarse motor.
const THERE: f64 = 0.05;

/// How often a position must have lain on the path before one beside it is believed to be wrong.
const BELIEVED: u32 = 2;
/// How often in a row a position must lie beside the path: one may be spoilt on the cable.
const ASTRAY: u32 = 3;
/// A rapid goes no slower than this, mm/s.
const SLOWEST: f64 = 10.0;
/// No line is given longer than a day.
const MOST_SECONDS: f64 = 86_400.0;

/// A program under way.
#[derive(Debug)]
pub struct Stream<B> {
    lines: io::Split<B>,
    outgoing: Outgoing,
    trail: Trail,
    locator: Locator,
    reports: Reports,
    printer: bool,
    /// The least of its axes, mm/s^2.
    acceleration: f64,
    ended: bool,
    /// Places in an empty planner, as it was seen.
    room: Option<usize>,
    last: Option<Status>,
    /// It stood while it was brought to a halt.
    stood: bool,
    position: Option<Position>,
    /// It was seen elsewhere than at the machine's zero.
    moved: bool,
    /// How often a position lay on the path, and how often in a row beside it.
    on_path: u32,
    beside: u32,
}

impl<B: BufRead> Stream<B> {
    /// A program, on a machine that stands so.
    #[must_use]
    pub fn new(program: B, machine: &Machine, standing: Standing) -> Self {
        let offset = [0, 1, 2].map(|n| standing.offset[n]);
        Self {
            lines: program.split(b'\n'),
            outgoing: Outgoing::new(machine),
            trail: Trail::new(machine.dialect, standing.at, standing.offset),
            locator: Locator::new(1),
            reports: Reports::new(machine, Some(offset)),
            printer: machine.dialect == Dialect::Reprap,
            acceleration: machine.x.acceleration.min(machine.y.acceleration).max(1.0),
            ended: false,
            room: None,
            last: None,
            stood: false,
            position: None,
            moved: false,
            on_path: 0,
            beside: 0,
        }
    }

    /// Nobody knows where the machine stands: its place is known when the program has told it.
    #[must_use]
    pub fn from_anywhere(mut self) -> Self {
        self.trail.forget();
        self
    }

    /// The controller, when it stood idle, had room for so many motions.
    #[must_use]
    pub fn with_room(mut self, room: Option<usize>) -> Self {
        self.room = room;
        self
    }

    /// Hands over as many lines as the session wants.
    ///
    /// # Errors
    /// A program that cannot be read on, or not be sent.
    pub fn feed(&mut self, session: &mut Session, now: Instant) -> Result<(), StreamError> {
        while !self.ended && session.wants_lines() {
            match self.lines.next() {
                None => {
                    self.ended = true;
                    session.end_of_program(now);
                }
                Some(Err(error)) => {
                    let line = self.outgoing.number() + 1;
                    return Err(StreamError::Unreadable { line, error });
                }
                Some(Ok(line)) => {
                    let told = self.outgoing.line(&line).map_err(StreamError::Unsendable)?;
                    let Some(bytes) = told else { continue };
                    let number = self.outgoing.number();
                    let ways = self.trail.line(&bytes);
                    let lasts = ways.lasts(SLOWEST, self.acceleration).min(MOST_SECONDS);
                    let lasts = Span((lasts * 1e6) as u64);
                    let stands = self.trail.stands_for_program();
                    let effect = Effect { lasts, dark: !self.trail.is_lit(), stands };
                    self.locator.sent(number, ways);
                    session
                        .enqueue_with(number, bytes, effect)
                        .map_err(|error| StreamError::TooLong { line: number, error })?;
                }
            }
        }
        Ok(())
    }

    /// A status came. A head that is where the program does not lead is looked at again at once; when it
    /// is still there, the session does not go on.
    pub fn watch(&mut self, status: &Status, session: &mut Session, now: Instant) {
        if let Some(failure) = self.astray(status) {
            session.fail(now, failure);
        } else if self.beside > 0 {
            session.look_again(now);
        }
    }

    /// Why the session must not go on, if it must not.
    fn astray(&mut self, status: &Status) -> Option<Failure> {
        if self.stood && !status.halted {
            // Behind the reset the planner is empty because it was emptied.
            return None;
        }
        let idle = status.state == State::Idle;
        let free = status.room.map(|room| room.blocks);
        if idle {
            self.room = self.room.max(free);
        }
        self.stood |= status.halted && stands(status.state);
        self.last = Some(*status);
        let position = self.reports.position(status)?;
        self.position = Some(position);
        self.moved |= !at_zero(&position);
        if status.state == State::Alarm {
            // Its planner is empty because it was emptied.
            return None;
        }
        if self.locator.see(&position, status.taken, self.planned()) {
            self.on_path = self.on_path.saturating_add(1);
            self.beside = 0;
            return None;
        }
        // Before the first line moves it stands where it stood; behind a homing nobody knows where.
        // A board that starts anew without a word is back at its zero, however little was seen before.
        let anew = self.moved && at_zero(&position);
        let known = (self.on_path >= BELIEVED || anew) && self.trail.stands().is_some();
        let moves = matches!(status.state, State::Run | State::Idle);
        if !known || !moves || status.halted {
            return None;
        }
        self.beside += 1;
        let at = [position[0]?, position[1]?];
        (self.beside >= ASTRAY).then_some(Failure::Astray(at))
    }

    /// How many motions the controller has in its planner, by its last status.
    fn planned(&self) -> Option<usize> {
        let last = self.last.filter(|status| status.state != State::Alarm)?;
        let free = last.room?.blocks;
        Some(self.room?.saturating_sub(free))
    }

    /// The furthest place at which the head was seen.
    #[must_use]
    pub fn seen(&self) -> Place {
        self.locator.seen()
    }

    /// The position that was reported last, machine axes.
    #[must_use]
    pub fn position(&self) -> Option<Position> {
        self.position
    }

    /// The session is over: where the head is. A run that seems to be done and does not end where the
    /// program ends has failed.
    pub fn halt(&mut self, session: &Session, outcome: &mut Outcome, dark: Dark) -> Halt {
        if *outcome == Outcome::Done
            && let Some(miss) = self.miss()
        {
            *outcome = Outcome::Failed(miss);
        }
        let untouched = dark == Dark::Untouched;
        let whereabouts = match outcome {
            Outcome::Done => Whereabouts::End,
            _ if untouched => Whereabouts::Here(self.locator.seen()),
            _ if session.has_restarted() => Whereabouts::Lost,
            // Lines may be missing, or have run twice: no position tells.
            Outcome::Failed(
                Failure::Miscounted(Miscount::Surplus)
                | Failure::NotThere { .. }
                | Failure::Astray(_),
            ) => Whereabouts::Lost,
            Outcome::Failed(Failure::Restarted | Failure::Halted(_) | Failure::NotReady(_)) => {
                Whereabouts::Lost
            }
            Outcome::Failed(Failure::Alarm(complaint)) if complaint.code != Some(2) => {
                Whereabouts::Lost
            }
            Outcome::Failed(Failure::Closed | Failure::Silent) if !self.stood => {
                Whereabouts::Asking
            }
            // What came behind a line that was refused ran without it.
            Outcome::Failed(Failure::Refused { line: Some(line), .. }) => {
                let refused = Place::before(*line);
                match self.find(session) {
                    Whereabouts::Here(place) if place > refused => {
                        Whereabouts::Between(refused, place)
                    }
                    Whereabouts::Between(from, to) if to > refused => {
                        Whereabouts::Between(if from < refused { from } else { refused }, to)
                    }
                    other => other,
                }
            }
            _ => self.find(session),
        };
        Halt { whereabouts, seen: self.locator.seen(), position: self.position }
    }

    /// Where it stood when it was brought to a halt.
    fn find(&self, session: &Session) -> Whereabouts {
        let (true, Some(position)) = (self.stood, self.position) else {
            return if self.printer { Whereabouts::Asking } else { Whereabouts::Lost };
        };
        // A board that started anew without a word stands at its zero and knows of no line.
        if at_zero(&position) && (self.moved || self.printer) {
            return Whereabouts::Lost;
        }
        let last = session.last_sent().unwrap_or_default();
        let taken = self.last.map_or(0, |status| status.taken);
        match self.locator.find(&position, taken, self.planned(), last) {
            Located::Here(place) => Whereabouts::Here(place),
            Located::Between(first, last) => Whereabouts::Between(first, last),
            Located::Nowhere => Whereabouts::Lost,
        }
    }

    /// By how much the head misses the end of the program, if it does.
    fn miss(&self) -> Option<Failure> {
        let (position, end) = (self.position?, self.trail.stands()?);
        let at = fill(&position, &end);
        let away = (0..6).map(|n| at[n] - end[n]).fold(0.0, f64::hypot);
        let flat = |axes: &Axes| [axes[0], axes[1]];
        (away > THERE).then(|| Failure::NotThere { at: flat(&at), end: flat(&end) })
    }
}

/// Whether a position is the machine's zero, to the last digit.
fn at_zero(position: &Position) -> bool {
    position[..3].iter().all(|at| *at == Some(0.0))
}

/// Whether the head stands in this state.
fn stands(state: State) -> bool {
    !matches!(state, State::Run | State::Jog | State::Home | State::Hold { moving: true })
}
