//! Order: which path after which, from where and which way round.
//!
//! Steps run as listed. Inside a step what lies inside a closed line comes before that line, and
//! travel is kept short: a closed line may start at any of its vertices or where its arcs were given places, an open one at
//! either end.
//! Effort is bounded by counted steps, never by the clock, so the same job always gives the same
//! order.

mod entries;
mod exact;
mod improve;
mod tour;

use crate::line::{Entry, Line};
use crate::{Burn, Toolpath};
use rayon::prelude::*;
use std::collections::BTreeMap;
use tinkite_base::geometry::{Contour, Point};
use tinkite_job::{Advance, Fill, Job, Order, PassesBy, Step};
use tour::{Stop, Visit};

/// Toolpaths in the order in which they are run. There is no choice left in it.
#[derive(Debug, Clone)]
pub struct Sequence {
    paths: Vec<Toolpath>,
}

impl Sequence {
    /// The paths, in running order.
    #[must_use]
    pub fn paths(&self) -> &[Toolpath] {
        &self.paths
    }
}

/// Arranges `paths` (grouped by step) for a head that begins at `start`.
#[must_use]
pub fn arrange(paths: Vec<Toolpath>, job: &Job, start: Point) -> Sequence {
    let mut at = start;
    let all = paths.len();
    let mut done: Vec<Toolpath> = Vec::with_capacity(all);
    let mut rest = paths.into_iter().peekable();
    while let Some(first) = rest.next() {
        let step = first.step;
        let mut group = vec![first];
        while let Some(path) = rest.next_if(|path| path.step == step) {
            group.push(path);
        }
        done.extend(arrange_step(group, &job.steps[step], at, all));
        at = done.last().map_or(at, |path| left_at(&path.burn, &job.steps[step]));
    }
    Sequence { paths: done }
}

/// `all` is how many paths the whole job has.
fn arrange_step(group: Vec<Toolpath>, step: &Step, start: Point, all: usize) -> Vec<Toolpath> {
    let stops: Vec<Stop> = group.par_iter().map(|path| stop(&path.burn, step)).collect();
    let nested = || group.iter().map(|path| path.parent).collect::<Vec<_>>();
    let free = || vec![None; group.len()];
    let shortest = |before: &[Option<usize>], start| {
        let visits = tour::greedy(&stops, before, start);
        let visits = improve::shorten(&stops, before, start, visits, all);
        exact::shortest(&stops, before, start, visits)
    };
    let in_turn = |order: &[usize]| {
        let mut at = start;
        let mut visits = Vec::with_capacity(order.len());
        for stop in order {
            let visit = stops[*stop].best_entry(*stop, at, None);
            at = stops[*stop].exit(visit);
            visits.push(visit);
        }
        visits
    };
    let rings = step.operation.engrave().is_some_and(|e| matches!(e.fill, Fill::Rings(_)));
    let outwards = matches!(
        step.operation.engrave().map(|e| &e.fill),
        Some(Fill::Rings(rings)) if rings.outwards
    );
    // Layers lie under each other.
    let layers = step.operation.engrave().is_some_and(|e| matches!(e.fill, Fill::Relief(_)));
    let visits = if layers {
        in_turn(&(0..group.len()).collect::<Vec<_>>())
    } else if rings {
        let mut visits = shortest(&nested(), start);
        if !outwards {
            // From the outline to the middle is from the middle to the outline, backwards.
            visits.reverse();
        }
        visits
    } else {
        match &step.order {
            Order::AsDrawn => {
                let drawn = (0..group.len()).map(|stop| Visit { stop, entry: 0 });
                return in_order(group, drawn);
            }
            Order::HolesFirst => shortest(&nested(), start),
            Order::Nearest => shortest(&free(), start),
            Order::PartByPart => part_by_part(&group, &stops, start, all),
            Order::Towards(edge) => in_turn(&towards(*edge, &group, &stops)),
            Order::Listed(ids) => list(&group, ids, &stops, start, all),
        }
    };
    in_order(group, entries::shortest(&stops, start, visits))
}

/// The paths as they are visited.
fn in_order(group: Vec<Toolpath>, visits: impl IntoIterator<Item = Visit>) -> Vec<Toolpath> {
    let mut group: Vec<Option<Toolpath>> = group.into_iter().map(Some).collect();
    visits
        .into_iter()
        .filter_map(|visit| {
            let mut path = group[visit.stop].take()?;
            path.burn = enter(path.burn, visit.entry);
            Some(path)
        })
        .collect()
}

/// Whether an open line of a step is left where it was begun: it is walked there and back.
fn ends_where_it_began(step: &Step) -> bool {
    step.passes_by == PassesBy::Path && step.passes.len().is_multiple_of(2)
}

/// Where the head is after all passes over a path.
fn left_at(burn: &Burn, step: &Step) -> Point {
    let (start, end) = burn.ends();
    match burn {
        Burn::Line(line) if !line.contour.closed && ends_where_it_began(step) => start,
        _ => end,
    }
}

fn stop(burn: &Burn, step: &Step) -> Stop {
    let line = match burn {
        Burn::Rows(rows) => {
            let (start, end) = rows.ends();
            return Stop::line(start, end, false);
        }
        Burn::Line(line) => line,
    };
    let contour = &line.contour;
    if !contour.closed {
        // There and back ends where it began.
        return if ends_where_it_began(step) {
            Stop::loop_through(vec![contour.start, contour.end()])
        } else {
            Stop::line(contour.start, contour.end(), true)
        };
    }
    if line.entries.is_empty() {
        return Stop::loop_through(contour.vertices().collect());
    }
    let place = |at: f64| contour.at(at.rem_euclid(contour.length())).0;
    let led = |entry: &Entry| entry.lead_in.is_some() || entry.lead_out.is_some();
    if line.overlap == 0.0 && !line.entries.iter().any(led) {
        return Stop::loop_through(line.entries.iter().map(|entry| place(entry.at)).collect());
    }
    let (entries, exits) = line
        .entries
        .iter()
        .map(|entry| {
            let start = entry.lead_in.as_ref().map_or_else(|| place(entry.at), |lead| lead.start);
            let left = || place(entry.at + line.overlap);
            (start, entry.lead_out.as_ref().map_or_else(left, Contour::end))
        })
        .unzip();
    Stop::loop_between(entries, exits)
}

fn enter(burn: Burn, entry: usize) -> Burn {
    let Burn::Line(line) = burn else { return burn };
    let contour = &line.contour;
    Burn::Line(if contour.closed && line.entries.is_empty() {
        if entry == 0 || entry >= contour.pieces.len() {
            return Burn::Line(line);
        }
        Line { contour: line.contour.starting_at(entry), ..line }
    } else if contour.closed {
        line.enter_at(entry)
    } else if entry == 1 {
        Line { contour: contour.reversed(), ..line }
    } else {
        line
    })
}

/// For each path the outermost path round it.
fn roots(group: &[Toolpath]) -> Vec<usize> {
    let outermost =
        |n: usize| std::iter::successors(Some(n), |n| group[*n].parent).last().unwrap_or(n);
    (0..group.len()).map(outermost).collect()
}

/// Each outermost line with all that lies in it is finished before the next begins; parts follow
/// one another by short travel.
fn part_by_part(group: &[Toolpath], stops: &[Stop], start: Point, all: usize) -> Vec<Visit> {
    let mut parts: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (n, root) in roots(group).into_iter().enumerate() {
        parts.entry(root).or_default().push(n);
    }
    let roots: Vec<usize> = parts.keys().copied().collect();
    let outlines: Vec<Stop> = roots.iter().map(|root| stops[*root].clone()).collect();
    let free = vec![None; roots.len()];
    let tour =
        improve::shorten(&outlines, &free, start, tour::greedy(&outlines, &free, start), all);
    let mut at = start;
    let mut visits = Vec::with_capacity(group.len());
    for root in tour.iter().map(|visit| roots[visit.stop]) {
        at = visit_some(group, stops, &parts[&root], at, &mut visits, all);
    }
    visits
}

/// By how near to the opposite edge each outermost part begins; in a part, what lies inside first.
fn towards(edge: Advance, group: &[Toolpath], stops: &[Stop]) -> Vec<usize> {
    let way = |p: Point| match edge {
        Advance::Upwards => p.y,
        Advance::Downwards => -p.y,
        Advance::Rightwards => p.x,
        Advance::Leftwards => -p.x,
    };
    let begins = |n: usize| stops[n].least_of(way);
    let roots = roots(group);
    let depth = |n: usize| std::iter::successors(group[n].parent, |n| group[*n].parent).count();
    let keys: Vec<(f64, usize, usize, f64)> = (0..group.len())
        .map(|n| (begins(roots[n]), roots[n], usize::MAX - depth(n), begins(n)))
        .collect();
    let mut order: Vec<usize> = (0..group.len()).collect();
    order.sort_by(|a, b| {
        let (a, b) = (&keys[*a], &keys[*b]);
        a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2)).then(a.3.total_cmp(&b.3))
    });
    order
}

/// What is listed by its id, in that order and its own lines by nesting; then everything else.
fn list(
    group: &[Toolpath],
    ids: &[String],
    stops: &[Stop],
    start: Point,
    all: usize,
) -> Vec<Visit> {
    let rank: Vec<usize> = group
        .iter()
        .map(|path| {
            let own = &path.name.called;
            ids.iter().position(|listed| own.contains(listed)).unwrap_or(ids.len())
        })
        .collect();
    let mut at = start;
    let mut visits = Vec::with_capacity(group.len());
    for turn in 0..=ids.len() {
        let members: Vec<usize> = (0..group.len()).filter(|n| rank[*n] == turn).collect();
        at = visit_some(group, stops, &members, at, &mut visits, all);
    }
    visits
}

/// Adds visits of some of the paths, what lies inside first and travel short; where the head is
/// then.
fn visit_some(
    group: &[Toolpath],
    stops: &[Stop],
    members: &[usize],
    at: Point,
    visits: &mut Vec<Visit>,
    all: usize,
) -> Point {
    let within: BTreeMap<usize, usize> =
        members.iter().enumerate().map(|(n, member)| (*member, n)).collect();
    let own: Vec<Stop> = members.iter().map(|member| stops[*member].clone()).collect();
    // Through lines that are not among these nesting still holds.
    let parent = |member: &usize| {
        std::iter::successors(group[*member].parent, |n| group[*n].parent)
            .find_map(|parent| within.get(&parent).copied())
    };
    let before: Vec<Option<usize>> = members.iter().map(parent).collect();
    let inner = improve::shorten(&own, &before, at, tour::greedy(&own, &before, at), all);
    visits.extend(inner.iter().map(|visit| Visit { stop: members[visit.stop], ..*visit }));
    inner.last().map_or(at, |last| own[last.stop].exit(*last))
}
