//! Bringing a tour that knows nothing of "inside first" into such an order.

use super::neighbours::Neighbour;
use crate::order::tour::{Stop, Visit, apart};
use tinkite_base::geometry::Point;

/// Where a stop that is not in the tour would stand.
const NOWHERE: usize = usize::MAX;

/// The same tour, but for stops that come before something that names them in `before` (`before[n] = Some(m)`: n before
/// m): each is put to one of its neighbours, or right behind what it waits for, where that is the least detour.
pub(super) fn repair(
    stops: &[Stop],
    before: &[Option<usize>],
    start: Point,
    visits: &[Visit],
    near: &[Vec<Neighbour>],
) -> Vec<Visit> {
    let mut position = vec![NOWHERE; stops.len()];
    let number = |tour: &[Visit], from: usize, position: &mut [usize]| {
        for (at, visit) in tour.iter().enumerate().skip(from) {
            position[visit.stop] = at;
        }
    };
    number(visits, 0, &mut position);
    let ancestors = |n: usize| std::iter::successors(before[n], |n| before[*n]);
    let inmost_first = {
        let depth: Vec<usize> = (0..stops.len()).map(|n| ancestors(n).count()).collect();
        let mut all: Vec<usize> = (0..stops.len()).collect();
        all.sort_by_key(|n| (std::cmp::Reverse(depth[*n]), *n));
        all
    };
    // Where the last of a stop and of all that lies in it stands.
    let mut last = position.clone();
    for n in &inmost_first {
        if let Some(around) = before[*n] {
            last[around] = last[around].max(last[*n]);
        }
    }
    let early: Vec<bool> = (0..stops.len()).map(|n| last[n] > position[n]).collect();
    let mut tour: Vec<Visit> = visits.iter().copied().filter(|visit| !early[visit.stop]).collect();
    position.fill(NOWHERE);
    number(&tour, 0, &mut position);
    let mut waits_for = vec![Vec::new(); stops.len()];
    for (n, around) in before.iter().enumerate() {
        if let Some(around) = around {
            waits_for[*around].push(n);
        }
    }
    for n in inmost_first.into_iter().filter(|n| early[*n]) {
        // What it waits for is in the tour by now; of what waits for it, all that was not too early.
        let first = waits_for[n].iter().map(|inner| position[*inner] + 1).max().unwrap_or(0);
        let around = ancestors(n).map(|around| position[around]).find(|at| *at != NOWHERE);
        let last = around.unwrap_or(tour.len());
        let beside = near[n].iter().map(|other| position[other.stop]);
        let beside = beside.filter(|at| *at != NOWHERE).flat_map(|at| [at, at + 1]);
        let (at, visit) = [first, last]
            .into_iter()
            .chain(beside.filter(|at| (first..=last).contains(at)))
            .map(|at| detour(stops, start, &tour, n, at))
            .min_by(|a, b| a.0.total_cmp(&b.0))
            .map_or((first, Visit { stop: n, entry: 0 }), |(_, at, visit)| (at, visit));
        tour.insert(at, visit);
        number(&tour, at, &mut position);
    }
    tour
}

/// How much longer the tour becomes with one more stop at a place, mm, the place, and the best visit there.
fn detour(
    stops: &[Stop],
    start: Point,
    tour: &[Visit],
    stop: usize,
    at: usize,
) -> (f64, usize, Visit) {
    let from = at.checked_sub(1).map_or(start, |at| stops[tour[at].stop].exit(tour[at]));
    let to = tour.get(at).map(|visit| stops[visit.stop].entry(*visit));
    let visit = stops[stop].best_entry(stop, from, to);
    let on = to.map_or(0.0, |to| apart(stops[stop].exit(visit), to) - apart(from, to));
    (apart(from, stops[stop].entry(visit)) + on, at, visit)
}
