//! The controller itself: bytes in, time by, bytes out.

mod dollar;
mod misbehaves;
mod printer;
mod probe;
mod realtime;

use crate::axes::Axes;
use crate::gcode::{Beam, Command, Modal, without_own};
use crate::motion::{Drive, Head};
use crate::offsets::Offsets;
use crate::planner::Planner;
use crate::record::Record;
use crate::settings::{Banner, Protocol, Setup};
use misbehaves::Misbehaviour;
use printer::Counter;
use std::collections::VecDeque;
use std::fmt::Write as _;

/// What it is doing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    Ready,
    /// Braking or standing after a feed hold.
    Hold,
    /// The same, because the safety door is open.
    Door,
    Alarm,
    /// Its motors are free; only a reset wakes it.
    Sleep,
    /// Parses lines without moving.
    Check,
}

/// Times nearer than this are the same, s.
const SAME_TIME: f64 = 1e-9;

/// Work that must wait for the planner to run empty, or for room in it.
#[derive(Debug)]
enum Pending {
    Moves {
        to: VecDeque<Axes>,
        feed: Option<f64>,
        s: Option<f64>,
    },
    /// A dwell.
    Stand {
        seconds: f64,
    },
    Sync,
    /// A pause of the program: it is answered when somebody lets the machine go on.
    Pause,
    /// Down to the surface; whether one is there.
    Probe {
        touches: bool,
    },
    Home,
}

/// A simulated controller. Times are simulated seconds.
#[derive(Debug)]
pub struct Rig {
    setup: Setup,
    state: State,
    /// Received and not yet taken: whole lines and the beginning of one.
    inbox: VecDeque<u8>,
    /// When each of those bytes is over the cable.
    arrivals: VecDeque<f64>,
    /// When the cable is free for the next byte.
    cable: f64,
    /// When the next line may be taken.
    next_line: f64,
    output: String,
    modal: Modal,
    planner: Planner,
    head: Head,
    pending: Option<Pending>,
    /// Where the last planned move ends, machine coordinates.
    planned: Axes,
    record: Record,
    /// What moves is a jog.
    jogging: bool,
    /// The beam is switched off for as long as it is held.
    beam_stopped: bool,
    /// Line numbers of the printer's protocol.
    printer: Counter,
    now: f64,
    /// What goes wrong, if anything does.
    misbehaviour: Option<Box<Misbehaviour>>,
}

impl Rig {
    /// Switches a controller on; it says hello.
    #[must_use]
    pub fn new(setup: Setup) -> Self {
        let modal = Modal {
            protocol: setup.protocol,
            offsets: Offsets::with_zero([setup.offset[0], setup.offset[1], 0.0, 0.0]),
            at: [-setup.offset[0], -setup.offset[1], 0.0, 0.0],
            ..Modal::default()
        };
        let mut record = Record::default();
        record.diameter = setup.diameter;
        let mut rig = Self {
            setup,
            state: State::Ready,
            inbox: VecDeque::new(),
            arrivals: VecDeque::new(),
            cable: 0.0,
            next_line: 0.0,
            output: String::new(),
            modal,
            planner: Planner::default(),
            head: Head::default(),
            pending: None,
            planned: [0.0; 4],
            record,
            printer: Counter::default(),
            jogging: false,
            beam_stopped: false,
            now: 0.0,
            misbehaviour: None,
        };
        rig.banner();
        rig
    }

    /// Puts the head somewhere on the machine's axes, mm, before anything runs.
    pub fn stand_at(&mut self, [x, y]: [f64; 2]) {
        let at = [x, y, 0.0, 0.0];
        (self.head.at, self.planned) = (at, at);
        self.modal.at = self.work_position();
    }

    /// Locks it, as an alarm does.
    pub fn lock(&mut self) {
        self.state = State::Alarm;
    }

    /// Bytes arrive. Real-time bytes act at once; what does not fit the buffer is lost, as on a
    /// real board.
    pub fn receive(&mut self, bytes: &[u8]) {
        match self.spoil(bytes) {
            Some(bytes) => self.hear(&bytes),
            None => self.hear(bytes),
        }
    }

    fn hear(&mut self, bytes: &[u8]) {
        for byte in bytes {
            if self.setup.protocol == Protocol::Grbl && self.act_at_once(*byte) {
                continue;
            }
            if self.inbox.len() + 1 >= self.setup.buffer {
                self.record.overrun_bytes += 1;
            } else {
                let gap = self.setup.bytes_per_second.map_or(0.0, |rate| 1.0 / rate);
                self.cable = self.cable.max(self.now) + gap;
                self.arrivals.push_back(self.cable);
                self.inbox.push_back(*byte);
            }
        }
        self.take_lines();
    }

    /// Lets simulated time go by until `until`, or until it waits for nothing but bytes.
    pub fn advance(&mut self, until: f64) {
        while let Some(at) = self.next_mishap().filter(|at| *at <= until) {
            self.advance_well(at.max(self.now));
            // To the bit: what is left of a subtraction must not be waited for again.
            self.now = self.now.max(at);
            self.mishaps();
        }
        self.advance_well(until);
    }

    fn advance_well(&mut self, until: f64) {
        if self.is_stalled() {
            self.record.lit_standing_seconds +=
                if self.beam_on() { (until - self.now).max(0.0) } else { 0.0 };
            self.now = self.now.max(until);
            return;
        }
        while self.now < until && self.has_work() {
            self.step(until - self.now);
        }
        self.say_busy(until);
        let standing = (until - self.now).max(0.0);
        if self.burns_standing() {
            self.record.lit_standing_seconds += standing;
        }
        self.now += standing;
    }

    /// Lets time go by until the next thing is finished: a move, a dwell, a halt. Whether there
    /// was anything to do.
    pub fn advance_to_next(&mut self) -> bool {
        let works = self.has_work() && !self.is_stalled();
        match self.next_mishap() {
            Some(mishap) if !works || mishap <= self.now + self.work_left() => {
                self.advance(mishap.max(self.now));
                true
            }
            _ if works => {
                self.step(f64::INFINITY);
                true
            }
            _ => false,
        }
    }

    /// When the next thing will be finished, if anything is going on.
    #[must_use]
    pub fn next_event(&self) -> Option<f64> {
        let work = (self.has_work() && !self.is_stalled()).then(|| self.now + self.work_left());
        match (work, self.next_mishap()) {
            (Some(work), Some(mishap)) => Some(work.min(mishap)),
            (work, mishap) => work.or(mishap),
        }
    }

    /// Whether lines wait for room in the planner: only time can help then.
    #[must_use]
    pub fn is_full(&self) -> bool {
        self.pending.is_some() && self.has_work()
    }

    /// Whether a pause of the program waits for somebody who lets the machine go on.
    #[must_use]
    pub fn waits_for_operator(&self) -> bool {
        self.state == State::Hold && matches!(self.pending, Some(Pending::Pause))
    }

    /// Takes what it has to say.
    pub fn take_output(&mut self) -> Vec<u8> {
        self.deliver();
        match &mut self.misbehaviour {
            Some(misbehaviour) => misbehaviour.take_output(),
            None => std::mem::take(&mut self.output).into_bytes(),
        }
    }

    /// Whether it has something to say.
    #[must_use]
    pub fn has_output(&self) -> bool {
        !self.output.is_empty() || self.misbehaviour.as_ref().is_some_and(|m| m.has_output())
    }

    /// What the beam did so far.
    #[must_use]
    pub fn record(&self) -> &Record {
        &self.record
    }

    /// The machine that it pretends to be.
    #[must_use]
    pub fn setup(&self) -> &Setup {
        &self.setup
    }

    /// Simulated seconds since it was switched on.
    #[must_use]
    pub fn now(&self) -> f64 {
        self.now
    }

    /// Whether the beam would burn right now if the head moved.
    #[must_use]
    pub fn beam_on(&self) -> bool {
        self.modal.beam != Beam::Off && self.modal.s > 0.0
    }

    /// Whether light comes out at this moment.
    #[must_use]
    pub fn is_lit(&self) -> bool {
        self.s_now() > 0.0
    }

    /// S of the light that comes out at this moment; 0 in the dark.
    fn s_now(&self) -> f64 {
        let moves = self.head.is_moving(&self.planner) && !self.is_stalled();
        if moves {
            self.planner.blocks.front().and_then(|block| block.s).unwrap_or(0.0)
        } else if self.burns_standing() {
            self.modal.s
        } else {
            0.0
        }
    }

    /// Where the head is, machine coordinates in mm.
    #[must_use]
    pub fn position(&self) -> [f64; 2] {
        [self.head.at[0], self.head.at[1]]
    }

    /// A constant beam burns on while the head stands; in laser mode not after a rapid move.
    fn burns_standing(&self) -> bool {
        let lit = self.modal.beam == Beam::Constant && self.modal.s > 0.0 && !self.beam_stopped;
        lit && (self.modal.motion != 0 || !self.setup.laser_mode)
    }

    // Time.

    /// Whether something moves, or dwells.
    fn is_busy(&self) -> bool {
        let dwelling =
            matches!(self.pending, Some(Pending::Stand { .. })) && self.planner.blocks.is_empty();
        self.head.is_moving(&self.planner) || (dwelling && self.state == State::Ready)
    }

    fn has_work(&self) -> bool {
        self.is_busy() || self.line_comes().is_some()
    }

    /// When the first whole line that was sent can be taken, if that is later.
    fn line_comes(&self) -> Option<f64> {
        if self.pending.is_some() {
            return None;
        }
        let end = self.inbox.iter().position(|b| matches!(b, b'\n' | b'\r'))?;
        let due = self.arrivals.get(end).copied().unwrap_or(self.now).max(self.next_line);
        (due > self.now).then_some(due)
    }

    fn work_left(&self) -> f64 {
        let line = self.line_comes().map_or(f64::INFINITY, |due| due - self.now);
        self.motion_left().min(line)
    }

    fn motion_left(&self) -> f64 {
        if self.head.is_moving(&self.planner) {
            return self.head.time_left(&self.planner);
        }
        match self.pending {
            Some(Pending::Stand { seconds }) => seconds,
            _ => f64::INFINITY,
        }
    }

    fn step(&mut self, most: f64) {
        let due = self.line_comes();
        let most = due.map_or(most, |due| most.min(due - self.now));
        if self.head.is_moving(&self.planner) {
            self.now += self.head.run(&mut self.planner, most, &mut self.record);
            if self.planner.blocks.is_empty() {
                self.planner.standstill();
                self.head.speed = 0.0;
                self.jogging = false;
            }
            if self.head.drive == Drive::Braking && self.head.speed <= 0.0 {
                self.stand();
            }
        } else if let Some(Pending::Stand { seconds }) = &mut self.pending {
            let gone = seconds.min(most);
            *seconds -= gone;
            let over = *seconds <= 0.0;
            self.now += gone;
            self.record.busy_seconds += gone;
            if self.burns_standing() {
                self.record.lit_standing_seconds += gone;
            }
            if over {
                self.pending = None;
                self.ok();
            }
        } else if due.is_some() {
            if self.burns_standing() {
                self.record.lit_standing_seconds += most;
            }
            self.now += most;
        }
        if let Some(due) = due
            && due - self.now < SAME_TIME
        {
            // To the bit: what is left of a subtraction must not be waited for again.
            self.now = self.now.max(due);
        }
        self.take_lines();
    }

    /// The head has come to a halt in a hold: what is left is planned from standstill.
    fn stand(&mut self) {
        if self.jogging {
            // A cancelled jog leaves nothing behind.
            self.drop_motion();
            self.modal.at = self.work_position();
            return;
        }
        self.head.speed = 0.0;
        self.planner.plan();
    }

    // Lines.

    fn take_lines(&mut self) {
        while self.make_room() {
            let Some(end) = self.inbox.iter().position(|b| matches!(b, b'\n' | b'\r')) else {
                return;
            };
            if self.line_comes().is_some() {
                return;
            }
            let line: Vec<u8> = self.inbox.drain(..=end).take(end).collect();
            self.arrivals.drain(..=end);
            let gap = self.setup.lines_per_second.map_or(0.0, |rate| 1.0 / rate);
            self.next_line = self.next_line.max(self.now) + gap;
            self.record.lines += 1;
            let line = String::from_utf8_lossy(&line).into_owned();
            if self.setup.protocol == Protocol::Reprap {
                self.printer_line(line.trim());
                continue;
            }
            match self.one_line(line.trim()) {
                Ok(true) => self.ok(),
                Ok(false) => {}
                Err(code) => {
                    self.record.errors += 1;
                    let _ = if self.setup.ways.words {
                        write!(self.output, "error: number {code} in words\r\n")
                    } else {
                        write!(self.output, "error:{code}\r\n")
                    };
                }
            }
        }
    }

    /// Carries on with pending work; whether the next line may be taken.
    fn make_room(&mut self) -> bool {
        match self.pending.take() {
            None => true,
            Some(Pending::Moves { mut to, feed, s }) => {
                while self.planner.blocks.len() < self.setup.planner {
                    let Some(point) = to.pop_front() else {
                        self.ok();
                        return true;
                    };
                    self.plan_move(point, feed, s);
                    if self.state == State::Alarm {
                        return true;
                    }
                }
                if to.is_empty() {
                    self.ok();
                    return true;
                }
                self.pending = Some(Pending::Moves { to, feed, s });
                false
            }
            Some(Pending::Sync) if self.planner.blocks.is_empty() => {
                self.ok();
                true
            }
            Some(Pending::Pause) if self.planner.blocks.is_empty() => {
                self.state = State::Hold;
                self.pending = Some(Pending::Pause);
                false
            }
            Some(Pending::Probe { touches }) if self.planner.blocks.is_empty() => {
                self.finish_probe(touches);
                true
            }
            Some(Pending::Home) if self.planner.blocks.is_empty() => {
                self.record.slip = [0.0; 2];
                self.head.at = [0.0; 4];
                self.modal.at = self.work_position();
                self.planned = [0.0; 4];
                self.planner.standstill();
                self.ok();
                true
            }
            waiting => {
                self.pending = waiting;
                false
            }
        }
    }

    /// Takes one line; whether it is answered at once.
    fn one_line(&mut self, line: &str) -> Result<bool, u16> {
        if line.len() + 1 > LONGEST_LINE {
            return Err(11);
        }
        if self.refuses() {
            return Err(20);
        }
        self.program_line(line)
    }

    /// Takes one line, a command or of a program.
    fn program_line(&mut self, line: &str) -> Result<bool, u16> {
        if self.state == State::Sleep {
            // Lines are not even read.
            return Ok(false);
        }
        if let Some(command) = line.strip_prefix('$') {
            return self.dollar(command);
        }
        if line.is_empty() {
            return Ok(true);
        }
        if self.state == State::Alarm {
            return Err(9);
        }
        let before = self.modal.clone();
        let others = without_own(line, &self.setup.own);
        if others.as_ref().is_some_and(String::is_empty) {
            return self.wait_for(Pending::Sync);
        }
        let order = self.modal.line(others.as_deref().unwrap_or(line))?;
        let offset = self.modal.offsets.total();
        let s = self.lit();
        self.modal.end_line();
        if self.state == State::Check {
            self.modal = Modal { at: before.at, ..self.modal.clone() };
            return Ok(true);
        }
        match order {
            Command::Nothing => Ok(true),
            Command::Sync => self.wait_for(Pending::Sync),
            Command::Pause => self.wait_for(Pending::Pause),
            Command::Probe { to, feed } => {
                let to = [0, 1, 2, 3].map(|n| to[n] + offset[n]);
                self.probe(to, feed);
                Ok(false)
            }
            Command::Dwell(seconds) => {
                self.pending = Some(Pending::Stand { seconds });
                Ok(false)
            }
            Command::Moves { to, feed } => {
                let machine = |p: &Axes| [0, 1, 2, 3].map(|n| p[n] + offset[n]);
                let to = to.iter().map(machine).collect();
                self.pending = Some(Pending::Moves { to, feed, s });
                // Answered by `make_room`, as soon as all of it is in the planner.
                Ok(false)
            }
        }
    }

    /// S of the moves that are planned now; nothing when they do not burn.
    fn lit(&self) -> Option<f64> {
        let dark_rapid = self.modal.motion == 0 && self.setup.laser_mode;
        (self.modal.beam != Beam::Off && !dark_rapid && self.modal.s > 0.0).then_some(self.modal.s)
    }

    fn wait_for(&mut self, pending: Pending) -> Result<bool, u16> {
        self.pending = Some(pending);
        Ok(false)
    }

    fn plan_move(&mut self, to: Axes, feed: Option<f64>, s: Option<f64>) {
        let (low, high) = (self.setup.low, self.setup.high);
        let outside = (0..2).any(|n| to[n] < low[n] - 1e-3 || to[n] > high[n] + 1e-3);
        if self.setup.soft_limits && outside {
            self.alarm(2);
            return;
        }
        self.planner.push(self.planned, to, feed, s, &self.setup);
        self.planned = to;
    }

    fn ok(&mut self) {
        self.output.push_str("ok\r\n");
    }

    fn banner(&mut self) {
        if self.setup.protocol == Protocol::Reprap {
            self.output.push_str("start\r\necho: a simulated machine\r\n");
            return;
        }
        self.output.push_str(match self.setup.ways.banner {
            Banner::Usual => "\r\nGrbl 1.1h ['$' for help]\r\n",
            Banner::Vendor => "\r\n[Kitewerk 7] Grbl 1.1f ['$' for help]\r\n",
            Banner::Silent => "",
        });
    }

    /// Locks the machine: everything stops, the beam goes off.
    fn alarm(&mut self, code: u16) {
        let said = if self.setup.ways.words { "ALARM: it hit something" } else { "" };
        let _ = match said {
            "" => write!(self.output, "ALARM:{code}\r\n[MSG:Reset to continue]\r\n"),
            said => write!(self.output, "{said}\r\n"),
        };
        self.drop_motion();
        self.modal.beam = Beam::Off;
        self.modal.at = self.work_position();
        self.state = State::Alarm;
    }

    fn work_position(&self) -> Axes {
        let (at, offset) = (self.head.at, self.modal.offsets.total());
        [0, 1, 2, 3].map(|n| at[n] - offset[n])
    }

    fn drop_motion(&mut self) {
        self.planner.clear();
        self.jogging = false;
        self.pending = None;
        self.head.forget();
        self.planned = self.head.at;
    }
}

/// Longest line that is taken, bytes with its end.
const LONGEST_LINE: usize = 80;

#[cfg(test)]
mod tests;
