//! What is told about steps and what they take.

use super::{Leftover, Taken, area, step_place};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use tinkite_artwork::Shape;
use tinkite_artwork::trouble::lines::{self, Lined, Together};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::region;
use tinkite_base::problem::{Code, Problem, Problems, count, few, nearest};
use tinkite_base::quantity::plain;
use tinkite_job::{Job, Operation, Order, Step};
use tinkite_layout::{LaidImage, LaidShape, Sheet};

/// Warns of lines that the step would burn twice, and of cuts that fall to pieces.
pub(super) fn lines(shapes: &[&LaidShape], step: &Step, job: &Job, problems: &mut Problems) {
    let lined: Vec<Lined<'_>> = shapes.iter().map(|laid| laid.lines()).collect();
    let lined: Vec<&Lined<'_>> = lined.iter().collect();
    let name = &step.name;
    let twice = |length: &str, _| format!("step \"{name}\" burns {length} mm of line twice");
    let shared = step.operation.follow().is_some_and(|follow| follow.shared_edges);
    let mut found: Vec<Problem> = Vec::new();
    let together = Together::of(&lined);
    if !shared {
        found.extend(lines::double_lines(&together, twice));
    }
    if step.operation.is_cut() {
        let whose = format!("step \"{name}\" cuts: ");
        found.extend(lines::crossing_lines(&together, &whose, |_, _| true));
    }
    found.extend(lines::fine_details(&lined, job.machine.beam.width));
    for problem in found {
        problems.push(problem);
    }
}

/// Warns of lines that one step cuts across the lines of another; what one step cuts across its own is told with that.
pub(super) fn crossing_steps(
    sheet: &Sheet,
    job: &Job,
    cutting: &[(usize, Taken)],
    problems: &mut Problems,
) {
    let mut steps_of: BTreeMap<usize, BTreeSet<usize>> = BTreeMap::new();
    for (step, taken) in cutting {
        taken.shapes.iter().for_each(|n| {
            steps_of.entry(*n).or_default().insert(*step);
        });
    }
    let owners: Vec<&BTreeSet<usize>> = steps_of.values().collect();
    let lined: Vec<Lined<'_>> = steps_of.keys().map(|n| sheet.shapes[*n].lines()).collect();
    let lined: Vec<&Lined<'_>> = lined.iter().collect();
    let names: Vec<String> =
        cutting.iter().map(|(n, _)| format!("\"{}\"", job.steps[*n].name)).collect();
    let whose = format!("steps {} cut: ", few(&names, 6));
    let apart = |a: usize, b: usize| a != b && owners[a].is_disjoint(owners[b]);
    for problem in lines::crossing_lines(&Together::of(&lined), &whose, apart) {
        problems.push(problem);
    }
}

/// Warns of ids that the order of a step lists and that none of its shapes has.
pub(super) fn unknown_ids(shapes: &[&LaidShape], step: &Step, job: &Job, problems: &mut Problems) {
    let Order::Listed(listed) = &step.order else { return };
    let known = || shapes.iter().flat_map(|laid| laid.shape.source.names());
    let unknown: Vec<String> = listed
        .iter()
        .filter(|id| !known().any(|known| known == id.as_str()))
        .map(|id| match nearest(id, known()) {
            Some(near) => format!("\"{id}\" (did you mean \"{near}\"?)"),
            None => format!("\"{id}\""),
        })
        .collect();
    if unknown.is_empty() {
        return;
    }
    let message = format!(
        "order in step \"{}\" lists {} that none of its shapes has: {}",
        step.name,
        count(unknown.len(), "id"),
        few(&unknown, 6)
    );
    let help = "correct it, or take it out; what is not listed comes last";
    let warning = Problem::warning(Code::UnknownId, message, help).at(step_place(job, step));
    problems.push(warning.naming(unknown));
}

fn paint(laid: &LaidShape) -> String {
    let stroke = laid.shape.stroke.map(|s| format!("stroke {}", s.colour));
    let fill = laid.shape.fill.map(|f| format!("fill {}", f.colour));
    stroke.into_iter().chain(fill).collect::<Vec<_>>().join(", ")
}

/// Whether a shape is white alone, or nearly, which is bare stock.
fn is_bare(shape: &Shape) -> bool {
    let light = |colour: Colour| colour == Colour::WHITE || colour.is_nearly_white();
    let bare = |colour: Option<Colour>| colour.is_none_or(light);
    bare(shape.fill.map(|fill| fill.colour)) && bare(shape.stroke.map(|stroke| stroke.colour))
}

/// A step of which nothing comes.
pub(super) fn takes_nothing(sheet: &Sheet, job: &Job, step: &Step) -> Problem {
    let can = sheet.takeable().instead_of(&step.take.iter().collect::<Vec<_>>());
    let asked = step.take.iter().map(|take| take.describe()).collect::<Vec<_>>().join(" or ");
    Problem::error(
        Code::TakesNothing,
        format!("step \"{}\" takes nothing: no shape has {asked}", step.name),
        format!("{can}; correct take, or take the step out"),
    )
    .at(step_place(job, step))
}

/// What no step takes, nor uses as a boundary: told, and handed on.
pub(super) fn leftovers(
    sheet: &Sheet,
    job: &Job,
    taken: &[Taken],
    problems: &mut Problems,
) -> Vec<Leftover> {
    let used: BTreeSet<usize> = taken.iter().flat_map(|t| t.shapes.iter().copied()).collect();
    let bounds = |laid: &LaidShape| {
        let engraves = job.steps.iter().filter_map(|step| step.operation.engrave());
        engraves.flat_map(|e| &e.boundary).any(|take| take.holds(&laid.info(), false))
    };
    let left: Vec<&LaidShape> = sheet
        .shapes
        .iter()
        .enumerate()
        .filter(|(n, laid)| !used.contains(n) && !laid.contours.is_empty() && !laid.dropped)
        .map(|(_, laid)| laid)
        .filter(|laid| !bounds(laid))
        .collect();
    let leftover = |laid: &&LaidShape| Leftover {
        place: laid.place(),
        copy: laid.number + 1,
        paint: paint(laid),
        label: laid.label(),
    };
    let mut all: Vec<Leftover> = left.iter().map(leftover).collect();
    let burnt: BTreeSet<usize> = taken.iter().flat_map(|t| t.images.iter().copied()).collect();
    for (_, laid) in sheet.images.iter().enumerate().filter(|(n, _)| !burnt.contains(n)) {
        all.push(Leftover {
            place: laid.place(),
            copy: laid.number + 1,
            paint: "bitmap".into(),
            label: laid.label(),
        });
        problems.push(
            Problem::warning(
                Code::Leftover,
                format!("no step takes the bitmap {}", laid.label()),
                "add a step with take = { kind = \"bitmap\" } and image = { … }, trace it, or say leave-out = [{ kind = \"bitmap\" }]",
            )
            .at(laid.place()),
        );
    }
    // White is bare stock; the list has it all the same.
    let (left, bare): (Vec<_>, Vec<_>) = left.into_iter().partition(|laid| !is_bare(&laid.shape));
    if let Some(first) = bare.first() {
        let message = format!("{} in white alone: bare stock", count(bare.len(), "shape"));
        let help = "what lies under them is not engraved";
        problems.push(Problem::note(Code::Leftover, message, help).at(first.place()));
    }
    let names: Vec<String> = left.iter().map(|laid| leftover(laid).to_string()).collect();
    if let Some(first) = left.first() {
        problems.push(
            Problem::warning(
                Code::Leftover,
                format!("no step takes {}: {}", count(left.len(), "shape"), few(&names, 6)),
                "add a step that takes them, or say leave-out in [[artwork]]",
            )
            .at(first.place())
            .seen_at(
                left.iter().filter_map(|laid| laid.contours.first()).map(|c| c.start).collect(),
            )
            .naming(names),
        );
    }
    all
}

/// Says so when a fill is left although the line round it is taken.
pub(super) fn unused_fills(sheet: &Sheet, job: &Job, taken: &[Taken], problems: &mut Problems) {
    let mut engraved: BTreeSet<usize> = BTreeSet::new();
    let mut followed_only: BTreeSet<usize> = BTreeSet::new();
    for (step, taken) in job.steps.iter().zip(taken) {
        match step.operation {
            Operation::Engrave(_) => engraved.extend(taken.shapes.iter().copied()),
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
            Code::UnusedFill,
            format!(
                "no step engraves the fill of {}: {}",
                count(left.len(), "shape"),
                few(&names, 6)
            ),
            "only their lines are burnt; add an engrave step that takes the fill if it is meant",
        )
        .at(first.place())
        .seen_at(left.iter().filter_map(|laid| laid.contours.first()).map(|c| c.start).collect())
        .naming(names),
    );
}

/// Says so when a line in a colour of its own is left although its fill is taken.
pub(super) fn unused_lines(sheet: &Sheet, job: &Job, taken: &[Taken], problems: &mut Problems) {
    let mut steps_of: BTreeMap<usize, Vec<&Step>> = BTreeMap::new();
    for (step, taken) in job.steps.iter().zip(taken) {
        taken.shapes.iter().for_each(|n| steps_of.entry(*n).or_default().push(step));
    }
    let left: Vec<&LaidShape> = steps_of
        .iter()
        .filter(|(_, steps)| steps.iter().all(|step| step.operation.follow().is_none()))
        .filter(|(n, steps)| job.leaves_line(&sheet.shapes[**n].info(), steps.iter().copied()))
        .map(|(n, _)| &sheet.shapes[*n])
        .collect();
    let Some(first) = left.first() else { return };
    let names: Vec<String> =
        left.iter().map(|laid| format!("{} ({})", laid.label(), paint(laid))).collect();
    let message =
        format!("no step burns the line of {}: {}", count(left.len(), "shape"), few(&names, 6));
    let help = "only their fill is burnt; add a step that takes the stroke (take = { rest = true } takes what is left), or paint = [{ take = …, stroke = \"none\" }] in [[artwork]]";
    let spots = left.iter().filter_map(|laid| laid.contours.first()).map(|c| c.start).collect();
    let problem = Problem::warning(Code::UnusedLine, message, help).at(first.place());
    problems.push(problem.seen_at(spots).naming(names));
}

/// Doubts colours that look white and are burnt with full power.
pub(super) fn nearly_white(shapes: &[&LaidShape], step: &Step, job: &Job) -> Option<Problem> {
    let burnt = |laid: &&&LaidShape| match step.operation {
        Operation::Engrave(_) => laid.shape.fill.map(|fill| fill.colour),
        _ => laid.shape.stroke.map(|stroke| stroke.colour),
    };
    let light: Vec<(&LaidShape, Colour)> = shapes
        .iter()
        .filter_map(|laid| Some((*laid, burnt(&laid).filter(|c| c.is_nearly_white())?)))
        .collect();
    let (first, _) = light.first()?;
    let mut names: Vec<String> = light
        .iter()
        .map(|(laid, colour)| {
            let share = plain(100.0 * colour.lightness(), 1);
            format!("{} ({colour}, {share} % as light as paper)", laid.label())
        })
        .collect();
    names.dedup();
    let message = format!(
        "step \"{}\" burns {} that {} white: {}",
        step.name,
        count(light.len(), "shape"),
        if light.len() == 1 { "looks" } else { "look" },
        few(&names, 4)
    );
    let help = "where it is paper, leave it out of take: paint = [{ take = …, fill = \"white\" }] in [[artwork]] makes it bare stock";
    let place = step_place(job, step);
    let problem = Problem::warning(Code::NearlyWhite, message, help).at(place);
    Some(
        problem
            .seen_at(first.contours.first().map(|c| c.start).into_iter().collect())
            .naming(names),
    )
}

/// Warns of engraving after cutting, of the chosen steps.
pub(super) fn cut_before_engrave(job: &Job, steps: &[usize], problems: &mut Problems) {
    let chosen = || steps.iter().map(|n| &job.steps[*n]);
    let engraves = |step: &&Step| matches!(step.operation, Operation::Engrave(_));
    let first_cut = chosen().find(|step| step.operation.is_cut());
    let after = chosen().skip_while(|step| !step.operation.is_cut()).find(engraves);
    if let (Some(cut), Some(engrave)) = (first_cut, after) {
        problems.push(
            Problem::warning(
                Code::CutFirst,
                format!(
                    "step \"{}\" engraves after \"{}\" has cut: cut parts may have moved by then",
                    engrave.name, cut.name
                ),
                "list engraving before cutting",
            )
            .at(step_place(job, engrave)),
        );
    }
}

/// A bitmap in which nothing is dark enough to burn.
pub(super) fn blank(laid: &LaidImage, step: &Step, job: &Job) -> Problem {
    Problem::warning(
        Code::BlankBitmap,
        format!("step \"{}\": nothing in {} is dark enough to burn", step.name, laid.label()),
        "check brightness, contrast, threshold and invert",
    )
    .at(step_place(job, step))
}

/// What is not engraved of the shapes of a step because later paint lies over it: by how many mm².
pub(super) fn covered_shapes(shapes: &[&LaidShape], step: &Step, job: &Job) -> Option<Problem> {
    let covered: Vec<_> = shapes.iter().filter(|laid| laid.shown.is_some()).collect();
    let whole = |laid: &LaidShape| region::area(&area::whole(laid, job.tolerance));
    let left = |laid: &LaidShape| laid.shown.as_ref().map_or(0.0, |rings| region::area(rings));
    let hidden: f64 = covered.par_iter().map(|laid| whole(laid) - left(laid)).sum();
    let first = covered.first()?;
    let names: Vec<_> = covered.iter().map(|laid| laid.shape.source.label()).collect();
    let message = format!(
        "step \"{}\": {} mm² of {} lie under other paint and are not engraved: {}",
        step.name,
        plain(hidden, 1),
        count(covered.len(), "shape"),
        few(&names, 3)
    );
    let help =
        "what shows on the page is engraved; under = \"keep\" in [[artwork]] engraves all of it";
    Some(Problem::note(Code::Covered, message, help).at(first.place()).naming(names))
}
