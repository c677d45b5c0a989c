//! Limits: nothing leaves the bed or the stock, and nothing is faster than the axes.
//!
//! A [`WithinLimits`] can only be had from [`check`], and a program can only be made from one.

use crate::geometry::Rect;
use crate::job::{Engrave, Job};
use crate::motion::Timed;
use crate::problem::{Place, Problem, Problems};
use crate::quantity::plain;

/// A timed job that stays within the machine's limits.
#[derive(Debug, Clone)]
pub struct WithinLimits {
    timed: Timed,
}

impl WithinLimits {
    /// The job that was checked.
    #[must_use]
    pub fn timed(&self) -> &Timed {
        &self.timed
    }
}

/// Rounding of a program's numbers may put a move this far outside, mm.
const SLACK: f64 = 0.0015;

/// Holds every move against bed, stock (mm from the bed's front left corner) and axes.
///
/// # Errors
/// What leaves the bed or the stock, with how far and on which side; steps that ask for more
/// speed than the axes have; nothing to do at all.
pub fn check(
    timed: Timed,
    job: &Job,
    steps: &[usize],
    stock: Option<Rect>,
) -> Result<(WithinLimits, Problems), Problems> {
    let mut problems = Problems::new();
    let (Some(burnt), Some(worked)) = (timed.totals.burnt, timed.totals.worked) else {
        let problem = Problem::error(
            "nothing",
            "there is nothing to burn",
            "give the job a step that takes something",
        );
        return Err(problem.at(Place::file(&job.file)).into());
    };
    let bed = &job.machine.bed;
    let corner = -bed.origin_offset();
    let bed_rect = Rect::new(corner.x, corner.y, corner.x + bed.width, corner.y + bed.depth);
    let beyond_burnt = beyond(burnt, bed_rect);
    if !beyond_burnt.is_empty() {
        problems.push(refused(
            job,
            "off-bed",
            &format!("the job leaves the bed: {}", beyond_burnt.join(", ")),
            "move it with [place] at, or make it smaller",
        ));
    } else {
        let beyond_worked = beyond(worked, bed_rect);
        if !beyond_worked.is_empty() {
            problems.push(refused(
                job,
                "off-bed",
                &format!(
                    "the run-up of engraved lines leaves the bed: {}",
                    beyond_worked.join(", ")
                ),
                "move the job with [place] at, or shorten run-up",
            ));
        }
    }
    if let Some(stock) = stock {
        let rect = stock + corner;
        let outside = beyond(burnt, rect);
        if !outside.is_empty() {
            problems.push(refused(
                job,
                "off-stock",
                &format!("the job leaves the stock: {}", outside.join(", ")),
                "move it with [place] at, make it smaller, or take larger stock",
            ));
        }
        if !beyond(rect, bed_rect).is_empty() {
            problems.push(
                Problem::warning(
                    "large-stock",
                    format!(
                        "the stock ({} x {} mm) reaches beyond the bed",
                        plain(stock.width(), 2),
                        plain(stock.height(), 2)
                    ),
                    "check [stock]; only what lies on the bed can be reached",
                )
                .at(Place::file(&job.file)),
            );
        }
    }
    for step in steps.iter().map(|n| &job.steps[*n]) {
        let place = Place {
            span: Some(step.span.clone()),
            thing: Some(step.name.clone()),
            ..Place::file(&job.file)
        };
        let top = job.machine.x.top_speed.max(job.machine.y.top_speed);
        if step.fastest().0 > top + 1e-9 {
            problems.push(
                Problem::error(
                    "over-speed",
                    format!(
                        "step \"{}\" asks for {}, and the machine's fastest axis does {} mm/s",
                        step.name,
                        step.fastest(),
                        plain(top, 2)
                    ),
                    "go slower with less power",
                )
                .at(place.clone()),
            );
        }
        let slow = job.machine.x.top_speed.min(job.machine.y.top_speed);
        if step.fastest().0 > slow + 1e-9 && step.fastest().0 <= top + 1e-9 {
            let axis = if job.machine.x.top_speed < job.machine.y.top_speed { "X" } else { "Y" };
            problems.push(Problem::warning("over-speed",
                format!("step \"{}\" asks for {}; the {axis} axis does only {} mm/s, so lines along it burn slower and deeper", step.name, step.fastest(), plain(slow, 2)),
                "go no faster than the slower axis").at(place.clone()));
        }
        if let Some(spacing) = step.make.engrave().map(Engrave::spacing)
            && spacing < job.machine.beam.width * 0.999
        {
            problems.push(Problem::warning("dense-lines",
                    format!("step \"{}\" engraves lines {} mm apart with a beam {} mm wide: they overlap and burn deeper", step.name, plain(spacing, 4), plain(job.machine.beam.width, 4)),
                    "widen spacing to the beam's width").at(place));
        }
    }
    problems.clone().unless_refused((WithinLimits { timed }, problems))
}

fn refused(job: &Job, code: &'static str, message: &str, help: &str) -> Problem {
    Problem::error(code, message, help).at(Place::file(&job.file))
}

/// By how much `inner` reaches beyond `outer`, side by side, in words.
#[must_use]
pub fn beyond(inner: Rect, outer: Rect) -> Vec<String> {
    [
        ("left", outer.x0 - inner.x0),
        ("right", inner.x1 - outer.x1),
        ("front", outer.y0 - inner.y0),
        ("back", inner.y1 - outer.y1),
    ]
    .into_iter()
    .filter(|(_, by)| *by > SLACK)
    .map(|(side, by)| format!("{} mm beyond the {side} edge", plain(by, 3)))
    .collect()
}
