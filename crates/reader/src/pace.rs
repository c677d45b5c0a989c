//! What a machine's runs say of its acceleration and its corners.

use super::measure::Measure;
use rayon::prelude::*;
use tinkite_machine::Machine;
use tinkite_machine::motion::fit::{Fitted, Unknowns, fitted};

/// A run whose steps were timed.
#[derive(Debug, Clone)]
pub struct TimedRun {
    /// The program that was run.
    pub program: Vec<u8>,
    /// Diameter of what the rotary held, mm.
    pub diameter: Option<f64>,
    /// Steps that were timed.
    pub steps: Vec<TimedStep>,
}

/// A step of a run.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TimedStep {
    /// Its first line, from 1.
    pub from: u32,
    /// The line behind its last one.
    pub to: u32,
    /// How long it took, s.
    pub seconds: f64,
}

/// Fits acceleration and junction deviation of `machine` to how long the steps of `runs` took, in their order.
/// None where that is less than three steps.
#[must_use]
pub fn fit(machine: &Machine, runs: &[TimedRun]) -> Option<Fitted> {
    let taken: Vec<f64> = runs.iter().flat_map(|run| &run.steps).map(|step| step.seconds).collect();
    let profile = Unknowns { acceleration: 1.0, corner: machine.junction_deviation };
    fitted(&taken, profile, |unknowns| {
        let changed = with(machine, unknowns);
        runs.par_iter().flat_map_iter(|run| planned_seconds(run, &changed)).collect()
    })
}

/// A machine that accelerates and takes corners otherwise.
fn with(machine: &Machine, unknowns: Unknowns) -> Machine {
    let mut changed = machine.clone();
    changed.x.acceleration *= unknowns.acceleration;
    changed.y.acceleration *= unknowns.acceleration;
    changed.junction_deviation = unknowns.corner;
    changed
}

/// How long each step is planned to take on a machine, s.
fn planned_seconds(run: &TimedRun, machine: &Machine) -> Vec<f64> {
    let mut measure = Measure::new("", Some(machine), run.diameter).anywhere();
    let stand_in = machine.rotary.filter(|rotary| rotary.per_turn.is_some());
    if let (Some(rotary), Some(_)) = (stand_in, run.diameter) {
        measure = measure.turning(rotary.letter);
    }
    for line in run.program.split(|byte| *byte == b'\n') {
        measure.line(line.strip_suffix(b"\r").unwrap_or(line));
    }
    let timeline = measure.finish().timeline;
    let at = |line: u32| timeline.seconds_at(line.saturating_sub(1));
    run.steps.iter().map(|step| at(step.to) - at(step.from)).collect()
}
