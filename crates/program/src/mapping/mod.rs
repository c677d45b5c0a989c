//! Mapping: from the plane of a job to the machine's own axes, and from paths to moves.
//!
//! Here it is decided how the head gets from path to path and what it does at the ends of engraved
//! rows. From here on there are no artwork coordinates.

mod line;
mod rows;

use tinkite_base::geometry::{Piece, Point, Vec2};
use tinkite_base::quantity::{Power, Speed};
use tinkite_job::{Corners, Every, Job, PassesBy, Pierce, Step, Zero};
use tinkite_machine::Travel;
use tinkite_machine::frame::{Frame, Surface};
use tinkite_toolpath::order::Sequence;
use tinkite_toolpath::{Burn, Toolpath};

/// What a move is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    /// Getting there, beam off.
    Travel,
    /// At working speed with the beam off: run-up, run-out, short gaps and bridges.
    Dark,
    /// Burning.
    Burn,
}

/// How fast a move goes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Pace {
    /// As fast as the axes can.
    Rapid,
    /// At this speed along the path, where acceleration allows.
    Feed(Speed),
}

/// One move of the head in the plane of the job, mm from the program's zero: right and away on a
/// flat bed, along and round the object in the rotary.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Move {
    /// What it is for.
    pub purpose: Purpose,
    /// Where it starts.
    pub from: Point,
    /// The line or arc it follows.
    pub piece: Piece,
    /// How fast.
    pub pace: Pace,
    /// Power asked for at its start and at its end, linear in between; zero unless it burns.
    pub power: [Power; 2],
    /// Share of that power at standstill; linear in the speed up to the asked one. 1 where power
    /// does not depend on the speed.
    pub slow: f64,
}

impl Move {
    /// Its length, mm.
    #[must_use]
    pub fn length(&self) -> f64 {
        self.piece.length(self.from)
    }
}

/// What a placed job consists of, in running order.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Instruction<'a> {
    /// A step of the job begins (its number).
    Step(usize),
    /// All paths of the step are walked again: which pass, from 1, and of how many.
    Pass(u32, u32),
    /// A path begins.
    Part {
        /// What people call it.
        label: &'a str,
        /// Its number in the step, from 1.
        number: usize,
        /// How many times it is walked now.
        passes: u32,
    },
    /// The focus goes to this height, mm, from that one, with the beam off.
    Height {
        /// Where it is.
        from: f64,
        /// Where it goes.
        to: f64,
    },
    /// The head stands still for so many seconds, with this power or in the dark.
    Dwell(f64, Option<Power>),
    /// The head moves.
    Move(Move),
}

/// The sequence as moves, counted from the program's zero.
///
/// The moves are made while walking, not stored: a million engraved lines cost no memory here.
#[derive(Debug, Clone)]
pub struct Placed {
    sequence: Sequence,
    /// From the field's corner to the program's zero.
    shift: Vec2,
    frame: Frame,
    /// Whether the head ends where it began.
    returns: bool,
    steps: Vec<StepWalk>,
    travel: Pace,
    /// How high the focus is lifted for travel, mm.
    clearance: f64,
}

/// What walking needs to know of a step.
#[derive(Debug, Clone)]
struct StepWalk {
    step: Step,
    pierce: Option<Pierce>,
    bridge_power: Option<Power>,
    /// How long the beam stands in corners, s; 0 for not.
    corner_dwell: f64,
    /// Radius of the arcs in which a line goes round a corner that was drawn, mm: half the kerf.
    corner_radius: f64,
    /// How long the air is waited for when this step is the one that switches it on, s.
    settle: f64,
}

impl StepWalk {
    fn new(step: &Step, job: &Job) -> Self {
        let follow = step.operation.follow();
        Self {
            step: step.clone(),
            pierce: follow.and_then(|follow| follow.pierce),
            bridge_power: follow.and_then(|f| f.bridges).and_then(|bridges| bridges.power),
            corner_radius: follow.map_or(0.0, |follow| follow.kerf / 2.0),
            corner_dwell: match follow.and_then(|follow| follow.corners) {
                Some(Corners::Dwell(seconds)) => seconds,
                _ => 0.0,
            },
            settle: job.machine.air.as_ref().filter(|_| step.air).map_or(0.0, |air| air.settle),
        }
    }
}

/// Places a sequence on the machine's bed, or round what its rotary holds.
#[must_use]
pub fn place(sequence: Sequence, job: &Job) -> Placed {
    Placed {
        sequence,
        shift: -job.field().zero,
        frame: job.frame(),
        returns: job.placement.zero == Zero::Head,
        steps: job.steps.iter().map(|step| StepWalk::new(step, job)).collect(),
        travel: match job.machine.travel {
            Travel::Rapid => Pace::Rapid,
            Travel::Feed(speed) => Pace::Feed(speed),
        },
        clearance: job.machine.z.map_or(0.0, |z| z.clearance),
    }
}

/// Moves shorter than this (mm) would not survive the rounding of a program's numbers.
const SHORTEST: f64 = 1e-9;

/// Travel shorter than this does not lift the focus, mm: the head stays over its own cut.
const NO_LIFT: f64 = 0.5;

/// Makes moves one after the other and hands them on.
struct Walker<'p, F> {
    placed: &'p Placed,
    at: Point,
    /// Height of the focus, mm; 0 is where the operator has set it.
    height: f64,
    /// How deep the path at hand lies below the surface, mm.
    sunk: f64,
    air: bool,
    /// As [`Move::slow`], of the pass at hand.
    slow: f64,
    each: F,
}

/// Off.
const DARK: [Power; 2] = [Power(0.0); 2];

impl<'p, E, F: FnMut(Instruction<'p>) -> Result<(), E>> Walker<'p, F> {
    fn go(
        &mut self,
        purpose: Purpose,
        piece: Piece,
        pace: Pace,
        power: [Power; 2],
    ) -> Result<(), E> {
        let from = std::mem::replace(&mut self.at, piece.end());
        let whole = Move { purpose, from, piece, pace, power, slow: self.slow };
        if whole.length() <= SHORTEST {
            return Ok(());
        }
        let frame = &self.placed.frame;
        // Travel may take any way.
        let free = purpose == Purpose::Travel;
        if free || frame.keeps_arcs() && frame.surface().is_none_or(Surface::is_even) {
            return (self.each)(Instruction::Move(whole));
        }
        // Parts are lines; power goes on evenly through them.
        let [first, last] = power.map(|power| power.0);
        let power_at = |t: f64| Power(first + (last - first) * t);
        let (mut low, mut from) = (0.0, from);
        frame.parts(whole.from, &piece, |high| {
            let to = if high >= 1.0 { piece.end() } else { piece.point_at(whole.from, high) };
            let power = [power_at(low), power_at(high)];
            let part = Move { from, piece: Piece::Line { to }, power, ..whole };
            (low, from) = (high, to);
            (self.each)(Instruction::Move(part))
        })
    }

    fn dark(&mut self, purpose: Purpose, to: Point, pace: Pace) -> Result<(), E> {
        self.go(purpose, Piece::Line { to }, pace, DARK)
    }

    fn focus(&mut self, to: f64) -> Result<(), E> {
        let from = std::mem::replace(&mut self.height, to);
        if (from - to).abs() < 1e-6 {
            return Ok(());
        }
        (self.each)(Instruction::Height { from, to })
    }

    /// Travels to where a path begins, the focus lifted on the way, and down to `height`.
    fn travel(&mut self, to: Point, height: f64) -> Result<(), E> {
        let lifts = self.placed.clearance > 0.0 && self.at.distance(to) > NO_LIFT;
        if lifts {
            self.focus(height.max(0.0) + self.placed.clearance)?;
        }
        self.dark(Purpose::Travel, to, self.placed.travel)?;
        self.focus(height)
    }

    fn step(&mut self, number: usize, paths: &'p [Toolpath]) -> Result<(), E> {
        (self.each)(Instruction::Step(number))?;
        let manner = &self.placed.steps[number];
        let air = manner.step.air;
        if air && !self.air && manner.settle > 0.0 {
            (self.each)(Instruction::Dwell(manner.settle, None))?;
        }
        self.air = air;
        let count = manner.step.passes.len();
        match manner.step.passes_by {
            PassesBy::Path => {
                for (n, path) in paths.iter().enumerate() {
                    let passes = count as u32;
                    self.part(path, n + 1, passes)?;
                    self.path(path, manner, 0..count)?;
                }
            }
            PassesBy::Sheet => {
                for pass in 0..count {
                    (self.each)(Instruction::Pass(pass as u32 + 1, count as u32))?;
                    for (n, path) in paths.iter().enumerate() {
                        self.part(path, n + 1, 1)?;
                        self.path(path, manner, pass..pass + 1)?;
                    }
                }
            }
        }
        Ok(())
    }

    fn part(&mut self, path: &'p Toolpath, number: usize, passes: u32) -> Result<(), E> {
        (self.each)(Instruction::Part { label: &path.name.text, number, passes })
    }

    fn path(
        &mut self,
        path: &'p Toolpath,
        manner: &'p StepWalk,
        passes: std::ops::Range<usize>,
    ) -> Result<(), E> {
        self.sunk = path.sunk;
        match &path.burn {
            Burn::Line(line) => self.line(line, manner, passes),
            Burn::Rows(rows) => {
                let mut passes = passes;
                passes.try_for_each(|pass| self.rows(rows, &manner.step, pass))
            }
        }
    }

    /// Makes ready for a pass: how power depends on the speed in it.
    fn begin_pass(&mut self, step: &Step, pass: usize) {
        let own = step.full_power(pass).0;
        self.slow = step.ramp.slow.map_or(1.0, |slow| slow.0 / own);
    }

    fn pierce(&mut self, manner: &StepWalk, pass: usize) -> Result<(), E> {
        match manner.pierce {
            Some(pierce) if pass == 0 || pierce.every == Every::Pass => {
                (self.each)(Instruction::Dwell(pierce.dwell, Some(pierce.power)))
            }
            _ => Ok(()),
        }
    }
}

impl Placed {
    /// Hands every instruction to `each`, in running order, the head beginning at the machine's
    /// origin. Stops at the first error.
    ///
    /// # Errors
    /// Whatever `each` returns.
    pub fn walk<'p, E>(
        &'p self,
        each: impl FnMut(Instruction<'p>) -> Result<(), E>,
    ) -> Result<(), E> {
        let mut walker = Walker {
            placed: self,
            at: Point::ZERO,
            height: 0.0,
            sunk: 0.0,
            air: false,
            slow: 1.0,
            each,
        };
        for group in self.sequence.paths().chunk_by(|a, b| a.step == b.step) {
            walker.step(group[0].step, group)?;
        }
        if self.returns {
            walker.travel(Point::ZERO, 0.0)?;
        }
        // The operator finds the focus where it was left.
        walker.focus(0.0)
    }

    /// How its plane becomes the controller's words.
    #[must_use]
    pub fn frame(&self) -> &Frame {
        &self.frame
    }

    /// The sequence that was placed.
    #[must_use]
    pub fn sequence(&self) -> &Sequence {
        &self.sequence
    }

    /// From the field's corner to the program's zero.
    #[must_use]
    pub fn shift(&self) -> Vec2 {
        self.shift
    }

    /// Whether power depends on the speed in a step.
    #[must_use]
    pub(crate) fn is_slow(&self, step: usize) -> bool {
        self.steps[step].step.ramp.slow.is_some()
    }

    /// Whether power depends on the speed in any step that takes part.
    #[must_use]
    pub(crate) fn any_slow(&self) -> bool {
        self.sequence.paths().iter().any(|path| self.is_slow(path.step))
    }
}
