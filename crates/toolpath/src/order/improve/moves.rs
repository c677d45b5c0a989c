//! The changes that make a tour shorter.

use super::neighbours::Neighbour;
use super::state::Tour;
use super::{GAIN, cost};
use crate::order::tour::apart;

/// Longest stretch that is turned or changes places: bounds the work of one change.
const LONGEST: usize = 3000;

/// Neighbours that are tried for the third place where a tour is cut.
const THIRD: usize = 8;

impl Tour<'_> {
    /// The first change found beside a stop that makes the tour shorter; what was gained, mm. None when nothing was changed.
    pub(super) fn shorten_beside(&mut self, stop: usize, near: &[Vec<Neighbour>]) -> Option<f64> {
        let at = self.position[stop];
        if let Some(gain) = self.enter_better(at) {
            return Some(gain);
        }
        let (to, on) = (self.way(at), self.way(at + 1));
        // Joining it to what is farther away than the way that is given up for it gains nothing here; what is gained at the
        // other end of a change is found from there.
        for other in near[stop].iter().take_while(|other| other.away < to.max(on)) {
            self.work += cost::NEIGHBOUR;
            let there = self.position[other.stop];
            let (low, high) = (at.min(there), at.max(there));
            let mut found = None;
            if other.away < on {
                found = self
                    .turn(low + 1, high)
                    .or_else(|| self.put(there, at + 1))
                    .or_else(|| self.follow(at, there, near));
            }
            if found.is_none() && other.away < to {
                found = self
                    .turn(low, high - 1)
                    .or_else(|| self.put(there, at))
                    .or_else(|| self.follow(there, at, near));
            }
            let found = found.or_else(|| self.put(at, there)).or_else(|| self.put(at, there + 1));
            if found.is_some() {
                return found;
            }
        }
        // The head comes from the start and need not come back.
        self.turn(0, at).or_else(|| self.turn(at, self.legs.len() - 1))
    }

    /// Enters the visit at `at` where that is shortest.
    fn enter_better(&mut self, at: usize) -> Option<f64> {
        let visit = self.legs[at].visit;
        let way = self.way(at) + self.way(at + 1);
        let stop = &self.stops[visit.stop];
        self.work += stop.choices() * cost::PLACE;
        let (before, after) = (self.exit_before(at), self.entry_if_any(at + 1));
        let (better, new) = stop.entry_under(visit.stop, before, after, way - GAIN)?;
        self.remember(at..at + 1);
        self.set(at, better);
        self.measure([at, at + 1]);
        Some(way - new)
    }

    /// 2-opt: turns the visits `first..=last` round where that is shorter, with the best entries of both.
    fn turn(&mut self, first: usize, last: usize) -> Option<f64> {
        if first >= last || last - first > LONGEST {
            return None;
        }
        let (before, after) = (self.exit_before(first), self.entry_if_any(last + 1));
        let (low, high) = (self.legs[first].visit, self.legs[last].visit);
        let (low_stop, high_stop) = (&self.stops[low.stop], &self.stops[high.stop]);
        // What lies between them is met from its other side.
        let inner = self.exit(last - 1);
        let alone = last - first == 1;
        let between = if alone { 0.0 } else { self.way(last) };
        let old = self.way(first) + self.way(first + 1) + between + self.way(last + 1);
        let (high_least, low_least) = match alone {
            true => (high_stop.least(before, None), after.map_or(0.0, |p| low_stop.least(p, None))),
            false => {
                let outer = self.entry(first + 1);
                (high_stop.least(before, Some(inner)), low_stop.least(outer, after))
            }
        };
        let limit = old - GAIN;
        if high_least + low_least >= limit {
            return None;
        }
        self.work += high_stop.choices() * cost::PLACE;
        let begun = match alone {
            true => high_stop.entry_under(high.stop, before, Some(inner), f64::INFINITY)?.0,
            false => high_stop.entry_under(high.stop, before, Some(inner), limit - low_least)?.0,
        };
        let mut new = apart(before, high_stop.entry(begun));
        let from = match alone {
            true => high_stop.exit(begun),
            false => {
                new += apart(high_stop.exit(begun), inner);
                self.entry(first + 1)
            }
        };
        self.work += low_stop.choices() * cost::PLACE;
        let (ended, rest) = low_stop.entry_under(low.stop, from, after, limit - new)?;
        if !self.may_turn(first, last) {
            return None;
        }
        self.reverse(first, last);
        self.set(first, begun);
        self.set(last, ended);
        self.measure([first, first + 1, last, last + 1]);
        Some(old - new - rest)
    }

    /// Moves the visit at `from` to before the one at `target`, entered where that is best there.
    fn put(&mut self, from: usize, target: usize) -> Option<f64> {
        let spare = self.legs[from].spare;
        // Where it costs nothing to call on the way, nothing is to be gained.
        if spare <= GAIN || target == from || target == from + 1 || from.abs_diff(target) > LONGEST
        {
            return None;
        }
        let visit = self.legs[from].visit;
        let stop = &self.stops[visit.stop];
        let (before, after) = (self.exit_before(target), self.entry_if_any(target));
        let old = spare + self.way(target);
        if stop.least(before, after) >= old - GAIN {
            return None;
        }
        self.work += stop.choices() * cost::PLACE;
        let (visit, new) = stop.entry_under(visit.stop, before, after, old - GAIN)?;
        let (first, middle, end) = match target < from {
            true => (target, from, from + 1),
            false => (from, from + 1, target),
        };
        if !self.may_swap(first, middle, end) {
            return None;
        }
        self.swap(first, middle, end);
        self.set(if target < from { first } else { end - 1 }, visit);
        let moved = if target < from { first + 1 } else { end - 1 };
        self.measure([first, moved, end]);
        Some(old - new)
    }

    /// Lets the visit at `b` follow that at `a`, by exchanging two stretches that follow each other. The third place
    /// where the tour is cut is beside a neighbour of what followed `a` or of what `b` followed; the best is taken.
    fn follow(&mut self, a: usize, b: usize, near: &[Vec<Neighbour>]) -> Option<f64> {
        if a == b || a + 1 == b || a + 1 >= self.legs.len() || b == 0 {
            return None;
        }
        let gained = self.way(a + 1) + self.way(b) - apart(self.exit(a), self.entry(b));
        if gained <= GAIN {
            return None;
        }
        let beside = |at: usize| {
            let near = near[self.legs[at].visit.stop].iter().take(THIRD);
            near.take_while(|other| other.away < gained).map(|other| self.position[other.stop])
        };
        // What followed `a` follows what stands at one of these, or what `b` followed goes before one of those.
        let third = beside(a + 1).map(|at| at + 1).chain(beside(b - 1));
        let (follows, followed) = (self.entry(a + 1), self.exit(b - 1));
        let mut best = (GAIN, 0, 0, 0);
        let mut weighed = 0;
        for cut in third {
            let (first, middle, after) = match (a < b, cut) {
                (true, cut) if cut > b => (a + 1, b, cut),
                (true, cut) if cut <= a => (cut, a + 1, b),
                (false, cut) if cut > b && cut <= a => (b, cut, a + 1),
                _ => continue,
            };
            weighed += 1;
            let most = gained + self.way(cut) - apart(self.exit_before(cut), follows);
            if most <= best.0 || after - first > LONGEST {
                continue;
            }
            let gain = most - self.way_to(followed, cut);
            if gain > best.0 && self.may_swap(first, middle, after) {
                best = (gain, first, middle, after);
            }
        }
        self.work += weighed * cost::EXCHANGE;
        let (gain, first, middle, after) = best;
        if after == 0 {
            return None;
        }
        self.exchange(first, middle, after);
        Some(gain)
    }

    /// What is gained where the visits `first..middle` and `middle..after` change places, mm.
    fn gained_by_swap(&self, first: usize, middle: usize, after: usize) -> f64 {
        self.way(first) + self.way(middle) + self.way(after)
            - apart(self.exit_before(first), self.entry(middle))
            - apart(self.exit(after - 1), self.entry(first))
            - self.way_to(self.exit(middle - 1), after)
    }

    /// Lets the visits `first..middle` and `middle..after` change places; by how much the tour becomes longer, mm.
    pub(super) fn exchange(&mut self, first: usize, middle: usize, after: usize) -> f64 {
        let gain = self.gained_by_swap(first, middle, after);
        self.swap(first, middle, after);
        self.measure([first, first + after - middle, after]);
        -gain
    }
}
