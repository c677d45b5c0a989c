//! What a board may still have to run: lines were read long before their moves end.

use crate::instant::{Instant, Span};
use crate::session::Effect;
use std::collections::VecDeque;

/// An answer that waits for nothing takes no longer than this beyond five times the quickest.
const AT_ONCE: Span = Span::millis(300);

/// The most moves that a board has in its planner.
const PLACES: usize = 64;

/// Two positions nearer than this are the same, mm: boards tell hundredths.
pub(super) const SAME: f64 = 0.011;

/// What the board may have in its planner.
#[derive(Debug, Default)]
pub(super) struct Planned {
    /// The last lines.
    lines: VecDeque<Effect>,
    /// When all of them have ended, whatever happens.
    until: Instant,
    /// The shortest that an answer took.
    quickest: Option<Span>,
    /// Free places that it told last, and the most that it ever told.
    room: Option<u32>,
    most_room: u32,
}

impl Planned {
    /// A line goes out.
    pub(super) fn send(&mut self, now: Instant, effect: Effect) {
        if self.lines.len() >= PLACES {
            self.lines.pop_front();
        }
        self.lines.push_back(effect);
        self.until = self.until.max(now) + effect.lasts;
    }

    /// The last line was taken, and its answer took so long: no more than a full planner is left to run.
    pub(super) fn take(&mut self, now: Instant, took: Span) {
        self.quickest = Some(self.quickest.map_or(took, |quickest| quickest.min(took)));
        self.until = self.until.min(now + self.all());
    }

    /// A wait for the end of all moves was answered. Some boards answer it at once; one that took much longer than for
    /// anything else, and a good part of what was left to run, has waited.
    pub(super) fn note_wait(&mut self, now: Instant, took: Span) {
        let asked = Instant(now.0.saturating_sub(took.0));
        let left = self.until - asked;
        let at_once = self.quickest.map_or(0, |quickest| 5 * quickest.0) + AT_ONCE.0;
        if took.0 > at_once && took.0 > left.0 / 10 {
            self.until = self.until.min(now);
        }
    }

    /// It started anew: whatever it had is lost.
    pub(super) fn forget(&mut self, now: Instant) {
        self.lines.clear();
        self.until = now;
    }

    /// The board told its free places.
    pub(super) fn tell_room(&mut self, room: Option<u32>) {
        self.room = room;
        self.most_room = self.most_room.max(room.unwrap_or(0));
    }

    /// When everything has ended at the latest.
    pub(super) fn until(&self) -> Instant {
        self.until
    }

    /// How long all of it takes.
    pub(super) fn all(&self) -> Span {
        Span(self.lines.iter().map(|line| line.lasts.0).sum())
    }

    /// How long the longest line takes.
    pub(super) fn longest(&self) -> Span {
        Span(self.lines.iter().map(|line| line.lasts.0).max().unwrap_or(0))
    }

    /// Whether the board has told that its planner is empty.
    pub(super) fn is_empty(&self) -> bool {
        self.most_room > 0 && self.room == Some(self.most_room)
    }

    /// Whether a position is not the one to which the lines lead that the board read last: only a board that tells
    /// where the head really is can say it. Of two lines, since the last one may not have been read.
    pub(super) fn is_on_the_way(&self, at: [f64; 3]) -> bool {
        let leads_there = |effect: &Effect| {
            effect.stands.is_none_or(|end| (0..3).all(|n| (end[n] - at[n]).abs() < SAME))
        };
        !self.lines.is_empty() && !self.lines.iter().rev().take(2).any(leads_there)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn line(ms: u64, x: f64) -> Effect {
        Effect { lasts: Span::millis(ms), dark: false, stands: Some([x, 0.0, 0.0]) }
    }

    #[test]
    fn lines_end_one_after_the_other_and_never_later_than_a_full_planner() {
        let mut planned = Planned::default();
        planned.send(Instant(1_000_000), line(500, 1.0));
        planned.send(Instant(1_100_000), line(250, 2.0));
        assert_eq!(planned.until(), Instant(1_750_000));
        for n in 0..200 {
            planned.send(Instant(2_000_000), line(10, f64::from(n)));
        }
        planned.take(Instant(2_100_000), Span::millis(5));
        assert_eq!(planned.until(), Instant(2_100_000 + 64 * 10_000));
        assert_eq!(planned.longest(), Span::millis(10));
        planned.forget(Instant(5));
        assert_eq!((planned.until(), planned.all()), (Instant(5), Span(0)));
    }

    #[test]
    fn a_wait_that_took_its_time_has_waited_and_one_that_did_not_has_not() {
        for (took, ended) in [(2, false), (300, false), (400, true), (3000, true)] {
            let mut planned = Planned::default();
            planned.take(Instant(0), Span::millis(4));
            planned.send(Instant(0), line(3500, 1.0));
            planned.note_wait(Instant(took * 1000), Span::millis(took));
            let until = if ended { took * 1000 } else { 3_500_000 };
            assert_eq!(planned.until(), Instant(until), "{took} ms");
        }
    }

    #[test]
    fn a_head_is_on_the_way_where_the_last_two_lines_do_not_lead() {
        let mut planned = Planned::default();
        assert!(!planned.is_on_the_way([1.0, 0.0, 0.0]));
        (1..=3).for_each(|x| planned.send(Instant(0), line(10, f64::from(x))));
        for x in [1.0, 1.5, 2.5] {
            assert!(planned.is_on_the_way([x, 0.0, 0.0]), "{x}");
        }
        for x in [2.0, 3.004] {
            assert!(!planned.is_on_the_way([x, 0.0, 0.0]), "{x}");
        }
        planned.send(Instant(0), Effect::NOTHING);
        assert!(!planned.is_on_the_way([1.5, 0.0, 0.0]), "the end of a line is not known");
    }

    #[test]
    fn a_planner_is_empty_where_all_its_places_are_free() {
        let mut planned = Planned::default();
        assert!(!planned.is_empty());
        planned.tell_room(Some(16));
        assert!(planned.is_empty());
        planned.tell_room(Some(3));
        assert!(!planned.is_empty());
        planned.tell_room(None);
        assert!(!planned.is_empty(), "this answer told nothing");
    }
}
