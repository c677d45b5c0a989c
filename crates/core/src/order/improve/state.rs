//! A tour that is being shortened: what stands where, how long the ways are, and what may be changed.

use super::cost;
use crate::geometry::Point;
use crate::order::tour::{Stop, Visit, apart};

pub(super) struct Tour<'a> {
    pub(super) stops: &'a [Stop],
    before: &'a [Option<usize>],
    start: Point,
    pub(super) visits: Vec<Visit>,
    /// Where each visit enters and leaves: what every comparison asks for, side by side.
    ends: Vec<(Point, Point)>,
    /// The way to each visit, mm, and behind the last one none.
    pub(super) ways: Vec<f64>,
    /// By how much the tour would be shorter without each visit, mm.
    pub(super) spare: Vec<f64>,
    /// For each stop where in `visits` it is.
    pub(super) position: Vec<usize>,
    /// Nothing has to come before anything, and everything may be walked either way.
    free: bool,
    /// Stops that are still to be looked at.
    pub(super) waiting: Vec<bool>,
    /// Places beside which something has changed.
    pub(super) touched: Vec<usize>,
    /// What was done so far (see `cost`).
    pub(super) work: u64,
    /// What was changed since the last kick, to take it back: where, and what stood there.
    pub(super) undo: Option<Vec<Before>>,
}

/// Visits of a stretch before it was changed, from a position on.
type Before = (usize, Vec<Visit>, Vec<(Point, Point)>);

impl<'a> Tour<'a> {
    pub(super) fn new(
        stops: &'a [Stop],
        before: &'a [Option<usize>],
        start: Point,
        visits: Vec<Visit>,
    ) -> Self {
        let count = visits.len();
        let either_way = |visit: &Visit| stops[visit.stop].turned(*visit).is_some();
        let mut tour = Self {
            stops,
            before,
            start,
            ends: visits
                .iter()
                .map(|v| (stops[v.stop].entry(*v), stops[v.stop].exit(*v)))
                .collect(),
            ways: vec![0.0; count + 1],
            spare: vec![0.0; count],
            position: vec![0; stops.len()],
            free: before.iter().all(Option::is_none) && visits.iter().all(either_way),
            waiting: vec![false; stops.len()],
            touched: Vec::new(),
            work: 0,
            undo: None,
            visits,
        };
        tour.find_again(0, count);
        tour
    }

    pub(super) fn entry(&self, at: usize) -> Point {
        self.ends[at].0
    }

    pub(super) fn exit(&self, at: usize) -> Point {
        self.ends[at].1
    }

    /// Where the head is before it goes to the visit at `at`.
    pub(super) fn exit_before(&self, at: usize) -> Point {
        if at == 0 { self.start } else { self.exit(at - 1) }
    }

    /// Where the visit at `at` is entered; none where the tour ends before.
    pub(super) fn entry_if_any(&self, at: usize) -> Option<Point> {
        self.ends.get(at).map(|(entry, _)| *entry)
    }

    /// Distance from `p` to the visit at `at`, mm; nothing when the tour ends before.
    pub(super) fn way_to(&self, p: Point, at: usize) -> f64 {
        self.entry_if_any(at).map_or(0.0, |entry| apart(p, entry))
    }

    pub(super) fn set(&mut self, at: usize, visit: Visit) {
        let stop = &self.stops[visit.stop];
        self.visits[at] = visit;
        self.ends[at] = (stop.entry(visit), stop.exit(visit));
    }

    /// Turns the visits `first..=last` round.
    pub(super) fn reverse(&mut self, first: usize, last: usize) {
        self.visits[first..=last].reverse();
        self.ends[first..=last].reverse();
        for at in first..=last {
            let visit = self.visits[at];
            self.visits[at] = self.stops[visit.stop].turned(visit).unwrap_or(visit);
            let (entry, exit) = self.ends[at];
            self.ends[at] = (exit, entry);
        }
    }

    /// Lets the visits `first..middle` and `middle..after` change places.
    pub(super) fn swap(&mut self, first: usize, middle: usize, after: usize) {
        self.visits[first..after].rotate_left(middle - first);
        self.ends[first..after].rotate_left(middle - first);
    }

    /// Finds again where the visits `first..after` are and how long the ways beside them are.
    pub(super) fn find_again(&mut self, first: usize, after: usize) {
        let mut from = self.exit_before(first);
        for at in first..after {
            self.position[self.visits[at].stop] = at;
            let (entry, exit) = self.ends[at];
            self.ways[at] = apart(from, entry);
            from = exit;
        }
        self.ways[after] = self.way_to(from, after);
        for at in first.saturating_sub(1)..(after + 1).min(self.visits.len()) {
            let without = self.way_to(self.exit_before(at), at + 1);
            self.spare[at] = self.ways[at] + self.ways[at + 1] - without;
        }
        self.work += (after - first) as u64 * cost::SHIFTED;
    }

    /// Keeps what stands at `first..after`, while changes may have to be taken back.
    pub(super) fn remember(&mut self, first: usize, after: usize) {
        if let Some(undo) = &mut self.undo {
            let (visits, ends) = (&self.visits[first..after], &self.ends[first..after]);
            undo.push((first, visits.to_vec(), ends.to_vec()));
        }
    }

    /// Takes changes back, the last first.
    pub(super) fn take_back(&mut self, undo: Vec<Before>) {
        for (at, visits, ends) in undo.into_iter().rev() {
            let after = at + visits.len();
            self.visits[at..after].copy_from_slice(&visits);
            self.ends[at..after].copy_from_slice(&ends);
            self.find_again(at, after);
        }
    }

    /// Whether the visits `first..=last` may be run the other way round.
    pub(super) fn may_turn(&self, first: usize, last: usize) -> bool {
        self.free
            || (first..=last).all(|at| {
                self.stops[self.visits[at].stop].turned(self.visits[at]).is_some()
                    && self.outer_of(at).is_none_or(|outer| outer > last)
            })
    }

    /// Whether the visits `first..middle` and `middle..after` may change places: none of these waits for one of those.
    pub(super) fn may_swap(&self, first: usize, middle: usize, after: usize) -> bool {
        self.free
            || (first..middle)
                .all(|at| self.outer_of(at).is_none_or(|outer| !(middle..after).contains(&outer)))
    }

    /// Where what has to come after the visit at `at` stands, if anything has to.
    fn outer_of(&self, at: usize) -> Option<usize> {
        self.before[self.visits[at].stop].map(|stop| self.position[stop])
    }
}
