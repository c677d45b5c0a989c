//! Kerf: lines moved by half the width that the beam removes, so that parts keep their size.

use super::nest::Nest;
use super::{Drawn, FollowContext, gouge, parents_of_parts, tell};
use crate::Name;
use rayon::prelude::*;
use std::sync::Arc;
use tinkite_base::geometry::Contour;
use tinkite_base::geometry::offset::offset;
use tinkite_base::problem::{Code, Problem, Problems};
use tinkite_base::quantity::plain;
use tinkite_job::Side;

/// A line as the beam's middle walks it.
pub(super) struct Corrected {
    pub(super) contour: Contour,
    /// As it was drawn, where that differs.
    pub(super) drawn: Option<Arc<Contour>>,
    pub(super) name: Arc<Name>,
    /// Which line it is of all that steps of this kind follow.
    pub(super) number: usize,
    /// Whether it bounds a hole.
    pub(super) hole: bool,
    /// The path of this step that must come after it.
    pub(super) parent: Option<usize>,
}

/// Moves closed lines to their side; says which vanish, fall apart, or cannot be moved.
pub(super) fn correct(
    drawn: Vec<Drawn>,
    nest: Option<&Nest<'_>>,
    context: &FollowContext<'_>,
    problems: &mut Problems,
) -> Vec<Corrected> {
    let (kerf, side) = (context.follow.kerf, context.follow.side);
    let keep = |line: Drawn| Corrected {
        contour: line.contour,
        drawn: None,
        name: line.name,
        number: line.number,
        hole: line.hole,
        parent: line.parent,
    };
    if kerf <= 0.0 || side == Side::OnLine {
        return drawn.into_iter().map(keep).collect();
    }
    let outwards = |line: &Drawn| match side {
        Side::Scrap => !line.hole,
        Side::Outside => true,
        Side::Inside | Side::OnLine => false,
    };
    let moved: Vec<Vec<Contour>> = drawn
        .par_iter()
        .map(|line| {
            if !line.contour.closed {
                return vec![line.contour.clone()];
            }
            let by = if outwards(line) { kerf / 2.0 } else { -kerf / 2.0 };
            offset(&line.contour, by)
        })
        .collect();
    report(&drawn, &moved, context, problems);
    if let Some(nest) = nest {
        gouge::tell(&drawn, &moved, nest, context, problems);
    }
    let before: Vec<Option<usize>> = drawn.iter().map(|line| line.parent).collect();
    let counts: Vec<usize> = moved.iter().map(Vec::len).collect();
    let mut parents = parents_of_parts(&before, &counts).into_iter();
    let mut all = Vec::with_capacity(parents.len());
    for (line, parts) in drawn.into_iter().zip(moved) {
        let original = line.contour.closed.then(|| Arc::new(line.contour));
        all.extend(parts.into_iter().zip(&mut parents).map(|(contour, parent)| Corrected {
            contour,
            drawn: original.clone(),
            name: line.name.clone(),
            number: line.number,
            hole: line.hole,
            parent,
        }));
    }
    all
}

fn report(
    drawn: &[Drawn],
    moved: &[Vec<Contour>],
    context: &FollowContext<'_>,
    problems: &mut Problems,
) {
    let which = |holds: fn(&Drawn, &Vec<Contour>) -> bool| -> Vec<Arc<Name>> {
        let lines = drawn.iter().zip(moved).filter(|(line, parts)| holds(line, parts));
        lines.map(|(line, _)| line.name.clone()).collect()
    };
    let spots = |holds: fn(&Drawn, &Vec<Contour>) -> bool| {
        let lines = drawn.iter().zip(moved).filter(|(line, parts)| holds(line, parts));
        lines.map(|(line, _)| line.contour.start).collect::<Vec<_>>()
    };
    let kerf = plain(context.follow.kerf, 3);
    let name = &context.step.name;
    let vanished: fn(&Drawn, &Vec<Contour>) -> bool = |_, parts| parts.is_empty();
    let split: fn(&Drawn, &Vec<Contour>) -> bool = |_, parts| parts.len() > 1;
    let open: fn(&Drawn, &Vec<Contour>) -> bool = |line, _| !line.contour.closed;
    let all = [
        tell(
            Problem::error,
            Code::KerfVanishes,
            &which(vanished),
            |lines| format!("step \"{name}\": a kerf of {kerf} mm leaves nothing of {lines}"),
            "say side = \"on-line\" in a step of its own for what is smaller than the beam, or leave it out",
        )
        .map(|p| p.seen_at(spots(vanished))),
        tell(
            Problem::warning,
            Code::KerfSplits,
            &which(split),
            |lines| format!("step \"{name}\": a kerf of {kerf} mm takes apart {lines}"),
            "a neck there is narrower than the beam; widen it in the drawing",
        )
        .map(|p| p.seen_at(spots(split))),
        tell(
            Problem::warning,
            Code::OpenKerf,
            &which(open),
            |lines| format!("step \"{name}\": kerf cannot be made up for on open lines, {lines}"),
            "close them if they bound a part; a single cut loses half the kerf on either side",
        )
        .map(|p| p.seen_at(spots(open))),
    ];
    for problem in all.into_iter().flatten() {
        problems.push(problem.at(context.place()));
    }
}
