//! Which area a step engraves: inside shapes or outside them, grown, bounded.

use super::{EngraveContext, step_place};
use rayon::prelude::*;
use tinkite_base::geometry::Point;
use tinkite_base::geometry::region::{self, Combine, FillRule};
use tinkite_base::problem::{Code, Problem, count, few};
use tinkite_base::quantity::plain;
use tinkite_job::{Engrave, Overlaps};
use tinkite_layout::LaidShape;

/// An area as rings that neither cross nor overlap.
pub(super) struct RingArea {
    /// What is engraved.
    pub(super) rings: Vec<Vec<Point>>,
    /// What was drawn and grown: shoulders count from its edge.
    pub(super) drawn: Vec<Vec<Point>>,
}

/// Arcs and curves may each stray by the tolerance; half each keeps their sum within it.
pub(super) fn flat(laid: &LaidShape, tolerance: f64) -> Vec<Vec<Point>> {
    laid.contours.iter().map(|c| c.flatten(tolerance / 2.0)).collect()
}

/// What a shape encloses, whatever is painted over it.
pub(super) fn whole(laid: &LaidShape, tolerance: f64) -> Vec<Vec<Point>> {
    region::unite(&flat(laid, tolerance), rule(laid))
}

/// What each of several shapes encloses, as rings that neither cross nor overlap.
fn each(shapes: &[&LaidShape], tolerance: f64) -> Vec<Vec<Vec<Point>>> {
    shapes
        .par_iter()
        .map(|laid| match &laid.shown {
            Some(rings) => rings.to_vec(),
            None => whole(laid, tolerance),
        })
        .collect()
}

/// The fill rule of a shape; a line without a fill encloses what it winds round.
pub(super) fn rule(laid: &LaidShape) -> FillRule {
    laid.shape.fill.map_or(FillRule::NonZero, |fill| fill.rule)
}

/// Whether the shapes as they are drawn are what is engraved.
pub(super) fn is_plain(engrave: &Engrave) -> bool {
    !engrave.outside
        && engrave.boundary.is_empty()
        && engrave.grow == 0.0
        && engrave.overlaps == Overlaps::Union
        && engrave.shoulder.is_none()
}

/// What several shapes enclose together.
pub(super) fn enclose(shapes: &[&LaidShape], tolerance: f64) -> Vec<Vec<Point>> {
    region::unite(&each(shapes, tolerance).concat(), FillRule::NonZero)
}

/// The area of a step.
///
/// # Errors
/// Nothing that bounds an outside, and areas of which nothing is left.
pub(super) fn ground(
    shapes: &[&LaidShape],
    context: &EngraveContext<'_>,
) -> Result<RingArea, Problem> {
    let EngraveContext { engrave, job, step, .. } = context;
    let fail = |code, message: String, help: &str| {
        Err(Problem::error(code, message, help).at(step_place(job, step)))
    };
    let drawn = match engrave.overlaps {
        Overlaps::Union => enclose(shapes, job.tolerance),
        Overlaps::EvenOdd => {
            // Which of them lie over each other is told by the shapes as they are drawn.
            let whole: Vec<Vec<Vec<Point>>> =
                shapes.par_iter().map(|laid| whole(laid, job.tolerance)).collect();
            let drawn = region::unite(&whole.concat(), FillRule::EvenOdd);
            if shapes.iter().any(|laid| laid.shown.is_some()) {
                region::combined(&drawn, &enclose(shapes, job.tolerance), Combine::Overlap)
            } else {
                drawn
            }
        }
    };
    let drawn = region::grow(&drawn, engrave.grow, job.tolerance / 2.0);
    let bound = if !engrave.boundary.is_empty() {
        open_shapes(context.bounds, context)?;
        // It bounds what it did, whatever is painted over it.
        let whole = context.bounds.iter().flat_map(|laid| whole(laid, job.tolerance));
        let bound = region::unite(&whole.collect::<Vec<_>>(), FillRule::NonZero);
        if bound.is_empty() {
            let message = format!("step \"{}\" finds no closed shape for its boundary", step.name);
            return fail(Code::NoBoundary, message, "correct boundary, or take it out");
        }
        Some(bound)
    } else if engrave.outside {
        let Some(stock) = context.stock else {
            let message = format!(
                "step \"{}\" engraves outside its shapes, and nothing says how far",
                step.name
            );
            let help = "name a boundary = { … }, or give [stock]";
            return fail(Code::NoBoundary, message, help);
        };
        Some(stock.rings())
    } else {
        None
    };
    let rings = match (bound, engrave.outside) {
        (Some(bound), true) => region::combined(&bound, &drawn, Combine::Minus),
        (Some(bound), false) => region::combined(&drawn, &bound, Combine::Overlap),
        (None, _) => drawn.clone(),
    };
    if rings.is_empty() {
        let message = format!(
            "step \"{}\" has no area left to engrave{}",
            step.name,
            if engrave.grow < 0.0 {
                format!(" after shrinking by {} mm", plain(-engrave.grow, 3))
            } else {
                String::new()
            }
        );
        return fail(Code::NoArea, message, "check area, boundary and grow; look at the picture");
    }
    Ok(RingArea { rings, drawn })
}

/// Shapes that lie wholly beside the boundary of their step: nothing of them is burnt.
pub(super) fn beside_boundary(
    shapes: &[&LaidShape],
    context: &EngraveContext<'_>,
) -> Option<Problem> {
    let EngraveContext { engrave, job, step, bounds, .. } = context;
    if engrave.outside || bounds.is_empty() {
        return None;
    }
    let bound: Vec<_> = bounds.iter().flat_map(|laid| whole(laid, job.tolerance)).collect();
    let bound = region::unite(&bound, FillRule::NonZero);
    let beside = |laid: &&&LaidShape| {
        region::combined(&whole(laid, job.tolerance), &bound, Combine::Overlap).is_empty()
    };
    let beside: Vec<&LaidShape> = shapes.par_iter().filter(beside).copied().collect();
    if beside.is_empty() {
        return None;
    }
    let names: Vec<String> = beside.iter().map(|laid| laid.label()).collect();
    let message = format!(
        "step \"{}\" burns nothing of {} that {} beside its boundary: {}",
        step.name,
        count(beside.len(), "shape"),
        if beside.len() == 1 { "lies" } else { "lie" },
        few(&names, 6)
    );
    let help = "take them out of take, or choose a larger boundary";
    let spots = beside.iter().filter_map(|laid| laid.contours.first()).map(|c| c.start).collect();
    let problem = Problem::warning(Code::BesideBoundary, message, help).at(step_place(job, step));
    Some(problem.seen_at(spots).naming(names))
}

/// Refuses open lines: they enclose nothing. What is filled is closed by its fill.
pub(super) fn open_shapes(
    shapes: &[&LaidShape],
    context: &EngraveContext<'_>,
) -> Result<(), Problem> {
    let open: Vec<_> =
        shapes.iter().filter(|laid| laid.open && laid.shape.fill.is_none()).collect();
    let Some(first) = open.first() else { return Ok(()) };
    let names: Vec<_> = open.iter().map(|laid| with_gap(laid)).collect();
    let ends = open.iter().flat_map(|laid| &laid.contours).filter(|c| !c.closed).map(|c| c.end());
    Err(Problem::error(
        Code::OpenShape,
        format!(
            "step \"{}\" engraves, but {} not closed: {}",
            context.step.name,
            are(open.len()),
            few(&names, 8)
        ),
        "close them in the drawing program, join small gaps (join-gaps in [[artwork]]), or take only closed ones: take = { kind = \"closed\", … }",
    )
    .at(first.place())
    .seen_at(ends.collect())
    .naming(names))
}

/// A shape's name with the widest gap between the ends of one of its lines.
fn with_gap(laid: &LaidShape) -> String {
    let open = laid.contours.iter().filter(|c| !c.closed);
    let gap = open.map(|c| c.start.distance(c.end())).fold(0.0, f64::max);
    format!("{} (ends {} mm apart)", laid.shape.source.label(), plain(gap, 2))
}

fn are(n: usize) -> String {
    format!("{} {}", count(n, "shape"), if n == 1 { "is" } else { "are" })
}
