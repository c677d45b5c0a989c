//! Where the paths of an order are entered: all of them at once, by dynamic programming.

use super::tour::{Stop, Visit, apart};
use tinkite_base::geometry::Point;

/// The most pairs of entries that are compared: some tenths of a second.
const MOST_PAIRS: usize = 40_000_000;

/// The same stops in the same order, entered where the whole way is shortest: of all entries of every stop the shortest
/// way that ends there is known from those of the stop before (R. Bellman, "Dynamic Programming", 1957). Where there are
/// too many entries for that, each is chosen between its neighbours as they are.
pub(super) fn shortest(stops: &[Stop], start: Point, visits: Vec<Visit>) -> Vec<Visit> {
    let ways = |visit: &Visit| stops[visit.stop].ways();
    let pairs = |two: &[Visit]| ways(&two[0]).saturating_mul(ways(&two[1]));
    if visits.windows(2).map(pairs).fold(0, usize::saturating_add) > MOST_PAIRS {
        return one_by_one(stops, start, visits);
    }
    // Where the stop before is left, and how long the way there is.
    let mut left = vec![(start, 0.0)];
    let mut came_from = Vec::with_capacity(visits.len());
    for visit in &visits {
        let stop = &stops[visit.stop];
        let (next, from): (_, Vec<usize>) = (0..ways(visit))
            .map(|entry| {
                let entered = Visit { entry, ..*visit };
                let p = stop.entry(entered);
                let shortest = left.iter().map(|(q, way)| way + apart(*q, p)).enumerate();
                let shortest = shortest.min_by(|a, b| a.1.total_cmp(&b.1));
                let (from, way) = shortest.unwrap_or((0, f64::INFINITY));
                ((stop.exit(entered), way), from)
            })
            .unzip();
        left = next;
        came_from.push(from);
    }
    let last = left.iter().enumerate().min_by(|a, b| a.1.1.total_cmp(&b.1.1));
    let mut entry = last.map_or(0, |(entry, _)| entry);
    let mut visits = visits;
    for (visit, from) in visits.iter_mut().zip(&came_from).rev() {
        visit.entry = entry;
        entry = from[entry];
    }
    visits
}

fn one_by_one(stops: &[Stop], start: Point, mut visits: Vec<Visit>) -> Vec<Visit> {
    let mut at = start;
    for n in 0..visits.len() {
        let after = visits.get(n + 1).map(|next| stops[next.stop].entry(*next));
        let stop = visits[n].stop;
        visits[n] = stops[stop].best_entry(stop, at, after);
        at = stops[stop].exit(visits[n]);
    }
    visits
}

#[cfg(test)]
mod tests {
    use super::super::tour::length;
    use super::*;
    use proptest::prelude::*;

    /// The length of the shortest of all ways through the stops in their order.
    fn shortest_length(stops: &[Stop], at: Point, visits: &[Visit]) -> f64 {
        let Some((visit, rest)) = visits.split_first() else { return 0.0 };
        let stop = &stops[visit.stop];
        let ways = (0..stop.ways()).map(|entry| {
            let entered = Visit { entry, ..*visit };
            apart(at, stop.entry(entered)) + shortest_length(stops, stop.exit(entered), rest)
        });
        ways.fold(f64::INFINITY, f64::min)
    }

    proptest! {
        #[test]
        fn no_other_entries_are_shorter(
            points in proptest::collection::vec(proptest::collection::vec((0.0..100.0f64, 0.0..100.0f64), 2..5), 1..6),
            kinds in proptest::collection::vec(0u8..4, 6),
        ) {
            let stops: Vec<Stop> = points.iter().zip(&kinds).map(|(points, kind)| {
                let points: Vec<Point> = points.iter().map(|(x, y)| Point::new(*x, *y)).collect();
                let reversed = points.iter().rev().copied().collect();
                match kind {
                    0 => Stop::loop_through(points),
                    1 => Stop::loop_between(points, reversed),
                    kind => Stop::line(points[0], points[1], *kind == 2),
                }
            }).collect();
            let visits: Vec<Visit> = (0..stops.len()).map(|stop| Visit { stop, entry: 0 }).collect();
            let chosen = shortest(&stops, Point::ZERO, visits.clone());
            prop_assert_eq!(chosen.iter().map(|v| v.stop).collect::<Vec<_>>(), (0..stops.len()).collect::<Vec<_>>());
            let (found, least) = (length(&stops, Point::ZERO, &chosen), shortest_length(&stops, Point::ZERO, &visits));
            prop_assert!((found - least).abs() < 1e-9, "{found}, {least} would do");
        }
    }

    #[test]
    fn too_many_entries_are_chosen_one_by_one() {
        let along =
            |y: f64| Stop::loop_through((0..7_000).map(|x| Point::new(f64::from(x), y)).collect());
        let stops = [along(10.0), along(20.0)];
        let visits = vec![Visit { stop: 0, entry: 500 }, Visit { stop: 1, entry: 900 }];
        // The first between the start and where the second is entered now; the second below the first.
        let chosen = shortest(&stops, Point::ZERO, visits);
        assert_eq!(chosen, [Visit { stop: 0, entry: 450 }, Visit { stop: 1, entry: 450 }]);
        assert_eq!(shortest(&stops, Point::ZERO, Vec::new()), []);
    }
}
