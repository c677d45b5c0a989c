//! Which lines were sent and which answered, and whether that can be true.
//!
//! A controller answers each line once, in order; but an answer may be lost on the cable, or come
//! twice. Its status tells how much room it has, so both can be found out:
//!
//! - All that was sent has arrived when the status was asked for behind it. What lies in the receive
//!   buffer then is what is unanswered, but for the line in the controller's hand. Where a planner is
//!   full there is always one, unless the board lets lines lie for a while.
//! - A controller that stands idle with unanswered lines has run them: the answers were lost.
//! - An answer to nothing is one too many.
//!
//! Boards count their room differently: it is only believed once it was seen to fit.

use super::Miscount;
use crate::instant::{Instant, Span};
use crate::message::{Room, State as Machine, Status};
use std::collections::VecDeque;

/// A line on its way: sent and not yet answered.
#[derive(Debug, Clone, Copy)]
pub(super) struct Unanswered {
    /// Line of the program's text; none for our own questions.
    pub(super) line: Option<u32>,
    /// Bytes with the line end.
    bytes: usize,
    /// How long it lets the head stand.
    stands: Span,
    /// The controller looks for its zero.
    homes: bool,
    /// It is a mark.
    pub(super) mark: bool,
}

/// Behind the last line or answer everything that is under way has arrived after this, and the way there and back.
const SETTLED: Span = Span::millis(250);
/// More statuses are not under way: the answers to the oldest questions were lost.
const MOST_QUESTIONS: usize = 64;
/// No link is slower than this, there and back.
const SLOWEST: Span = Span::millis(4000);
/// How often a count must be wrong before it is called wrong: a status may be spoilt on the cable.
const STRIKES: u32 = 2;
/// How often in a row a controller that always has a line in its hand must seem to have none before
/// one answer too many is believed to be the reason.
const EMPTY_HANDED: u32 = 4;
/// How often a controller's room must fit what is unanswered before it is believed.
const BELIEVED: u32 = 5;

/// The lines that are under way.
#[derive(Debug, Default)]
pub(super) struct Accounts {
    unanswered: VecDeque<Unanswered>,
    /// Invariant: the sum of the bytes that are unanswered.
    in_flight: usize,
    /// The longest line so far, bytes.
    longest: usize,
    /// When a line went out or was answered last.
    changed: Instant,
    /// Since when the controller was seen to stand idle with the same lines unanswered.
    idle_since: Option<Instant>,
    /// When the statuses were asked for that have not come.
    asked_at: VecDeque<Instant>,
    /// The longest that a status was under way, there and back.
    round_trip: Span,
    /// Whether a line went out behind the oldest question whose status has not come.
    sent_since_question: bool,
    /// The room of an empty controller.
    empty: Option<Room>,
    /// How often its room fitted what was unanswered; none once it did not at the beginning.
    fits: Option<u32>,
    strikes: u32,
    /// How often in a row no line was in the controller's hand, by its room.
    empty_handed: u32,
    /// Whether that can be so: some boards let lines lie, others take the next at once.
    lets_lines_lie: bool,
}

impl Accounts {
    pub(super) fn new() -> Self {
        Self { fits: Some(0), ..Self::default() }
    }

    /// Bytes that are sent and not yet answered.
    pub(super) fn in_flight(&self) -> usize {
        self.in_flight
    }

    /// How long the controller may say nothing while it does what was sent first: it is busy with a homing.
    pub(super) fn silence(&self) -> Span {
        let homes = self.unanswered.iter().find(|line| line.homes);
        homes.map_or(Span::default(), |line| line.stands)
    }

    pub(super) fn is_settled(&self) -> bool {
        self.unanswered.is_empty()
    }

    /// Whether a line of so many bytes may go out to a receive buffer of `buffer` bytes. Room for the
    /// longest line is kept: one answer too many must not make a line run over.
    pub(super) fn has_room(&self, bytes: usize, buffer: usize) -> bool {
        let spare = if self.unanswered.is_empty() { 0 } else { self.longest.max(bytes) };
        // A ring buffer of n bytes holds n - 1.
        self.in_flight + bytes + spare < buffer
    }

    /// Whether the controller has enough to do for the moment that a status takes to come.
    pub(super) fn is_well_supplied(&self, buffer: usize) -> bool {
        self.in_flight * 2 >= buffer
    }

    pub(super) fn sent(&mut self, now: Instant, line: Option<u32>, text: &[u8]) {
        let bytes = text.len() + 1;
        self.unanswered.push_back(Unanswered {
            line,
            bytes,
            stands: stands(text),
            homes: text.starts_with(b"$H"),
            mark: false,
        });
        self.in_flight += bytes;
        self.longest = self.longest.max(bytes);
        (self.changed, self.idle_since) = (now, None);
        self.sent_since_question = true;
    }

    /// The line that was sent last is a mark.
    pub(super) fn mark(&mut self) {
        self.unanswered.iter_mut().next_back().into_iter().for_each(|line| line.mark = true);
    }

    /// How many lines in front of the oldest mark are unanswered.
    pub(super) fn before_mark(&self) -> usize {
        self.unanswered.iter().position(|line| line.mark).unwrap_or(0)
    }

    /// The line that an answer belongs to; `None` where it belongs to nothing.
    pub(super) fn answered(&mut self, now: Instant) -> Option<Unanswered> {
        let line = self.unanswered.pop_front()?;
        self.in_flight -= line.bytes;
        (self.changed, self.idle_since) = (now, None);
        Some(line)
    }

    /// A status was asked for; `first`, when none was under way.
    pub(super) fn asked(&mut self, now: Instant, first: bool) {
        if first {
            self.sent_since_question = false;
        }
        self.asked_at.push_back(now);
        if self.asked_at.len() > MOST_QUESTIONS {
            self.asked_at.pop_front();
        }
    }

    /// A status came, the answer to the oldest question.
    pub(super) fn status_came(&mut self, now: Instant) {
        if let Some(asked_at) = self.asked_at.pop_front() {
            self.round_trip = self.round_trip.max((now - asked_at).min(SLOWEST));
        }
    }

    /// After what time everything that is under way has arrived.
    fn settling_time(&self) -> Span {
        Span(SETTLED.0 + self.round_trip.0)
    }

    pub(super) fn forget(&mut self) {
        self.unanswered.clear();
        self.in_flight = 0;
    }

    /// Holds the counts against a status while lines go out.
    pub(super) fn judge(&mut self, now: Instant, status: &Status) -> Option<Miscount> {
        match self.verdict(now, status) {
            Verdict::Open => None,
            Verdict::Fits => {
                self.strikes = 0;
                None
            }
            Verdict::Wrong(miscount) => {
                self.strikes += 1;
                (self.strikes >= STRIKES).then_some(miscount)
            }
        }
    }

    fn verdict(&mut self, now: Instant, status: &Status) -> Verdict {
        let Some(oldest) = self.unanswered.front().copied() else {
            self.empty = self.empty.max(status.room.filter(|_| status.state == Machine::Idle));
            return Verdict::Open;
        };
        if status.state == Machine::Idle {
            // A dwell begins when everything before it has run.
            let since = (*self.idle_since.get_or_insert(now)).max(self.changed);
            let stood = Span(self.settling_time().0.saturating_add(oldest.stands.0));
            let lost = Miscount::Lost(self.unanswered.len());
            return if now >= since + stood { Verdict::Wrong(lost) } else { Verdict::Open };
        }
        self.idle_since = None;
        let arrived = !self.sent_since_question || now >= self.changed + self.settling_time();
        let (Some(room), Some(empty), Some(fits)) = (status.room, self.empty, self.fits) else {
            return Verdict::Open;
        };
        if status.state != Machine::Run || !arrived {
            return Verdict::Open;
        }
        let taken = empty.bytes.saturating_sub(room.bytes);
        let expected = self.in_flight - oldest.bytes;
        if taken == expected {
            self.fits = Some(fits.saturating_add(1));
            self.lets_lines_lie |= self.empty_handed > 0;
            self.empty_handed = 0;
            return Verdict::Fits;
        }
        if taken == self.in_flight {
            self.empty_handed += 1;
            let sure = fits >= BELIEVED && !self.lets_lines_lie && room.blocks == 0;
            if !sure || self.empty_handed < EMPTY_HANDED {
                return Verdict::Open;
            }
            return Verdict::Wrong(Miscount::Surplus);
        }
        if fits < BELIEVED {
            self.fits = None;
            return Verdict::Open;
        }
        Verdict::Wrong(if taken > expected {
            Miscount::Surplus
        } else {
            Miscount::Lost(self.answers_missing(taken))
        })
    }

    /// How many lines were answered unheard when so many bytes lie in the receive buffer, and one
    /// line is in the controller's hand.
    fn answers_missing(&self, taken: usize) -> usize {
        let mut left = taken;
        let lies = |line: &&Unanswered| {
            let fits = line.bytes <= left;
            left = left.saturating_sub(line.bytes);
            fits
        };
        let lie = self.unanswered.iter().rev().take_while(lies).count();
        self.unanswered.len().saturating_sub(lie + 1)
    }
}

/// What a status says of the counts.
enum Verdict {
    /// Nothing.
    Open,
    Fits,
    Wrong(Miscount),
}

/// How long a line may let the head stand: the seconds of a G4, a while for M codes and homing.
fn stands(text: &[u8]) -> Span {
    let text = String::from_utf8_lossy(text).to_ascii_uppercase();
    let number = |from: &str| {
        let end = from.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(from.len());
        from[..end].parse::<f64>().ok()
    };
    let dwells = text.match_indices('G').any(|(at, _)| number(&text[at + 1..]) == Some(4.0));
    let seconds = text.find('P').filter(|_| dwells).and_then(|at| number(&text[at + 1..]));
    // Homing stands and moves as it likes; nothing is known of other commands of the controller. Some
    // wait for what an M code switches.
    let longest = match (text.starts_with('$'), text.contains('M')) {
        (true, _) => 120.0,
        (false, true) => 10.0,
        (false, false) => 0.0,
    };
    Span((seconds.unwrap_or(longest).min(1e9) * 1e6) as u64)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dwells_and_what_the_controller_switches_let_the_head_stand() {
        for (text, seconds) in [
            ("G4P2.5", 2.5),
            ("g04 p1", 1.0),
            ("G1X5P3", 0.0),
            ("G40P3", 0.0),
            ("M5G4P0.25", 0.25),
            ("M3S0", 10.0),
            ("G4", 0.0),
            ("$H", 120.0),
        ] {
            assert_eq!(stands(text.as_bytes()), Span((seconds * 1e6) as u64), "{text}");
        }
    }
}
