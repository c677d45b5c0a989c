//! From the first sign of life to a controller that has said what it is: it is reset at standstill, asked
//! until it has said the same twice, and must still stand where it stood.

use super::super::marks::Marks;
use super::super::{Connected, Dark, Event, Failure, Forgotten, Outcome};
use super::{Grbl, MOST_ROUNDS, Machine, Phase, RESET, byte};
use crate::instant::Instant;
use crate::message::{INCH, Status};

/// The most statuses that are asked for until two tell the offset: boards tell it in every tenth to
/// thirtieth.
const OFFSET_TOLD: u32 = 64;

/// A head that stands nearer than this to where it stood has not moved, mm.
const SAME_PLACE: f64 = 0.003;

/// What is learnt of a controller before the stream begins.
#[derive(Debug, Default)]
pub(super) struct Learnt {
    /// How it stood before it was reset.
    before: Option<Status>,
    /// How often that was asked for.
    greeted: u32,
    /// What it said of itself the last time it was asked.
    said: Option<Connected>,
    /// How often it was asked what it is.
    pub(super) rounds: u32,
    /// Whether its banner came before anything else.
    pub(super) restarted: bool,
}

impl Grbl {
    /// Whether a controller in this state may be spoken to.
    pub(super) fn may_begin(&self, state: Machine) -> bool {
        let by_hand = self.settings.by_hand;
        state == Machine::Idle || (by_hand && matches!(state, Machine::Alarm | Machine::Sleep))
    }

    pub(super) fn take_greeting(&mut self, now: Instant, status: Status) {
        let state = status.state;
        let takes_over = self.settings.takes_over;
        if takes_over && matches!(state, Machine::Run | Machine::Hold { moving: true }) {
            // What its sender left comes to an end by itself.
            if let Phase::Greeting { until } = &mut self.state {
                *until = now + self.settings.greeting;
            }
            return;
        }
        let stands = self.may_begin(state) || (takes_over && matches!(state, Machine::Hold { .. }));
        if !stands {
            return self.end(Outcome::Failed(Failure::NotReady(state)), Dark::Untouched);
        }
        // It answers, however slowly: what is waited for is silence.
        if let Phase::Greeting { until } = &mut self.state {
            *until = now + self.settings.greeting;
        }
        // The reset forgets a G92, and the offset is told only now and then. Either is believed when it
        // was told twice: a place that came through spoilt is nothing to compare with afterwards.
        self.learnt.greeted += 1;
        let told = status.offset.is_some();
        let again = told && self.offset == status.offset;
        self.offset = status.offset.or(self.offset);
        let before = self.learnt.before.replace(status).and_then(|before| before.position);
        let same_place = before.is_some() && before == status.position;
        if !(again && same_place) && self.learnt.greeted < OFFSET_TOLD {
            return self.ask(now);
        }
        self.urgent.push(byte::RESET);
        (self.asked, self.next_question) = (0, now + RESET);
        self.state = Phase::Clearing { until: now + RESET };
    }

    /// The controller is clear: what is asked for now is all that it gets.
    pub(super) fn ask_everything(&mut self) {
        if !matches!(self.state, Phase::Clearing { .. } | Phase::Asking(_)) {
            return;
        }
        self.waiting.clear();
        self.accounts.forget();
        for question in [&b"$I"[..], b"$$", b"$#", b"$G"] {
            self.waiting.push_back((None, question.to_vec()));
        }
        self.last_heard = self.now;
        self.next_question = self.now + self.settings.status_every;
        self.learnt.rounds += 1;
        let position = self.learnt.before.and_then(|status| {
            let (told, from) = (status.position?, status.offset);
            if status.machine_position {
                return Some(told);
            }
            from.map(|from| [0, 1, 2].map(|n| told[n] + from[n]))
        });
        let turn = self.learnt.before.and_then(|status| status.turn);
        let restarted = self.learnt.restarted;
        self.state = Phase::Asking(Connected { position, turn, restarted, ..Connected::default() });
    }

    /// Everything was answered. A `G92` that the reset has forgotten is set again, so that a zero that
    /// somebody set by hand stays where it was.
    pub(super) fn take_connected(&mut self, mut connected: Connected) {
        self.inches = connected.settings.get(&13).is_some_and(|value| *value != 0.0);
        let mm = |at: [f64; 3]| at.map(|length| if self.inches { length * INCH } else { length });
        if connected.kept_shift.is_none() {
            if self.learnt.said.replace(connected.clone()).as_ref() != Some(&connected) {
                if self.learnt.rounds >= MOST_ROUNDS {
                    return self.end(Outcome::Failed(Failure::BadLink), Dark::Untouched);
                }
                self.state = Phase::Asking(connected);
                return self.ask_everything();
            }
            connected.offsets.values_mut().for_each(|at| *at = mm(*at));
            connected.position = connected.position.map(mm);
            let before = self.learnt.before.and_then(|status| {
                let (at, offset) = (mm(status.position?), mm(status.offset?));
                let from = if status.machine_position { offset } else { [0.0; 3] };
                Some((offset, [0, 1, 2].map(|n| at[n] - from[n])))
            });
            if let Some((offset, [x, y, z])) = before {
                match connected.compare_offset(offset) {
                    Forgotten::Nothing => {}
                    Forgotten::Unclear => {
                        let failure = Failure::ShiftForgotten(offset);
                        return self.end(Outcome::Failed(failure), Dark::Untouched);
                    }
                    Forgotten::Shift(shift) => {
                        connected.kept_shift = Some(shift);
                        connected.offsets.insert("G92".to_string(), shift);
                        let line = format!("G21G92X{x:.3}Y{y:.3}Z{z:.3}");
                        self.waiting.push_back((None, line.into_bytes()));
                        self.state = Phase::Asking(connected);
                        return;
                    }
                }
            }
        }
        self.settings.buffer = connected.buffer.unwrap_or(self.settings.buffer);
        self.marks = Marks::new(!connected.modes.is_empty() && !self.settings.by_hand);
        self.state = Phase::Checking { connected, skip: self.asked };
        self.ask(self.now);
    }

    /// It stands where it stood, so that nothing has happened since, though no banner told.
    pub(super) fn take_check(&mut self, connected: Connected, status: &Status) {
        let told = |status: &Status| {
            let from = if status.machine_position { [0.0; 3] } else { status.offset? };
            status.position.map(|at| [0, 1, 2].map(|n| at[n] + from[n]))
        };
        let moved = match (connected.position, told(status)) {
            (Some(then), Some(now)) => (0..3).any(|n| (then[n] - now[n]).abs() > SAME_PLACE),
            _ => false,
        };
        if moved {
            // Once more: the status may be spoilt.
            self.learnt.rounds += 1;
            if self.learnt.rounds >= MOST_ROUNDS {
                return self.end(Outcome::Failed(Failure::Restarted), Dark::Untouched);
            }
            self.state = Phase::Checking { connected, skip: self.asked };
            return self.ask(self.now);
        }
        self.locked = status.state == Machine::Alarm;
        let connected = Connected { locked: self.locked, ..connected };
        self.state = Phase::Ready;
        self.events.push_back(Event::Connected(connected));
    }
}
