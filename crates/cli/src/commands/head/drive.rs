//! The head driven by keys: one talk, a step at a time, never more than one step ahead of the head.

use super::calls::{moves, ready};
use crate::commands::edge::counts_from;
use crate::link::Link;
use crate::link::talk::Host;
use crate::place::{beside, on_bed};
use crate::refusal::Refusal;
use crate::stopping::Stopping;
use std::sync::Mutex;
use std::sync::PoisonError;
use std::sync::mpsc::Receiver;
use tinkite_core::geometry::{Point, Vec2};
use tinkite_core::job::{Machine, Zero};
use tinkite_core::quantity::plain;
use tinkite_run::Reports;
use tinkite_wire::{Connected, Dark, Event, Outcome, Session, State, Status};

/// What a key orders.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Order {
    /// So far to the right and away, mm.
    Step(Vec2),
    /// To the next corner of the job.
    Corner,
    /// The head stands where it is.
    Stop,
    Home,
    Unlock,
    /// Here is the zero on the stock.
    Zero,
    /// The panel is left.
    Leave,
}

/// How it stands, for whoever shows it.
#[derive(Debug, Clone, Default)]
pub(super) struct Seen {
    pub(super) state: Option<State>,
    /// mm from the front left corner of the bed.
    pub(super) head: Option<Point>,
    pub(super) zero: Option<Point>,
    /// On the machine's axes, mm.
    pub(super) axes: Option<[f64; 3]>,
    pub(super) locked: bool,
    pub(super) told: Vec<String>,
    pub(super) over: bool,
}

/// What is seen by one thread and shown by another.
pub(super) type Shared = Mutex<Seen>;

/// A step begins when no more than this share of it is left of the one before.
const AHEAD: f64 = 0.5;

/// A job whose corners are gone to.
#[derive(Debug, Clone)]
pub(super) struct Corners {
    /// mm from the program's zero.
    pub(super) corners: Vec<Point>,
    pub(super) zero: Zero,
}

/// Drives the head until the panel is left.
pub(super) struct Driving<'d> {
    machine: &'d Machine,
    stopping: &'d Stopping,
    orders: Receiver<Order>,
    shared: &'d Shared,
    job: Option<Corners>,
    /// mm from the front left corner of the bed, and which comes next.
    corners: Vec<Point>,
    next: usize,
    reports: Reports,
    /// Where the head was sent last, mm from the front left corner of the bed; none while that is not
    /// known.
    target: Option<Point>,
    lines: u32,
    begun: bool,
    leaving: bool,
}

impl<'d> Driving<'d> {
    pub(super) fn new(
        machine: &'d Machine,
        stopping: &'d Stopping,
        orders: Receiver<Order>,
        shared: &'d Shared,
        job: Option<Corners>,
    ) -> Self {
        Self {
            machine,
            stopping,
            orders,
            shared,
            job,
            corners: Vec::new(),
            next: 0,
            reports: Reports::new(machine, None),
            target: None,
            lines: 0,
            begun: false,
            leaving: false,
        }
    }

    fn seen<T>(&self, change: impl FnOnce(&mut Seen) -> T) -> T {
        change(&mut self.shared.lock().unwrap_or_else(PoisonError::into_inner))
    }

    fn tell(&self, text: impl Into<String>) {
        self.seen(|seen| seen.told.push(text.into()));
    }

    fn send(&mut self, session: &mut Session, line: String) {
        self.lines += 1;
        if let Err(error) = session.enqueue(self.lines, line.into_bytes()) {
            self.tell(error.to_string());
        }
    }

    fn obey(&mut self, order: Order, session: &mut Session, link: &dyn Link) {
        let (locked, head, state) = self.seen(|seen| (seen.locked, seen.head, seen.state));
        let stands = state == Some(State::Idle) && session.in_flight() == 0;
        if locked && matches!(order, Order::Step(_) | Order::Corner | Order::Zero) {
            return self.tell("locked by an alarm: o looks for home, u unlocks");
        }
        match order {
            Order::Leave => {
                self.leaving = true;
                session.cancel_jog();
                session.end_of_program(link.now());
            }
            Order::Stop => {
                session.cancel_jog();
                self.target = None;
            }
            Order::Home => self.send(session, "$H".into()),
            Order::Unlock if !locked => self.tell("it is not locked"),
            Order::Unlock => self.send(session, "$X".into()),
            Order::Zero if !stands => self.tell("the zero is set where the head stands: it moves"),
            Order::Zero => self.send(session, "G10L20P1X0Y0".into()),
            Order::Step(by) => {
                let Some(from) = self.target.or(head) else { return };
                let left = head.map_or(0.0, |head| (from - head).hypot());
                // A key that is held down repeats it: what is too early is forgotten.
                if session.in_flight() == 0 && left <= AHEAD * by.hypot() {
                    self.travel(from + by, session);
                }
            }
            Order::Corner if self.corners.is_empty() => {
                self.tell("no job was named whose corners are known: tinkite head JOB");
            }
            Order::Corner if !stands => self.tell("it moves: wait until it stands"),
            Order::Corner => {
                let to = self.corners[self.next % self.corners.len()];
                self.next += 1;
                self.travel(to, session);
            }
        }
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
        let (unlocked, moved) = self.seen(|seen| {
            let unlocked = seen.locked && status.state == State::Idle;
            let moved = zero.zip(seen.zero).filter(|(now, then)| (*now - *then).hypot() > 1e-3);
            seen.state = Some(status.state);
            seen.locked &= status.state == State::Alarm;
            (seen.head, seen.axes) = (head.or(seen.head), axes.or(seen.axes));
            seen.zero = zero.or(seen.zero);
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

    fn connected(&mut self, connected: &Connected) {
        let flat = |at: [f64; 3]| on_bed(self.machine, Point::new(at[0], at[1]));
        self.seen(|seen| {
            seen.locked = connected.locked;
            seen.axes = connected.position;
            seen.head = connected.position.map(flat);
            seen.zero = connected.work_offset(Some("G54")).map(flat);
        });
        if let Some(Corners { corners, zero }) = &self.job {
            match counts_from(self.machine, connected, *zero) {
                Ok((begin, _)) => {
                    self.corners = corners.iter().map(|c| begin + c.to_vec2()).collect();
                }
                Err(refusal) => self.tell(refusal.why()),
            }
        }
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

    fn turn(&mut self, session: &mut Session, link: &dyn Link) -> Result<(), Refusal> {
        if self.stopping.wanted() {
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
                self.connected(&connected);
                session.start();
                self.begun = true;
            }
            Event::Status(status) => self.status(&status, session),
            Event::Said(text) if text.starts_with("[MSG:") => self.tell(text),
            Event::Said(_) => {}
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
