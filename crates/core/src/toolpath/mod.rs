//! Toolpaths: what the head follows, step by step.
//!
//! A toolpath no longer holds colours, fills or curves other than lines and arcs. Every shape that
//! no step takes is listed; a step that takes nothing is refused.

pub mod hatch;

use crate::artwork::trouble::lines::{self, Lined};
use crate::geometry::{Contour, Point};
use crate::job::{Job, Make, Step};
use crate::layout::{LaidShape, Sheet};
use crate::problem::{Place, Problem, Problems, count, few};
use hatch::Hatch;
use std::collections::BTreeSet;
use std::sync::Arc;

/// What is burnt: a line that is followed, or an area filled with lines.
#[derive(Debug, Clone, PartialEq)]
pub enum Burn {
    /// A line to follow.
    Line(Contour),
    /// Parallel lines in areas.
    Hatch(Hatch),
}

/// One thing to burn.
#[derive(Debug, Clone, PartialEq)]
pub struct Toolpath {
    /// Which step of the job burns it.
    pub step: usize,
    /// What people call it: its shape's id or line.
    pub label: Arc<str>,
    /// What is burnt.
    pub burn: Burn,
}

impl Burn {
    /// Where burning may begin, and where it ends when it begins there.
    #[must_use]
    pub fn ends(&self) -> (Point, Point) {
        match self {
            Self::Line(contour) => (contour.start, contour.end()),
            Self::Hatch(hatch) => hatch.ends(),
        }
    }
}

/// What one step takes.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Taken {
    /// Numbers of the shapes in the sheet.
    pub shapes: Vec<usize>,
}

/// All toolpaths of a job, in the order of its steps, and what was left over.
#[derive(Debug, Clone)]
pub struct Toolpaths {
    /// The toolpaths, grouped by step.
    pub paths: Vec<Toolpath>,
    /// For each step, what it takes.
    pub taken: Vec<Taken>,
    /// Shapes that no step takes: label and colours.
    pub leftovers: Vec<String>,
    /// What is doubtful.
    pub problems: Problems,
}

/// Makes the toolpaths of `steps` (numbers into the job's steps; others are not made).
///
/// # Errors
/// Steps that take nothing, engraving of open shapes, more lines than anyone could mean.
pub fn make(sheet: &Sheet, job: &Job, steps: &[usize]) -> Result<Toolpaths, Problems> {
    let mut problems = Problems::new();
    let taken = select(sheet, job);
    let mut paths = Vec::new();
    for (number, (step, taken)) in job.steps.iter().zip(&taken).enumerate() {
        if taken.shapes.is_empty() {
            problems.push(takes_nothing(sheet, job, step));
        }
        if !steps.contains(&number) {
            continue;
        }
        let shapes: Vec<&LaidShape> = taken.shapes.iter().map(|n| &sheet.shapes[*n]).collect();
        match &step.make {
            Make::Cut | Make::Score => {
                report_lines(&shapes, step, job, &mut problems);
                paths.extend(followed(number, &shapes));
            }
            Make::Engrave(lines) => match hatch::fill(&shapes, lines, step, job) {
                Ok(hatch) => paths.extend(hatch.map(|hatch| Toolpath {
                    step: number,
                    label: step.name.as_str().into(),
                    burn: Burn::Hatch(hatch),
                })),
                Err(problem) => problems.push(problem),
            },
        }
    }
    let leftovers = leftovers(sheet, &taken, &mut problems);
    report_unused_fills(sheet, job, &taken, &mut problems);
    report_cut_before_engrave(job, &mut problems);
    problems.clone().unless_refused(Toolpaths { paths, taken, leftovers, problems })
}

fn followed(step: usize, shapes: &[&LaidShape]) -> Vec<Toolpath> {
    let one = |laid: &&LaidShape| {
        let label: Arc<str> = laid.label().into();
        let path = |contour: &Contour| Toolpath {
            step,
            label: label.clone(),
            burn: Burn::Line(contour.clone()),
        };
        laid.contours.iter().map(path).collect::<Vec<_>>()
    };
    shapes.iter().flat_map(one).collect()
}

/// Warns of lines that the step would burn twice, and of cuts that fall to pieces.
fn report_lines(shapes: &[&LaidShape], step: &Step, job: &Job, problems: &mut Problems) {
    let lined: Vec<Lined<'_>> = shapes
        .iter()
        .map(|laid| Lined {
            shape: &laid.shape,
            contours: &laid.contours,
            label: laid.label(),
            place: laid.place(),
        })
        .collect();
    let lined: Vec<&Lined<'_>> = lined.iter().collect();
    let name = &step.name;
    let twice = |length: &str, _| format!("step \"{name}\" burns {length} mm of line twice");
    let mut found: Vec<Problem> = lines::double_lines(&lined, twice).into_iter().collect();
    if step.make == Make::Cut {
        found.extend(lines::crossing_lines(&lined, &format!("step \"{name}\" cuts: ")));
    }
    found.extend(lines::fine_details(&lined, job.machine.beam.width));
    for problem in found {
        problems.push(problem);
    }
}

/// What every step takes. `rest` means: taken by no step that does not itself ask for the rest.
fn select(sheet: &Sheet, job: &Job) -> Vec<Taken> {
    let takes = |step: &Step, laid: &LaidShape, rest: bool| {
        step.take.iter().any(|take| take.holds(&laid.info(), rest))
    };
    let plain: Vec<&Step> =
        job.steps.iter().filter(|s| !s.take.iter().any(|t| t.asks_for_rest())).collect();
    let mut taken = vec![Taken::default(); job.steps.len()];
    for (n, laid) in sheet.shapes.iter().enumerate() {
        if laid.contours.is_empty() {
            continue;
        }
        let rest = !plain.iter().any(|step| takes(step, laid, false));
        for (step, taken) in job.steps.iter().zip(&mut taken) {
            if takes(step, laid, rest) {
                taken.shapes.push(n);
            }
        }
    }
    taken
}

fn step_place(job: &Job, step: &Step) -> Place {
    Place {
        file: job.file.clone(),
        line: None,
        span: Some(step.span.clone()),
        thing: Some(step.name.clone()),
    }
}

fn paint(laid: &LaidShape) -> String {
    let stroke = laid.shape.stroke.map(|s| format!("stroke {}", s.colour));
    let fill = laid.shape.fill.map(|f| format!("fill {}", f.colour));
    stroke.into_iter().chain(fill).collect::<Vec<_>>().join(", ")
}

fn takes_nothing(sheet: &Sheet, job: &Job, step: &Step) -> Problem {
    let colours: BTreeSet<String> = sheet.shapes.iter().map(paint).collect();
    let colours: Vec<String> = colours.into_iter().collect();
    let asked = step.take.iter().map(|take| take.describe()).collect::<Vec<_>>().join(" or ");
    Problem::error(
        "takes-nothing",
        format!("step \"{}\" takes nothing: no shape has {asked}", step.name),
        format!("the artwork has {}; correct take, or take the step out", few(&colours, 8)),
    )
    .at(step_place(job, step))
}

fn leftovers(sheet: &Sheet, taken: &[Taken], problems: &mut Problems) -> Vec<String> {
    let used: BTreeSet<usize> = taken.iter().flat_map(|t| t.shapes.iter().copied()).collect();
    let left: Vec<&LaidShape> = sheet
        .shapes
        .iter()
        .enumerate()
        .filter(|(n, laid)| !used.contains(n) && !laid.contours.is_empty() && !laid.dropped)
        .map(|(_, laid)| laid)
        .collect();
    let names: Vec<String> =
        left.iter().map(|laid| format!("{} ({})", laid.label(), paint(laid))).collect();
    if let Some(first) = left.first() {
        problems.push(
            Problem::warning(
                "leftover",
                format!("no step takes {}: {}", count(left.len(), "shape"), few(&names, 6)),
                "add a step that takes them, or say leave-out in [[artwork]]",
            )
            .at(first.place())
            .seen_at(
                left.iter().filter_map(|laid| laid.contours.first()).map(|c| c.start).collect(),
            ),
        );
    }
    names
}

/// Says so when a fill is left although the line round it is taken.
fn report_unused_fills(sheet: &Sheet, job: &Job, taken: &[Taken], problems: &mut Problems) {
    let mut engraved: BTreeSet<usize> = BTreeSet::new();
    let mut followed_only: BTreeSet<usize> = BTreeSet::new();
    for (step, taken) in job.steps.iter().zip(taken) {
        match step.make {
            Make::Engrave(_) => engraved.extend(taken.shapes.iter().copied()),
            _ => followed_only.extend(taken.shapes.iter().copied()),
        }
    }
    let both = |laid: &&LaidShape| laid.shape.fill.is_some() && laid.shape.stroke.is_some();
    let left = followed_only.difference(&engraved).map(|n| &sheet.shapes[*n]).filter(both);
    let left: Vec<&LaidShape> = left.collect();
    let Some(first) = left.first() else { return };
    let names: Vec<String> =
        left.iter().map(|laid| format!("{} ({})", laid.label(), paint(laid))).collect();
    problems.push(
        Problem::note(
            "unused-fill",
            format!(
                "no step engraves the fill of {}: {}",
                count(left.len(), "shape"),
                few(&names, 6)
            ),
            "only their lines are burnt; add an engrave step that takes the fill if it is meant",
        )
        .at(first.place())
        .seen_at(left.iter().filter_map(|laid| laid.contours.first()).map(|c| c.start).collect()),
    );
}

fn report_cut_before_engrave(job: &Job, problems: &mut Problems) {
    let first_cut = job.steps.iter().position(|s| s.make == Make::Cut);
    let after =
        first_cut.and_then(|n| job.steps[n..].iter().find(|s| matches!(s.make, Make::Engrave(_))));
    if let (Some(cut), Some(engrave)) = (first_cut, after) {
        problems.push(
            Problem::warning(
                "cut-first",
                format!(
                    "step \"{}\" engraves after \"{}\" has cut: cut parts may have moved by then",
                    engrave.name, job.steps[cut].name
                ),
                "list engraving before cutting",
            )
            .at(step_place(job, engrave)),
        );
    }
}
