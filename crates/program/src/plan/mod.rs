//! The plan: how long everything that is sent takes, and what it comes to.

mod edge;
mod even;
mod totals;
mod trace;

pub use edge::{EdgeShape, edge};
pub use totals::{StepTotals, Totals};
pub use trace::Traced;

use crate::segment::{Provenance, Segments, powers};
use tinkite_base::problem::{Code, Location, Problem, Problems, Remedy};
use tinkite_base::quantity::{clock, plain};
use tinkite_job::{Fill, Job, Step};

/// Segments that were planned. Every one of them has a level that the source can give: they were
/// all made once to be summed.
#[derive(Debug, Clone)]
pub struct Planned {
    segments: Segments,
    /// Lengths, times, energy and extents.
    pub totals: Totals,
}

impl Planned {
    /// What is sent.
    #[must_use]
    pub fn segments(&self) -> &Segments {
        &self.segments
    }

    /// The job that it was made from.
    #[must_use]
    pub fn job(&self) -> &Job {
        self.segments.job()
    }

    /// Light in each mm² that a step of the job engraves, J, all passes: neighbouring lines share
    /// the area. None where the source was not measured, and for steps that follow lines.
    #[must_use]
    pub fn energy_per_mm2(&self, step: usize) -> Option<f64> {
        let sums = self.totals.steps.get(step)?;
        let step = self.job().steps.get(step)?;
        let engrave = step.operation.engrave()?;
        let ways = if let Fill::Lines(lines) = &engrave.fill { lines.angles.len() } else { 1 };
        let times = (step.passes.len() * ways) as f64;
        sums.energy_per_mm().map(|energy| energy / engrave.spacing() * times)
    }

    /// Lines that a step of the job follows, or lines that it engraves, of one pass.
    #[must_use]
    pub fn lines(&self, step: usize) -> usize {
        let paths = self.segments.sequence().paths().iter().filter(|path| path.step == step);
        paths.map(|path| path.burn.line_count()).sum()
    }
}

/// Finds out how long every segment takes.
///
/// # Errors
/// Powers that the machine's source cannot give and speeds that cannot be said, each with its step.
pub fn plan(segments: Segments, steps: &[usize]) -> Result<(Planned, Problems), Problems> {
    let mut problems = powers::steps(segments.job(), steps)?;
    let totals = match trace::sum(&segments) {
        Ok(totals) => totals,
        Err(problem) => {
            problems.push(problem);
            return Err(problems);
        }
    };
    let job = segments.job();
    for number in steps {
        let sums = &totals.steps[*number];
        let told = [
            too_slow(job, *number, sums),
            without_effect(job, *number, sums),
            below_measured(job, *number, sums),
            warn_of_starving(&segments, *number, sums),
        ];
        told.into_iter().flatten().for_each(|problem| problems.push(problem));
    }
    problems.tell_once(&[
        Code::SlowRows,
        Code::SlowWithoutEffect,
        Code::BelowMeasured,
        Code::Starved,
    ]);
    Ok((Planned { segments, totals }, problems))
}

/// Engraving may be slower than asked for by this factor before it is told.
const TOLD: f64 = 1.1;

/// Warns of engraving at less than the asked speed: of rows whose moves are so short that the
/// controller cannot see far enough ahead, or whose run-up is too short.
fn too_slow(job: &Job, number: usize, totals: &StepTotals) -> Option<Problem> {
    let step = &job.steps[number];
    let engrave = step.operation.engrave()?;
    let (seconds, asked) = totals.burning;
    if matches!(engrave.fill, Fill::Rings(_)) || seconds <= TOLD * asked || totals.burn <= 0.0 {
        return None;
    }
    let mean = plain(totals.burn / seconds, 1);
    let ask = match slower(step, totals) {
        Some(even) => format!("ask for {} mm/s and lower the power", plain(even, 1)),
        None => format!("ask for {mean} mm/s and lower the power"),
    };
    let (why, cure) = match job.machine.look_ahead {
        Some(window) => (
            format!(
                ": its moves are so short that the controller, which sees {window} ahead, must be able to stop within them"
            ),
            format!(
                "{ask}; or widen spacing, or over in shoulder, or say look-ahead in [link] if the controller sees farther"
            ),
        ),
        None => (String::new(), format!("{ask}, or give more run-up")),
    };
    let told = Problem::warning(
        Code::SlowRows,
        format!(
            "step \"{}\" asks for {} and is engraved at {mean} mm/s on average{why}{}",
            step.name,
            step.speed(),
            evenly(step, totals)
        ),
        cure,
    );
    Some(told.at(place(job, number)))
}

/// At which speed rows run evenly, and how long burning takes then; empty where the asked speed is as low.
fn evenly(step: &Step, totals: &StepTotals) -> String {
    let Some(speed) = slower(step, totals) else { return String::new() };
    let (burns, now) = (totals.burn / speed, totals.burning.0);
    format!(
        "; at {} mm/s it runs evenly, and burns for {} in place of {}",
        plain(speed, 1),
        clock(burns),
        clock(now)
    )
}

/// The speed at which rows run evenly, where it is lower than what is asked for, mm/s.
fn slower(step: &Step, totals: &StepTotals) -> Option<f64> {
    let is_lower = |speed: &f64| *speed >= LEAST_EVEN && *speed < step.slowest().0;
    totals.even_speed.map(even_figure).filter(is_lower)
}

/// Slower than this (mm/s) nobody would engrave.
const LEAST_EVEN: f64 = 0.1;

/// Two figures of a speed, rounded down.
fn even_figure(speed: f64) -> f64 {
    let step = 10_f64.powf(speed.max(1e-6).log10().floor() - 1.0);
    (speed / step).floor() * step
}

/// Says when power that is to follow the speed never changes, because the head is never slower, or
/// because the difference is less than a level.
fn without_effect(job: &Job, number: usize, totals: &StepTotals) -> Option<Problem> {
    let step = &job.steps[number];
    let slow = step.ramp.slow?;
    let alone = step.passes.len() == 1 && step.ramp.start.is_none() && step.ramp.end.is_none();
    let burnt = totals.burnt_s?;
    let grey = step.operation.engrave().is_some_and(|e| {
        matches!(e.fill, Fill::Image(_) | Fill::Relief(_)) || e.shoulder.is_some()
    });
    if !alone || grey || burnt.1 - burnt.0 > job.machine.beam.level_step() * 0.5 {
        return None;
    }
    let told = Problem::warning(
        Code::SlowWithoutEffect,
        format!(
            "step \"{}\" has slow = {slow} in ramp, and its power never changes: at {} the head is hardly slower anywhere",
            step.name,
            step.speed()
        ),
        "leave slow out, or choose a power for standstill that is farther from the step's own",
    );
    Some(told.at(place(job, number)))
}

/// The share of a step's time that may be lost for want of lines before that is told.
const STARVED: f64 = 0.01;

/// Warns of a step whose lines come slower than the head runs them.
fn warn_of_starving(segments: &Segments, number: usize, totals: &StepTotals) -> Option<Problem> {
    let job = segments.job();
    let step = &job.steps[number];
    if totals.starved <= STARVED * totals.seconds {
        return None;
    }
    let rates = job.machine.supply;
    let limits: Vec<String> = [
        rates.bytes_per_second.map(|rate| format!("the cable carries {} bytes", plain(rate, 0))),
        rates.lines_per_second.map(|rate| format!("the controller takes {} lines", plain(rate, 0))),
    ]
    .into_iter()
    .flatten()
    .collect();
    let most = totals.most_starved.filter(|(path, _)| *path > 0);
    let part = most.map_or(String::new(), |(path, seconds)| {
        let of = Provenance { step: number, pass: 1, path };
        let label = segments.label(of);
        format!(", {} of it in part {path} of {} ({label})", clock(seconds), totals.paths)
    });
    let told = Problem::warning(
        Code::Starved,
        format!(
            "step \"{}\" asks for more lines than come ({} a second): the head goes slower or stands, for {} more in all{part}{}",
            step.name,
            limits.join(", "),
            clock(totals.starved),
            evenly(step, totals)
        ),
        if step.operation.engrave().is_some() {
            "go slower, widen spacing, or let power follow the speed (follows-speed) so that no blot is burnt; a faster link, and lines-per-second in [link] if the controller does more"
        } else {
            "go slower, widen tolerance or leave slow out of ramp; a faster link, and lines-per-second in [link] if the controller does more"
        },
    );
    Some(told.at(place(job, number)))
}

/// Warns of powers below the first that was measured at the source.
fn below_measured(job: &Job, number: usize, totals: &StepTotals) -> Option<Problem> {
    let beam = &job.machine.beam;
    let first = beam.table.as_ref()?.first();
    let least = totals.burnt_s?.0 / beam.full;
    if least >= first - beam.level_step() / beam.full {
        return None;
    }
    let told = Problem::warning(
        Code::BelowMeasured,
        format!(
            "step \"{}\" burns at {} %, and the source was measured from {} % on: what comes out below that is a guess",
            job.steps[number].name,
            plain(least * 100.0, 1),
            plain(first * 100.0, 1)
        ),
        "measure there as well, or write a row more into table of [beam]",
    )
    .with_remedy(Remedy::MeasurePower);
    Some(told.at(place(job, number)))
}

fn place(job: &Job, number: usize) -> Location {
    let step = &job.steps[number];
    Location {
        span: Some(step.span.clone()),
        thing: Some(step.name.clone()),
        ..Location::file(&job.file)
    }
}
