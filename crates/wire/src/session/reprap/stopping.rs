//! The end of a session: the board is told to go dark, and asked until it is proved that it is.
//!
//! An answer proves that lines were read, not that moves have ended, and the power of a board that drives its beam by
//! the fan output travels with the moves. So `M107` and `M5` go out twice: without a number, which a board takes in any
//! case, and with one, so that the answer to the question behind them proves that both were read. The question, `M114`,
//! is asked more than once; an answer is a position with its `ok` right behind it, since boards also tell positions by
//! themselves. The beam is off when the head stands: the same place twice, and that it is no place which the board only
//! plans to reach. That is so where its planner is told to be empty, where all that was planned must have ended, or where
//! the board was heard to tell a place that lies before the end of what it has read.

use super::planned::{Planned, SAME};
use super::text::frame;
use crate::instant::{Instant, Span};
use crate::session::Outcome;

/// How long a board may take over what stops it, behind the end of what it has planned.
const PATIENCE: Span = Span::millis(6000);
/// How long an answer is waited for before all of it is said again.
const AGAIN: Span = Span::millis(700);
/// From one question to the next: in less a slow head has hardly moved.
const BETWEEN: Span = Span::millis(400);
/// Where the line counter stands for a stop: no program is as long.
const NUMBER: u64 = 900_000_000;

/// What is known of the end of a session.
#[derive(Debug)]
pub(super) struct Stopping {
    /// How the session ends.
    pub(super) outcome: Outcome,
    /// When nothing more is waited for.
    until: Instant,
    /// When something is said again.
    again: Instant,
    /// The number of the next question.
    number: u64,
    /// Answers that have not come yet.
    owed: u32,
    /// A position that was told last, with nothing behind it.
    told: Option<[f64; 3]>,
    /// Since when the answers have told the same position.
    stands: Option<(Instant, [f64; 3])>,
    /// The next thing to say is a question: the last one was answered.
    asks: bool,
    /// It was heard to tell where the head really is.
    tells_truly: bool,
    /// It does not know the quick stop.
    pub(super) runs_on: bool,
    /// What it has planned came from us.
    ours: bool,
}

/// What becomes of a session by what was heard.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Proof {
    /// The head stands here, mm, and the beam is off.
    Dark([f64; 3]),
    /// Not yet.
    Open,
}

impl Stopping {
    /// Begins; `unanswered` lines of the program are on their way, and what is planned is `ours`, or another sender's.
    pub(super) fn new(
        outcome: Outcome,
        unanswered: u32,
        ours: bool,
        now: Instant,
        planned: &Planned,
    ) -> Self {
        Self {
            outcome,
            until: planned.until().max(now) + PATIENCE,
            again: now,
            number: NUMBER,
            owed: unanswered,
            told: None,
            stands: None,
            asks: false,
            tells_truly: false,
            runs_on: false,
            ours,
        }
    }

    /// When something is to be done.
    pub(super) fn timeout(&self) -> Instant {
        self.until.min(self.again)
    }

    /// Whether nothing more is waited for.
    pub(super) fn is_over(&self, now: Instant) -> bool {
        now >= self.until
    }

    /// What is said now; nothing before its time.
    pub(super) fn say(&mut self, now: Instant, out: &mut Vec<u8>) {
        if now < self.again {
            return;
        }
        self.again = now + AGAIN;
        self.told = None;
        if std::mem::take(&mut self.asks) {
            self.number += 1;
            self.owed = 1;
            return out.extend_from_slice(&frame(self.number, b"M114"));
        }
        self.stands = None;
        if self.number != NUMBER {
            // Said before: answers to that were lost, or come late.
            self.owed = 0;
        }
        // The end of a line ends whatever half of one was left behind.
        out.push(b'\n');
        // Some firmware looks for a quick stop even while it is busy.
        let stops = self.outcome != Outcome::Done && !self.runs_on;
        let bare = [&b"M410"[..], b"M107", b"M5"];
        let bare = if stops { &bare[..] } else { &bare[1..] };
        for line in bare {
            out.extend_from_slice(line);
            out.push(b'\n');
        }
        let counter = format!("M110 N{NUMBER}");
        out.extend_from_slice(&frame(NUMBER, counter.as_bytes()));
        let numbered = [&b"M107"[..], b"M5", b"M114"];
        for (number, text) in (NUMBER + 1..).zip(numbered) {
            out.extend_from_slice(&frame(number, text));
        }
        self.number = NUMBER + numbered.len() as u64;
        self.owed += (bare.len() + 1 + numbered.len()) as u32;
    }

    /// Everything is said again, at once: the board has heard nothing of it.
    pub(super) fn begin_again(&mut self, now: Instant) {
        (self.asks, self.owed, self.stands, self.again) = (false, 0, None, now);
    }

    /// A position was told.
    pub(super) fn tell(&mut self, position: [f64; 3]) {
        self.told = Some(position);
    }

    /// Something else was told.
    pub(super) fn hear(&mut self) {
        self.told = None;
    }

    /// An answer came.
    pub(super) fn answer(&mut self, now: Instant, planned: &Planned) -> Proof {
        self.owed = self.owed.saturating_sub(1);
        let Some(at) = self.told.take().filter(|_| self.owed == 0) else { return Proof::Open };
        self.asks = true;
        self.again = now + BETWEEN;
        let same = |other: [f64; 3]| (0..3).all(|n| (at[n] - other[n]).abs() < SAME / 2.0);
        let stood = self.stands.filter(|(_, other)| same(*other));
        self.tells_truly |= planned.is_on_the_way(at) || (self.stands.is_some() && stood.is_none());
        let (since, _) = *self.stands.insert(stood.unwrap_or((now, at)));
        let stands = stood.is_some() && now >= since + BETWEEN;
        // How long another sender's moves take nobody knows: only a quick stop ends them.
        let over = if self.ours { now >= planned.until() } else { !self.runs_on };
        let ended = planned.is_empty() || over || self.tells_truly;
        if stands && ended { Proof::Dark(at) } else { Proof::Open }
    }
}
