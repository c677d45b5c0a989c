//! Edges that neighbouring parts share are followed once.

use super::{Drawn, Setting};
use crate::geometry::Contour;
use crate::geometry::doubles::{doubles, without};
use crate::problem::{Problem, Problems, count};
use crate::quantity::plain;

/// Leaves out what lies on an earlier line. What is left of a line keeps the place of the line in
/// the order of nesting.
pub(super) fn once(
    drawn: Vec<Drawn>,
    setting: &Setting<'_>,
    problems: &mut Problems,
) -> Vec<Drawn> {
    let contours: Vec<Contour> = drawn.iter().map(|line| line.contour.clone()).collect();
    let found = doubles(&contours);
    if found.is_empty() {
        return drawn;
    }
    let left = without(&contours, &found);
    let before: f64 = contours.iter().map(Contour::length).sum();
    let after: f64 = left.iter().flatten().map(Contour::length).sum();
    problems.push(
        Problem::note(
            "shared-edges",
            format!(
                "step \"{}\": {} shared by neighbours followed once, {} mm less",
                setting.step.name,
                count(found.len(), "edge"),
                plain(before - after, 2)
            ),
            "shared-edges asked for it; check the picture",
        )
        .at(setting.place()),
    );
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
    let mut first_of = Vec::with_capacity(left.len());
    let mut next = 0;
    for parts in &left {
        first_of.push(next);
        next += parts.len();
    }
    let mut all = Vec::with_capacity(next);
    for ((line, parts), parent) in drawn.iter().zip(left).zip(parents) {
        let last = parts.len().saturating_sub(1);
        for (n, contour) in parts.into_iter().enumerate() {
            let parent = if n < last { Some(all.len() + 1) } else { parent.map(|p| first_of[p]) };
            all.push(Drawn { contour, label: line.label.clone(), parent, hole: line.hole });
        }
    }
    all
}
