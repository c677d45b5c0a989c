//! A session in the text protocol of 3-D-printer firmware: numbered lines with a checksum, one at a
//! time, each sent again when it is asked for.
//!
//! The protocol has no byte that halts the head at once; what the board has taken into its planner
//! it runs. The checksum finds one changed byte in a line, not two that changed alike.
//!
//! A stop, and the end of a program, is a state of its own ([`stopping`]) that lasts until the board is proved to be dark.

mod planned;
mod stopping;
mod text;

use super::{Connected, Dark, Effect, Event, Failure, LineTooLong, Outcome, Settings};
use crate::deframer::Deframer;
use crate::instant::{Instant, Span};
use crate::message::Status;
use planned::Planned;
use std::collections::VecDeque;
use stopping::{Proof, Stopping};
use text::{frame, position, room};

/// A line that was sent and not yet answered.
#[derive(Debug, Clone)]
struct Sent {
    /// Its number in the protocol.
    number: u64,
    /// Line of the program's text; none for our own.
    line: Option<u32>,
    text: Vec<u8>,
    /// How often it was sent again because nothing was heard.
    tries: u32,
    /// How often it was asked for again.
    resends: u32,
    /// A line was asked for that cannot be meant, once: the number may have been spoilt on the way.
    strange: bool,
    /// A resend was asked for; the `ok` behind it is no answer to the line.
    asked_again: bool,
    /// The board complained, and what it wants again was not understood yet.
    doubt: bool,
    /// When it went out first.
    at: Instant,
}

impl Sent {
    fn frame(&self) -> Vec<u8> {
        frame(self.number, &self.text)
    }
}

/// A line that is not yet sent.
#[derive(Debug)]
struct Waiting {
    /// Line of the program's text; none for our own.
    line: Option<u32>,
    text: Vec<u8>,
    effect: Effect,
}

impl Waiting {
    fn question(text: &[u8]) -> Self {
        Self { line: None, text: text.to_vec(), effect: Effect::NOTHING }
    }
}

#[derive(Debug)]
enum Phase {
    /// Waiting for a first sign of life.
    Greeting {
        until: Instant,
        again: Instant,
        /// The greeting was spoilt: the `ok` behind the complaint is no answer to it.
        spoilt: bool,
    },
    /// It waits until the head stands and says where; then it is asked where that is.
    Asking {
        connected: Connected,
        /// The position that it told last, mm.
        told: Option<[f64; 3]>,
    },
    /// Answering; the stream has not begun.
    Ready,
    /// Lines go out.
    Streaming,
    /// Held: nothing more is sent.
    Paused,
    /// Everything is sent; waiting until the machine stands.
    Draining,
    /// Stopping, or behind the last line: until it is proved to be dark.
    Stopping(Stopping),
    Ended,
}

impl Phase {
    fn greeting(now: Instant, settings: &Settings) -> Self {
        Self::Greeting { until: now + settings.greeting, again: now, spoilt: false }
    }
}

/// How often a board that says nothing is greeted again.
const GREET: Span = Span::millis(1000);
/// How often a line without an answer is sent again before the board is called silent.
const MOST_TRIES: u32 = 4;
/// How often a line may be asked for again before the link is called broken.
const MOST_RESENDS: u32 = 12;
/// Lines that are kept ready for sending.
const READY_LINES: usize = 64;

/// A session; its methods are those of [`Session`](super::Session).
#[derive(Debug)]
pub(super) struct Reprap {
    settings: Settings,
    state: Phase,
    deframer: Deframer,
    waiting: VecDeque<Waiting>,
    planned: Planned,
    sent: Option<Sent>,
    /// Bytes that go out without waiting for an answer.
    urgent: Vec<u8>,
    next_number: u64,
    all_enqueued: bool,
    acknowledged: u32,
    last_line: Option<u32>,
    /// Whether the beam is off behind the last line that was sent.
    dark: bool,
    /// A hold is wanted: it comes behind a line with a dark end.
    holding: bool,
    /// Whether the beam is ours to put out, though no line of ours was sent.
    answers_for_beam: bool,
    /// It has just started.
    restarted: bool,
    /// When the board answered, or said that it is busy, or a line went out. Temperatures and the like
    /// come by themselves and answer nothing.
    answered_at: Instant,
    /// The time, as it was told last.
    now: Instant,
    events: VecDeque<Event>,
}

impl Reprap {
    pub(super) fn new(settings: Settings, now: Instant) -> Self {
        Self {
            state: Phase::greeting(now, &settings),
            settings,
            deframer: Deframer::default(),
            waiting: VecDeque::new(),
            planned: Planned::default(),
            sent: None,
            urgent: Vec::new(),
            next_number: 1,
            all_enqueued: false,
            acknowledged: 0,
            last_line: None,
            dark: true,
            holding: false,
            answers_for_beam: false,
            restarted: false,
            answered_at: now,
            now,
            events: VecDeque::new(),
        }
    }

    pub(super) fn handle_bytes(&mut self, now: Instant, bytes: &[u8]) {
        self.now = now;
        let mut deframer = std::mem::take(&mut self.deframer);
        deframer.take(bytes, |line| self.heard(now, line.trim()));
        self.deframer = deframer;
    }

    pub(super) fn handle_timeout(&mut self, now: Instant) {
        self.now = now;
        match &mut self.state {
            Phase::Ended | Phase::Ready | Phase::Paused => {}
            Phase::Greeting { until, .. } if now >= *until => {
                self.end(Outcome::Failed(Failure::NoAnswer), Dark::Untouched);
            }
            Phase::Greeting { again, .. } if now >= *again => {
                // It sets the line counter, and its answer is the first sign of life.
                self.urgent.extend_from_slice(&frame(0, b"M110 N0"));
                *again = now + GREET;
            }
            Phase::Greeting { .. } => {}
            Phase::Stopping(stopping) if stopping.is_over(now) => self.finish_stop(Dark::Asked),
            Phase::Stopping(stopping) => stopping.say(now, &mut self.urgent),
            _ => self.send_again(now),
        }
    }

    /// A board that is busy says so; one that says nothing may have lost the line, or its answer was lost. Numbers keep
    /// it from being run twice.
    fn send_again(&mut self, now: Instant) {
        if self.sent.is_none() || now < self.answered_at + self.patience() {
            return;
        }
        self.answered_at = now;
        match &mut self.sent {
            Some(sent) if sent.tries < MOST_TRIES => {
                sent.tries += 1;
                // The end of a line ends whatever half of one was left behind.
                self.urgent.push(b'\n');
                self.urgent.extend_from_slice(&sent.frame());
            }
            _ => self.halt(now, Outcome::Failed(Failure::Silent)),
        }
    }

    pub(super) fn handle_closed(&mut self, _now: Instant) {
        // What was sent last may not have got through, and nobody will say so.
        let outcome = match std::mem::replace(&mut self.state, Phase::Ended) {
            Phase::Ended => return,
            Phase::Stopping(stopping) if stopping.outcome != Outcome::Done => stopping.outcome,
            _ => Outcome::Failed(Failure::Closed),
        };
        self.end(outcome, Dark::Unknown);
    }

    pub(super) fn excuse(&mut self, now: Instant) {
        self.now = now;
        self.answered_at = now;
    }

    pub(super) fn wants_lines(&self) -> bool {
        matches!(self.state, Phase::Streaming)
            && !self.all_enqueued
            && self.waiting.len() < READY_LINES
    }

    /// Firmware takes lines of 96 bytes with everything.
    pub(super) fn longest_line(&self) -> usize {
        self.settings.longest_line.max(96)
    }

    pub(super) fn enqueue(
        &mut self,
        number: u32,
        text: Vec<u8>,
        effect: Effect,
    ) -> Result<(), LineTooLong> {
        let length = frame(self.next_number, &text).len();
        let most = self.longest_line();
        if length > most {
            return Err(LineTooLong { length, most });
        }
        self.waiting.push_back(Waiting { line: Some(number), text, effect });
        Ok(())
    }

    pub(super) fn end_of_program(&mut self, _now: Instant) {
        self.all_enqueued = true;
        // Answered when the last motion has ended. Twice: half a line, torn off by a bad cable, may be
        // answered on its own, and that answer must not be taken for this one.
        for _ in 0..2 {
            self.waiting.push_back(Waiting::question(b"M400"));
        }
    }

    pub(super) fn start(&mut self) {
        if matches!(self.state, Phase::Ready) {
            self.state = Phase::Streaming;
        }
    }

    pub(super) fn pause(&mut self) {
        if matches!(self.state, Phase::Streaming | Phase::Draining) {
            self.holding = true;
            self.hold_if_dark();
        }
    }

    /// A board that waits for lines stands with the beam as it is.
    fn hold_if_dark(&mut self) {
        if self.dark && std::mem::take(&mut self.holding) {
            self.state = Phase::Paused;
        }
    }

    pub(super) fn resume(&mut self, now: Instant) {
        self.holding = false;
        if matches!(self.state, Phase::Paused) {
            self.state = Phase::Streaming;
            // The last answer may have come in the meantime.
            self.drain_if_sent(now);
        }
    }

    pub(super) fn is_paused(&self) -> bool {
        self.holding || matches!(self.state, Phase::Paused)
    }

    pub(super) fn stop(&mut self, now: Instant) {
        self.halt(now, Outcome::Stopped);
    }

    pub(super) fn fail(&mut self, now: Instant, failure: Failure) {
        self.halt(now, Outcome::Failed(failure));
    }

    pub(super) fn darken(&mut self, now: Instant) {
        self.answers_for_beam = true;
        if !matches!(self.state, Phase::Ended | Phase::Stopping(_)) {
            self.go_dark(now, Outcome::Stopped);
        }
    }

    pub(super) fn poll_transmit(&mut self, out: &mut Vec<u8>) -> bool {
        let before = out.len();
        out.append(&mut self.urgent);
        let sends = matches!(self.state, Phase::Asking { .. } | Phase::Streaming | Phase::Draining);
        if sends
            && self.sent.is_none()
            && let Some(Waiting { line, text, effect }) = self.waiting.pop_front()
        {
            // Questions of our own move nothing.
            if line.is_some() {
                self.planned.send(self.now, effect);
            }
            self.dark = effect.dark;
            let number = self.next_number;
            self.next_number += 1;
            out.extend_from_slice(&frame(number, &text));
            self.last_line = line.or(self.last_line);
            self.sent = Some(Sent {
                number,
                line,
                text,
                tries: 0,
                resends: 0,
                strange: false,
                asked_again: false,
                doubt: false,
                at: self.now,
            });
            self.answered_at = self.now;
            if self.all_enqueued && self.waiting.is_empty() {
                self.state = Phase::Draining;
            }
            self.hold_if_dark();
        }
        out.len() > before
    }

    pub(super) fn poll_timeout(&self) -> Option<Instant> {
        match &self.state {
            Phase::Ended => None,
            Phase::Greeting { until, again, .. } => Some((*until).min(*again)),
            Phase::Stopping(stopping) => Some(stopping.timeout()),
            _ => Some(self.answered_at + self.patience()),
        }
    }

    /// How long an answer is waited for before the line is sent again: longer each time.
    fn patience(&self) -> Span {
        let tries = self.sent.as_ref().map_or(0, |sent| sent.tries);
        let once = self.settings.silence.0 / u64::from(MOST_TRIES) * u64::from(tries + 1);
        // A move waits for one place in the planner, everything else for all that is planned.
        let moves = self.sent.as_ref().is_none_or(|sent| sent.text.first() == Some(&b'G'));
        let runs = if moves { self.planned.longest() } else { self.planned.all() };
        Span(once.saturating_add(runs.0))
    }

    pub(super) fn poll_event(&mut self) -> Option<Event> {
        self.events.pop_front()
    }

    pub(super) fn acknowledged(&self) -> u32 {
        self.acknowledged
    }

    pub(super) fn last_sent(&self) -> Option<u32> {
        self.last_line
    }

    pub(super) fn is_over(&self) -> bool {
        matches!(self.state, Phase::Ended)
    }

    pub(super) fn is_stopping(&self) -> bool {
        matches!(self.state, Phase::Stopping(_))
    }

    pub(super) fn has_restarted(&self) -> bool {
        self.restarted && self.last_line.is_some()
    }

    pub(super) fn in_flight(&self) -> usize {
        self.sent.as_ref().map_or(0, |sent| sent.frame().len())
    }

    fn heard(&mut self, now: Instant, line: &str) {
        if self.is_over() || line.is_empty() {
            return;
        }
        let is_ok = line == "ok" || line.starts_with("ok ");
        if is_ok {
            self.planned.tell_room(room(line));
        }
        if let Phase::Stopping(_) = self.state {
            return self.heard_while_stopping(now, line, is_ok);
        }
        let asked = line
            .strip_prefix("Resend:")
            .or_else(|| line.strip_prefix("rs"))
            .map(|rest| rest.trim().trim_start_matches('N').trim().parse::<u64>());
        if asked.is_some() || is_ok || line.contains("busy:") {
            self.answered_at = now;
        }
        if let Some(number) = asked {
            return self.again(now, number.unwrap_or(0));
        }
        if is_ok {
            return self.answered(now);
        }
        if line == "start" {
            return self.started_anew(now);
        }
        if line.starts_with("!!") || line.starts_with("Error:Printer halted") {
            return self.end(Outcome::Failed(Failure::Halted(line.to_string())), Dark::Unknown);
        }
        if let Phase::Asking { connected, told } = &mut self.state {
            if let Some(position) = position(line) {
                let again = told.replace(position) == Some(position);
                connected.position = again.then_some(position);
                return;
            } else if line.starts_with("echo:Unknown command:") {
                // A question that it does not know: what it would have said is not known.
                return;
            }
        }
        if let Some(what) = line.strip_prefix("echo:Unknown command:") {
            let sent = self.sent.as_ref().and_then(|sent| sent.line);
            let failure = Failure::Unknown { line: sent, text: what.trim().to_string() };
            return self.halt(now, Outcome::Failed(failure));
        }
        // `busy:` only keeps the sender waiting; checksum errors are followed by a resend; positions come by themselves
        // where the board was told to.
        if line.starts_with("Error:") {
            self.sent.iter_mut().for_each(|sent| sent.doubt = true);
        } else if !line.contains("busy:") && position(line).is_none() {
            self.events.push_back(Event::Said(line.to_string()));
        }
    }

    fn heard_while_stopping(&mut self, now: Instant, line: &str, is_ok: bool) {
        let Phase::Stopping(stopping) = &mut self.state else { return };
        if is_ok {
            if let Proof::Dark(position) = stopping.answer(now, &self.planned) {
                let mut status = Status::standing(position);
                status.taken = self.acknowledged;
                self.events.push_back(Event::Status(status));
                self.finish_stop(Dark::Confirmed);
            }
        } else if let Some(position) = position(line) {
            stopping.tell(position);
        } else if line == "start" {
            // It has heard nothing of what was said before.
            self.restarted = true;
            self.planned.forget(now);
            stopping.begin_again(now);
            stopping.say(now, &mut self.urgent);
        } else {
            stopping.hear();
            let unknown = line.starts_with("echo:Unknown command:") && line.contains("M410");
            if unknown && !std::mem::replace(&mut stopping.runs_on, true) {
                self.events.push_back(Event::RunsOn(self.planned.until() - now));
            }
        }
    }

    /// It has started, now or in the middle of everything.
    fn started_anew(&mut self, now: Instant) {
        self.restarted = true;
        match self.state {
            Phase::Greeting { .. } => {}
            Phase::Asking { .. } => {
                // It is greeted anew: numbers and questions are lost.
                self.waiting.clear();
                self.sent = None;
                self.next_number = 1;
                self.state = Phase::greeting(now, &self.settings);
            }
            // Whatever it had taken is lost. What is lit, and what was on its way, is put out at once.
            _ => {
                self.planned.forget(now);
                self.sent = None;
                self.halt(now, Outcome::Failed(Failure::Restarted));
            }
        }
    }

    fn answered(&mut self, now: Instant) {
        if let Phase::Greeting { spoilt, .. } = &mut self.state {
            if std::mem::take(spoilt) {
                return;
            }
            let restarted = std::mem::take(&mut self.restarted);
            let connected = Connected { restarted, ..Connected::default() };
            self.state = Phase::Asking { connected, told: None };
            // What another sender left is run to its end before the place is told.
            // Twice: the answer has no checksum.
            for question in [&b"M400"[..], b"M114", b"M114"] {
                self.waiting.push_back(Waiting::question(question));
            }
            return;
        }
        let Some(sent) = &mut self.sent else { return };
        if std::mem::take(&mut sent.asked_again) {
            // The `ok` that follows a resend only frees the line.
            return;
        }
        if std::mem::take(&mut sent.doubt) {
            // What it asked for again got lost: this `ok` is no answer to the line.
            let again = sent.frame();
            return self.urgent.extend_from_slice(&again);
        }
        let took = now - sent.at;
        if sent.line.is_none() && sent.text == b"M400" {
            self.planned.note_wait(now, took);
        } else {
            self.planned.take(now, took);
        }
        self.acknowledged = sent.line.unwrap_or(self.acknowledged);
        self.sent = None;
        if let Phase::Asking { connected, .. } = &mut self.state
            && self.waiting.is_empty()
        {
            let connected = std::mem::take(connected);
            self.state = Phase::Ready;
            self.events.push_back(Event::Connected(connected));
            return;
        }
        self.drain_if_sent(now);
    }

    /// Behind the last line: waits for its answer, and behind that for the proof that it is dark.
    fn drain_if_sent(&mut self, now: Instant) {
        let going = matches!(self.state, Phase::Streaming | Phase::Draining);
        if !(going && self.all_enqueued && self.waiting.is_empty()) {
            return;
        }
        self.state = Phase::Draining;
        if self.sent.is_none() {
            self.go_dark(now, Outcome::Done);
        }
    }

    /// A line is asked for again: only the one that is under way can be meant.
    fn again(&mut self, now: Instant, number: u64) {
        if let Phase::Greeting { spoilt, .. } = &mut self.state {
            // The answer behind this is none, and it is said again.
            *spoilt = true;
            return;
        }
        let Some(sent) = &mut self.sent else {
            return self.halt(now, Outcome::Failed(Failure::BadLink));
        };
        sent.doubt = false;
        sent.resends += 1;
        let patient = sent.resends <= MOST_RESENDS;
        if sent.number + 1 == number {
            // It has it already: the answer was lost on the way.
            sent.asked_again = false;
        } else if patient && (sent.number == number || !std::mem::replace(&mut sent.strange, true))
        {
            sent.asked_again = true;
            let again = sent.frame();
            self.urgent.extend_from_slice(&again);
        } else if number <= 1 && sent.number > 2 {
            // It counts from the start: it has started anew, and what it said then was lost.
            self.restarted = true;
            self.halt(now, Outcome::Failed(Failure::Restarted));
        } else {
            self.halt(now, Outcome::Failed(Failure::BadLink));
        }
    }

    /// Stops: nothing more of the program goes out, and the board is told to stop and go dark.
    fn halt(&mut self, now: Instant, outcome: Outcome) {
        match self.state {
            Phase::Ended | Phase::Stopping(_) => {}
            Phase::Greeting { .. } | Phase::Asking { .. } | Phase::Ready => {
                self.end(outcome, Dark::Untouched);
            }
            _ => self.go_dark(now, outcome),
        }
    }

    /// Nothing more of the program goes out; the board is made dark and asked for the proof.
    fn go_dark(&mut self, now: Instant, outcome: Outcome) {
        self.waiting.clear();
        let unanswered = u32::from(self.sent.take().is_some());
        let ours = self.last_line.is_some();
        let mut stopping = Stopping::new(outcome, unanswered, ours, now, &self.planned);
        stopping.say(now, &mut self.urgent);
        self.state = Phase::Stopping(stopping);
    }

    fn finish_stop(&mut self, dark: Dark) {
        if let Phase::Stopping(stopping) = std::mem::replace(&mut self.state, Phase::Ended) {
            self.end(stopping.outcome, dark);
        }
    }

    fn end(&mut self, outcome: Outcome, dark: Dark) {
        let touched = self.last_line.is_some() || self.answers_for_beam;
        let dark = if touched { dark } else { Dark::Untouched };
        self.state = Phase::Ended;
        self.waiting.clear();
        self.sent = None;
        self.events.push_back(Event::Ended { outcome, dark });
    }
}
