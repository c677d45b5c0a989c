//! Shortening a tour by local search: stretches are turned round (2-opt) or change places with the stretch beside them
//! (a 3-opt that turns nothing; Or-opt is one of its cases), and single stops go elsewhere, where that saves travel and
//! breaks no "inside first". Where closed lines are entered is searched together with the order: every change of single
//! stops is weighed with the entries that are best for it.
//!
//! When nothing more is found, two neighbouring stretches are exchanged somewhere (a kick) and the
//! neighbourhood is searched again; what has not become shorter is taken back. O. Martin, S. W. Otto,
//! E. W. Felten, "Large-step Markov chains for the traveling salesman problem", 1991.
//!
//! Where something has to come first, hardly any long stretch may be turned. So a tour is shortened as if nothing had to,
//! what comes too early in it is put where it is the least detour, and the search goes on from there.

mod joined;
mod moves;
mod neighbours;
mod nested;
mod state;

use super::tour::{Stop, Visit, greedy, length};
use neighbours::{Neighbour, neighbours};
use rayon::prelude::*;
use state::Tour;
use tinkite_base::geometry::Point;
use tinkite_base::random::Xorshift;

/// Kicks for each stop in one search at most: more find nothing in small jobs. More where the whole job has few stops.
const KICKS: usize = 20;
const FEW: usize = 50;
const KICKS_OF_FEW: usize = 100;

/// What the kicks of one search of a whole job may cost (see `cost`): less than half a second.
const MOST_WORK: u64 = 150_000_000;

/// Above so many stops the work falls by the square of theirs: each kick costs more and gains less. Of 10,000
/// stops it would take as long as what it saves at the machine.
const KICKABLE: usize = 3_000;

/// Searches that are begun side by side, from two first tours, and how many of them, the shortest, are carried on, where
/// stops are few enough that the work is theirs and not the drawing's. What is shortest after this part of the work seldom
/// falls behind.
const BEGUN: usize = 4;
const KEPT: usize = 2;
const BEGINNING: f64 = 0.25;

/// Stretches that a kick exchanges are at most so long.
const KICKED: usize = 20;

/// A kick falls where the way is longest of so many places: where it is short, little is to be saved.
const CHOSEN_FROM: usize = 3;

/// Stops that are looked at to repair what a kick has done.
const MOST_TRIES: usize = 200;

/// How often each stop is looked at in the mean before the first kick.
const MOST_ROUNDS: usize = 100;

/// Fewer stops than this have no two stretches to exchange.
const FEWEST: usize = 3;

/// What the parts of a search cost beside each other, as measured: some 2 ns each.
mod cost {
    /// A place where a loop may be entered is looked at.
    pub(super) const PLACE: u64 = 4;
    /// All changes beside one neighbour are weighed, but for the places above.
    pub(super) const NEIGHBOUR: u64 = 130;
    /// An exchange of two stretches is weighed.
    pub(super) const EXCHANGE: u64 = 4;
    /// A visit stands elsewhere.
    pub(super) const SHIFTED: u64 = 1;
}

/// Less than this is not worth a change, mm; it also keeps rounding from going in circles.
const GAIN: f64 = 1e-6;

/// Shortens `visits`; the result visits the same stops and keeps every precedence. `all` is how many stops the
/// whole job has: many small steps together are given no more work than one large one. Where the last entry leads to is
/// not asked, nor where loops are left that have leads: `entries::shortest` chooses them for the order.
pub(super) fn shorten(
    stops: &[Stop],
    before: &[Option<usize>],
    start: Point,
    visits: Vec<Visit>,
    all: usize,
) -> Vec<Visit> {
    if stops.iter().any(Stop::has_exits) {
        // Turning a stretch round takes it that a loop is left where it is entered. Leads are short
        // beside travel: the search leaves them out.
        let rough: Vec<Stop> = stops.iter().map(Stop::without_exits).collect();
        return shorten(&rough, before, start, visits, all);
    }
    let count = visits.len();
    if count < 2 {
        return visits;
    }
    let near = neighbours(stops);
    let many = count.max(KICKABLE);
    let share = (MOST_WORK * count as u64 / all.max(count) as u64) as f64;
    let effort = Effort {
        work: (share * (KICKABLE as f64 / many as f64).powi(2)) as u64,
        kicks: count * if all > FEW { KICKS } else { KICKS_OF_FEW },
    };
    let search = Search { stops, start, near: &near };
    let none = vec![None; stops.len()];
    let free = before.iter().all(Option::is_none);
    let first = if free { visits.clone() } else { greedy(stops, &none, start) };
    let joined = || (count <= KICKABLE).then(|| joined::join(stops, start, &near));
    let (first, second) = rayon::join(
        || search.settle(&none, first),
        || joined().map(|visits| search.settle(&none, visits)),
    );
    let firsts = match second {
        Some(second) => [first, second].into_iter().cycle().take(BEGUN).collect(),
        None => vec![first],
    };
    let mut tours = search.race(&none, firsts, effort.part(BEGINNING));
    tours.truncate(KEPT);
    if !free {
        let repair = |free| nested::repair(stops, before, start, free, &near);
        let firsts: Vec<Option<&Vec<Visit>>> = tours.iter().map(Some).chain([None]).collect();
        let firsts = firsts
            .into_par_iter()
            .map(|free| free.map_or_else(|| visits.clone(), |free| repair(free)));
        tours = firsts.map(|visits| search.settle(before, visits)).collect();
        tours.sort_by(|a, b| search.length(a).total_cmp(&search.length(b)));
        tours.truncate(KEPT);
    }
    let ended = search.race(before, tours, effort.part(1.0 - BEGINNING));
    ended.into_iter().next().unwrap_or_default()
}

/// How much may be done to shorten a tour.
#[derive(Debug, Clone, Copy)]
struct Effort {
    /// What it may cost (see `cost`).
    work: u64,
    kicks: usize,
}

impl Effort {
    fn part(self, part: f64) -> Self {
        Self { work: (self.work as f64 * part) as u64, kicks: (self.kicks as f64 * part) as usize }
    }
}

/// What all searches of one job have in common.
struct Search<'a> {
    stops: &'a [Stop],
    start: Point,
    near: &'a [Vec<Neighbour>],
}

impl Search<'_> {
    fn length(&self, visits: &[Visit]) -> f64 {
        length(self.stops, self.start, visits)
    }

    /// The tour when no change of it is shorter.
    fn settle(&self, before: &[Option<usize>], visits: Vec<Visit>) -> Vec<Visit> {
        let mut tour = Tour::new(self.stops, before, self.start, &visits);
        // In the order of the tour, so that what is looked at lies together in memory.
        let mut worklist = tour.legs.iter().rev().map(|leg| leg.visit.stop).collect();
        tour.settle(&mut worklist, self.near, MOST_ROUNDS * self.stops.len());
        tour.visits()
    }

    /// Each of the tours after kicks of its own, the shortest first.
    fn race(
        &self,
        before: &[Option<usize>],
        tours: Vec<Vec<Visit>>,
        effort: Effort,
    ) -> Vec<Vec<Visit>> {
        let mut ended: Vec<(f64, Vec<Visit>)> = tours
            .into_par_iter()
            .enumerate()
            .map(|(n, visits)| {
                let mut tour = Tour::new(self.stops, before, self.start, &visits);
                tour.kick(self.near, n as u64, effort);
                let visits = tour.visits();
                (self.length(&visits), visits)
            })
            .collect();
        ended.sort_by(|a, b| a.0.total_cmp(&b.0));
        ended.into_iter().map(|(_, visits)| visits).collect()
    }
}

impl Tour<'_> {
    /// Exchanges stretches here and there and keeps what becomes shorter.
    fn kick(&mut self, near: &[Vec<Neighbour>], seed: u64, effort: Effort) {
        let count = self.legs.len();
        if count < FEWEST {
            return;
        }
        let longest = KICKED.min(count / FEWEST);
        let most = self.work + effort.work;
        let mut xorshift = Xorshift::seeded(1 + seed);
        let mut worklist = Vec::new();
        for _ in 0..effort.kicks {
            if self.work > most {
                break;
            }
            let length = 1 + xorshift.below(longest);
            let other = 1 + xorshift.below(longest);
            let mut place = || xorshift.below(count - length - other + 1);
            let places: [usize; CHOSEN_FROM] = std::array::from_fn(|_| place());
            let target = places
                .into_iter()
                .fold(places[0], |best, at| if self.way(at) > self.way(best) { at } else { best });
            let (from, end) = (target + length, target + length + other);
            if !self.may_swap(target, from, end) {
                continue;
            }
            self.begin();
            let cost = self.exchange(target, from, end);
            worklist.clear();
            worklist.extend(self.touched.drain(..).map(|at| self.legs[at].visit.stop));
            let gain = self.settle(&mut worklist, near, MOST_TRIES);
            if gain <= cost + GAIN {
                self.take_back();
            }
        }
    }

    /// Searches near some stops until nothing there can be made shorter, or so many were looked at; what was gained, mm.
    fn settle(&mut self, worklist: &mut Vec<usize>, near: &[Vec<Neighbour>], most: usize) -> f64 {
        let mut gained = 0.0;
        for stop in worklist.iter() {
            self.waiting[*stop] = true;
        }
        for _ in 0..most {
            let Some(stop) = worklist.pop() else { break };
            if !std::mem::take(&mut self.waiting[stop]) {
                continue;
            }
            while let Some(gain) = self.shorten_beside(stop, near) {
                gained += gain;
                while let Some(at) = self.touched.pop() {
                    let other = self.legs[at].visit.stop;
                    if other != stop && !std::mem::replace(&mut self.waiting[other], true) {
                        worklist.push(other);
                    }
                }
            }
        }
        for stop in worklist.drain(..) {
            self.waiting[stop] = false;
        }
        gained
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Whether every stop comes before the one that `before` names for it.
    fn keeps(before: &[Option<usize>], visits: &[Visit]) -> bool {
        let mut position = vec![0; before.len()];
        for (at, visit) in visits.iter().enumerate() {
            position[visit.stop] = at;
        }
        let in_order = |(n, later): (usize, &Option<usize>)| {
            later.is_none_or(|later| position[n] < position[later])
        };
        before.iter().enumerate().all(in_order)
    }

    fn sorted_stops(visits: &[Visit]) -> Vec<usize> {
        let mut stops: Vec<usize> = visits.iter().map(|visit| visit.stop).collect();
        stops.sort_unstable();
        stops
    }

    fn stop((ax, ay, bx, by, kind): (f64, f64, f64, f64, u8)) -> Stop {
        let (a, b) = (Point::new(ax, ay), Point::new(bx, by));
        match kind {
            0 => Stop::loop_through(vec![a, b, a.midpoint(b)]),
            // Enough corners for groups of them.
            1 => Stop::loop_through((0..40).map(|n| a.lerp(b, f64::from(n % 20) / 20.0)).collect()),
            kind => Stop::line(a, b, kind == 2),
        }
    }

    /// A forest: what a stop waits for has a lower number.
    fn forest(parents: &[usize], count: usize) -> Vec<Option<usize>> {
        let parent = |n: usize| Some(parents[n]).filter(|p| *p > n && *p < count && n % 3 != 1);
        (0..count).map(parent).collect()
    }

    proptest! {
        // Each searches as long as a job of a few dozen paths is searched.
        #![proptest_config(ProptestConfig::with_cases(16))]

        #[test]
        fn a_shortened_tour_is_no_longer_visits_all_and_keeps_the_order_of_nesting(
            ends in proptest::collection::vec((0.0..100.0f64, 0.0..100.0f64, 0.0..100.0f64, 0.0..100.0f64, 0u8..4), 1..60),
            parents in proptest::collection::vec(0usize..60, 60),
        ) {
            let stops: Vec<Stop> = ends.into_iter().map(stop).collect();
            let all: Vec<usize> = (0..stops.len()).collect();
            for before in [forest(&parents, stops.len()), vec![None; stops.len()]] {
                let first = greedy(&stops, &before, Point::ZERO);
                let better = shorten(&stops, &before, Point::ZERO, first.clone(), stops.len());
                prop_assert!(keeps(&before, &better));
                prop_assert_eq!(sorted_stops(&better), &all[..]);
                let (now, then) = (length(&stops, Point::ZERO, &better), length(&stops, Point::ZERO, &first));
                prop_assert!(now <= then + 1e-9, "{now} after {then}");
            }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        #[test]
        fn a_tour_of_the_shortest_joins_visits_all(
            ends in proptest::collection::vec((0.0..100.0f64, 0.0..100.0f64, 0.0..100.0f64, 0.0..100.0f64, 0u8..4), 2..60),
        ) {
            let stops: Vec<Stop> = ends.into_iter().map(stop).collect();
            let visits = joined::join(&stops, Point::ZERO, &neighbours(&stops));
            prop_assert_eq!(sorted_stops(&visits), (0..stops.len()).collect::<Vec<_>>());
        }

        #[test]
        fn a_repaired_tour_visits_all_and_keeps_the_order_of_nesting(
            ends in proptest::collection::vec((0.0..100.0f64, 0.0..100.0f64, 0.0..100.0f64, 0.0..100.0f64, 0u8..4), 2..60),
            parents in proptest::collection::vec(0usize..60, 60),
        ) {
            let stops: Vec<Stop> = ends.into_iter().map(stop).collect();
            let before = forest(&parents, stops.len());
            let free = greedy(&stops, &vec![None; stops.len()], Point::ZERO);
            let repaired = nested::repair(&stops, &before, Point::ZERO, &free, &neighbours(&stops));
            prop_assert!(keeps(&before, &repaired));
            prop_assert_eq!(sorted_stops(&repaired), (0..stops.len()).collect::<Vec<_>>());
        }

        /// What a search keeps beside the tour, to look up instead of finding it again, is what it would find.
        #[test]
        fn changes_and_what_takes_them_back_leave_nothing_stale(
            ends in proptest::collection::vec((0.0..100.0f64, 0.0..100.0f64, 0.0..100.0f64, 0.0..100.0f64, 0u8..4), 3..60),
            parents in proptest::collection::vec(0usize..60, 60),
        ) {
            let stops: Vec<Stop> = ends.into_iter().map(stop).collect();
            let before = forest(&parents, stops.len());
            let near = neighbours(&stops);
            let first = greedy(&stops, &before, Point::ZERO);
            let mut tour = Tour::new(&stops, &before, Point::ZERO, &first);
            let claimed = length(&stops, Point::ZERO, &first)
                - tour.settle(&mut (0..stops.len()).collect(), &near, 1000);
            let found = length(&stops, Point::ZERO, &tour.visits());
            prop_assert!((claimed - found).abs() < 1e-6, "{claimed} is {found}");
            tour.kick(&near, 0, Effort { work: 100_000, kicks: 1000 });
            let fresh = Tour::new(&stops, &before, Point::ZERO, &tour.visits());
            prop_assert_eq!(&tour.position, &fresh.position);
            prop_assert_eq!(&tour.legs, &fresh.legs);
            prop_assert!(length(&stops, Point::ZERO, &tour.visits()) <= found + 1e-9);
        }
    }

    /// A diamond of some radius.
    fn diamond(centre: Point, radius: f64) -> Stop {
        let corner = |x: f64, y: f64| centre + (x * radius, y * radius);
        Stop::loop_through(vec![corner(1., 0.), corner(0., 1.), corner(-1., 0.), corner(0., -1.)])
    }

    #[test]
    fn holes_first_costs_next_to_nothing_where_a_hole_lies_on_the_way() {
        let mut xorshift = Xorshift::seeded(5);
        let (mut stops, mut before) = (Vec::new(), Vec::new());
        for n in 0..400 {
            let centre = Point::new(xorshift.below(390) as f64, xorshift.below(290) as f64);
            if n % 5 == 0 {
                before.push(Some(stops.len() + 1));
                stops.push(diamond(centre, 1.0));
            }
            before.push(None);
            stops.push(diamond(centre, 3.0));
        }
        let tour = |before: &[Option<usize>]| {
            let visits = greedy(&stops, before, Point::ZERO);
            let visits = shorten(&stops, before, Point::ZERO, visits, stops.len());
            assert!(keeps(before, &visits));
            length(&stops, Point::ZERO, &visits)
        };
        let (nested, free) = (tour(&before), tour(&vec![None; stops.len()]));
        assert!(nested < 1.02 * free, "{nested} mm, in any order {free} mm");
    }

    /// Shortest tours of many points scattered evenly over an area approach a length that is known (D. S. Johnson,
    /// L. A. McGeoch, "The traveling salesman problem: a case study", 1997).
    #[test]
    fn thousands_of_stops_are_visited_in_little_more_than_the_shortest_tour_takes() {
        let (width, height) = (39_000, 29_000);
        let mut xorshift = Xorshift::seeded(7);
        let stops: Vec<Stop> = (0..5000)
            .map(|_| {
                let (x, y) = (xorshift.below(width), xorshift.below(height));
                Stop::loop_through(vec![Point::new(x as f64 / 100.0, y as f64 / 100.0)])
            })
            .collect();
        let free = vec![None; stops.len()];
        let visits = greedy(&stops, &free, Point::ZERO);
        let visits = shorten(&stops, &free, Point::ZERO, visits, stops.len());
        let area = (width * height) as f64 / 10_000.0;
        let shortest = 0.7124 * (stops.len() as f64 * area).sqrt();
        let found = length(&stops, Point::ZERO, &visits);
        assert!(found < 1.06 * shortest, "{found} mm, {shortest} mm would do");
    }
}
