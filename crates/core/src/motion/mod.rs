//! Motion: how fast the head really goes, and so how long everything takes.

pub mod planner;
mod run;
mod totals;

pub use run::{Action, Traced};
pub use totals::{StepTotals, Totals};

use crate::beam::check;
use crate::geometry::{Piece, Point, Vec2};
use crate::job::machine::Axis;
use crate::job::{Fill, Job, Machine};
use crate::mapping::frame::Frame;
use crate::mapping::{Instruction, Move, Pace, Placed};
use crate::problem::{Place, Problem, Problems};
use crate::quantity::plain;
use planner::{Block, Planner, Ran};
use std::collections::VecDeque;

/// A placed job with its S values, lengths and times. It can no longer hold percent or watts.
#[derive(Debug, Clone)]
pub struct Timed {
    /// The moves.
    pub placed: Placed,
    /// Lengths, times, energy and extents.
    pub totals: Totals,
    /// The machine whose S values they are.
    machine: Machine,
}

/// Gives every move its S values and finds out how long everything takes.
///
/// # Errors
/// Powers that the machine's beam cannot give, each with its step.
pub fn time(placed: Placed, job: &Job, steps: &[usize]) -> Result<(Timed, Problems), Problems> {
    let mut problems = check::steps(job, steps)?;
    let totals = Totals::new(job.steps.len());
    let mut timed = Timed { placed, totals, machine: job.machine.clone() };
    timed.totals = timed.summed(job);
    for number in steps {
        if let Some(problem) = too_slow(job, *number, &timed.totals.steps[*number]) {
            problems.push(problem);
        }
    }
    Ok((timed, problems))
}

/// Engraving may be slower than asked for by this factor before it is told.
const TOLD: f64 = 1.1;

/// Warns of engraving at less than the asked speed: of rows whose moves are so short that the
/// controller cannot see far enough ahead, or whose run-up is too short.
fn too_slow(job: &Job, number: usize, totals: &StepTotals) -> Option<Problem> {
    let step = &job.steps[number];
    let engrave = step.make.engrave()?;
    let (seconds, asked) = totals.burning;
    if matches!(engrave.fill, Fill::Rings(_)) || seconds <= TOLD * asked || totals.burn <= 0.0 {
        return None;
    }
    let mean = plain(totals.burn / seconds, 1);
    let (why, cure) = match job.machine.window {
        Some(window) => (
            format!(
                ": its moves are so short that the controller, which sees {window} ahead, must be able to stop within them"
            ),
            "ask for that speed with less power; or widen spacing, or over in shoulder, or say look-ahead in [link] if the controller sees farther",
        ),
        None => (String::new(), "ask for that speed with less power, or give more run-up"),
    };
    let told = Problem::warning(
        "slow-rows",
        format!(
            "step \"{}\" asks for {} and is engraved at {mean} mm/s on average{why}",
            step.name,
            step.speed()
        ),
        cure,
    );
    Some(told.at(Place {
        span: Some(step.span.clone()),
        thing: Some(step.name.clone()),
        ..Place::file(&job.file)
    }))
}

/// Hands on every instruction with what the planner says of it: moves with their speeds, everything
/// else when the head has come to a halt for it.
fn planned<'p, E>(
    placed: &'p Placed,
    machine: &Machine,
    mut each: impl FnMut(Instruction<'p>, Option<Ran>) -> Result<(), E>,
) -> Result<(), E> {
    let mut planner = Planner::new(machine.corner, machine.window);
    // Instructions whose moves are not settled yet.
    let mut waiting: VecDeque<Instruction<'p>> = VecDeque::new();
    let frame = placed.frame();
    let mut settled: Vec<Ran> = Vec::new();
    let mut pass_on = |waiting: &mut VecDeque<Instruction<'p>>, settled: &mut Vec<Ran>| {
        for ran in settled.drain(..) {
            while let Some(next) = waiting.pop_front() {
                if let Instruction::Move(m) = &next {
                    // The controller's lengths are not always those on the stock.
                    let ran = ran.scaled(frame.per_mm(m.from, m.piece.end()));
                    each(next, Some(ran))?;
                    break;
                }
                each(next, None)?;
            }
        }
        Ok(())
    };
    placed.walk(|instruction| {
        waiting.push_back(instruction);
        match instruction {
            Instruction::Move(m) => {
                planner.push(block(&m, machine, frame), (), &mut |(), ran| settled.push(ran));
            }
            // Beam, air and focus change over: the controller finishes what it has planned first.
            Instruction::Step(_) | Instruction::Height { .. } | Instruction::Dwell(..) => {
                planner.stop();
            }
            Instruction::Pass(..) | Instruction::Part { .. } => {}
        }
        pass_on(&mut waiting, &mut settled)
    })?;
    planner.finish(&mut |(), ran| settled.push(ran));
    pass_on(&mut waiting, &mut settled)?;
    waiting.into_iter().try_for_each(|instruction| each(instruction, None))
}

/// What the planner needs to know of a move on `machine`, in the lengths that the controller counts.
#[must_use]
pub fn block(m: &Move, machine: &Machine, frame: &Frame) -> Block {
    if frame.surface().is_some() {
        return turned_block(m, frame);
    }
    let asked = match m.pace {
        Pace::Rapid => f64::INFINITY,
        Pace::Feed(speed) => speed.0,
    };
    // Which way an axis points does not matter; which of them it is does.
    let [x, y] = if machine.pointing.exchanged {
        [&machine.y, &machine.x]
    } else {
        [&machine.x, &machine.y]
    };
    line_block(m.from, &m.piece, asked, [x, y])
}

/// What the planner needs to know of a piece, asked for at a speed (mm/s), with the axes that carry
/// it to the right and away.
#[must_use]
pub fn line_block(from: Point, piece: &Piece, asked: f64, axes: [&Axis; 2]) -> Block {
    let (start, end) = piece.directions(from);
    let (speed, acceleration) = limits(piece, from, start, axes);
    Block {
        length: piece.length(from),
        speed: asked.min(speed),
        acceleration,
        start,
        end,
        // A beam that a controller without speed-scaled power switches does not stop the motion.
        stop_before: false,
        places: places(from, piece),
    }
}

/// A line on a round object: the controller knows only the positions of its axes, mm and degrees
/// alike, and plans with those.
fn turned_block(m: &Move, frame: &Frame) -> Block {
    let (a, b) = (frame.words(m.from), frame.words(m.piece.end()));
    let way = Vec2::new(b[0] - a[0], b[1] - a[1]);
    let length = way.hypot().max(1e-12);
    let direction = way / length;
    let [along, around] = frame.axes();
    let (speed, acceleration) = limits(&m.piece, m.from, direction, [along, around]);
    let asked = match m.pace {
        Pace::Rapid => f64::INFINITY,
        Pace::Feed(speed) => speed.0 * frame.per_mm(m.from, m.piece.end()),
    };
    Block {
        length,
        speed: asked.min(speed),
        acceleration,
        start: direction,
        end: direction,
        stop_before: false,
        places: 1,
    }
}

/// How near the chords of a controller stay to an arc, mm; what boards have as they come.
const CHORD: f64 = 0.002;

/// How many moves a controller makes of a move: an arc becomes chords.
fn places(from: Point, piece: &Piece) -> u32 {
    let Piece::Arc { centre, sweep, .. } = *piece else { return 1 };
    let radius = from.distance(centre);
    let chord = 2.0 * (CHORD * (2.0 * radius - CHORD)).max(1e-12).sqrt();
    (sweep.abs() * radius / chord).clamp(1.0, 1e6) as u32
}

/// How long the focus takes from one height to another, from standstill to standstill, s.
#[must_use]
pub fn lift_seconds(from: f64, to: f64, machine: &Machine) -> f64 {
    let Some(z) = machine.z else { return 0.0 };
    let up = Vec2::new(0.0, 1.0);
    let block = Block {
        length: (to - from).abs(),
        speed: z.axis.top_speed,
        acceleration: z.axis.acceleration,
        start: up,
        end: up,
        stop_before: true,
        places: 1,
    };
    planner::seconds(&block, 0.0, 0.0)
}

/// Top speed and acceleration along a piece, so that neither axis exceeds its own.
fn limits(piece: &Piece, from: Point, direction: Vec2, [x, y]: [&Axis; 2]) -> (f64, f64) {
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
            let centripetal = (acceleration * from.distance(*centre)).sqrt();
            (x.top_speed.min(y.top_speed).min(centripetal), acceleration)
        }
    }
}
