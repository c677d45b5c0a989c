//! A session in the text protocol of 3-D-printer firmware: numbered lines with a checksum, one at a
//! time, each sent again when it is asked for.
//!
//! The protocol has no byte that halts the head at once; what the board has taken into its planner
//! it runs. The checksum finds one changed byte in a line, not two that changed alike.
//!
//! A stop sends `M410` (quick stop), sets the line counter anew with `M110`, and sends `M107`, `M5`
//! and `M114` under the next numbers, all of it again until the position that `M114` asks for is
//! heard: a board takes numbered lines whole and in turn, or not at all, so by then it is dark. The
//! same goes out behind the last line of a program, without the quick stop.

use super::{Connected, Dark, Effect, Event, Failure, LineTooLong, Outcome, Settings};
use crate::deframer::Deframer;
use crate::instant::{Instant, Span};
use crate::message::Status;
use std::collections::VecDeque;

/// A line that was sent and not yet answered.
#[derive(Debug, Clone)]
struct Sent {
    /// Its number in the protocol.
    number: u64,
    /// Line of the program's text; none for our own.
    line: Option<u32>,
    text: Vec<u8>,
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
        let effect = Effect { lasts: Span::default(), dark: true };
        Self { line: None, text: text.to_vec(), effect }
    }
}

#[derive(Debug)]
enum Phase {
    /// Waiting for a first sign of life.
    Greeting {
        until: Instant,
    },
    /// It waits until the head stands and says where; then it is asked where that is.
    Asking(Connected),
    /// Answering; the stream has not begun.
    Ready,
    /// Lines go out.
    Streaming,
    /// Held: nothing more is sent.
    Paused,
    /// Everything is sent; waiting until the machine stands.
    Draining,
    /// Stopping, or behind the last line: what makes it dark is said again until it is answered.
    Stopping {
        outcome: Outcome,
        until: Instant,
        again: Instant,
    },
    Ended,
}

/// How long a board may take over what stops it.
const STOP: Span = Span::millis(6000);
/// How often what stops it is said again.
const STOP_AGAIN: Span = Span::millis(700);
/// Where the line counter stands for a stop: no program is as long.
const STOP_NUMBER: u64 = 900_000_000;
/// How often a board that says nothing is greeted again.
const GREET: Span = Span::millis(1000);
/// How often a line without an answer is sent again before the board is called silent.
const MOST_TRIES: u32 = 4;
/// The most moves that a board has in its planner.
const PLANNER: usize = 64;
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
    /// How long the last lines last: what the board may have in its planner.
    planned: VecDeque<Span>,
    sent: Option<Sent>,
    /// Whether the board has answered what was sent.
    free: bool,
    /// Bytes that go out without waiting for an answer.
    urgent: Vec<u8>,
    next_number: u64,
    resends: u32,
    /// How often a line without an answer was sent again.
    asked_twice: u32,
    /// The board complained, and what it wants again was not understood yet.
    doubt: bool,
    /// It asked for a line that cannot be meant, once: the number may have been spoilt on the way.
    strange: bool,
    /// A resend was asked for; the `ok` behind it is no answer to the line.
    asked_again: bool,
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
    /// The position that it told last, mm.
    told: Option<[f64; 3]>,
    /// When the board answered, or said that it is busy, or a line went out. Temperatures and the like
    /// come by themselves and answer nothing.
    answered_at: Instant,
    /// The time, as it was told last.
    now: Instant,
    next_question: Instant,
    events: VecDeque<Event>,
}

impl Reprap {
    pub(super) fn new(settings: Settings, now: Instant) -> Self {
        Self {
            settings,
            state: Phase::Greeting { until: now + settings.greeting },
            deframer: Deframer::default(),
            waiting: VecDeque::new(),
            planned: VecDeque::new(),
            sent: None,
            free: false,
            urgent: Vec::new(),
            next_number: 1,
            resends: 0,
            asked_twice: 0,
            doubt: false,
            strange: false,
            asked_again: false,
            all_enqueued: false,
            acknowledged: 0,
            last_line: None,
            dark: true,
            holding: false,
            answers_for_beam: false,
            restarted: false,
            told: None,
            answered_at: now,
            now,
            next_question: now,
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
        match &self.state {
            Phase::Ended => {}
            Phase::Greeting { until } if now >= *until => {
                self.end(Outcome::Failed(Failure::NoAnswer), Dark::Untouched);
            }
            Phase::Greeting { .. } if now >= self.next_question => {
                // It sets the line counter, and its answer is the first sign of life.
                self.urgent.extend_from_slice(&framed(0, b"M110 N0"));
                self.next_question = now + GREET;
            }
            Phase::Stopping { until, .. } if now >= *until => self.finish_stop(Dark::Asked),
            Phase::Stopping { again, .. } if now >= *again => self.say_stop(now),
            Phase::Greeting { .. } | Phase::Stopping { .. } | Phase::Ready | Phase::Paused => {}
            // A board that is busy says so; one that says nothing may have lost the line, or its
            // answer was lost. Numbers keep it from being run twice.
            _ if !self.free && now >= self.answered_at + self.patience() => {
                self.asked_twice += 1;
                self.answered_at = now;
                match &self.sent {
                    Some(sent) if self.asked_twice <= MOST_TRIES => {
                        // The end of a line ends whatever half of one was left behind.
                        self.urgent.push(b'\n');
                        self.urgent.extend_from_slice(&framed(sent.number, &sent.text));
                    }
                    _ => self.halt(now, Outcome::Failed(Failure::Silent)),
                }
            }
            _ => {}
        }
    }

    pub(super) fn handle_closed(&mut self, _now: Instant) {
        // What was sent last may not have got through, and nobody will say so.
        let outcome = match std::mem::replace(&mut self.state, Phase::Ended) {
            Phase::Ended => return,
            Phase::Stopping { outcome, .. } if outcome != Outcome::Done => outcome,
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

    pub(super) fn enqueue(
        &mut self,
        number: u32,
        text: Vec<u8>,
        effect: Effect,
    ) -> Result<(), LineTooLong> {
        let length = framed(self.next_number, &text).len();
        // Firmware takes lines of 96 bytes with everything.
        let most = self.settings.longest_line.max(96);
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
        if !matches!(self.state, Phase::Ended | Phase::Stopping { .. }) {
            self.go_dark(now, Outcome::Stopped);
        }
    }

    pub(super) fn poll_transmit(&mut self, out: &mut Vec<u8>) -> bool {
        let before = out.len();
        out.append(&mut self.urgent);
        let sends = matches!(self.state, Phase::Asking(_) | Phase::Streaming | Phase::Draining);
        if sends
            && self.free
            && self.sent.is_none()
            && let Some(Waiting { line, text, effect }) = self.waiting.pop_front()
        {
            if self.planned.len() >= PLANNER {
                self.planned.pop_front();
            }
            self.planned.push_back(effect.lasts);
            self.dark = effect.dark;
            let number = self.next_number;
            self.next_number += 1;
            out.extend_from_slice(&framed(number, &text));
            self.last_line = line.or(self.last_line);
            self.sent = Some(Sent { number, line, text });
            self.free = false;
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
            Phase::Greeting { until } => Some((*until).min(self.next_question)),
            Phase::Stopping { until, again, .. } => Some((*until).min(*again)),
            _ => Some(self.answered_at + self.patience()),
        }
    }

    /// How long an answer is waited for before the line is sent again: longer each time.
    fn patience(&self) -> Span {
        let once =
            self.settings.silence.0 / u64::from(MOST_TRIES) * u64::from(self.asked_twice + 1);
        let planned = self.planned.iter().map(|lasts| lasts.0);
        // A move waits for one place in the planner, everything else for all that is planned.
        let moves = self.sent.as_ref().is_none_or(|sent| sent.text.first() == Some(&b'G'));
        let runs = if moves { planned.max().unwrap_or(0) } else { planned.sum() };
        Span(once.saturating_add(runs))
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
        matches!(self.state, Phase::Stopping { .. })
    }

    pub(super) fn has_restarted(&self) -> bool {
        self.restarted && self.last_line.is_some()
    }

    pub(super) fn in_flight(&self) -> usize {
        self.sent.as_ref().map_or(0, |sent| framed(sent.number, &sent.text).len())
    }

    fn heard(&mut self, now: Instant, line: &str) {
        if self.is_over() || line.is_empty() {
            return;
        }
        if let Phase::Stopping { .. } = self.state {
            // Answers to lines of the program may still come; only this one proves anything.
            if let Some(position) = position(line) {
                let mut status = Status::standing(position);
                status.taken = self.acknowledged;
                self.events.push_back(Event::Status(status));
                self.finish_stop(Dark::Confirmed);
            } else if line == "start" {
                // It has heard nothing of what was said before.
                self.restarted = true;
                self.say_stop(now);
            }
            return;
        }
        let asked = line
            .strip_prefix("Resend:")
            .or_else(|| line.strip_prefix("rs"))
            .map(|rest| rest.trim().trim_start_matches('N').trim().parse::<u64>());
        let is_ok = line == "ok" || line.starts_with("ok ");
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
            self.restarted = true;
            if let Phase::Asking(_) = self.state {
                // It is greeted anew: numbers and questions are lost.
                self.waiting.clear();
                self.sent = None;
                self.next_number = 1;
                self.state = Phase::Greeting { until: now + self.settings.greeting };
                self.next_question = now;
                return;
            }
            // Whatever it had taken is lost.
            if !matches!(self.state, Phase::Greeting { .. }) {
                self.end(Outcome::Failed(Failure::Restarted), Dark::Unknown);
            }
            return;
        }
        if line.starts_with("!!") || line.starts_with("Error:Printer halted") {
            return self.end(Outcome::Failed(Failure::Halted(line.to_string())), Dark::Unknown);
        }
        if let Phase::Asking(connected) = &mut self.state {
            if let Some(position) = position(line) {
                let again = self.told.replace(position) == Some(position);
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
        // `busy:` only keeps the sender waiting; checksum errors are followed by a resend.
        if line.starts_with("Error:") {
            self.doubt = true;
        } else if !line.contains("busy:") {
            self.events.push_back(Event::Said(line.to_string()));
        }
    }

    fn answered(&mut self, now: Instant) {
        if std::mem::take(&mut self.asked_again) {
            // The `ok` that follows a resend only frees the line.
            return;
        }
        if let Phase::Greeting { .. } = self.state {
            self.free = true;
            let restarted = std::mem::take(&mut self.restarted);
            let connected = Connected { restarted, ..Connected::default() };
            self.state = Phase::Asking(connected);
            // What another sender left is run to its end before the place is told.
            // Twice: the answer has no checksum.
            for question in [&b"M400"[..], b"M114", b"M114"] {
                self.waiting.push_back(Waiting::question(question));
            }
            return;
        }
        if std::mem::take(&mut self.doubt)
            && let Some(sent) = &self.sent
        {
            // What it asked for again got lost: this `ok` is no answer to the line.
            self.urgent.extend_from_slice(&framed(sent.number, &sent.text));
            return;
        }
        let Some(sent) = self.sent.take() else { return };
        self.free = true;
        (self.resends, self.asked_twice, self.strange) = (0, 0, false);
        self.acknowledged = sent.line.unwrap_or(self.acknowledged);
        if let Phase::Asking(connected) = &mut self.state
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
        self.doubt = false;
        if let Phase::Greeting { .. } = self.state {
            // The greeting was spoilt: the answer behind this is none, and it is said again.
            self.asked_again = true;
            return;
        }
        self.resends += 1;
        match &self.sent {
            Some(sent) if sent.number == number && self.resends <= MOST_RESENDS => {
                self.urgent.extend_from_slice(&framed(sent.number, &sent.text));
                self.asked_again = true;
            }
            // It has it already: the answer was lost on the way.
            Some(sent) if sent.number + 1 == number => {
                self.asked_again = false;
            }
            Some(sent) if !self.strange && self.resends <= MOST_RESENDS => {
                self.strange = true;
                self.urgent.extend_from_slice(&framed(sent.number, &sent.text));
                self.asked_again = true;
            }
            // It counts from the start: it has started anew, and what it said then was lost.
            Some(sent) if number <= 1 && sent.number > 2 => {
                self.halt(now, Outcome::Failed(Failure::Restarted));
            }
            _ => self.halt(now, Outcome::Failed(Failure::BadLink)),
        }
    }

    /// Stops: nothing more of the program goes out, and the board is told to stop and go dark.
    fn halt(&mut self, now: Instant, outcome: Outcome) {
        match self.state {
            Phase::Ended | Phase::Stopping { .. } => {}
            Phase::Greeting { .. } | Phase::Asking(_) | Phase::Ready => {
                self.end(outcome, Dark::Untouched);
            }
            _ => self.go_dark(now, outcome),
        }
    }

    /// Nothing more of the program goes out; the board is made dark and asked for the proof.
    fn go_dark(&mut self, now: Instant, outcome: Outcome) {
        self.waiting.clear();
        self.sent = None;
        self.state = Phase::Stopping { outcome, until: now + STOP, again: now };
        self.say_stop(now);
    }

    /// Says everything that stops the board and makes it dark, and asks for the proof.
    fn say_stop(&mut self, now: Instant) {
        let Phase::Stopping { again, outcome, .. } = &mut self.state else { return };
        *again = now + STOP_AGAIN;
        // The end of a line ends whatever half of one was left behind.
        self.urgent.push(b'\n');
        if *outcome != Outcome::Done {
            // Some firmware looks for a quick stop even while it is busy.
            self.urgent.extend_from_slice(b"M410\n");
        }
        let counter = format!("M110 N{STOP_NUMBER}");
        self.urgent.extend_from_slice(&framed(STOP_NUMBER, counter.as_bytes()));
        for (number, text) in (STOP_NUMBER + 1..).zip([&b"M107"[..], b"M5", b"M114"]) {
            self.urgent.extend_from_slice(&framed(number, text));
        }
    }

    fn finish_stop(&mut self, dark: Dark) {
        if let Phase::Stopping { outcome, .. } = std::mem::replace(&mut self.state, Phase::Ended) {
            self.end(outcome, dark);
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

/// The position in an answer to `M114`: `X:10.00 Y:5.00 Z:0.00 …`, mm.
fn position(line: &str) -> Option<[f64; 3]> {
    if !line.starts_with("X:") {
        return None;
    }
    let axis = |name: &str| {
        let (_, rest) = line.split_once(name)?;
        rest.split_whitespace().next()?.parse::<f64>().ok().filter(|v| v.is_finite())
    };
    Some([axis("X:")?, axis("Y:")?, axis("Z:").unwrap_or(0.0)])
}

/// A line with its number and checksum: the exclusive or of all bytes before the `*`.
fn framed(number: u64, text: &[u8]) -> Vec<u8> {
    let mut line = format!("N{number} ").into_bytes();
    line.extend_from_slice(text);
    let sum = line.iter().fold(0_u8, |sum, byte| sum ^ byte);
    line.extend_from_slice(format!("*{sum}\n").as_bytes());
    line
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_position_is_read_from_what_m114_brings() {
        assert_eq!(position("X:10.50 Y:-5.00 Z:0.30 E:0.00 Count X:840"), Some([10.5, -5.0, 0.3]));
        assert_eq!(position("X: 1.00 Y: 2.00"), Some([1.0, 2.0, 0.0]));
        for none in ["X:1.00", "ok X:1 Y:2", "X:nan Y:1.00", "T:20 /0"] {
            assert_eq!(position(none), None);
        }
    }

    #[test]
    fn a_line_carries_its_number_and_the_sum_of_its_bytes() {
        // 'N'^'3'^' '^'T'^'0' = 57, worked out by hand.
        assert_eq!(framed(3, b"T0"), b"N3 T0*57\n");
    }
}
