//! Motion: how fast the head really goes, and so how long everything takes.

pub mod planner;
mod totals;

pub use totals::{StepTotals, Totals};

use crate::beam::s_value;
use crate::geometry::{Piece, Vec2};
use crate::job::{Job, Machine};
use crate::mapping::{Instruction, Move, Pace, Placed, Purpose};
use crate::problem::{Place, Problems};
use crate::quantity::SValue;
use planner::{Block, Planner};

/// A placed job with its S values, lengths and times. It can no longer hold percent or watts.
#[derive(Debug, Clone)]
pub struct Timed {
    /// The moves.
    pub placed: Placed,
    /// The S value of each step of the job.
    pub s: Vec<SValue>,
    /// Lengths, times and extents.
    pub totals: Totals,
}

/// Gives every step its S value and finds out how long everything takes.
///
/// # Errors
/// Powers that the machine's beam cannot give, each with its step.
pub fn time(placed: Placed, job: &Job, steps: &[usize]) -> Result<Timed, Problems> {
    let mut problems = Problems::new();
    let mut s = vec![SValue(0.0); job.steps.len()];
    for number in steps {
        let step = &job.steps[*number];
        match s_value(&job.machine.beam, step.power) {
            Ok(value) => s[*number] = value,
            Err(problem) => problems.push(problem.at(Place {
                file: job.file.clone(),
                line: None,
                span: Some(step.span.clone()),
                thing: Some(step.name.clone()),
            })),
        }
    }
    problems.unless_refused(())?;
    let mut totals = Totals::new(job.steps.len());
    let mut planner = Planner::new(job.machine.corner);
    let mut step = 0;
    let walked: Result<(), std::convert::Infallible> = placed.walk(|instruction| {
        match instruction {
            Instruction::Step(number) => {
                step = number;
                // Beam and air change over: the controller finishes what it has planned first.
                planner.stop();
            }
            Instruction::Part { .. } => totals.steps[step].paths += 1,
            Instruction::Move(m) => {
                totals.add_move(step, &m);
                planner.push(block(&m, &job.machine), step, &mut |step: usize, seconds| {
                    totals.add_time(step, seconds);
                });
            }
        }
        Ok(())
    });
    let Ok(()) = walked;
    planner.finish(&mut |step, seconds| totals.add_time(step, seconds));
    Ok(Timed { placed, s, totals })
}

/// What the planner needs to know of a move on `machine`.
#[must_use]
pub fn block(m: &Move, machine: &Machine) -> Block {
    let (start, end) = m.piece.directions(m.from);
    let asked = match m.pace {
        Pace::Rapid => f64::INFINITY,
        Pace::Feed(speed) => speed.0,
    };
    let (speed, acceleration) = limits(&m.piece, m, start, machine);
    Block {
        length: m.length(),
        speed: asked.min(speed),
        acceleration,
        start,
        end,
        // A beam that a controller without speed-scaled power switches does not stop the motion.
        stop_before: false,
    }
}

/// Top speed and acceleration along a piece, so that neither axis exceeds its own.
fn limits(piece: &Piece, m: &Move, direction: Vec2, machine: &Machine) -> (f64, f64) {
    let (x, y) = (&machine.x, &machine.y);
    match piece {
        Piece::Line { .. } => {
            let share = |axis_limit: f64, part: f64| axis_limit / part.abs().max(1e-12);
            (
                share(x.top_speed, direction.x).min(share(y.top_speed, direction.y)),
                share(x.acceleration, direction.x).min(share(y.acceleration, direction.y)),
            )
        }
        Piece::Arc { centre, .. } => {
            let acceleration = x.acceleration.min(y.acceleration);
            // Round a circle the acceleration points inwards: v² / r.
            let centripetal = (acceleration * m.from.distance(*centre)).sqrt();
            (x.top_speed.min(y.top_speed).min(centripetal), acceleration)
        }
    }
}

impl Timed {
    /// The S value that a move of `step` carries: zero unless it burns.
    #[must_use]
    pub fn s_of(&self, step: usize, purpose: Purpose) -> SValue {
        if purpose == Purpose::Burn { self.s[step] } else { SValue(0.0) }
    }
}
