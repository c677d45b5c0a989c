//! A first tour: always to the nearest path that may be run next.

use rstar::RTree;
use rstar::primitives::GeomWithData;
use tinkite_base::geometry::{Point, Rect, hull};

/// How far two points are from each other, mm: as `Point::distance`, which guards against lengths whose square no number
/// holds and takes several times as long. A tour asks little else.
pub(super) fn apart(a: Point, b: Point) -> f64 {
    (a - b).hypot2().sqrt()
}

/// One path as the tour sees it: where it may be entered and where it is then left.
#[derive(Debug, Clone)]
pub(super) struct Stop {
    entries: Vec<Point>,
    /// Where it is left for each entry; `None` where that is the entry itself.
    exits: Vec<Point>,
    kind: StopKind,
    /// A loop that is left where it is entered.
    plain: bool,
    /// A circle round its entries.
    around: Circle,
    /// Circles round so many entries each, where there are several.
    groups: Vec<Circle>,
    grouped: usize,
}

/// Fewest entries in a group: where a group is too far away none of them is looked at.
const GROUPED: usize = 8;

/// A circle: its middle and its radius, mm.
type Circle = (Point, f64);

/// A circle round points: round the middle of the rectangle round them.
fn circle(points: &[Point]) -> Circle {
    let rect = hull(points.iter().map(|p| Rect::from_points(*p, *p))).unwrap_or_default();
    let centre = rect.center();
    (centre, points.iter().map(|p| p.distance(centre)).fold(0.0, f64::max))
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum StopKind {
    /// Entered where its entries are; walking it the other way changes nothing.
    Loop,
    /// Entered at one end (0 or 1), left at the other.
    Line,
    /// Entered at the first point only.
    OneWay,
}

impl Stop {
    /// A closed line that may be entered, and is left, at any of `vertices`.
    pub(super) fn loop_through(vertices: Vec<Point>) -> Self {
        Self::new(vertices, Vec::new(), StopKind::Loop)
    }

    /// A closed line that is entered at one of several places and left at the place that belongs to
    /// it.
    pub(super) fn loop_between(entries: Vec<Point>, exits: Vec<Point>) -> Self {
        Self::new(entries, exits, StopKind::Loop)
    }

    /// An open line, either way or only from `start`.
    pub(super) fn line(start: Point, end: Point, either_way: bool) -> Self {
        let kind = if either_way { StopKind::Line } else { StopKind::OneWay };
        Self::new(vec![start, end], Vec::new(), kind)
    }

    fn new(entries: Vec<Point>, exits: Vec<Point>, kind: StopKind) -> Self {
        let around = circle(&entries);
        // As many in a group as there are groups, so that fewest are looked at.
        let grouped = entries.len().isqrt().max(GROUPED);
        let groups = match kind {
            StopKind::Loop if entries.len() > 2 * GROUPED => {
                entries.chunks(grouped).map(circle).collect()
            }
            _ => Vec::new(),
        };
        let plain = kind == StopKind::Loop && exits.is_empty();
        Self { entries, exits, kind, plain, around, groups, grouped }
    }

    /// No way from one point through it to another is shorter than this, mm; where it is left elsewhere than it is
    /// entered, nothing is said.
    #[inline]
    pub(super) fn least(&self, from: Point, to: Option<Point>) -> f64 {
        if !self.plain {
            return 0.0;
        }
        let (centre, radius) = self.around;
        let way = |p: Point| (apart(p, centre) - radius).max(0.0);
        way(from) + to.map_or(0.0, way)
    }

    /// The rectangle round a circle round its entries.
    pub(super) fn bounds(&self) -> Rect {
        let (centre, radius) = self.around;
        Rect::from_center_size(centre, (2.0 * radius, 2.0 * radius))
    }

    /// About how many places are looked at to find the best entry.
    pub(super) fn choices(&self) -> u64 {
        match self.groups.len() {
            0 => self.entries.len() as u64,
            groups => (groups + self.grouped) as u64,
        }
    }

    /// Whether it is left elsewhere than it was entered although it is a loop.
    pub(super) fn has_exits(&self) -> bool {
        !self.exits.is_empty()
    }

    /// The same, left where it is entered.
    pub(super) fn without_exits(&self) -> Self {
        Self { exits: Vec::new(), plain: self.kind == StopKind::Loop, ..self.clone() }
    }

    /// The least of what places where it can begin come to.
    pub(super) fn least_of(&self, of: impl Fn(Point) -> f64) -> f64 {
        self.entries.iter().map(|p| of(*p)).fold(f64::INFINITY, f64::min)
    }

    /// Where a visit enters.
    pub(super) fn entry(&self, visit: Visit) -> Point {
        self.entries[visit.entry]
    }

    /// Where a visit leaves.
    pub(super) fn exit(&self, visit: Visit) -> Point {
        match self.kind {
            StopKind::Loop => *self.exits.get(visit.entry).unwrap_or(&self.entries[visit.entry]),
            StopKind::Line | StopKind::OneWay => self.entries[1 - visit.entry],
        }
    }

    /// The same visit walked the other way, where that is possible.
    pub(super) fn turned(&self, visit: Visit) -> Option<Visit> {
        match self.kind {
            StopKind::Loop => Some(visit),
            StopKind::Line => Some(Visit { entry: 1 - visit.entry, ..visit }),
            StopKind::OneWay => None,
        }
    }

    /// A line that may be walked either way, begun at its other end.
    pub(super) fn other_end(&self, visit: Visit) -> Option<Visit> {
        self.turned(visit).filter(|_| self.kind == StopKind::Line)
    }

    /// How many of its entries may be taken, from the first on.
    pub(super) fn ways(&self) -> usize {
        match self.kind {
            StopKind::OneWay => 1,
            StopKind::Loop | StopKind::Line => self.entries.len(),
        }
    }

    /// The entry that makes the way from `before` through this stop to `after` shortest.
    pub(super) fn best_entry(&self, stop: usize, before: Point, after: Option<Point>) -> Visit {
        let cost = |entry: usize| {
            let visit = Visit { stop, entry };
            apart(before, self.entry(visit))
                + after.map_or(0.0, |after| apart(self.exit(visit), after))
        };
        let entry = (0..self.ways()).map(|e| (cost(e), e)).min_by(|a, b| a.0.total_cmp(&b.0));
        Visit { stop, entry: entry.map_or(0, |(_, e)| e) }
    }

    /// As `best_entry`, and how long that way is, mm; `None` where none is shorter than `limit`.
    pub(super) fn entry_under(
        &self,
        stop: usize,
        before: Point,
        after: Option<Point>,
        limit: f64,
    ) -> Option<(Visit, f64)> {
        if !self.plain {
            let visit = self.best_entry(stop, before, after);
            let on = after.map_or(0.0, |after| apart(self.exit(visit), after));
            let way = apart(before, self.entry(visit)) + on;
            return (way < limit).then_some((visit, way));
        }
        let mut best = (None, limit);
        let look_at = |first: usize, after_last: usize, best: &mut (Option<usize>, f64)| {
            for (n, p) in self.entries[first..after_last].iter().enumerate() {
                let way = apart(before, *p) + after.map_or(0.0, |after| apart(*p, after));
                if way < best.1 {
                    *best = (Some(first + n), way);
                }
            }
        };
        if self.groups.is_empty() {
            look_at(0, self.entries.len(), &mut best);
        }
        let least = |(centre, radius): &Circle| {
            let way = |p: Point| (apart(p, *centre) - radius).max(0.0);
            way(before) + after.map_or(0.0, way)
        };
        let look_into = |n: usize, best: &mut (Option<usize>, f64)| {
            let first = n * self.grouped;
            look_at(first, (first + self.grouped).min(self.entries.len()), best);
        };
        // After the most promising group few others can hold a better one.
        let nearest = self.groups.iter().map(least).enumerate().min_by(|a, b| a.1.total_cmp(&b.1));
        if let Some((nearest, way)) = nearest
            && way < best.1
        {
            look_into(nearest, &mut best);
            for (n, group) in self.groups.iter().enumerate() {
                if n != nearest && least(group) < best.1 {
                    look_into(n, &mut best);
                }
            }
        }
        let (entry, way) = best;
        entry.map(|entry| (Visit { stop, entry }, way))
    }

    /// A few entries, spread round: enough to find the stop by.
    fn signposts(&self) -> impl Iterator<Item = Point> + '_ {
        self.points_spread(if self.kind == StopKind::OneWay { 1 } else { 4 })
    }

    /// At most so many of its entries, spread round; both ends of a line.
    pub(super) fn points_spread(&self, most: usize) -> impl Iterator<Item = Point> + '_ {
        let count = self.entries.len().min(most);
        (0..count).map(move |n| self.entries[n * self.entries.len() / count])
    }
}

/// How long the ways of a tour are, mm.
pub(super) fn length(stops: &[Stop], start: Point, visits: &[Visit]) -> f64 {
    let mut at = start;
    let mut sum = 0.0;
    for visit in visits {
        sum += apart(at, stops[visit.stop].entry(*visit));
        at = stops[visit.stop].exit(*visit);
    }
    sum
}

/// A stop and how it is entered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Visit {
    pub(super) stop: usize,
    pub(super) entry: usize,
}

type Signpost = GeomWithData<[f64; 2], u32>;

fn signposts(stops: &[Stop], n: usize) -> impl Iterator<Item = Signpost> + '_ {
    stops[n].signposts().map(move |p| Signpost::new([p.x, p.y], n as u32))
}

/// Visits every stop, each after everything that names it in `before` (`before[n] = Some(m)`: n
/// before m), always going to the nearest that is allowed.
pub(super) fn greedy(stops: &[Stop], before: &[Option<usize>], start: Point) -> Vec<Visit> {
    let mut waiting_for = vec![0_usize; stops.len()];
    for later in before.iter().flatten() {
        waiting_for[*later] += 1;
    }
    let free = (0..stops.len()).filter(|n| waiting_for[*n] == 0);
    let mut tree = RTree::bulk_load(free.flat_map(|n| signposts(stops, n)).collect());
    let mut visits = Vec::with_capacity(stops.len());
    let mut at = start;
    while let Some(nearest) = tree.nearest_neighbor([at.x, at.y]) {
        let n = nearest.data as usize;
        for signpost in signposts(stops, n) {
            tree.remove(&signpost);
        }
        let visit = stops[n].best_entry(n, at, None);
        at = stops[n].exit(visit);
        visits.push(visit);
        if let Some(later) = before[n] {
            waiting_for[later] -= 1;
            if waiting_for[later] == 0 {
                for signpost in signposts(stops, later) {
                    tree.insert(signpost);
                }
            }
        }
    }
    visits
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn dot(x: f64, y: f64) -> Stop {
        Stop::loop_through(vec![Point::new(x, y)])
    }

    proptest! {
        /// Looking into groups finds what looking at all finds, and nothing where nothing is short enough.
        #[test]
        fn the_best_entry_is_found_group_by_group(
            points in proptest::collection::vec((0.0..100.0f64, 0.0..100.0f64), 1..200),
            ends in (-200.0..300.0f64, -200.0..300.0f64, -200.0..300.0f64, -200.0..300.0f64),
            on in proptest::bool::ANY,
        ) {
            let stop = Stop::loop_through(points.iter().map(|(x, y)| Point::new(*x, *y)).collect());
            let (before, after) = (Point::new(ends.0, ends.1), on.then_some(Point::new(ends.2, ends.3)));
            let way = |visit: Visit| {
                apart(before, stop.entry(visit)) + after.map_or(0.0, |p| apart(stop.exit(visit), p))
            };
            let least = way(stop.best_entry(0, before, after));
            for limit in [f64::INFINITY, least + 1e-6, least + 10.0] {
                let (visit, found) = stop.entry_under(0, before, after, limit).expect("one is short enough");
                prop_assert!((found - least).abs() < 1e-9 && (way(visit) - least).abs() < 1e-9);
            }
            prop_assert_eq!(stop.entry_under(0, before, after, least - 1e-6), None);
            prop_assert!(stop.least(before, after) <= least + 1e-9);
        }
    }

    #[test]
    fn the_nearest_allowed_stop_comes_next() {
        let stops = [dot(1., 0.), dot(5., 0.), dot(2., 0.), dot(0.5, 0.)];
        // The nearest of all (3) must wait for the farthest (1).
        let visits = greedy(&stops, &[None, Some(3), None, None], Point::ZERO);
        assert_eq!(visits.iter().map(|v| v.stop).collect::<Vec<_>>(), [0, 2, 1, 3]);
    }

    #[test]
    fn an_open_line_is_entered_at_its_nearer_end() {
        let stops = [Stop::line(Point::new(9., 0.), Point::new(1., 0.), true)];
        assert_eq!(greedy(&stops, &[None], Point::ZERO), [Visit { stop: 0, entry: 1 }]);
        let one_way = [Stop::line(Point::new(9., 0.), Point::new(1., 0.), false)];
        assert_eq!(greedy(&one_way, &[None], Point::ZERO), [Visit { stop: 0, entry: 0 }]);
    }
}
