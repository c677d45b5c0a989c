//! Every power that a step can come to is held against the source, before anything moves.

use super::{level, s_value};
use crate::job::{Fill, Job, Step};
use crate::problem::{Place, Problem, Problems};
use crate::quantity::{Power, plain};

/// Holds the powers of some steps against the machine's source.
///
/// # Errors
/// Powers above the ceiling or below the floor, each with its step and what asks for it.
pub fn steps(job: &Job, steps: &[usize]) -> Result<Problems, Problems> {
    let mut problems = Problems::new();
    let beam = &job.machine.beam;
    let place = |step: &Step| Place {
        file: job.file.clone(),
        line: None,
        span: Some(step.span.clone()),
        thing: Some(step.name.clone()),
    };
    for step in steps.iter().map(|n| &job.steps[*n]) {
        let mut told: Vec<&str> = Vec::new();
        for (what, power) in powers(step) {
            if let Err(mut problem) = s_value(beam, power)
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

/// Every power that a step can come to, with what asks for it; nothing where it is the step's own.
fn powers(step: &Step) -> Vec<(String, Power)> {
    let mut all: Vec<(String, Power)> =
        step.passes.iter().map(|pass| (String::new(), pass.power)).collect();
    if let Some(follow) = step.make.follow() {
        all.extend(follow.pierce.map(|pierce| ("pierce".into(), pierce.power)));
        let across = follow.bridges.and_then(|bridges| bridges.power);
        all.extend(across.map(|power| ("power across bridges".into(), power)));
    }
    if let Some(engrave) = step.make.engrave() {
        all.extend(engrave.shoulder.map(|shoulder| ("from in shoulder".into(), shoulder.from)));
        if let Fill::Image(image) = &engrave.fill {
            // What the image says takes the place of the step's own power.
            if let Some(to) = image.power_to {
                all = vec![("power-to in image".into(), to)];
            }
            all.extend(image.power_from.map(|from| ("power-from in image".into(), from)));
        }
    }
    all.extend(step.ramp.powers().map(|(what, power)| (what.to_string(), power)));
    // Where the head is slow at the start or end of a line both ramps act.
    if let Some(slow) = step.ramp.slow {
        for end in [step.ramp.start, step.ramp.end].into_iter().flatten() {
            for pass in &step.passes {
                let both = Power(end.power.0 * slow.0 / pass.power.0);
                all.push(("slow together with the start or end of the ramp".into(), both));
            }
        }
    }
    all
}

/// Steps that ask for different powers and get the same level of the source.
fn same_levels<'j>(job: &'j Job, steps: &[usize]) -> Vec<(Problem, &'j Step)> {
    let beam = &job.machine.beam;
    let mut seen: Vec<(u32, Power, &Step)> = Vec::new();
    let mut told = Vec::new();
    for step in steps.iter().map(|n| &job.steps[*n]) {
        for pass in &step.passes {
            let Ok(s) = s_value(beam, pass.power) else { continue };
            let Some(level) = level(beam, s) else { continue };
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
                        "same-level",
                        format!(
                            "step \"{}\" asks for {} and {whose} for {power}: both are level {level} of the source's {} (S{})",
                            step.name,
                            pass.power,
                            beam.levels.unwrap_or_default(),
                            plain(f64::from(level) * super::level_step(beam), 1)
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
