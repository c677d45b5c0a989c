//! Edges that neighbouring parts share are followed once.

use super::{Drawn, FollowContext, parents_of_parts};
use tinkite_artwork::trouble::lines::too_many;
use tinkite_base::geometry::Contour;
use tinkite_base::geometry::duplicates::{Duplicate, duplicates, without};
use tinkite_base::geometry::near::Findings;
use tinkite_base::problem::{Code, Problem, Problems, count};
use tinkite_base::quantity::plain;

/// Leaves out what lies on an earlier line.
pub(super) fn once(
    drawn: Vec<Drawn>,
    context: &FollowContext<'_>,
    problems: &mut Problems,
) -> Vec<Drawn> {
    let Findings { found, complete } = duplicates(&contours(&drawn));
    if !complete {
        problems.push(too_many("shared edges", context.place()));
    }
    if found.is_empty() {
        return drawn;
    }
    let length = |lines: &[Drawn]| lines.iter().map(|line| line.contour.length()).sum::<f64>();
    let before = length(&drawn);
    let left = leave_out(drawn, &found);
    let after = length(&left);
    problems.push(
        Problem::note(
            Code::SharedEdges,
            format!(
                "step \"{}\": {} shared by neighbours followed once, {} mm less",
                context.step.name,
                count(found.len(), "edge"),
                plain(before - after, 2)
            ),
            "shared-edges asked for it; check the picture",
        )
        .at(context.place()),
    );
    left
}

/// The lines as they were drawn.
pub(super) fn contours(drawn: &[Drawn]) -> Vec<Contour> {
    drawn.iter().map(|line| line.contour.clone()).collect()
}

/// Leaves stretches out. What is left of a line keeps the place of the line in the order of nesting.
pub(super) fn leave_out(drawn: Vec<Drawn>, found: &[Duplicate]) -> Vec<Drawn> {
    let left = without(&contours(&drawn), found);
    // A line of which nothing is left hands its place on to what contains it.
    let parent_of = |n: usize| {
        let mut parent = drawn[n].parent;
        while let Some(p) = parent
            && left[p].is_empty()
        {
            parent = drawn[p].parent;
        }
        parent
    };
    let parents: Vec<Option<usize>> = (0..drawn.len()).map(parent_of).collect();
    let counts: Vec<usize> = left.iter().map(Vec::len).collect();
    let mut parents = parents_of_parts(&parents, &counts).into_iter();
    let mut all = Vec::with_capacity(parents.len());
    for (line, parts) in drawn.iter().zip(left) {
        all.extend(parts.into_iter().zip(&mut parents).map(|(contour, parent)| Drawn {
            contour,
            name: line.name.clone(),
            parent,
            number: line.number,
            hole: line.hole,
        }));
    }
    all
}
