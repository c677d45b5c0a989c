//! Order: which path after which, from where and which way round.
//!
//! Steps run as listed. Inside a step what lies inside a closed line comes before that line, and
//! travel is kept short: a closed line may start at any of its vertices, an open one at either end.
//! Effort is bounded by counted steps, never by the clock, so the same job always gives the same
//! order.

mod improve;
mod tour;

use crate::geometry::nesting::parents;
use crate::geometry::region::Polygon;
use crate::geometry::{Contour, Point};
use crate::job::{Job, Order};
use crate::toolpath::{Burn, Toolpath};
use rayon::prelude::*;
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

/// Flattening for nesting only needs to tell inside from outside, mm.
const NESTING_TOLERANCE: f64 = 0.05;

/// Arranges `paths` (grouped by step) for a head that begins at `start`.
#[must_use]
pub fn arrange(paths: Vec<Toolpath>, job: &Job, start: Point) -> Sequence {
    let mut at = start;
    let mut done: Vec<Toolpath> = Vec::with_capacity(paths.len());
    let mut rest = paths.into_iter().peekable();
    while let Some(first) = rest.next() {
        let step = first.step;
        let mut group = vec![first];
        while let Some(path) = rest.next_if(|path| path.step == step) {
            group.push(path);
        }
        done.extend(arrange_step(group, job.steps[step].order, at));
        at = done.last().map_or(at, |path| path.burn.ends().1);
    }
    Sequence { paths: done }
}

fn arrange_step(group: Vec<Toolpath>, order: Order, start: Point) -> Vec<Toolpath> {
    let stops: Vec<Stop> = group.par_iter().map(|path| stop(&path.burn)).collect();
    let before = match order {
        Order::HolesFirst => nesting(&group),
        Order::AsDrawn | Order::Nearest => vec![None; group.len()],
    };
    let visits = match order {
        Order::AsDrawn => (0..group.len()).map(|stop| Visit { stop, entry: 0 }).collect(),
        Order::HolesFirst | Order::Nearest => {
            let visits = tour::greedy(&stops, &before, start);
            improve::shorten(&stops, &before, start, visits)
        }
    };
    let mut group: Vec<Option<Toolpath>> = group.into_iter().map(Some).collect();
    visits
        .into_iter()
        .filter_map(|visit| {
            let mut path = group[visit.stop].take()?;
            if let Burn::Line(contour) = path.burn {
                path.burn = Burn::Line(entered(contour, visit.entry));
            }
            Some(path)
        })
        .collect()
}

fn stop(burn: &Burn) -> Stop {
    match burn {
        Burn::Line(contour) if contour.closed => Stop::loop_through(contour.vertices().collect()),
        Burn::Line(contour) => Stop::line(contour.start, contour.end(), true),
        Burn::Hatch(hatch) => {
            let (start, end) = hatch.ends();
            Stop::line(start, end, false)
        }
    }
}

fn entered(contour: Contour, entry: usize) -> Contour {
    if contour.closed {
        contour.starting_at(entry)
    } else if entry == 1 {
        contour.reversed()
    } else {
        contour
    }
}

/// For each path the closed line that directly contains it and so must come later.
fn nesting(group: &[Toolpath]) -> Vec<Option<usize>> {
    // Open lines may lie inside a part as well, and must be burnt before it drops out.
    let polygons: Vec<Polygon> = group
        .par_iter()
        .map(|path| match &path.burn {
            Burn::Line(contour) => Polygon::new(contour.flatten(NESTING_TOLERANCE)),
            Burn::Hatch(_) => Polygon::new(Vec::new()),
        })
        .collect();
    let closed = |n: usize| matches!(&group[n].burn, Burn::Line(contour) if contour.closed);
    parents(&polygons, closed)
}
