//! What a job will do.

use super::table::table;
use super::{ExtentsJson, ProblemJson, micron, problems_json};
use crate::load::Made;
use serde::Serialize;
use std::fmt::Write as _;
use tinkite_core::geometry::Rect;
use tinkite_core::job::Make;
use tinkite_core::quantity::{clock, plain};

#[derive(Debug, Serialize)]
pub(crate) struct PlanJson {
    name: String,
    machine: String,
    extents_mm: Option<ExtentsJson>,
    burn_mm: f64,
    travel_mm: f64,
    seconds: f64,
    steps: Vec<StepJson>,
    leftovers: Vec<String>,
    problems: Vec<ProblemJson>,
}

#[derive(Debug, Serialize)]
struct StepJson {
    name: String,
    make: &'static str,
    shapes: usize,
    paths: usize,
    passes: u32,
    burn_mm: f64,
    travel_mm: f64,
    seconds: f64,
    speed_mm_s: f64,
    power_percent: [f64; 2],
    s: [f64; 2],
}

/// The plan as JSON.
pub(crate) fn json(made: &Made) -> PlanJson {
    let timed = made.compiled.within.timed();
    let totals = &timed.totals;
    let step = |number: &usize| {
        let (step, sums) = (&made.job.steps[*number], &totals.steps[*number]);
        let s = timed.s[*number].0;
        StepJson {
            name: step.name.clone(),
            make: step.make.name(),
            shapes: made.compiled.taken[*number].shapes.len(),
            paths: paths(made, *number),
            passes: step.passes,
            burn_mm: micron(sums.burn),
            travel_mm: micron(sums.travel),
            seconds: micron(sums.seconds),
            speed_mm_s: micron(step.speed.0),
            power_percent: [micron(step.power.0 * 100.0); 2],
            s: [micron(s); 2],
        }
    };
    PlanJson {
        name: made.job.name.clone(),
        machine: made.job.machine.name.clone(),
        extents_mm: totals.burnt.map(ExtentsJson::from),
        burn_mm: micron(totals.burn()),
        travel_mm: micron(totals.travel()),
        seconds: micron(totals.seconds()),
        steps: made.compiled.steps.iter().map(step).collect(),
        leftovers: made.compiled.leftovers.clone(),
        problems: problems_json(&made.compiled.problems),
    }
}

/// Lines to follow, or engraved lines.
fn paths(made: &Made, step: usize) -> usize {
    use tinkite_core::toolpath::Burn;
    let sequence = made.compiled.within.timed().placed.sequence();
    let lines = |burn: &Burn| match burn {
        Burn::Line(_) => 1,
        Burn::Hatch(hatch) => hatch.line_count(),
    };
    sequence.paths().iter().filter(|path| path.step == step).map(|path| lines(&path.burn)).sum()
}

fn span(r: Rect) -> String {
    let n = |v: f64| plain(v, 2);
    format!("X {} to {}, Y {} to {} mm", n(r.x0), n(r.x1), n(r.y0), n(r.y1))
}

/// The plan for people.
pub(crate) fn text(made: &Made) -> String {
    let timed = made.compiled.within.timed();
    let totals = &timed.totals;
    let mut out = format!("{} on {}\n", made.job.name, made.job.machine.name);
    let rows = made.compiled.steps.iter().map(|number| {
        let (step, sums) = (&made.job.steps[*number], &totals.steps[*number]);
        let how = match &step.make {
            Make::Engrave(lines) => format!("engrave, {} mm apart", plain(lines.spacing, 3)),
            other => other.name().to_string(),
        };
        vec![
            (number + 1).to_string(),
            step.name.clone(),
            how,
            made.compiled.taken[*number].shapes.len().to_string(),
            paths(made, *number).to_string(),
            step.passes.to_string(),
            plain(step.speed.0, 2),
            plain(step.power.0 * 100.0, 1),
            plain(timed.s[*number].0, 1),
            format!("{:.0}", sums.burn),
            format!("{:.0}", sums.travel),
            clock(sums.seconds),
        ]
    });
    let header = [
        "",
        "step",
        "make",
        "shapes",
        "lines",
        "passes",
        "mm/s",
        "power %",
        "S",
        "burn mm",
        "beam off mm",
        "time",
    ];
    let _ = writeln!(out, "\n{}\n", table(&header, rows.collect(), &[3, 4, 5, 6, 7, 8, 9, 10, 11]));
    if let Some(burnt) = totals.burnt {
        let _ = writeln!(
            out,
            "  burns    {}, {} x {} mm",
            span(burnt),
            plain(burnt.width(), 2),
            plain(burnt.height(), 2)
        );
    }
    if let Some(worked) = totals.worked.filter(|worked| Some(*worked) != totals.burnt) {
        let _ = writeln!(out, "  run-up   {}", span(worked));
    }
    let _ = writeln!(
        out,
        "  in all   {} mm burnt, {} mm with the beam off, about {}",
        plain(totals.burn(), 0),
        plain(totals.travel(), 0),
        clock(totals.seconds())
    );
    out
}
