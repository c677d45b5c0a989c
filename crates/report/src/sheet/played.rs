//! The planned run, as the page's script reads it.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use serde::Serialize;
use tinkite_core::geometry::{Point, Rect};
use tinkite_core::picture::{self, PathPass, Playable, STEP_MM, STEP_S};
use tinkite_files::load::Made;

#[derive(Debug, Serialize)]
struct PlayedRun {
    segments: u32,
    step_mm: f64,
    step_s: f64,
    /// Right, away, time, pen and lines.
    columns: Vec<String>,
    pens: Vec<PenJson>,
    parts: Vec<PartJson>,
    steps: Vec<StepJson>,
    /// S at full power.
    full: f64,
    beam_mm: f64,
    seconds: f64,
    lines_before: u32,
    /// Whether the program is one file, so that its lines can be counted.
    numbered: bool,
    field: [f64; 4],
    /// The rings round it, mm.
    stock: Option<Vec<Vec<[f64; 2]>>>,
    shown: [f64; 4],
    zero: [f64; 2],
    axes: Axes,
}

#[derive(Debug, Serialize)]
struct PenJson {
    step: usize,
    s: Option<f64>,
}

#[derive(Debug, Serialize)]
struct PartJson {
    begins: u32,
    step: usize,
    pass: u32,
    path: usize,
    label: String,
    depth_mm: f64,
}

#[derive(Debug, Serialize)]
struct StepJson {
    name: String,
    colour: String,
    speed_mm_s: f64,
    passes: usize,
}

#[derive(Debug, Serialize)]
struct Axes {
    x_reversed: bool,
    y_reversed: bool,
    exchanged: bool,
}

fn corners(r: Rect) -> [f64; 4] {
    [r.x0, r.y0, r.x1, r.y1]
}

impl From<PathPass> for PartJson {
    fn from(part: PathPass) -> Self {
        Self {
            begins: part.begins,
            step: part.of.step,
            pass: part.of.pass,
            path: part.of.path,
            label: part.label,
            depth_mm: part.depth,
        }
    }
}

/// The run as JSON that may stand in a page's script.
pub(super) fn json(made: &Made) -> String {
    let Playable {
        segments,
        columns,
        pens,
        parts,
        lines_before,
        field,
        stock,
        shown,
        zero,
        pointing,
    } = picture::playable(&made.compiled, &made.job);
    let colours = picture::StepColours::of(&made.compiled, &made.job);
    let steps = made.job.steps.iter().enumerate().map(|(n, step)| StepJson {
        name: step.name.clone(),
        colour: colours.step(n).to_string(),
        speed_mm_s: step.passes.iter().map(|pass| pass.speed.0).fold(0.0, f64::max),
        passes: step.passes.len(),
    });
    let run = PlayedRun {
        segments,
        step_mm: STEP_MM,
        step_s: STEP_S,
        columns: columns.iter().map(|column| STANDARD.encode(column)).collect(),
        pens: pens.iter().map(|pen| PenJson { step: pen.step, s: pen.s }).collect(),
        parts: parts.into_iter().map(PartJson::from).collect(),
        steps: steps.collect(),
        full: made.job.machine.beam.full,
        beam_mm: made.job.machine.beam.width,
        seconds: made.compiled.within.planned().totals.seconds(),
        lines_before,
        numbered: made.job.machine.text.largest.is_none(),
        field: corners(field),
        stock: stock.map(|stock| {
            let ring = |ring: Vec<Point>| ring.into_iter().map(|p| [p.x, p.y]).collect();
            stock.rings().into_iter().map(ring).collect()
        }),
        shown: corners(shown),
        zero: [zero.x, zero.y],
        axes: Axes {
            x_reversed: pointing.x_reversed,
            y_reversed: pointing.y_reversed,
            exchanged: pointing.exchanged,
        },
    };
    // Nothing in it may end the script that it stands in.
    let text = serde_json::to_string(&run).unwrap_or_default();
    text.replace('<', "\\u003c")
}
