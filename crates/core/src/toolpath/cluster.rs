//! Which engraved areas are walked together, row by row, and which apart: whatever is quicker.
//!
//! A row that runs through several areas turns once where each of them alone would turn; what it costs is the way
//! across the gaps. Areas are merged, two groups at a time and the pair that saves most first, as long as that saves
//! time. Times follow from speed, acceleration, run-up and travel as the planner takes them; the work is bounded by
//! counted steps, so that the same job always gives the same groups.

use super::rows::RowOrder;
use crate::frame::Frame;
use crate::geometry::scan::Span;
use crate::job::machine::Travel;
use crate::job::{Directions, Islands, Job, Step};
use std::cmp::Ordering;
use std::collections::{BTreeSet, BinaryHeap};

/// More areas than this are joined by gaps first, from short ones on.
const MOST_AREAS: usize = 3000;

/// With how many of its neighbours along the rows an area is tried.
const NEIGHBOURS: usize = 12;

/// So many rows are compared at most.
const MOST_STEPS: usize = 60_000_000;

/// Saving less than this is no reason to run longer rows, s.
const LEAST: f64 = 1e-6;

/// How the head moves along and between rows.
#[derive(Debug, Clone, Copy)]
pub(super) struct Pacing {
    /// While burning, mm/s.
    speed: f64,
    /// Across gaps and between areas, mm/s.
    travel: f64,
    /// mm/s².
    acceleration: f64,
    run_up: f64,
    spacing: f64,
    directions: Directions,
}

impl Pacing {
    /// Of a step's rows on the job's machine.
    pub(super) fn of(walk: &RowOrder, step: &Step, job: &Job) -> Self {
        let (top, acceleration) = Frame::of(job).limits(walk.along);
        let travel = match job.machine.travel {
            Travel::Rapid => top,
            Travel::Feed(speed) => speed.0.min(top),
        };
        Self {
            speed: step.speed().0.min(top),
            travel,
            acceleration,
            run_up: walk.run_up,
            spacing: walk.spacing,
            directions: walk.directions,
        }
    }

    /// Blanks up to this long are crossed at burning speed, and quicker than any turn, mm.
    pub(super) fn short_gap(&self) -> f64 {
        2.0 * self.run_up
    }

    /// From standing to standing over a distance (mm), s.
    fn hop(&self, distance: f64) -> f64 {
        let Self { travel, acceleration, .. } = *self;
        if distance < travel * travel / acceleration {
            2.0 * (distance / acceleration).sqrt()
        } else {
            distance / travel + travel / acceleration
        }
    }

    /// From one burnt stretch of a row to the next over a gap (mm), s: at burning speed, or in travel between run-out
    /// and run-up where the gap is longer than both.
    fn gap(&self, gap: f64) -> f64 {
        let Self { speed, travel, acceleration, run_up, .. } = *self;
        let free = gap - 2.0 * run_up;
        if free <= 0.0 {
            return gap / speed;
        }
        let dark = 2.0 * run_up / speed;
        if travel <= speed {
            return dark + free / travel;
        }
        let peak = (speed * speed + acceleration * free).sqrt();
        if peak <= travel {
            return dark + 2.0 * (peak - speed) / acceleration;
        }
        let hurrying = (travel * travel - speed * speed) / acceleration;
        dark + 2.0 * (travel - speed) / acceleration + (free - hurrying) / travel
    }

    /// What a row takes beside what lies between its first and its last burnt place, s: from standing to speed, and
    /// back.
    fn ends(&self) -> f64 {
        2.0 * self.run_up / self.speed + self.speed / self.acceleration
    }

    /// From the end of one row to the beginning of another, s; in the mean of both ways of walking them.
    fn turn(&self, a: &RowSum, b: &RowSum) -> f64 {
        let up = f64::from(a.row.abs_diff(b.row)) * self.spacing;
        let over = |along: f64| self.hop(up.hypot(along));
        match self.directions {
            Directions::Both => (over(b.first - a.first) + over(b.last - a.last)) / 2.0,
            Directions::One => over(a.last - b.first + 2.0 * self.run_up),
        }
    }
}

/// One row of a group.
#[derive(Debug, Clone, Copy)]
struct RowSum {
    row: u32,
    first: f64,
    last: f64,
    /// From the first burnt place to the last, s.
    inside: f64,
    /// Where its stretches lie in the group's list.
    spans: (usize, usize),
}

/// Areas that are walked together.
#[derive(Debug, Clone)]
struct Group {
    /// Sorted by row and place.
    spans: Vec<Span>,
    rows: Vec<RowSum>,
    /// Along the rows.
    reach: (f64, f64),
    /// All of its rows and what lies between them, s.
    seconds: f64,
}

impl Group {
    fn new(spans: Vec<Span>, pacing: &Pacing) -> Self {
        let mut rows = Vec::new();
        let mut at = 0;
        for row in spans.chunk_by(|a, b| a.row == b.row) {
            rows.push(sum(row, (at, at + row.len()), pacing));
            at += row.len();
        }
        let reach = spans.iter().fold((f64::MAX, f64::MIN), |(low, high), span| {
            (low.min(span.from), high.max(span.to))
        });
        let seconds = rows_take(rows.iter().copied(), pacing);
        Self { spans, rows, reach, seconds }
    }

    fn low(&self) -> u32 {
        self.rows.first().map_or(0, |row| row.row)
    }

    fn high(&self) -> u32 {
        self.rows.last().map_or(0, |row| row.row)
    }

    fn shares_rows(&self, other: &Self) -> bool {
        self.low() <= other.high() && other.low() <= self.high()
    }

    /// How far it lies from another along the rows, mm.
    fn distance(&self, other: &Self) -> f64 {
        (other.reach.0 - self.reach.1).max(self.reach.0 - other.reach.1).max(0.0)
    }

    /// The two as one.
    fn with(&self, other: &Self, pacing: &Pacing) -> Self {
        let mut spans = Vec::with_capacity(self.spans.len() + other.spans.len());
        let (mut a, mut b) = (self.spans.iter().peekable(), other.spans.iter().peekable());
        while let (Some(x), Some(y)) = (a.peek(), b.peek()) {
            let first = if before(x, y) == Ordering::Greater { b.next() } else { a.next() };
            spans.extend(first);
        }
        spans.extend(a);
        spans.extend(b);
        Self::new(spans, pacing)
    }

    /// From here to another group: from an end of its last row to one of the other's first, the shorter way round, s.
    fn link(&self, other: &Self, pacing: &Pacing) -> f64 {
        let way = |a: &Self, b: &Self| {
            let (Some(from), Some(to)) = (a.rows.last(), b.rows.first()) else { return 0.0 };
            let up = f64::from(from.row.abs_diff(to.row)) * pacing.spacing;
            let along = (to.first - from.last).max(from.first - to.last).max(0.0);
            pacing.hop(up.hypot(along))
        };
        way(self, other).min(way(other, self))
    }
}

fn before(a: &Span, b: &Span) -> Ordering {
    a.row.cmp(&b.row).then(a.from.total_cmp(&b.from)).then(a.to.total_cmp(&b.to))
}

/// What the stretches of one row come to.
fn sum(row: &[Span], spans: (usize, usize), pacing: &Pacing) -> RowSum {
    let mut inside = 0.0;
    for (n, span) in row.iter().enumerate() {
        if n > 0 {
            inside += pacing.gap((span.from - row[n - 1].to).max(0.0));
        }
        inside += (span.to - span.from) / pacing.speed;
    }
    let (first, last) = (row[0].from, row[row.len() - 1].to);
    RowSum { row: row[0].row, first, last, inside, spans }
}

/// Rows one after the other, s.
fn rows_take(rows: impl Iterator<Item = RowSum>, pacing: &Pacing) -> f64 {
    let (mut all, mut last): (f64, Option<RowSum>) = (0.0, None);
    for row in rows {
        all += row.inside + pacing.ends();
        all += last.map_or(0.0, |last| pacing.turn(&last, &row));
        last = Some(row);
    }
    all
}

/// Two rows at the same height as one.
fn joined(a: &RowSum, b: &RowSum, (of_a, of_b): (&Group, &Group), pacing: &Pacing) -> RowSum {
    let (left, right) = if a.first <= b.first { (a, b) } else { (b, a) };
    if left.last <= right.first {
        let inside = left.inside + pacing.gap(right.first - left.last) + right.inside;
        return RowSum { first: left.first, last: right.last, inside, ..*a };
    }
    let mut all: Vec<Span> = of_a.spans[a.spans.0..a.spans.1].to_vec();
    all.extend(&of_b.spans[b.spans.0..b.spans.1]);
    all.sort_by(before);
    sum(&all, a.spans, pacing)
}

/// How much time it saves to walk two groups together, and how many rows were looked at for that.
fn saved(a: &Group, b: &Group, pacing: &Pacing) -> (f64, usize) {
    let (small, large) = if a.rows.len() <= b.rows.len() { (a, b) } else { (b, a) };
    // Only where they share rows is anything different; and at the steps into and out of there.
    let from = large.rows.partition_point(|row| row.row < small.low()).saturating_sub(1);
    let to = (large.rows.partition_point(|row| row.row <= small.high()) + 1).min(large.rows.len());
    let part = &large.rows[from..to];
    let apart = small.seconds + rows_take(part.iter().copied(), pacing);
    let mut rows = Vec::with_capacity(part.len() + small.rows.len());
    let (mut x, mut y) = (part.iter().peekable(), small.rows.iter().peekable());
    loop {
        rows.push(match (x.peek(), y.peek()) {
            (Some(p), Some(q)) if p.row == q.row => {
                let both = joined(p, q, (large, small), pacing);
                x.next();
                y.next();
                both
            }
            (Some(p), Some(q)) if p.row < q.row => {
                let row = **p;
                x.next();
                row
            }
            (Some(_) | None, Some(q)) => {
                let row = **q;
                y.next();
                row
            }
            (Some(p), None) => {
                let row = **p;
                x.next();
                row
            }
            (None, None) => break,
        });
    }
    let steps = rows.len();
    let together = rows_take(rows.into_iter(), pacing);
    (apart + a.link(b, pacing) - together, steps)
}

/// A pair of groups that could be merged.
struct Pair {
    saves: f64,
    groups: (usize, usize),
}

impl Ord for Pair {
    fn cmp(&self, other: &Self) -> Ordering {
        self.saves.total_cmp(&other.saves).then(other.groups.cmp(&self.groups))
    }
}

impl PartialOrd for Pair {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Pair {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other) == Ordering::Equal
    }
}

impl Eq for Pair {}

/// Stretches (sorted by row and place) in groups that are each walked as rows of their own.
pub(super) fn quickest(spans: Vec<Span>, pacing: &Pacing) -> Vec<Vec<Span>> {
    let areas = areas(&spans, pacing);
    if areas.len() < 2 {
        return vec![spans];
    }
    let whole = Group::new(spans, pacing);
    let areas: Vec<Group> = areas.into_iter().map(|area| Group::new(area, pacing)).collect();
    let apart = taken(&areas, pacing);
    let merged = merged(areas.clone(), pacing);
    let found = taken(&merged, pacing);
    // Two at a time is not the only way: all together, and all apart, are tried as well.
    let mut groups = if whole.seconds <= found.min(apart) {
        vec![whole]
    } else if apart < found {
        areas
    } else {
        merged
    };
    groups.sort_by(|a, b| before(&a.spans[0], &b.spans[0]));
    groups.into_iter().map(|group| group.spans).collect()
}

/// What stretches take when they are walked in this way, s.
pub(super) fn seconds(spans: Vec<Span>, pacing: &Pacing, islands: Islands) -> f64 {
    let groups = match islands {
        Islands::Quickest => quickest(spans, pacing),
        Islands::Together | Islands::OneByOne => vec![spans],
    };
    let groups: Vec<Group> = groups.into_iter().map(|spans| Group::new(spans, pacing)).collect();
    taken(&groups, pacing)
}

/// All groups, each reached from the nearest one that is left, s.
fn taken(groups: &[Group], pacing: &Pacing) -> f64 {
    let mut all: f64 = groups.iter().map(|group| group.seconds).sum();
    let mut left: Vec<&Group> = groups.iter().collect();
    let Some(mut at) = left.pop() else { return 0.0 };
    while !left.is_empty() {
        let links = left.iter().map(|next| at.link(next, pacing)).enumerate();
        let Some((n, seconds)) = links.min_by(|a, b| a.1.total_cmp(&b.1)) else { break };
        all += seconds;
        at = left.swap_remove(n);
    }
    all
}

/// Merges groups as long as that saves time.
fn merged(areas: Vec<Group>, pacing: &Pacing) -> Vec<Group> {
    let mut near: Vec<BTreeSet<usize>> = neighbours(&areas);
    let mut groups: Vec<Option<Group>> = areas.into_iter().map(Some).collect();
    let mut heap = BinaryHeap::new();
    let mut steps = 0;
    let mut look = |heap: &mut BinaryHeap<Pair>, groups: &[Option<Group>], a: usize, b: usize| {
        let (Some(x), Some(y)) = (&groups[a], &groups[b]) else { return };
        if steps < MOST_STEPS && x.shares_rows(y) {
            let (saves, looked) = saved(x, y, pacing);
            steps += looked;
            if saves > LEAST {
                heap.push(Pair { saves, groups: (a.min(b), a.max(b)) });
            }
        }
    };
    for (a, near) in near.iter().enumerate() {
        for b in near.iter().copied().filter(|b| *b > a) {
            look(&mut heap, &groups, a, b);
        }
    }
    while let Some(Pair { groups: (a, b), .. }) = heap.pop() {
        if groups[a].is_none() || groups[b].is_none() {
            continue;
        }
        let (Some(x), Some(y)) = (groups[a].take(), groups[b].take()) else { continue };
        let new = groups.len();
        let mut around: BTreeSet<usize> = near[a].union(&near[b]).copied().collect();
        around.retain(|n| groups[*n].is_some());
        groups.push(Some(x.with(&y, pacing)));
        for n in &around {
            near[*n].insert(new);
            look(&mut heap, &groups, new, *n);
        }
        near.push(around);
    }
    groups.into_iter().flatten().collect()
}

/// The nearest groups of each along its rows, both ways round.
fn neighbours(areas: &[Group]) -> Vec<BTreeSet<usize>> {
    let mut near = vec![BTreeSet::new(); areas.len()];
    for (n, area) in areas.iter().enumerate() {
        let mut others: Vec<usize> =
            (0..areas.len()).filter(|m| *m != n && area.shares_rows(&areas[*m])).collect();
        let nearer = |a: &usize, b: &usize| {
            area.distance(&areas[*a]).total_cmp(&area.distance(&areas[*b])).then(a.cmp(b))
        };
        if others.len() > NEIGHBOURS {
            others.select_nth_unstable_by(NEIGHBOURS, nearer);
            others.truncate(NEIGHBOURS);
        }
        for other in others {
            near[n].insert(other);
            near[other].insert(n);
        }
    }
    near
}

/// Stretches that touch from row to row, together.
fn areas(spans: &[Span], pacing: &Pacing) -> Vec<Vec<Span>> {
    let mut reach = 2.0 * pacing.spacing;
    loop {
        let of = touching(spans, reach);
        let count = of.iter().copied().max().map_or(0, |most| most + 1);
        if count <= MOST_AREAS {
            let mut areas: Vec<Vec<Span>> = vec![Vec::new(); count];
            for (span, area) in spans.iter().zip(of) {
                areas[area].push(*span);
            }
            return areas;
        }
        reach = (2.0 * reach).max(pacing.run_up / 2.0);
    }
}

/// Which area each stretch belongs to, areas counted from 0 in the order of their first stretches: those of one row
/// that are nearer to each other than `reach` (mm), and those of neighbouring rows that overlap, or nearly do.
fn touching(spans: &[Span], reach: f64) -> Vec<usize> {
    let mut root: Vec<usize> = (0..spans.len()).collect();
    fn find(root: &mut [usize], mut n: usize) -> usize {
        while root[n] != n {
            root[n] = root[root[n]];
            n = root[n];
        }
        n
    }
    let join = |root: &mut [usize], a: usize, b: usize| {
        let (a, b) = (find(root, a), find(root, b));
        root[a.max(b)] = a.min(b);
    };
    let (mut start, mut before) = (0, 0..0);
    for row in spans.chunk_by(|a, b| a.row == b.row) {
        let here = start..start + row.len();
        for n in here.clone().skip(1) {
            if spans[n].from - spans[n - 1].to <= reach {
                join(&mut root, n - 1, n);
            }
        }
        let follows = spans.get(before.start).is_some_and(|span| span.row + 1 == row[0].row);
        if follows && !before.is_empty() {
            let mut above = here.start;
            for below in before.clone() {
                while above < here.end && spans[above].to + reach < spans[below].from {
                    above += 1;
                }
                let overlaps = |n: usize| spans[n].from <= spans[below].to + reach;
                let mut n = above;
                while n < here.end && overlaps(n) {
                    join(&mut root, below, n);
                    n += 1;
                }
            }
        }
        start = here.end;
        before = here;
    }
    let mut names = vec![usize::MAX; spans.len()];
    let mut count = 0;
    (0..spans.len())
        .map(|n| {
            let root = find(&mut root, n);
            if names[root] == usize::MAX {
                names[root] = count;
                count += 1;
            }
            names[root]
        })
        .collect()
}
