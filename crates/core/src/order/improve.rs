//! Shortening a tour by local search: stretches are turned round (2-opt) or moved elsewhere
//! (Or-opt) where that saves travel and breaks no "inside first". Where closed lines are entered is searched together
//! with the order: every change is weighed with the entries that are best for it.
//!
//! When nothing more is found, two neighbouring stretches are exchanged somewhere (a kick) and the
//! neighbourhood is searched again; what has not become shorter is taken back. O. Martin, S. W. Otto,
//! E. W. Felten, "Large-step Markov chains for the traveling salesman problem", 1991.

use super::tour::{Stop, Visit, apart};
use crate::geometry::Point;
use crate::random::Xorshift;
use rayon::prelude::*;
use static_aabb2d_index::{Control, NeighborPriorityQueue, StaticAABB2DIndexBuilder};

/// How many near neighbours are looked for from each place of a stop, and from how many places of its outline: fewer
/// where stops are many, so that all together are no more than this.
const FROM_ONE_PLACE: usize = 4;
const PLACES: usize = 16;
const FEWEST_PLACES: usize = 4;
const ALL_PLACES: usize = 32_000;

/// So many places are held together where they are looked for.
const IN_A_NODE: usize = 8;

/// How many near neighbours are tried for each stop, and how many more where it is one of theirs.
const NEIGHBOURS: usize = 8;
const MOST_NEIGHBOURS: usize = 24;

/// Longest stretch that is turned or shifted: bounds the work of one change.
const LONGEST: usize = 1000;

/// How many times the whole tour is gone through at most.
const ROUNDS: usize = 12;

/// Kicks for each stop, and how many at most in a whole job.
const KICKS: usize = 20;
const MOST_KICKS: usize = 6_000;

/// So many entries are compared in the kicks of a whole job at most.
const MOST_COMPARED: u64 = 16_000_000;

/// Above so many stops the number of kicks falls by the square of theirs: each costs more and gains less. Of 10,000
/// stops it would take as long as what it saves at the machine.
const KICKABLE: usize = 3_000;

/// Stretches that a kick exchanges are at most so long.
const KICKED: usize = 40;

/// So many stops are looked at to repair what a kick has done.
const MOST_TRIES: usize = 200;

/// Fewer stops than this have no two stretches to exchange.
const FEWEST: usize = 3;

/// Longest run of stops that Or-opt moves as one.
const MOVED: usize = 3;

/// Less than this is not worth a change, mm; it also keeps rounding from going in circles.
const GAIN: f64 = 1e-6;

struct Tour<'a> {
    stops: &'a [Stop],
    before: &'a [Option<usize>],
    start: Point,
    visits: Vec<Visit>,
    /// Where each visit enters and leaves: what every comparison asks for, side by side.
    ends: Vec<(Point, Point)>,
    /// For each stop where in `visits` it is.
    position: Vec<usize>,
    /// Stops beside which something has changed since they were last tried, and since their entries were last chosen.
    to_try: Vec<bool>,
    to_enter: Vec<bool>,
    /// How many entries were compared.
    compared: u64,
    /// What was changed since the last kick, to take it back: where, and what stood there.
    undo: Option<Vec<Before>>,
}

/// Visits of a stretch before it was changed, from a position on.
type Before = (usize, Vec<Visit>, Vec<(Point, Point)>);

/// Shortens `visits`; the result visits the same stops and keeps every precedence. `all` is how many stops the
/// whole job has: many small steps together are given no more work than one large one.
pub(super) fn shorten(
    stops: &[Stop],
    before: &[Option<usize>],
    start: Point,
    visits: Vec<Visit>,
    all: usize,
) -> Vec<Visit> {
    if stops.iter().any(Stop::has_exits) {
        // Turning a stretch round takes it that a loop is left where it is entered. Leads are short
        // beside travel: the search leaves them out, and the entries are chosen with them.
        let rough: Vec<Stop> = stops.iter().map(Stop::without_exits).collect();
        let mut visits = shorten(&rough, before, start, visits, all);
        let mut at = start;
        for n in 0..visits.len() {
            let after = visits.get(n + 1).map(|next| stops[next.stop].entry(*next));
            let stop = visits[n].stop;
            visits[n] = stops[stop].best_entry(stop, at, after);
            at = stops[stop].exit(visits[n]);
        }
        return visits;
    }
    let near = if visits.len() > 1 { neighbours(stops, &visits) } else { Vec::new() };
    let mut tour = Tour {
        stops,
        before,
        start,
        ends: visits.iter().map(|v| (stops[v.stop].entry(*v), stops[v.stop].exit(*v))).collect(),
        position: vec![0; stops.len()],
        to_try: vec![true; stops.len()],
        to_enter: vec![true; stops.len()],
        compared: 0,
        undo: None,
        visits,
    };
    tour.renumber(0, tour.visits.len());
    if !near.is_empty() {
        for _ in 0..ROUNDS {
            tour.choose_entries();
            if !tour.one_round(&near) {
                break;
            }
        }
        tour.kick(&near, all);
    }
    tour.choose_entries();
    tour.visits
}

/// A stop near another one.
#[derive(Debug, Clone, Copy)]
struct Neighbour {
    stop: usize,
    /// How far apart the places of their outlines are by which they were found, mm: their outlines are no farther.
    away: f64,
}

/// For each stop the stops whose outlines come nearest to its own, and those that it is so near to, the nearest first.
fn neighbours(stops: &[Stop], visits: &[Visit]) -> Vec<Vec<Neighbour>> {
    let most = (ALL_PLACES / visits.len().max(1)).clamp(FEWEST_PLACES, PLACES);
    let places = |stop: usize| stops[stop].spread(most).map(move |p| (p, stop));
    let all: Vec<(Point, usize)> = visits.iter().flat_map(|visit| places(visit.stop)).collect();
    let mut index = StaticAABB2DIndexBuilder::new_with_node_size(all.len(), IN_A_NODE);
    for (p, _) in &all {
        index.add(p.x, p.y, p.x, p.y);
    }
    // It fails only where there are more or fewer than were said.
    let Ok(index) = index.build() else { return Vec::new() };
    let found: Vec<Vec<Neighbour>> = visits
        .par_iter()
        .map_init(NeighborPriorityQueue::new, |queue, visit| {
            let mut near: Vec<(f64, usize)> = Vec::new();
            for (place, own) in places(visit.stop) {
                let mut seen = 0;
                let mut meet = |n: usize, away: f64| {
                    let (_, other) = all[n];
                    if other == own {
                        return Control::Continue;
                    }
                    match near.iter_mut().find(|(_, known)| *known == other) {
                        Some((known, _)) => *known = known.min(away),
                        None => {
                            seen += 1;
                            near.push((away, other));
                        }
                    }
                    match seen >= FROM_ONE_PLACE || near.len() >= stops.len() - 1 {
                        true => Control::Break(()),
                        false => Control::Continue,
                    }
                };
                index.visit_neighbors_with_queue(place.x, place.y, &mut meet, queue);
            }
            near.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            near.truncate(NEIGHBOURS);
            near.into_iter().map(|(square, stop)| Neighbour { away: square.sqrt(), stop }).collect()
        })
        .collect();
    let mut near = vec![Vec::new(); stops.len()];
    for (visit, found) in visits.iter().zip(&found) {
        near[visit.stop].clone_from(found);
    }
    for (visit, found) in visits.iter().zip(&found) {
        for other in found {
            let theirs = &mut near[other.stop];
            if theirs.len() < MOST_NEIGHBOURS && theirs.iter().all(|n| n.stop != visit.stop) {
                theirs.push(Neighbour { stop: visit.stop, ..*other });
            }
        }
    }
    for near in &mut near {
        near.sort_by(|a, b| a.away.total_cmp(&b.away).then(a.stop.cmp(&b.stop)));
    }
    near
}

impl Tour<'_> {
    fn entry(&self, at: usize) -> Point {
        self.ends[at].0
    }

    fn exit(&self, at: usize) -> Point {
        self.ends[at].1
    }

    fn set(&mut self, at: usize, visit: Visit) {
        let stop = &self.stops[visit.stop];
        self.visits[at] = visit;
        self.ends[at] = (stop.entry(visit), stop.exit(visit));
    }

    /// Where the head is before it goes to the visit at `at`.
    fn exit_before(&self, at: usize) -> Point {
        if at == 0 { self.start } else { self.exit(at - 1) }
    }

    /// Distance from `p` to the visit at `at`; nothing when the tour ends before.
    fn way_to(&self, p: Point, at: usize) -> f64 {
        if at < self.visits.len() { apart(p, self.entry(at)) } else { 0.0 }
    }

    fn choose_entries(&mut self) {
        for at in 0..self.visits.len() {
            let stop = self.visits[at].stop;
            if std::mem::take(&mut self.to_enter[stop]) && self.enter_better(at) > 0.0 {
                self.touch([at]);
            }
        }
    }

    /// Enters the visit at `at` where that is shortest; what was gained, mm.
    fn enter_better(&mut self, at: usize) -> f64 {
        let (visit, before) = (self.visits[at], self.exit_before(at));
        let after = (at + 1 < self.visits.len()).then(|| self.entry(at + 1));
        let stop = &self.stops[visit.stop];
        self.compared += stop.choices();
        let better = stop.best_entry(visit.stop, before, after);
        let way = |visit| {
            apart(before, stop.entry(visit)) + after.map_or(0.0, |p| apart(stop.exit(visit), p))
        };
        let gain = way(visit) - way(better);
        if gain <= GAIN {
            return 0.0;
        }
        self.remember(at, at + 1);
        self.set(at, better);
        gain
    }

    /// Changes that make the visits at `a` and `b` neighbours, the first that is shorter; what was gained, mm.
    fn try_joining(&mut self, a: usize, b: usize) -> Option<f64> {
        self.try_turn(a, b)
            .or_else(|| self.try_move(a, b))
            .or_else(|| a.checked_sub(1).and_then(|before| self.try_move(before, b)))
    }

    /// The longer of the ways to and from the visit at `at`, mm. Joining it to what is farther away than that gains
    /// nothing here: the new way is longer than either that it may replace. What is gained at the other end of a change
    /// is found from there.
    fn reach(&self, at: usize) -> f64 {
        apart(self.exit_before(at), self.entry(at)).max(self.way_to(self.exit(at), at + 1))
    }

    fn one_round(&mut self, near: &[Vec<Neighbour>]) -> bool {
        let mut changed = false;
        // In the order of the tour, so that what is looked at lies together in memory.
        let order: Vec<usize> = self.visits.iter().map(|visit| visit.stop).collect();
        for stop in order {
            if !std::mem::take(&mut self.to_try[stop]) {
                continue;
            }
            for other in &near[stop] {
                let (a, b) = (self.position[stop], self.position[other.stop]);
                if other.away >= self.reach(a) {
                    break;
                }
                changed |= self.try_joining(a, b).is_some();
            }
            changed |= self.try_turn_an_end(self.position[stop]).is_some();
        }
        changed
    }

    /// Exchanges stretches here and there and keeps what becomes shorter.
    fn kick(&mut self, near: &[Vec<Neighbour>], all: usize) {
        let count = self.visits.len();
        if count < FEWEST {
            return;
        }
        let mut xorshift = Xorshift(0x9e37_79b9_7f4a_7c15);
        let share = MOST_KICKS * count / all.max(count);
        let many = count.max(KICKABLE);
        let kicks = (count * KICKS).min(share) * KICKABLE / many * KICKABLE / many;
        let begun = self.compared;
        let most = MOST_COMPARED * count as u64 / all.max(count) as u64;
        for _ in 0..kicks {
            if self.compared - begun > most {
                break;
            }
            let length = 1 + xorshift.below(KICKED.min(count / 3));
            let other = 1 + xorshift.below(KICKED.min(count / 3));
            let target = xorshift.below(count - length - other + 1);
            let (from, end) = (target + length, target + length + other);
            if !self.may_move(from, end, target) {
                continue;
            }
            self.undo = Some(Vec::new());
            let cost = self.exchange(target, from, end);
            let mut worklist: Vec<usize> = [target, from, end, end.saturating_sub(other)]
                .into_iter()
                .flat_map(|at| [at.saturating_sub(1), at.min(count - 1)])
                .map(|at| self.visits[at].stop)
                .collect();
            let gain = self.search(&mut worklist, near);
            let undo = self.undo.take().unwrap_or_default();
            if gain <= cost + GAIN {
                for (at, visits, ends) in undo.into_iter().rev() {
                    let after = at + visits.len();
                    self.visits[at..after].copy_from_slice(&visits);
                    self.ends[at..after].copy_from_slice(&ends);
                    self.renumber(at, after);
                }
            }
        }
    }

    /// Exchanges the visits `target..from` and `from..end`; by how much the tour becomes longer.
    fn exchange(&mut self, target: usize, from: usize, end: usize) -> f64 {
        let before = self.exit_before(target);
        let old = apart(before, self.entry(target))
            + apart(self.exit(from - 1), self.entry(from))
            + self.way_to(self.exit(end - 1), end);
        let new = apart(before, self.entry(from))
            + apart(self.exit(end - 1), self.entry(target))
            + self.way_to(self.exit(from - 1), end);
        self.remember(target, end);
        self.visits[target..end].rotate_left(from - target);
        self.ends[target..end].rotate_left(from - target);
        self.renumber(target, end);
        self.touch([target, target + end - from, end - 1]);
        new - old
    }

    /// Searches near some stops until nothing there can be made shorter; what was gained, mm.
    fn search(&mut self, worklist: &mut Vec<usize>, near: &[Vec<Neighbour>]) -> f64 {
        let mut gained = 0.0;
        let mut tries = 0;
        while let Some(stop) = worklist.pop() {
            tries += 1;
            if tries > MOST_TRIES {
                break;
            }
            gained += self.enter_better(self.position[stop]);
            for other in &near[stop] {
                let (a, b) = (self.position[stop], self.position[other.stop]);
                if other.away >= self.reach(a) {
                    break;
                }
                if let Some(gain) = self.try_joining(a, b) {
                    gained += gain;
                    for stop in [stop, other.stop] {
                        let at = self.position[stop];
                        for near in at.saturating_sub(1)..=(at + 1).min(self.visits.len() - 1) {
                            worklist.push(self.visits[near].stop);
                        }
                    }
                    break;
                }
            }
            if let Some(gain) = self.try_turn_an_end(self.position[stop]) {
                gained += gain;
                worklist.push(stop);
            }
        }
        gained
    }

    /// Keeps what stands at `first..after`, while changes may have to be taken back.
    fn remember(&mut self, first: usize, after: usize) {
        if let Some(undo) = &mut self.undo {
            let (visits, ends) = (&self.visits[first..after], &self.ends[first..after]);
            undo.push((first, visits.to_vec(), ends.to_vec()));
        }
    }

    /// Marks the visits at some places, and those before and after them, as worth another try.
    fn touch(&mut self, places: impl IntoIterator<Item = usize>) {
        for at in places {
            for near in at.saturating_sub(1)..(at + 2).min(self.visits.len()) {
                let stop = self.visits[near].stop;
                self.to_try[stop] = true;
                self.to_enter[stop] = true;
            }
        }
    }

    /// 2-opt: makes the visits at `a` and `b` neighbours by turning what lies between.
    /// What was gained, mm; none when nothing was changed.
    fn try_turn(&mut self, a: usize, b: usize) -> Option<f64> {
        let (first, last) = if a < b { (a + 1, b) } else { (b, a.saturating_sub(1)) };
        self.turn(first, last)
    }

    /// Turns the beginning of the tour up to the visit at `at`, or its end from there on: the head
    /// comes from the start and need not come back.
    fn try_turn_an_end(&mut self, at: usize) -> Option<f64> {
        self.turn(0, at).or_else(|| self.turn(at, self.visits.len() - 1))
    }

    /// Turns the visits `first..=last` round where that is shorter, with the best entries of both.
    fn turn(&mut self, first: usize, last: usize) -> Option<f64> {
        if first >= last || last - first > LONGEST {
            return None;
        }
        let before = self.exit_before(first);
        let after = (last + 1 < self.visits.len()).then(|| self.entry(last + 1));
        let way = |stop: &Stop, from: Point, visit, to: Option<Point>| {
            apart(from, stop.entry(visit)) + to.map_or(0.0, |to| apart(stop.exit(visit), to))
        };
        let (low, high) = (self.visits[first], self.visits[last]);
        let (low_stop, high_stop) = (&self.stops[low.stop], &self.stops[high.stop]);
        // What lies between them is met from its other side.
        let inner = self.exit(last - 1);
        let old = apart(before, self.entry(first))
            + apart(self.exit(first), self.entry(first + 1))
            + if last - first > 1 { apart(inner, self.entry(last)) } else { 0.0 }
            + after.map_or(0.0, |after| apart(self.exit(last), after));
        let least = match last - first {
            1 => high_stop.least(before, None) + after.map_or(0.0, |p| low_stop.least(p, None)),
            _ => {
                high_stop.least(before, Some(inner)) + low_stop.least(self.entry(first + 1), after)
            }
        };
        self.compared += 1;
        if least + GAIN >= old {
            return None;
        }
        self.compared += high_stop.choices() + low_stop.choices();
        let begun = high_stop.best_entry(high.stop, before, Some(inner));
        let from = if last - first > 1 { self.entry(first + 1) } else { high_stop.exit(begun) };
        let ended = low_stop.best_entry(low.stop, from, after);
        let new = match last - first {
            1 => apart(before, high_stop.entry(begun)) + way(low_stop, from, ended, after),
            _ => way(high_stop, before, begun, Some(inner)) + way(low_stop, from, ended, after),
        };
        if new + GAIN >= old || !self.may_turn(first, last) {
            return None;
        }
        self.remember(first, last + 1);
        self.visits[first..=last].reverse();
        for at in first + 1..last {
            let visit = self.visits[at];
            self.set(at, self.stops[visit.stop].turned(visit).unwrap_or(visit));
        }
        self.set(first, begun);
        self.set(last, ended);
        self.renumber(first, last + 1);
        self.touch([first, last]);
        Some(old - new)
    }

    fn may_turn(&self, first: usize, last: usize) -> bool {
        self.visits[first..=last].iter().all(|visit| {
            let later = self.before[visit.stop].map(|m| self.position[m]);
            self.stops[visit.stop].turned(*visit).is_some()
                && later.is_none_or(|at| !(first..=last).contains(&at))
        })
    }

    /// Or-opt: moves the run of stops that begins at `from` to just after the visit at `a`; one stop alone is entered
    /// where that is best there. What was gained, mm; none when nothing was changed.
    fn try_move(&mut self, a: usize, from: usize) -> Option<f64> {
        for length in 1..=MOVED {
            let end = from + length;
            if end > self.visits.len() || (from..end).contains(&a) || a + 1 == from {
                return None;
            }
            let target = a + 1;
            if from.abs_diff(target) > LONGEST {
                return None;
            }
            let old = apart(self.exit_before(from), self.entry(from))
                + self.way_to(self.exit(end - 1), end)
                + self.way_to(self.exit(a), target);
            let (mut entry, mut exit, mut alone) = (self.entry(from), self.exit(end - 1), None);
            if length == 1 {
                let stop = self.visits[from].stop;
                let after = (target < self.visits.len()).then(|| self.entry(target));
                let without = self.way_to(self.exit_before(from), end);
                self.compared += 1;
                if without + self.stops[stop].least(self.exit(a), after) + GAIN >= old {
                    continue;
                }
                self.compared += self.stops[stop].choices();
                let visit = self.stops[stop].best_entry(stop, self.exit(a), after);
                (entry, exit) = (self.stops[stop].entry(visit), self.stops[stop].exit(visit));
                alone = Some(visit);
            }
            let new = self.way_to(self.exit_before(from), end)
                + apart(self.exit(a), entry)
                + self.way_to(exit, target);
            if new + GAIN < old && self.may_move(from, end, target) {
                let (first, after) = (from.min(target), end.max(target));
                let by = if target < from { after - first - length } else { length };
                self.remember(first, after);
                self.visits[first..after].rotate_left(by);
                self.ends[first..after].rotate_left(by);
                if let Some(visit) = alone {
                    self.set(if target < from { first } else { after - 1 }, visit);
                }
                self.renumber(first, after);
                self.touch([first, after - by, after - 1]);
                return Some(old - new);
            }
        }
        None
    }

    /// Whether the run `from..end` may change places with everything between it and `target`.
    fn may_move(&self, from: usize, end: usize, target: usize) -> bool {
        let passed = if target < from { target..from } else { end..target };
        let run = from..end;
        if target < from {
            // The run goes first: nothing that is passed may have to come before any of it.
            passed.clone().all(|at| {
                let later = self.before[self.visits[at].stop].map(|m| self.position[m]);
                later.is_none_or(|at| !run.contains(&at))
            })
        } else {
            run.clone().all(|at| {
                let later = self.before[self.visits[at].stop].map(|m| self.position[m]);
                later.is_none_or(|at| !passed.contains(&at))
            })
        }
    }

    fn renumber(&mut self, first: usize, after: usize) {
        for at in first..after {
            self.position[self.visits[at].stop] = at;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::order::tour::greedy;
    use proptest::prelude::*;

    fn travel(stops: &[Stop], start: Point, visits: &[Visit]) -> f64 {
        let mut at = start;
        let mut sum = 0.0;
        for visit in visits {
            sum += apart(at, stops[visit.stop].entry(*visit));
            at = stops[visit.stop].exit(*visit);
        }
        sum
    }

    proptest! {
        #[test]
        fn a_shortened_tour_is_no_longer_visits_all_and_keeps_the_order_of_nesting(
            ends in proptest::collection::vec((0.0..100.0f64, 0.0..100.0f64, 0.0..100.0f64, 0.0..100.0f64, 0u8..3), 1..60),
            parents in proptest::collection::vec(0usize..60, 60),
        ) {
            let stops: Vec<Stop> = ends.iter().map(|(ax, ay, bx, by, kind)| {
                let (a, b) = (Point::new(*ax, *ay), Point::new(*bx, *by));
                match kind {
                    0 => Stop::loop_through(vec![a, b, a.midpoint(b)]),
                    k => Stop::line(a, b, *k == 1),
                }
            }).collect();
            // A forest: a parent always has a higher number.
            let before: Vec<_> = (0..stops.len())
                .map(|n| Some(parents[n]).filter(|p| *p > n && *p < stops.len() && n % 3 == 0))
                .collect();
            let first = greedy(&stops, &before, Point::ZERO);
            let better = shorten(&stops, &before, Point::ZERO, first.clone(), stops.len());
            let mut seen: Vec<_> = better.iter().map(|v| v.stop).collect();
            for (n, later) in before.iter().enumerate() {
                if let Some(later) = later {
                    let at = |stop| seen.iter().position(|s| *s == stop);
                    prop_assert!(at(n) < at(*later));
                }
            }
            seen.sort_unstable();
            prop_assert_eq!(seen, (0..stops.len()).collect::<Vec<_>>());
            prop_assert!(travel(&stops, Point::ZERO, &better) <= travel(&stops, Point::ZERO, &first) + 1e-9);
        }
    }
}
