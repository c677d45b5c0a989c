//! The head driven by keys: one talk, a step at a time, never more than one step ahead of the head.

use super::counts::counts_from;
use super::marks::Marks;
use super::moves::{lift, moves, ready};
use super::pointer;
use crate::beam::runs_on;
use crate::place::{beside, on_bed};
use crate::stopping::Stopping;
use std::collections::BTreeSet;
use std::sync::Mutex;
use std::sync::PoisonError;
use std::sync::mpsc::Receiver;
use tinkite_core::found;
use tinkite_core::geometry::{Point, Vec2};
use tinkite_core::job::Zero;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_link::Link;
use tinkite_link::talk::Host;
use tinkite_run::Reports;
use tinkite_wire::{Connected, Dark, Event, Outcome, Session, State, Status, Switches};

/// What a key orders.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum HeadOrder {
    /// To the right and away, by so many mm.
    Step(Vec2),
    /// Up, by so many mm.
    Lift(f64),
    /// To the next corner of the job, or to where the mark is thought to lie.
    Corner,
    /// The head stands on the mark.
    Found,
    /// Another mark: the next one, or the one before.
    Mark {
        /// Forwards.
        next: bool,
    },
    /// The head stands where it is.
    Stop,
    /// Look for the machine's zero.
    Home,
    /// Open the lock of an alarm.
    Unlock,
    /// Set the zero of the stock where the head stands.
    Zero,
    /// The pointer is lit for a while where the head stands.
    Pointer,
    /// Everything is halted and put out, and the panel left.
    Dark,
    /// The panel is left.
    Leave,
}

/// How it stands, for whoever shows it.
#[derive(Debug, Clone, Default)]
pub struct Seen {
    /// What the controller does.
    pub state: Option<State>,
    /// mm from the front left corner of the bed.
    pub head: Option<Point>,
    /// The zero on the stock, mm from the same corner.
    pub zero: Option<Point>,
    /// On the machine's axes, mm.
    pub axes: Option<[f64; 3]>,
    /// Where the focus has its zero on the stock, mm on the machine's axis.
    pub lifted: f64,
    /// Switches that are pressed.
    pub switches: Switches,
    /// Feed, rapid and power as somebody has changed them, %.
    pub overrides: Option<[f64; 3]>,
    /// Which mark is looked for, from 0.
    pub mark: usize,
    /// The marks that were written into the job here, from 0.
    pub found: BTreeSet<usize>,
    /// An alarm has locked it.
    pub locked: bool,
    /// What was told, the newest last.
    pub told: Vec<String>,
    /// The talk has ended.
    pub over: bool,
}

/// What is seen by one thread and shown by another.
pub type Shared = Mutex<Seen>;

/// A step begins when no more than this share of it is left of the one before.
const AHEAD: f64 = 0.5;

/// A job whose corners are gone to.
#[derive(Debug, Clone)]
pub struct Corners {
    /// mm from the program's zero.
    pub corners: Vec<Point>,
    /// What the program counts from.
    pub zero: Zero,
}

/// What the panel is opened with.
#[derive(Debug, Clone)]
pub enum Aim {
    /// Nothing but the machine.
    Nothing,
    /// A job whose corners are gone to.
    Corners(Corners),
    /// A job whose marks are looked for.
    Marks(Marks),
}

/// Drives the head until the panel is left.
pub struct Driving<'d> {
    machine: &'d Machine,
    stopping: &'d Stopping,
    orders: Receiver<HeadOrder>,
    shared: &'d Shared,
    aim: Aim,
    /// What the job counts from, mm from the front left corner of the bed; none while that is not known.
    begin: Option<Point>,
    /// mm from the front left corner of the bed, and which comes next.
    corners: Vec<Point>,
    next: usize,
    reports: Reports,
    /// Where the head was sent last, mm from the front left corner of the bed; none while that is not
    /// known.
    target: Option<Point>,
    lines: u32,
    /// Whether the controller makes of an S value what the profile does; why not.
    trusted: Result<(), String>,
    begun: bool,
    leaving: bool,
}

impl<'d> Driving<'d> {
    /// Nothing is sent before the controller has said how it stands.
    pub fn new(
        machine: &'d Machine,
        stopping: &'d Stopping,
        orders: Receiver<HeadOrder>,
        shared: &'d Shared,
        aim: Aim,
    ) -> Self {
        Self {
            machine,
            stopping,
            orders,
            shared,
            aim,
            begin: None,
            corners: Vec::new(),
            next: 0,
            reports: Reports::new(machine, None),
            target: None,
            lines: 0,
            trusted: Err("the controller has not said yet what it is".into()),
            begun: false,
            leaving: false,
        }
    }

    fn change_seen<T>(&self, change: impl FnOnce(&mut Seen) -> T) -> T {
        change(&mut self.shared.lock().unwrap_or_else(PoisonError::into_inner))
    }

    fn tell(&self, text: impl Into<String>) {
        self.change_seen(|seen| seen.told.push(text.into()));
    }

    fn send(&mut self, session: &mut Session, line: String) {
        self.lines += 1;
        if let Err(error) = session.enqueue(self.lines, line.into_bytes()) {
            self.tell(error.to_string());
        }
    }

    fn obey(&mut self, order: HeadOrder, session: &mut Session, link: &dyn Link) {
        let (locked, head, state) = self.change_seen(|seen| (seen.locked, seen.head, seen.state));
        let stands = state == Some(State::Idle) && session.in_flight() == 0;
        let moves = matches!(order, HeadOrder::Step(_) | HeadOrder::Lift(_) | HeadOrder::Corner);
        if locked && (moves || matches!(order, HeadOrder::Zero | HeadOrder::Found)) {
            return self.tell("locked by an alarm: o looks for home, u unlocks");
        }
        match order {
            HeadOrder::Leave => {
                self.leaving = true;
                session.cancel_jog();
                session.end_of_program(link.now());
            }
            HeadOrder::Dark => {
                self.leaving = true;
                session.darken(link.now());
            }
            HeadOrder::Pointer if !stands || locked => {
                self.tell("the pointer is lit where the head stands: it moves, or is locked");
            }
            HeadOrder::Pointer => match self
                .trusted
                .clone()
                .and_then(|()| pointer::lit(self.machine).map_err(|r| r.why()))
            {
                Ok((seconds, lines)) => {
                    self.tell(format!(
                        "the pointer is lit for {} s; d puts it out",
                        plain(seconds, 1)
                    ));
                    lines.into_iter().for_each(|line| self.send(session, line));
                }
                Err(why) => self.tell(why),
            },
            HeadOrder::Stop => {
                session.cancel_jog();
                self.target = None;
            }
            HeadOrder::Home => self.send(session, "$H".into()),
            HeadOrder::Unlock if !locked => self.tell("it is not locked"),
            HeadOrder::Unlock => self.send(session, "$X".into()),
            HeadOrder::Zero if !stands => {
                self.tell("the zero is set where the head stands: it moves")
            }
            HeadOrder::Zero => self.send(session, "G10L20P1X0Y0".into()),
            HeadOrder::Step(by) => {
                let Some(from) = self.target.or(head) else { return };
                let left = head.map_or(0.0, |head| (from - head).hypot());
                // A key that is held down repeats it: what is too early is forgotten.
                if session.in_flight() == 0 && left <= AHEAD * by.hypot() {
                    self.travel(from + by, session);
                }
            }
            HeadOrder::Lift(by) => self.lift(by, session),
            HeadOrder::Found if !stands => self.tell("it moves: wait until it stands"),
            HeadOrder::Found => self.take_head(head),
            HeadOrder::Mark { next } => self.turn_to(next),
            HeadOrder::Corner if !stands => self.tell("it moves: wait until it stands"),
            HeadOrder::Corner if matches!(self.aim, Aim::Marks(_)) => match self.guess() {
                Some(to) => self.travel(to, session),
                None => self.tell("nothing says yet where this mark lies: drive there"),
            },
            HeadOrder::Corner if self.corners.is_empty() => {
                self.tell("no job was named whose corners are known: tinkite head JOB");
            }
            HeadOrder::Corner => {
                let to = self.corners[self.next % self.corners.len()];
                self.next += 1;
                self.travel(to, session);
            }
        }
    }

    /// One step up or down; the next one when it is done.
    fn lift(&mut self, by: f64, session: &mut Session) {
        let (axes, zero) = self.change_seen(|seen| (seen.axes, seen.lifted));
        let Some([.., z]) = axes else { return };
        if session.in_flight() > 0 {
            return;
        }
        // A step that is not done yet is not gone on from: the place where it ends is not known.
        let stands = self.change_seen(|seen| seen.state) == Some(State::Idle);
        match lift(self.machine, zero, z + by, None) {
            _ if !stands => {}
            Ok(lines) => lines.into_iter().for_each(|line| self.send(session, line)),
            Err(refusal) => self.tell(refusal.why()),
        }
    }

    /// Where the mark that is looked for lies, as far as is known: where it was found before, or where
    /// the others say.
    fn guess(&self) -> Option<Point> {
        let Aim::Marks(marks) = &self.aim else { return None };
        let number = self.change_seen(|seen| seen.mark);
        let lies = found::guess(&marks.marks, number, self.machine.pointing)?;
        Some(Marks::on_bed(self.machine, self.begin?, lies))
    }

    /// Writes down that the mark lies under the head, and turns to the next.
    fn take_head(&mut self, head: Option<Point>) {
        let Aim::Marks(marks) = &mut self.aim else { return };
        let (Some(head), Some(begin)) = (head, self.begin) else { return };
        let shared = &self.shared;
        let seen = || shared.lock().unwrap_or_else(PoisonError::into_inner);
        let number = seen().mark;
        match marks.write(self.machine, begin, number + 1, head) {
            Ok(told) => {
                let at = self.machine.pointing.to_machine(head - begin).to_point();
                marks.marks[number].found = Some(at);
                let mut seen = seen();
                seen.told.push(told);
                seen.found.insert(number);
                if number + 1 < marks.marks.len() {
                    seen.mark += 1;
                }
            }
            Err(refusal) => seen().told.push(refusal.why()),
        }
    }

    fn turn_to(&mut self, next: bool) {
        let Aim::Marks(marks) = &self.aim else { return };
        let last = marks.marks.len() - 1;
        self.change_seen(|seen| {
            seen.mark = if next { (seen.mark + 1).min(last) } else { seen.mark.saturating_sub(1) };
        });
    }

    fn travel(&mut self, to: Point, session: &mut Session) {
        if let Some(beside) = beside(self.machine, to) {
            return self.tell(format!("that is beside the bed, {beside}"));
        }
        self.target = Some(to);
        for line in moves(self.machine, &[to], None) {
            self.send(session, line);
        }
    }

    fn status(&mut self, status: &Status, session: &Session) {
        let position = self.reports.position(status);
        let axes = position.and_then(|at| Some([at[0]?, at[1]?, at[2]?]));
        let head = axes.map(|at| on_bed(self.machine, Point::new(at[0], at[1])));
        let zero = status.offset.map(|at| on_bed(self.machine, Point::new(at[0], at[1])));
        let (unlocked, moved) = self.change_seen(|seen| {
            let unlocked = seen.locked && status.state == State::Idle;
            let moved = zero.zip(seen.zero).filter(|(now, then)| (*now - *then).hypot() > 1e-3);
            seen.state = Some(status.state);
            seen.locked &= status.state == State::Alarm;
            (seen.head, seen.axes) = (head.or(seen.head), axes.or(seen.axes));
            seen.zero = zero.or(seen.zero);
            seen.lifted = status.offset.map_or(seen.lifted, |at| at[2]);
            seen.switches = status.switches;
            seen.overrides = status.overrides.or(seen.overrides);
            (unlocked, moved)
        });
        if let Some((zero, _)) = moved {
            self.tell(format!(
                "the zero on the stock lies {} mm from the left and {} mm from the front now",
                plain(zero.x, 2),
                plain(zero.y, 2)
            ));
        }
        if unlocked {
            self.tell("unlocked");
        }
        // Where it stands it is, wherever it was sent.
        if status.state == State::Idle && session.in_flight() == 0 {
            self.target = None;
        }
    }

    fn take_connected(&mut self, connected: &Connected) {
        let flat = |at: [f64; 3]| on_bed(self.machine, Point::new(at[0], at[1]));
        self.change_seen(|seen| {
            seen.locked = connected.locked;
            seen.axes = connected.position;
            seen.head = connected.position.map(flat);
            let zero = connected.work_offset(Some("G54"));
            seen.zero = zero.map(flat);
            seen.lifted = zero.map_or(0.0, |zero| zero[2]);
        });
        let begin = match &self.aim {
            Aim::Nothing => Ok(None),
            Aim::Corners(job) => {
                counts_from(self.machine, connected, job.zero).map(|(begin, _)| Some(begin))
            }
            Aim::Marks(marks) => marks.begin(self.machine, connected).map(Some),
        };
        match begin {
            Ok(begin) => self.begin = begin,
            Err(refusal) => self.tell(refusal.why()),
        }
        if let (Aim::Corners(job), Some(begin)) = (&self.aim, self.begin) {
            self.corners = job.corners.iter().map(|c| begin + c.to_vec2()).collect();
        }
        self.trusted = pointer::means_the_same(self.machine, connected).map_err(|r| r.why());
        if let Err(refusal) = ready(connected) {
            self.tell(refusal.why());
        }
        if connected.restarted {
            self.tell(
                "the controller has just started: unless it was homed, its position is wrong",
            );
        }
    }
}

impl Host for Driving<'_> {
    type Outcome = Dark;
    type Error = Refusal;

    fn turn(&mut self, session: &mut Session, link: &dyn Link) -> Result<(), Refusal> {
        if self.stopping.is_wanted() {
            session.stop(link.now());
        }
        while self.begun
            && !self.leaving
            && let Ok(order) = self.orders.try_recv()
        {
            self.obey(order, session, link);
        }
        Ok(())
    }

    fn event(
        &mut self,
        event: Event,
        session: &mut Session,
        _link: &dyn Link,
    ) -> Result<Option<Dark>, Refusal> {
        match event {
            Event::Connected(connected) => {
                self.take_connected(&connected);
                session.start();
                self.begun = true;
            }
            Event::Status(status) => self.status(&status, session),
            Event::Said(text) if text.starts_with("[MSG:") => self.tell(text),
            Event::RunsOn(left) => self.tell(runs_on(left)),
            Event::Said(_) | Event::Touched(_) => {}
            Event::Ended { outcome, dark } => {
                return match outcome {
                    Outcome::Done | Outcome::Stopped => Ok(Some(dark)),
                    Outcome::Failed(failure) => Err(Refusal::Link(format!(
                        "{failure}{}{}",
                        super::by_hand::advice(&failure),
                        crate::beam::words(dark)
                    ))),
                };
            }
        }
        Ok(None)
    }
}
