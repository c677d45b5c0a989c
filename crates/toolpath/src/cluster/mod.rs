//! Which engraved areas are walked together, row by row, and which apart: whatever is quicker.
//!
//! A row that runs through several areas turns once where each of them alone would turn; what it costs is the way
//! across the gaps. Areas are merged, two groups at a time and the pair that saves most first, as long as that saves
//! time. Times follow from speed, acceleration, run-up and travel as the planner takes them; the work is bounded by
//! counted steps, so that the same job always gives the same groups.

mod areas;
mod group;
mod pacing;

pub(super) use pacing::Pacing;

use areas::areas;
use group::{Group, before, time_saved};
use std::cmp::Ordering;
use std::collections::{BTreeSet, BinaryHeap};
use tinkite_base::geometry::scan::Span;
use tinkite_job::Islands;

/// With how many of its neighbours along the rows an area is tried.
const NEIGHBOURS: usize = 12;

/// The most rows that are compared.
const MOST_STEPS: usize = 60_000_000;

/// Saving less than this is no reason to run longer rows, s.
const LEAST: f64 = 1e-6;

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
    let whole = Group::new(&spans, pacing);
    drop(spans);
    let areas: Vec<Group> = areas.iter().map(|area| Group::new(area, pacing)).collect();
    let apart = seconds_of(&areas, pacing);
    let mut merged = merge(areas.clone(), pacing);
    merged.sort_by(|a, b| before(&a.spans[0][0], &b.spans[0][0]));
    let found = seconds_of(&merged, pacing);
    // Two at a time is not the only way: all together, and all apart, are tried as well.
    let groups = if whole.seconds <= found.min(apart) {
        vec![whole]
    } else if apart < found {
        areas
    } else {
        merged
    };
    groups.into_iter().map(Group::into_spans).collect()
}

/// What stretches take when they are walked in this way, s.
pub(super) fn seconds(spans: Vec<Span>, pacing: &Pacing, islands: Islands) -> f64 {
    let groups = match islands {
        Islands::Quickest => quickest(spans, pacing),
        Islands::Together | Islands::OneByOne => vec![spans],
    };
    let groups: Vec<Group> = groups.iter().map(|spans| Group::new(spans, pacing)).collect();
    seconds_of(&groups, pacing)
}

/// All groups, each reached from the nearest one that is left, s.
fn seconds_of(groups: &[Group], pacing: &Pacing) -> f64 {
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
fn merge(areas: Vec<Group>, pacing: &Pacing) -> Vec<Group> {
    let mut near: Vec<BTreeSet<usize>> = neighbours(&areas);
    let mut groups: Vec<Option<Group>> = areas.into_iter().map(Some).collect();
    let mut heap = BinaryHeap::new();
    let mut steps = 0;
    let mut look = |heap: &mut BinaryHeap<Pair>, groups: &[Option<Group>], a: usize, b: usize| {
        let (Some(x), Some(y)) = (&groups[a], &groups[b]) else { return };
        if steps < MOST_STEPS && x.shares_rows(y) {
            let (saves, looked) = time_saved(x, y, pacing);
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
    while let Some(Pair { saves, groups: (a, b) }) = heap.pop() {
        if groups[a].is_none() || groups[b].is_none() {
            continue;
        }
        let (Some(x), Some(y)) = (groups[a].take(), groups[b].take()) else { continue };
        let new = groups.len();
        let mut around: BTreeSet<usize> = near[a].union(&near[b]).copied().collect();
        around.retain(|n| groups[*n].is_some());
        groups.push(Some(x.with(y, saves, pacing)));
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

#[cfg(test)]
mod tests;
