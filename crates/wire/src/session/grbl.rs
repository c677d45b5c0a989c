//! A session in the public `grbl` interface.

mod beginning;

use super::accounts::Accounts;
use super::marks::{MARK, Marks};
use super::{Adjust, Connected, Dark, Event, Failure, LineTooLong, Miscount, Outcome, Settings};
use crate::deframer::Deframer;
use crate::instant::{Instant, Span};
use crate::message::{Complaint, INCH, Message, State as Machine, Status};
use beginning::Learnt;
use std::collections::VecDeque;

/// Real-time bytes of the interface.
mod byte {
    pub(super) const STATUS: u8 = b'?';
    pub(super) const HOLD: u8 = b'!';
    pub(super) const GO_ON: u8 = b'~';
    pub(super) const RESET: u8 = 0x18;
    pub(super) const CANCEL_JOG: u8 = 0x85;
    pub(super) const FEED: [u8; 3] = [0x90, 0x91, 0x92];
    pub(super) const POWER: [u8; 3] = [0x99, 0x9a, 0x9b];
}

#[derive(Debug)]
enum Phase {
    /// Waiting for a first sign of life.
    Greeting { until: Instant },
    /// It stands idle and was reset, which throws away whatever half a line a dead sender left in its
    /// buffer; waiting for its banner, or for `until`.
    Clearing { until: Instant },
    /// Its build and settings are being asked for, until it has said the same twice: answers have no
    /// checksum.
    Asking(Connected),
    /// A status is waited for, asked for behind all that: the next `skip` were not. The head must stand
    /// where it stood before the reset.
    Checking { connected: Connected, skip: usize },
    /// Answering; the stream has not begun.
    Ready,
    /// Lines go out.
    Streaming,
    /// Held by the operator; whether it was seen to stand since. It may be let go on at the machine.
    Paused { stood: bool },
    /// Everything is answered; `skip` status reports were asked for earlier and do not count.
    Draining { skip: usize },
    /// Being brought to a halt. `reset_at` is when it is reset even if it never stands still; the next
    /// `skip` statuses were asked for before it was told to; `stood` is where it stood by the last one,
    /// and since when.
    Halting { outcome: Outcome, reset_at: Instant, skip: usize, stood: Option<Stood> },
    /// Reset was sent; waiting a little for the banner, or for a status that was asked for behind it:
    /// the next `skip` were not.
    Resetting { outcome: Outcome, until: Instant, skip: usize },
    /// Over.
    Ended,
}

/// Where a head was seen to stand, and since when.
type Stood = (Option<[f64; 3]>, Instant);

/// How long a head must stand while lines are still on their way to it: they may come late.
const LATE_LINES: Span = Span::millis(1000);
/// How long a head may take to come to a halt before it is reset in motion.
const HALT: Span = Span::millis(2500);
/// How long a reset controller may take to send its banner before it is spoken to without one.
const RESET: Span = Span::millis(1500);
/// The same behind a run, where the banner is the proof that the beam is off.
const DARK: Span = Span::millis(3000);
/// How often it is asked what it is at most.
const MOST_ROUNDS: u32 = 8;
/// When the status is asked for behind a reset.
const AFTER_RESET: Span = Span::millis(300);
/// How often the status is asked for when something waits for it.
const HURRY: Span = Span::millis(25);
/// How long lines are held back for a status at most: less than what a controller has in its planner and
/// its buffer lasts, so that no head waits for it.
const PROBE: Span = Span::millis(15);
/// Lines that are kept ready for sending.
const READY_LINES: usize = 64;
/// What a controller complains of that takes a line only when it stands.
const NOT_IDLE: u16 = 8;

/// A session; its methods are those of [`Session`](super::Session).
#[derive(Debug)]
pub(super) struct Grbl {
    settings: Settings,
    state: Phase,
    deframer: Deframer,
    /// Real-time bytes that go out before anything else.
    urgent: Vec<u8>,
    /// Lines not yet sent, with their numbers in the program's text.
    waiting: VecDeque<(Option<u32>, Vec<u8>)>,
    /// What is unanswered; always less than the controller's buffer.
    accounts: Accounts,
    marks: Marks,
    all_enqueued: bool,
    acknowledged: u32,
    last_line: Option<u32>,
    /// Whether the beam is ours to put out, though no line of ours was sent.
    answers_for_beam: bool,
    /// Status reports asked for and not yet come.
    asked: usize,
    next_question: Instant,
    last_heard: Instant,
    /// The time, as it was told last.
    now: Instant,
    /// No line goes out before this, so that the status that is asked for tells of all that were sent.
    probing_until: Option<Instant>,
    /// What was learnt before the stream begins.
    learnt: Learnt,
    /// The offset that was told last.
    offset: Option<[f64; 3]>,
    /// It started anew behind a line of the program.
    lost: bool,
    /// It was locked when it was asked how it stands, and still is.
    locked: bool,
    /// Whether it reports lengths in inches (`$13`).
    inches: bool,
    events: VecDeque<Event>,
}

impl Grbl {
    /// Begins a session on a link that has just been opened.
    #[must_use]
    pub(super) fn new(settings: Settings, now: Instant) -> Self {
        Self {
            settings,
            state: Phase::Greeting { until: now + settings.greeting },
            deframer: Deframer::default(),
            urgent: Vec::new(),
            waiting: VecDeque::new(),
            accounts: Accounts::new(),
            marks: Marks::default(),
            all_enqueued: false,
            acknowledged: 0,
            last_line: None,
            answers_for_beam: false,
            asked: 0,
            next_question: now,
            last_heard: now,
            now,
            probing_until: None,
            learnt: Learnt::default(),
            offset: None,
            lost: false,
            locked: false,
            inches: false,
            events: VecDeque::new(),
        }
    }

    // What happened.

    /// Bytes arrived.
    pub(super) fn handle_bytes(&mut self, now: Instant, bytes: &[u8]) {
        self.now = now;
        if !bytes.is_empty() {
            self.last_heard = now;
        }
        let mut deframer = std::mem::take(&mut self.deframer);
        deframer.take(bytes, |line| self.message(now, Message::parse(line)));
        self.deframer = deframer;
    }

    /// Time passed; call at [`poll_timeout`](Self::poll_timeout) or whenever.
    pub(super) fn handle_timeout(&mut self, now: Instant) {
        self.now = now;
        self.probing_until = self.probing_until.filter(|until| now < *until);
        let silent = now >= self.last_heard + self.silence();
        match &self.state {
            Phase::Ended => return,
            Phase::Greeting { until } if now >= *until => {
                self.end(Outcome::Failed(Failure::NoAnswer), Dark::Untouched);
                return;
            }
            Phase::Halting { reset_at, .. } if now >= *reset_at => self.reset(now),
            Phase::Resetting { until, .. } if now >= *until => {
                self.finish_reset(false);
                return;
            }
            Phase::Clearing { until, .. } if now >= *until => self.ask_everything(),
            Phase::Greeting { .. }
            | Phase::Clearing { .. }
            | Phase::Halting { .. }
            | Phase::Resetting { .. } => {}
            _ if silent => {
                self.halt(now, Outcome::Failed(Failure::Silent));
                return;
            }
            _ => {}
        }
        if now >= self.next_question {
            self.ask(now);
        }
    }

    /// The link closed.
    pub(super) fn handle_closed(&mut self, _now: Instant) {
        // What was sent last may not have got through, and nobody will say so.
        let dark = self.dark_of_run(Dark::Unknown);
        let outcome = match std::mem::replace(&mut self.state, Phase::Ended) {
            Phase::Ended => return,
            // Whatever it was being halted for is the better story.
            Phase::Halting { outcome, .. } | Phase::Resetting { outcome, .. } => outcome,
            _ => Outcome::Failed(Failure::Closed),
        };
        self.end(outcome, dark);
    }

    pub(super) fn excuse(&mut self, now: Instant) {
        self.now = now;
        self.last_heard = now;
    }

    // What the operator wants.

    /// Whether more lines are wanted now.
    #[must_use]
    pub(super) fn wants_lines(&self) -> bool {
        matches!(self.state, Phase::Streaming)
            && !self.all_enqueued
            && self.waiting.len() < READY_LINES
    }

    /// The longest line that is taken, bytes with its end.
    pub(super) fn longest_line(&self) -> usize {
        self.settings.longest_line.min(self.marks.longest_line(self.settings.buffer))
    }

    /// Hands over the next line to send (see [`prepare`](crate::prepare)), with its number in the
    /// program's text.
    ///
    /// # Errors
    /// Lines that the controller would not take whole.
    pub(super) fn enqueue(&mut self, number: u32, text: Vec<u8>) -> Result<(), LineTooLong> {
        let most = self.longest_line();
        if text.len() + 1 > most {
            return Err(LineTooLong { length: text.len() + 1, most });
        }
        self.waiting.push_back((Some(number), text));
        Ok(())
    }

    /// There are no more lines.
    pub(super) fn end_of_program(&mut self, now: Instant) {
        self.all_enqueued = true;
        self.drain_if_answered(now);
    }

    /// Begins the stream, after [`Event::Connected`].
    pub(super) fn start(&mut self) {
        if matches!(self.state, Phase::Ready) {
            self.state = Phase::Streaming;
        }
    }

    /// Holds: the head comes to a halt and can go on.
    pub(super) fn pause(&mut self) {
        if matches!(self.state, Phase::Streaming | Phase::Draining { .. }) {
            self.urgent.push(byte::HOLD);
            self.state = Phase::Paused { stood: false };
        }
    }

    /// Goes on after a hold, ours or the machine's.
    pub(super) fn resume(&mut self, now: Instant) {
        match self.state {
            Phase::Paused { .. } => self.state = Phase::Streaming,
            Phase::Streaming | Phase::Draining { .. } => {}
            _ => return,
        }
        self.urgent.push(byte::GO_ON);
        // The last answer may have come in the meantime.
        self.drain_if_answered(now);
    }

    pub(super) fn is_paused(&self) -> bool {
        matches!(self.state, Phase::Paused { .. })
    }

    pub(super) fn cancel_jog(&mut self) -> bool {
        if self.is_under_way() {
            // What was not sent yet would move it again.
            self.waiting.clear();
            self.urgent.push(byte::CANCEL_JOG);
        }
        true
    }

    pub(super) fn adjust(&mut self, adjust: Adjust) -> bool {
        let [full_speed, faster, slower] = byte::FEED;
        let [full_power, stronger, weaker] = byte::POWER;
        if self.is_under_way() {
            self.urgent.push(match adjust {
                Adjust::Faster => faster,
                Adjust::Slower => slower,
                Adjust::FullSpeed => full_speed,
                Adjust::Stronger => stronger,
                Adjust::Weaker => weaker,
                Adjust::FullPower => full_power,
            });
        }
        true
    }

    /// Stops for good: brings the head to a halt, then resets the controller, which switches the
    /// beam off. The position is kept, because it is reset at standstill.
    pub(super) fn stop(&mut self, now: Instant) {
        self.halt(now, Outcome::Stopped);
    }

    pub(super) fn fail(&mut self, now: Instant, failure: Failure) {
        self.halt(now, Outcome::Failed(failure));
    }

    pub(super) fn darken(&mut self, now: Instant) {
        self.answers_for_beam = true;
        self.halt(now, Outcome::Stopped);
    }

    // What is to be done.

    /// Bytes to send now, appended to `out`. Whether there are any.
    #[must_use]
    pub(super) fn poll_transmit(&mut self, out: &mut Vec<u8>) -> bool {
        let before = out.len();
        out.append(&mut self.urgent);
        if matches!(self.state, Phase::Asking(_) | Phase::Streaming) {
            while self.probing_until.is_none()
                && let Some((line, text)) = self.waiting.front()
            {
                let (bytes, buffer) = (text.len() + 1, self.settings.buffer);
                let streams = line.is_some();
                let has_room = self.accounts.has_room(bytes, buffer)
                    && (!streams || self.marks.have_room(bytes, buffer));
                if streams && self.marks.is_due(bytes, buffer) {
                    self.mark(out);
                    continue;
                }
                if !has_room {
                    break;
                }
                out.extend_from_slice(text);
                out.push(b'\n');
                self.accounts.sent(self.now, *line, text);
                if streams {
                    self.marks.line(bytes);
                }
                self.last_line = line.or(self.last_line);
                self.waiting.pop_front();
            }
            // Behind the last line, and where nothing more fits, a mark says how far it is.
            let stream_ends = self.all_enqueued && self.waiting.is_empty();
            if matches!(self.state, Phase::Streaming) && stream_ends && self.marks.want_a_last() {
                self.mark(out);
            }
        }
        out.len() > before
    }

    /// Sends a mark: there is always room for one.
    fn mark(&mut self, out: &mut Vec<u8>) {
        out.extend_from_slice(MARK);
        out.push(b'\n');
        self.accounts.sent(self.now, None, MARK);
        self.accounts.mark();
        self.marks.mark();
    }

    /// When [`handle_timeout`](Self::handle_timeout) must be called at the latest; never when over.
    #[must_use]
    pub(super) fn poll_timeout(&self) -> Option<Instant> {
        let deadline = match &self.state {
            Phase::Ended => return None,
            Phase::Greeting { until }
            | Phase::Clearing { until, .. }
            | Phase::Resetting { until, .. } => *until,
            Phase::Halting { reset_at, .. } => *reset_at,
            _ => self.last_heard + self.silence(),
        };
        let next = deadline.min(self.next_question);
        Some(self.probing_until.map_or(next, |until| next.min(until)))
    }

    /// The next thing to tell people.
    pub(super) fn poll_event(&mut self) -> Option<Event> {
        self.events.pop_front()
    }

    // What can be looked at.

    /// The last line of the program's text that the controller has taken.
    #[must_use]
    pub(super) fn acknowledged(&self) -> u32 {
        self.acknowledged
    }

    /// The last line of the program's text that was sent.
    #[must_use]
    pub(super) fn last_sent(&self) -> Option<u32> {
        self.last_line
    }

    /// Whether the session is over.
    #[must_use]
    pub(super) fn is_over(&self) -> bool {
        matches!(self.state, Phase::Ended)
    }

    pub(super) fn is_stopping(&self) -> bool {
        matches!(self.state, Phase::Halting { .. } | Phase::Resetting { .. })
    }

    pub(super) fn has_restarted(&self) -> bool {
        self.lost
    }

    /// Bytes that are sent and not yet answered: always below the controller's buffer.
    #[must_use]
    pub(super) fn in_flight(&self) -> usize {
        self.accounts.in_flight()
    }

    // The machinery.

    fn message(&mut self, now: Instant, message: Message) {
        if self.is_over() {
            return;
        }
        match message {
            Message::Ok => self.answered(now),
            Message::Error(complaint) => self.refused(now, complaint),
            Message::Alarm(complaint) => {
                self.halt(now, Outcome::Failed(Failure::Alarm(complaint)));
            }
            Message::Status(status) => self.status(now, status),
            Message::Banner(_) => self.banner(now),
            Message::Setting(key, value) => {
                if let Phase::Asking(connected) = &mut self.state {
                    connected.settings.insert(key, value);
                }
            }
            Message::Buffer(bytes) => {
                if let Phase::Asking(connected) = &mut self.state {
                    connected.buffer = Some(bytes);
                }
            }
            Message::Offset(name, offset) => {
                if let Phase::Asking(connected) = &mut self.state {
                    connected.offsets.insert(name, offset);
                }
            }
            Message::Modes(modes) => {
                if let Phase::Asking(connected) = &mut self.state {
                    connected.modes = modes;
                } else if self.is_under_way()
                    && let Some(miscount) = self.marks.answered(self.accounts.before_mark())
                {
                    self.halt(now, Outcome::Failed(Failure::Miscounted(miscount)));
                }
            }
            Message::Touched(at) => {
                let at = if self.inches { at.map(|length| length * INCH) } else { at };
                self.events.push_back(Event::Touched(at));
            }
            Message::Other(text) => self.events.push_back(Event::Said(text)),
        }
    }

    /// How long it may say nothing: a controller that looks for its zero does not even tell its status.
    fn silence(&self) -> Span {
        self.settings.silence.max(self.accounts.silence())
    }

    fn ask(&mut self, now: Instant) {
        self.urgent.push(byte::STATUS);
        self.accounts.asked(now, self.asked == 0);
        self.asked += 1;
        let streams = matches!(self.state, Phase::Streaming);
        if streams && self.accounts.is_well_supplied(self.settings.buffer) {
            self.probing_until = Some(now + PROBE);
        }
        self.next_question = now
            + match self.state {
                Phase::Draining { .. } | Phase::Halting { .. } => HURRY,
                _ => self.settings.status_every,
            };
    }

    /// The next status is asked for at once.
    pub(super) fn look_again(&mut self, now: Instant) {
        let soon = now + HURRY;
        if self.next_question > soon {
            self.next_question = soon;
        }
    }

    fn answered(&mut self, now: Instant) {
        let Some(line) = self.accounts.answered(now) else {
            // An answer to a question of an earlier session may still come while greeting.
            if self.is_under_way() {
                self.halt(now, Outcome::Failed(Failure::Miscounted(Miscount::Surplus)));
            }
            return;
        };
        if let Some(number) = line.line {
            self.acknowledged = number;
        }
        if line.mark
            && self.is_under_way()
            && let Some(miscount) = self.marks.ok()
        {
            return self.halt(now, Outcome::Failed(Failure::Miscounted(miscount)));
        }
        if self.accounts.is_settled()
            && self.waiting.is_empty()
            && let Phase::Asking(connected) = &mut self.state
        {
            let connected = std::mem::take(connected);
            self.take_connected(connected);
        }
        self.drain_if_answered(now);
    }

    fn drain_if_answered(&mut self, now: Instant) {
        let answered =
            self.accounts.is_settled() && self.waiting.is_empty() && !self.marks.are_open();
        if matches!(self.state, Phase::Streaming) && self.all_enqueued && answered {
            self.state = Phase::Draining { skip: self.asked };
            self.ask(now);
        }
    }

    /// Whether lines of a program are, or may be, on their way.
    fn is_under_way(&self) -> bool {
        matches!(self.state, Phase::Streaming | Phase::Paused { .. } | Phase::Draining { .. })
    }

    fn refused(&mut self, now: Instant, complaint: Complaint) {
        if let Phase::Asking(Connected { kept_shift: None, .. }) = self.state {
            // A question that it does not know: what it would have said is not known.
            return self.answered(now);
        }
        let answered = self.accounts.answered(now);
        if answered.is_some_and(|line| line.mark) && complaint.code == Some(NOT_IDLE) {
            // It answers this question only when it stands: it is not asked again.
            self.marks.give_up();
            return self.drain_if_answered(now);
        }
        let line = answered.and_then(|line| line.line);
        if self.is_under_way() || matches!(self.state, Phase::Asking(_)) {
            self.halt(now, Outcome::Failed(Failure::Refused { line, complaint }));
        }
    }

    fn status(&mut self, now: Instant, status: Status) {
        let mut status = if self.inches { status.in_mm() } else { status };
        self.asked = self.asked.saturating_sub(1);
        self.accounts.status_came(now);
        self.probing_until = None;
        status.taken = self.acknowledged;
        // A board that stands idle passes a hold by: what is still on its way would run.
        let waits = status.state == Machine::Idle && !self.accounts.is_settled();
        status.halted = match &self.state {
            Phase::Halting { skip: 0, stood, .. } if waits => {
                let since = stood.filter(|(at, _)| *at == status.position).map(|(_, since)| since);
                since.is_some_and(|since| now >= since + LATE_LINES)
            }
            Phase::Halting { skip, .. } => *skip == 0,
            _ => false,
        };
        // One that was asked for before the halt tells of a head that still moves.
        if !matches!(self.state, Phase::Halting { skip, .. } if skip > 0) {
            self.events.push_back(Event::Status(status));
        }
        let miscount = self.accounts.judge(now, &status);
        if matches!(self.state, Phase::Streaming | Phase::Draining { .. })
            && let Some(miscount) = miscount
        {
            return self.halt(now, Outcome::Failed(Failure::Miscounted(miscount)));
        }
        if matches!(self.state, Phase::Asking(_) | Phase::Checking { .. })
            && !self.may_begin(status.state)
        {
            // Something has happened since it stood idle.
            return self.end(Outcome::Failed(Failure::NotReady(status.state)), Dark::Untouched);
        }
        if matches!(self.state, Phase::Asking(_))
            && let Some(miscount) = miscount
        {
            // An answer was lost: everything is asked for again.
            if self.learnt.rounds >= MOST_ROUNDS {
                let outcome = Outcome::Failed(Failure::Miscounted(miscount));
                return self.end(outcome, Dark::Untouched);
            }
            return self.ask_everything();
        }
        self.locked &= status.state == Machine::Alarm;
        match &mut self.state {
            Phase::Greeting { .. } => self.take_greeting(now, status),
            Phase::Checking { skip, .. } if *skip > 0 => *skip -= 1,
            Phase::Checking { connected, .. } => {
                let connected = std::mem::take(connected);
                self.take_check(connected, &status);
            }
            Phase::Draining { skip } if *skip > 0 => *skip -= 1,
            // One that was told to sleep, by hand, never stands idle.
            Phase::Draining { .. }
                if status.state == Machine::Idle
                    || (self.settings.by_hand && status.state == Machine::Sleep) =>
            {
                // Every line was answered; the status says which power is in force.
                let seen = status.feed_and_s.is_some_and(|[_, s]| s == 0.0);
                self.end(Outcome::Done, if seen { Dark::Confirmed } else { Dark::Asked });
            }
            Phase::Resetting { skip, .. } if *skip > 0 => *skip -= 1,
            Phase::Resetting { skip, .. } => {
                // A board without a banner: it stands, and no power is set.
                let stands = matches!(status.state, Machine::Idle | Machine::Alarm);
                if stands && status.feed_and_s.is_some_and(|[_, s]| s == 0.0) {
                    self.finish_reset(true);
                } else {
                    // It did not get through, or the board does not say enough: once more does no harm.
                    *skip = self.asked;
                    self.urgent.push(byte::RESET);
                }
            }
            Phase::Halting { skip, .. } if *skip > 0 => *skip -= 1,
            Phase::Halting { stood, .. } => {
                let standing = !matches!(
                    status.state,
                    Machine::Run | Machine::Jog | Machine::Home | Machine::Hold { moving: true }
                );
                // Twice in the same place: a status may be spoilt on the cable, and this place counts.
                let before = stood.filter(|(at, _)| *at == status.position);
                *stood = standing.then_some((status.position, before.map_or(now, |(_, at)| at)));
                // A beam that burns on where the head stands is put out whatever may follow.
                let lit = status.feed_and_s.is_some_and(|[_, s]| s > 0.0);
                let enough = !waits || status.halted || lit;
                if standing && before.is_some() && enough {
                    self.reset(now);
                } else if standing && waits {
                    self.urgent.push(byte::HOLD);
                    self.look_again(now);
                } else if standing {
                    self.ask(now);
                }
            }
            Phase::Ready | Phase::Streaming | Phase::Paused { .. } | Phase::Draining { .. }
                if status.state == Machine::Alarm && !self.locked =>
            {
                self.halt(now, Outcome::Failed(Failure::NotReady(Machine::Alarm)));
            }
            Phase::Paused { stood } => match status.state {
                Machine::Hold { moving: false } | Machine::Door => *stood = true,
                // The byte was lost on the cable.
                Machine::Run if !*stood => self.urgent.push(byte::HOLD),
                // It was let go on at the machine.
                Machine::Run | Machine::Idle if *stood => {
                    self.state = Phase::Streaming;
                    self.drain_if_answered(now);
                }
                _ => {}
            },
            _ => {}
        }
    }

    fn banner(&mut self, now: Instant) {
        let ours = matches!(self.state, Phase::Resetting { .. });
        self.lost |= self.last_line.is_some() && !ours;
        match &self.state {
            Phase::Resetting { .. } => self.finish_reset(true),
            // It has just started: ask at once, whatever was asked before is lost.
            Phase::Greeting { .. } => {
                self.asked = 0;
                self.learnt.restarted = true;
                self.ask(now);
            }
            // A board that starts slowly may say so behind its first answers.
            Phase::Clearing { .. } | Phase::Asking(_) => self.ask_everything(),
            Phase::Checking { .. } => {
                self.state = Phase::Asking(Connected::default());
                self.ask_everything();
            }
            Phase::Halting { .. } => self.reset(now),
            // Lines that were on their way would be run behind the restart, from wherever it believes to be.
            _ => {
                self.waiting.clear();
                self.go_dark(now, Outcome::Failed(Failure::Restarted));
            }
        }
    }

    /// Brings the head to a halt; the first reason is kept.
    fn halt(&mut self, now: Instant, outcome: Outcome) {
        match self.state {
            Phase::Ended | Phase::Halting { .. } | Phase::Resetting { .. } => {}
            // Before the program, too: whatever runs there is to stop.
            _ => {
                self.waiting.clear();
                self.urgent.push(byte::HOLD);
                let (reset_at, skip) = (now + HALT, self.asked);
                self.state = Phase::Halting { outcome, reset_at, skip, stood: None };
                self.ask(now);
            }
        }
    }

    fn reset(&mut self, now: Instant) {
        if let Phase::Halting { outcome, .. } = std::mem::replace(&mut self.state, Phase::Ended) {
            self.go_dark(now, outcome);
        }
    }

    /// The reset throws away whatever it has taken, and switches the beam off.
    fn go_dark(&mut self, now: Instant, outcome: Outcome) {
        self.urgent.push(byte::RESET);
        self.next_question = now + AFTER_RESET;
        self.state = Phase::Resetting { outcome, until: now + DARK, skip: self.asked };
    }

    /// A banner behind a reset, or a status, is the proof that it was carried out.
    fn finish_reset(&mut self, seen: bool) {
        if let Phase::Resetting { outcome, .. } = std::mem::replace(&mut self.state, Phase::Ended) {
            let dark = if seen { Dark::Confirmed } else { Dark::Asked };
            self.end(outcome, self.dark_of_run(dark));
        }
    }

    /// What is known of the beam: nothing that concerns us when no line of a program was sent.
    fn dark_of_run(&self, dark: Dark) -> Dark {
        let touched = self.last_line.is_some() || self.answers_for_beam;
        if touched { dark } else { Dark::Untouched }
    }

    fn end(&mut self, outcome: Outcome, dark: Dark) {
        self.state = Phase::Ended;
        self.waiting.clear();
        self.accounts.forget();
        self.events.push_back(Event::Ended { outcome, dark });
    }
}
