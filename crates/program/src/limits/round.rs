//! Round objects: nothing wider than the circumference, nothing beyond the measured part, and the
//! surface within the beam's focus.

use super::{SLACK, refusal};
use crate::plan::Planned;
use std::f64::consts::PI;
use tinkite_base::geometry::Rect;
use tinkite_base::problem::{Code, Location, Problem, Problems};
use tinkite_base::quantity::plain;
use tinkite_job::Job;
use tinkite_machine::frame::Keep;
use tinkite_machine::frame::Surface;

/// How the surface of an object lies to the focus over what is burnt.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Defocus {
    /// By how much its height changes, mm.
    pub height: f64,
    /// Where the focus is best: so far below the thickest place burnt, mm.
    pub best_below: f64,
    /// The thickest diameter burnt, mm.
    pub thickest: f64,
    /// The steepest slope burnt, rad.
    pub slope: f64,
}

/// How many places along the artwork are looked at.
const PLACES: usize = 256;

impl Defocus {
    /// Over a stretch of the surface along the object, mm from the program's zero.
    #[must_use]
    pub fn over(surface: &Surface, low: f64, high: f64) -> Self {
        let (mut least, mut most, mut slope) = (f64::MAX, 0.0_f64, 0.0_f64);
        let ends = surface.breaks().filter(|x| (low..=high).contains(x));
        let even = (0..=PLACES).map(|n| low + (high - low) * n as f64 / PLACES as f64);
        for x in even.chain(ends) {
            let radius = surface.diameter_at(x) / 2.0;
            (least, most) = (least.min(radius), most.max(radius));
            slope = slope.max(surface.slope_at(x).abs().atan());
        }
        let height = (most - least).max(0.0);
        Self { height, best_below: height / 2.0, thickest: 2.0 * most, slope }
    }
}

/// A spot is this much longer than wide before it is told.
const LONG_SPOT: f64 = 1.25;

/// Steeper than this the beam grazes along the surface, rad.
const GRAZING: f64 = 1.05;

/// Holds what is burnt (mm from the program's zero) against the object.
pub(super) fn check(planned: &Planned, burnt: Rect, problems: &mut Problems) {
    let job = planned.job();
    let (Some(round), Some(surface)) = (&job.round, planned.segments().frame().surface()) else {
        return;
    };
    wrap(job, burnt, surface, problems);
    if let Some((low, high)) = surface.measured()
        && (burnt.x0 < low - SLACK || burnt.x1 > high + SLACK)
    {
        let how = [("before its start", low - burnt.x0), ("beyond its end", burnt.x1 - high)];
        let how: Vec<String> = how
            .iter()
            .filter(|(_, by)| *by > SLACK)
            .map(|(side, by)| format!("{} mm {side}", plain(*by, 3)))
            .collect();
        let message = format!("the job leaves the measured profile: {}", how.join(", "));
        let help = "measure diameters as far as the artwork reaches, or move it with [place] at";
        problems.push(refusal(job, Code::OffObject, &message, help));
        return;
    }
    if round.is_cylinder() {
        return;
    }
    focus(job, Defocus::over(surface, burnt.x0, burnt.x1), problems);
}

fn wrap(job: &Job, burnt: Rect, surface: &Surface, problems: &mut Problems) {
    let Some(round) = job.round.as_ref().filter(|round| !round.overlap) else { return };
    // With true lengths the thinnest place is the first that the artwork goes round.
    let narrow = |x: f64| PI * surface.diameter_at(x);
    let least = match round.keep {
        Keep::Angle => round.circumference(),
        Keep::Size => surface
            .breaks()
            .filter(|x| (burnt.x0..=burnt.x1).contains(x))
            .chain([burnt.x0, burnt.x1])
            .map(narrow)
            .fold(f64::MAX, f64::min),
    };
    if burnt.height() > least + SLACK {
        let message = format!(
            "the artwork is {} mm wide round an object of {} mm circumference: {} mm would be burnt twice",
            plain(burnt.height(), 3),
            plain(least, 3),
            plain(burnt.height() - least, 3)
        );
        let help = "make it narrower, or say overlap = true in [rotary]";
        problems.push(refusal(job, Code::OverWrap, &message, help));
    }
}

fn focus(job: &Job, defocus: Defocus, problems: &mut Problems) {
    let mut told = Vec::new();
    let height = plain(defocus.height, 2);
    let best = format!(
        "focus {} mm below the thickest place ({} mm in diameter) and it is at most {} mm off",
        plain(defocus.best_below, 2),
        plain(defocus.thickest, 2),
        plain(defocus.best_below, 2)
    );
    let depth = job.machine.focus_depth;
    match depth {
        Some(depth) if defocus.height > depth => told.push(Problem::warning(
            Code::OutOfFocus,
            format!("the surface leaves the focus by {height} mm over the artwork, and the depth of focus is {} mm", plain(depth, 2)),
            format!("{best}; engrave a shorter part, or turn the object's axis to the slope"),
        )),
        _ if defocus.height > 0.005 => told.push(Problem::note(
            Code::FocusDeparture,
            format!("the surface changes its height by {height} mm over the artwork"),
            best,
        )),
        _ => {}
    }
    let longer = 1.0 / defocus.slope.cos();
    let degrees = plain(defocus.slope.to_degrees(), 0);
    if defocus.slope > GRAZING {
        told.push(Problem::error(
            Code::SteepSurface,
            format!("the surface slopes by {degrees} deg, where the beam only grazes it"),
            "leave that part out, or turn the object's axis to the slope",
        ));
    } else if longer > LONG_SPOT {
        told.push(Problem::warning(
            Code::SteepSurface,
            format!(
                "the surface slopes by {degrees} deg: the spot is {} x as long as wide there",
                plain(longer, 2)
            ),
            "expect weaker and wider lines on the slope",
        ));
    }
    told.into_iter().for_each(|p| problems.push(p.at(Location::file(&job.file))));
}

/// The defocus of a planned job, where it has a round object.
#[must_use]
pub fn defocus(planned: &Planned) -> Option<Defocus> {
    let surface = planned.segments().frame().surface()?;
    let burnt = planned.totals.burnt?;
    Some(Defocus::over(surface, burnt.x0, burnt.x1))
}
