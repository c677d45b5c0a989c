//! Every power that a step can come to is held against the source, before anything moves.
//!
//! What several powers mean together: each pass makes everything that a step burns stronger or
//! weaker in the ratio of its power to the first pass's; powers that a step names for one place
//! (pierce, across bridges, ends of a ramp) hold in every pass; `slow` makes all that moves weaker
//! or stronger where the head is slow, in the ratio of `slow` to the full power of the pass.

use tinkite_base::problem::{Code, Location, Problem, Problems};
use tinkite_base::quantity::{Power, plain};
use tinkite_job::{Fill, Job, Step};

/// Holds the powers of some steps against the machine's source.
///
/// # Errors
/// Powers above the ceiling or below the floor, each with its step and what asks for it.
pub fn steps(job: &Job, steps: &[usize]) -> Result<Problems, Problems> {
    let mut problems = Problems::new();
    let beam = &job.machine.beam;
    let place = |step: &Step| Location {
        file: job.file.clone(),
        line: None,
        span: Some(step.span.clone()),
        thing: Some(step.name.clone()),
    };
    for step in steps.iter().map(|n| &job.steps[*n]) {
        let mut told: Vec<Code> = Vec::new();
        for (what, power) in powers(step) {
            if let Err(mut problem) = beam.level(power)
                && !told.contains(&problem.code)
            {
                told.push(problem.code);
                if !what.is_empty() {
                    problem.message = format!("{what}: {}", problem.message);
                }
                problems.push(problem.at(place(step)));
            }
        }
    }
    for (note, step) in same_levels(job, steps) {
        problems.push(note.at(place(step)));
    }
    problems.clone().unless_refused(problems)
}

/// Whether the controller itself makes power follow the speed (M4) in a step.
///
/// Where the step says its power at standstill (`slow`), M4 does not give it: what it burns is
/// S · v / F, nothing at standstill. A part whose F is the highest speed that the head reaches in it
/// burns as much in all with a higher S, at most [`most_at_standstill`] times the part's own. Where
/// that is above the ceiling the program works power out for a constant beam (M3).
pub(super) fn follows(job: &Job, step: &Step) -> bool {
    let beam = &job.machine.beam;
    let Some(slow) = step.ramp.slow else { return beam.follows_speed };
    let below = |pass: usize| {
        let share = slow.0 / step.full_power(pass).0;
        moving(step, pass)
            .iter()
            .all(|(_, power)| beam.level(Power(power.0 * most_at_standstill(share))).is_ok())
    };
    beam.follows_speed && (0..step.passes.len()).all(below)
}

/// How many times the power of a part its S may be, where power at standstill is `slow` times that
/// of the asked speed V. With v for the highest speed in the part it is slow · v / mean speed +
/// (1 − slow) v / V; the mean speed is at least v / 2, and v is between 0 and V.
pub(super) fn most_at_standstill(slow: f64) -> f64 {
    (2.0 * slow).max(1.0 + slow)
}

/// Every power that a step can come to, with what asks for it; nothing where it is the step's own.
fn powers(step: &Step) -> Vec<(String, Power)> {
    let mut all = Vec::new();
    if let Some(pierce) = step.operation.follow().and_then(|follow| follow.pierce) {
        all.push(("pierce".into(), pierce.power));
    }
    for pass in 0..step.passes.len() {
        let moving = moving(step, pass);
        let full = step.full_power(pass);
        if let Some(slow) = step.ramp.slow {
            for (what, power) in &moving {
                let both = Power(power.0 * slow.0 / full.0);
                let what = if what.is_empty() {
                    "slow in ramp".into()
                } else {
                    format!("{what} together with slow in ramp")
                };
                all.push((what, both));
            }
        }
        all.splice(0..0, moving);
    }
    all
}

/// The powers that a pass asks for while the head runs at the asked speed.
fn moving(step: &Step, pass: usize) -> Vec<(String, Power)> {
    let share = step.share(pass);
    let which =
        if step.passes.len() > 1 { format!(" in pass {}", pass + 1) } else { String::new() };
    let mut all = Vec::new();
    let image = step.operation.engrave().and_then(|engrave| match &engrave.fill {
        Fill::Image(image) => Some(image),
        _ => None,
    });
    match image {
        // What the image says takes the place of the step's own power.
        Some(image) if image.power_to.is_some() => {
            all.push((format!("power-to in image{which}"), step.full_power(pass)));
        }
        _ => all.push((String::new(), step.full_power(pass))),
    }
    let from = image.and_then(|image| image.power_from);
    all.extend(from.map(|from| (format!("power-from in image{which}"), Power(from.0 * share))));
    if let Some(shoulder) = step.operation.engrave().and_then(|engrave| engrave.shoulder) {
        all.push((format!("from in shoulder{which}"), Power(shoulder.from.0 * share)));
    }
    let bridges = step.operation.follow().and_then(|follow| follow.bridges);
    if let Some(power) = bridges.and_then(|bridges| bridges.power) {
        all.push(("power across bridges".into(), power));
    }
    let Ramps { start, end } = Ramps::of(step);
    all.extend(start.map(|power| ("the start of the ramp".to_string(), power)));
    all.extend(end.map(|power| ("the end of the ramp".to_string(), power)));
    all
}

/// The powers at the ends of a step's lines.
struct Ramps {
    start: Option<Power>,
    end: Option<Power>,
}

impl Ramps {
    fn of(step: &Step) -> Self {
        let of = |end: Option<tinkite_job::RampEnd>| end.map(|end| end.power);
        Self { start: of(step.ramp.start), end: of(step.ramp.end) }
    }
}

/// Steps that ask for different powers and get the same level of the source.
fn same_levels<'j>(job: &'j Job, steps: &[usize]) -> Vec<(Problem, &'j Step)> {
    let beam = &job.machine.beam;
    let mut seen: Vec<(u32, Power, &Step)> = Vec::new();
    let mut told = Vec::new();
    for step in steps.iter().map(|n| &job.steps[*n]) {
        for pass in &step.passes {
            let Ok(s) = beam.level(pass.power).map(tinkite_machine::source::Level::s) else {
                continue;
            };
            let Some(levels) = beam.levels else { continue };
            let level = beam.level_number(s);
            let same = seen
                .iter()
                .find(|(other, power, _)| *other == level && (power.0 - pass.power.0).abs() > 1e-9);
            if let Some((_, power, other)) = same {
                let whose = if other.name == step.name {
                    "an earlier pass".to_string()
                } else {
                    format!("step \"{}\"", other.name)
                };
                told.push((
                    Problem::warning(
                        Code::SameLevel,
                        format!(
                            "step \"{}\" asks for {} and {whose} for {power}: both are level {level} of the source's {} (S{})",
                            step.name,
                            pass.power,
                            levels,
                            plain(s, 1)
                        ),
                        "ask for powers that are farther apart, or for the same",
                    ),
                    step,
                ));
            }
            seen.push((level, pass.power, step));
        }
    }
    told
}
