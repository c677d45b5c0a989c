//! A tour that is being shortened: what stands where, how long the ways are, and what may be changed.

use super::cost;
use crate::order::tour::{Stop, Visit, apart};
use std::ops::Range;
use tinkite_base::geometry::Point;

pub(super) struct Tour<'a> {
    pub(super) stops: &'a [Stop],
    before: &'a [Option<usize>],
    start: Point,
    pub(super) legs: Vec<Leg>,
    /// For each stop where in `legs` it is.
    pub(super) position: Vec<usize>,
    /// Nothing has to come before anything, and everything may be walked either way.
    free: bool,
    /// Stops that are still to be looked at.
    pub(super) waiting: Vec<bool>,
    /// Places of what is to be looked at again, since a way to it or from it has changed.
    pub(super) touched: Vec<usize>,
    /// What was done so far (see `cost`).
    pub(super) work: u64,
    /// What was changed since the last kick, to take it back; nothing is kept before the first one.
    undo: Option<Undo>,
}

/// A visit and the way to it: what every comparison asks for, side by side.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Leg {
    pub(super) visit: Visit,
    entry: Point,
    exit: Point,
    /// The way to it, mm.
    way: f64,
    /// By how much the tour would be shorter without it, mm.
    pub(super) spare: f64,
}

/// Stretches as they were before they were changed, the first change first.
#[derive(Default)]
struct Undo {
    legs: Vec<Leg>,
    /// Where each of them stood.
    places: Vec<Range<usize>>,
}

impl<'a> Tour<'a> {
    pub(super) fn new(
        stops: &'a [Stop],
        before: &'a [Option<usize>],
        start: Point,
        visits: &[Visit],
    ) -> Self {
        let either_way = |visit: &Visit| stops[visit.stop].turned(*visit).is_some();
        let leg = |visit: &Visit| {
            let stop = &stops[visit.stop];
            let (entry, exit) = (stop.entry(*visit), stop.exit(*visit));
            Leg { visit: *visit, entry, exit, way: 0.0, spare: 0.0 }
        };
        let mut tour = Self {
            stops,
            before,
            start,
            legs: visits.iter().map(leg).collect(),
            position: vec![0; stops.len()],
            free: before.iter().all(Option::is_none) && visits.iter().all(either_way),
            waiting: vec![false; stops.len()],
            touched: Vec::new(),
            work: 0,
            undo: None,
        };
        tour.number(0..visits.len());
        for at in 0..visits.len() {
            tour.measure_way(at);
        }
        for at in 0..visits.len() {
            tour.measure_spare(at);
        }
        tour
    }

    pub(super) fn visits(&self) -> Vec<Visit> {
        self.legs.iter().map(|leg| leg.visit).collect()
    }

    pub(super) fn entry(&self, at: usize) -> Point {
        self.legs[at].entry
    }

    pub(super) fn exit(&self, at: usize) -> Point {
        self.legs[at].exit
    }

    /// The way to the visit at `at`, mm; nothing where the tour ends before.
    pub(super) fn way(&self, at: usize) -> f64 {
        self.legs.get(at).map_or(0.0, |leg| leg.way)
    }

    /// Where the head is before it goes to the visit at `at`.
    pub(super) fn exit_before(&self, at: usize) -> Point {
        if at == 0 { self.start } else { self.exit(at - 1) }
    }

    /// Where the visit at `at` is entered; `None` where the tour ends before.
    pub(super) fn entry_if_any(&self, at: usize) -> Option<Point> {
        self.legs.get(at).map(|leg| leg.entry)
    }

    /// Distance from `p` to the visit at `at`, mm; nothing when the tour ends before.
    pub(super) fn way_to(&self, p: Point, at: usize) -> f64 {
        self.entry_if_any(at).map_or(0.0, |entry| apart(p, entry))
    }

    /// What stands at `at`, entered elsewhere. Ways have to be measured again.
    pub(super) fn set(&mut self, at: usize, visit: Visit) {
        let stop = &self.stops[visit.stop];
        let leg = &mut self.legs[at];
        leg.visit = visit;
        (leg.entry, leg.exit) = (stop.entry(visit), stop.exit(visit));
    }

    /// Turns the visits `first..=last` round. The ways to both ends of them have to be measured again.
    pub(super) fn reverse(&mut self, first: usize, last: usize) {
        self.remember(first..last + 1);
        let stretch = &mut self.legs[first..=last];
        stretch.reverse();
        for leg in stretch.iter_mut() {
            leg.visit = self.stops[leg.visit.stop].turned(leg.visit).unwrap_or(leg.visit);
            std::mem::swap(&mut leg.entry, &mut leg.exit);
        }
        // The way between two of them is now the way to the other one.
        for n in (1..stretch.len()).rev() {
            stretch[n].way = stretch[n - 1].way;
        }
        self.number(first..last + 1);
    }

    /// Lets the visits `first..middle` and `middle..after` change places. The three ways where they meet have to be
    /// measured again.
    pub(super) fn swap(&mut self, first: usize, middle: usize, after: usize) {
        self.remember(first..after);
        self.legs[first..after].rotate_left(middle - first);
        self.number(first..after);
    }

    /// Notes where the visits at some places are.
    fn number(&mut self, places: Range<usize>) {
        self.work += places.len() as u64 * cost::SHIFTED;
        for at in places {
            self.position[self.legs[at].visit.stop] = at;
        }
    }

    /// Measures the ways to the visits at some places again, and what else depends on them; what stands at either end of
    /// these ways is to be looked at.
    pub(super) fn measure<const N: usize>(&mut self, ways: [usize; N]) {
        for at in ways {
            self.measure_way(at);
        }
        for at in ways {
            let beside = [at.saturating_sub(1), at.min(self.legs.len() - 1)];
            for at in beside {
                self.measure_spare(at);
            }
            self.touched.extend(beside);
        }
    }

    fn measure_way(&mut self, at: usize) {
        let way = self.way_to(self.exit_before(at), at);
        if let Some(leg) = self.legs.get_mut(at) {
            leg.way = way;
        }
    }

    fn measure_spare(&mut self, at: usize) {
        let without = self.way_to(self.exit_before(at), at + 1);
        self.legs[at].spare = self.way(at) + self.way(at + 1) - without;
    }

    /// Keeps what stands at some places and beside them, while changes may have to be taken back.
    pub(super) fn remember(&mut self, places: Range<usize>) {
        if let Some(undo) = &mut self.undo {
            // Ways beside them change as well.
            let places = places.start.saturating_sub(1)..(places.end + 1).min(self.legs.len());
            undo.legs.extend_from_slice(&self.legs[places.clone()]);
            undo.places.push(places);
        }
    }

    /// From here on what changes can be taken back.
    pub(super) fn begin(&mut self) {
        let undo = self.undo.get_or_insert_default();
        undo.legs.clear();
        undo.places.clear();
    }

    /// Takes back what has changed since `begin`, the last first.
    pub(super) fn take_back(&mut self) {
        let Some(mut undo) = self.undo.take() else { return };
        while let Some(places) = undo.places.pop() {
            let from = undo.legs.len() - places.len();
            self.legs[places.clone()].copy_from_slice(&undo.legs[from..]);
            undo.legs.truncate(from);
            self.number(places);
        }
        self.undo = Some(undo);
    }

    /// Whether the visits `first..=last` may be run the other way round.
    pub(super) fn may_turn(&self, first: usize, last: usize) -> bool {
        self.free
            || (first..=last).all(|at| {
                let visit = self.legs[at].visit;
                self.stops[visit.stop].turned(visit).is_some()
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
        self.before[self.legs[at].visit.stop].map(|stop| self.position[stop])
    }
}
