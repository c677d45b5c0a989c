//! Lines that are followed: from what was drawn to what the beam walks.

mod bridges;
mod corners;
mod gouge;
mod kerf;
mod nest;
mod seam;
mod shared;
mod starts;

use super::line::Line;
use super::{Burn, Name, Toolpath};
use kerf::Corrected;
use nest::Nest;
use std::sync::Arc;
use tinkite_base::geometry::Contour;
use tinkite_base::problem::{Code, Location, Problem, Problems, count, few};
use tinkite_job::{Corners, Follow, Job, Side, Step};
use tinkite_layout::{LaidShape, LaidStock};

/// Flattening for nesting only needs to tell inside from outside, mm.
const NESTING_TOLERANCE: f64 = 0.05;

/// One drawn line of a step.
struct Drawn {
    contour: Contour,
    name: Arc<Name>,
    /// The closed line of this step that directly contains it.
    parent: Option<usize>,
    /// Which line it is of all that steps of this kind follow.
    number: usize,
    /// Whether it bounds a hole: closed lines round it make an odd number.
    hole: bool,
}

/// What a step does to its lines, and what it may use for that.
pub(super) struct FollowContext<'a> {
    pub(super) number: usize,
    pub(super) step: &'a Step,
    pub(super) follow: &'a Follow,
    pub(super) job: &'a Job,
    /// Everything that steps of this kind take: holes are told from outlines by all of it.
    pub(super) kindred: &'a [&'a LaidShape],
    /// Where lines may lie: on the stock, or the bed, mm.
    pub(super) ground: &'a LaidStock,
}

impl FollowContext<'_> {
    /// A problem of this step.
    fn place(&self) -> Location {
        super::step_place(self.job, self.step)
    }

    /// Whether it matters what is a hole, or whose neighbour a line is.
    fn needs_nest(&self) -> bool {
        let Follow { kerf, side, lead_in, lead_out, corners, .. } = self.follow;
        (*kerf > 0.0 && *side != Side::OnLine)
            || lead_in.is_some()
            || lead_out.is_some()
            || matches!(corners, Some(Corners::Loop(_)))
    }
}

/// The toolpaths of a step that follows lines.
pub(super) fn toolpaths(
    shapes: &[&LaidShape],
    context: &FollowContext<'_>,
    problems: &mut Problems,
) -> Vec<Toolpath> {
    let nest = context.needs_nest().then(|| Nest::of(context.kindred));
    let drawn = lines_of(shapes, nest.as_ref());
    let drawn =
        if context.follow.shared_edges { shared::once(drawn, context, problems) } else { drawn };
    let drawn = seam::once(drawn, context, problems);
    let corrected = kerf::correct(drawn, nest.as_ref(), context, problems);
    corners::tell_inside(&corrected, context, problems);
    let (corrected, loops): (Vec<_>, Vec<_>) =
        corners::loops(corrected, context, problems).into_iter().unzip();
    let bridged = bridges::lay(corrected, context, problems);
    let entries = starts::choose(&bridged, context, problems);
    let follow = context.follow;
    bridged
        .into_iter()
        .zip(entries)
        .zip(loops)
        .map(|(((line, mut bridges), mut entries), loops)| {
            let Corrected { contour, drawn, name, parent, .. } = line;
            let contour = corners::put(contour, &loops, &mut bridges, &mut entries);
            Toolpath {
                depth: 0.0,
                sunk: 0.0,
                step: context.number,
                name,
                parent,
                burn: Burn::Line(Line {
                    overlap: if contour.closed { follow.overlap } else { 0.0 },
                    contour,
                    drawn,
                    bridges,
                    entries,
                    lead_in: None,
                    lead_out: None,
                }),
            }
        })
        .collect()
}

/// The lines of some shapes, each with what lies round it. Holes may be of another colour than the
/// outline, and so of another step: `nest`, where it is needed, holds them all.
fn lines_of(shapes: &[&LaidShape], nest: Option<&Nest<'_>>) -> Vec<Drawn> {
    let own = Nest::of(shapes);
    let numbers = nest.map(|nest| nest.numbers(shapes));
    let names: Vec<Arc<Name>> = shapes.iter().map(|laid| Arc::new(Name::of(laid))).collect();
    let contours = shapes
        .iter()
        .zip(&names)
        .flat_map(|(laid, name)| laid.contours.iter().map(move |c| (c.clone(), name.clone())));
    let mut all = Vec::with_capacity(own.lines.len());
    for (n, (contour, name)) in contours.enumerate() {
        let number = numbers.as_ref().map_or(n, |numbers| numbers[n]);
        let hole = nest.is_some_and(|nest| nest.is_hole(number));
        all.push(Drawn { contour, name, parent: own.parents[n], number, hole });
    }
    all
}

/// For each part of lines that fell apart (so many each) the part that must come after it: parts of
/// one line follow one another, and what contains the line comes after the last, so that "inside
/// first" still holds.
fn parents_of_parts(parents: &[Option<usize>], counts: &[usize]) -> Vec<Option<usize>> {
    let first_of: Vec<usize> =
        counts.iter().scan(0, |next, count| Some(std::mem::replace(next, *next + count))).collect();
    let mut all: Vec<Option<usize>> = Vec::new();
    for (parent, count) in parents.iter().zip(counts) {
        for n in 1..=*count {
            let next = all.len() + 1;
            all.push(if n < *count { Some(next) } else { parent.map(|p| first_of[p]) });
        }
    }
    all
}

/// One problem for many lines.
fn tell(
    kind: fn(Code, String, String) -> Problem,
    code: Code,
    names: &[Arc<Name>],
    message: impl Fn(&str) -> String,
    help: &str,
) -> Option<Problem> {
    let mut names: Vec<String> = names.iter().map(ToString::to_string).collect();
    let all = count(names.len(), "line");
    names.dedup();
    let lines = format!("{all}: {}", few(&names, 6));
    (!names.is_empty()).then(|| kind(code, message(&lines), help.to_string()).naming(names))
}
