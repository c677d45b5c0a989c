//! Mapping: from the bed's corner to the machine's own axes, and from paths to moves.
//!
//! Here it is decided how the head gets from path to path and what it does at the ends of engraved
//! rows. From here on there are no artwork coordinates.

use crate::geometry::{Contour, Piece, Point, Vec2};
use crate::job::machine::Travel;
use crate::job::{Job, Step};
use crate::order::Sequence;
use crate::quantity::Speed;
use crate::toolpath::hatch::{Hatch, Row};
use crate::toolpath::{Burn, Toolpath};

/// What a move is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    /// Getting there, beam off.
    Travel,
    /// At working speed with the beam off: run-up, run-out and short gaps.
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

/// One move of the head, in machine coordinates (mm).
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
    /// A path begins.
    Part {
        /// What people call it.
        label: &'a str,
        /// Its number in the step, from 1.
        number: usize,
        /// How many times it is walked.
        passes: u32,
    },
    /// The head moves.
    Move(Move),
}

/// The sequence on a flat bed, in the machine's coordinates.
///
/// The moves are made while walking, not stored: a million engraved lines cost no memory here.
#[derive(Debug, Clone)]
pub struct Placed {
    sequence: Sequence,
    /// From the bed's front left corner to the machine's origin.
    shift: Vec2,
    steps: Vec<StepPace>,
    travel: Pace,
}

/// What walking needs to know of a step.
#[derive(Debug, Clone, Copy)]
struct StepPace {
    speed: Speed,
    passes: u32,
}

impl From<&Step> for StepPace {
    fn from(step: &Step) -> Self {
        Self { speed: step.speed, passes: step.passes }
    }
}

/// Places a sequence on the machine's flat bed.
#[must_use]
pub fn place(sequence: Sequence, job: &Job) -> Placed {
    Placed {
        sequence,
        shift: -job.machine.bed.origin_offset(),
        steps: job.steps.iter().map(StepPace::from).collect(),
        travel: match job.machine.travel {
            Travel::Rapid => Pace::Rapid,
            Travel::Feed(speed) => Pace::Feed(speed),
        },
    }
}

/// Moves shorter than this (mm) would not survive the rounding of a program's numbers.
const SHORTEST: f64 = 1e-9;

/// Makes moves one after the other and hands them on.
struct Walker<'p, F> {
    placed: &'p Placed,
    at: Point,
    each: F,
}

impl<'p, E, F: FnMut(Instruction<'p>) -> Result<(), E>> Walker<'p, F> {
    fn go(&mut self, purpose: Purpose, piece: Piece, pace: Pace) -> Result<(), E> {
        let from = std::mem::replace(&mut self.at, piece.end());
        let step = Move { purpose, from, piece, pace };
        if step.length() > SHORTEST { (self.each)(Instruction::Move(step)) } else { Ok(()) }
    }

    fn travel(&mut self, to: Point) -> Result<(), E> {
        self.go(Purpose::Travel, Piece::Line { to }, self.placed.travel)
    }

    fn path(&mut self, path: &'p Toolpath, number: usize) -> Result<(), E> {
        let StepPace { speed, passes } = self.placed.steps[path.step];
        (self.each)(Instruction::Part { label: &path.label, number, passes })?;
        match &path.burn {
            Burn::Line(contour) => self.line(&contour.shifted(self.placed.shift), speed, passes),
            Burn::Hatch(hatch) => (0..passes).try_for_each(|_| self.hatch(hatch, speed)),
        }
    }

    fn line(&mut self, contour: &Contour, speed: Speed, passes: u32) -> Result<(), E> {
        self.travel(contour.start)?;
        let there = contour;
        let back = (!contour.closed && passes > 1).then(|| contour.reversed());
        for pass in 0..passes {
            // An open line is walked there and back: no travel, and the beam stays where it is hot.
            let way = if pass % 2 == 1 { back.as_ref().unwrap_or(there) } else { there };
            for piece in &way.pieces {
                self.go(Purpose::Burn, *piece, Pace::Feed(speed))?;
            }
        }
        Ok(())
    }

    fn hatch(&mut self, hatch: &Hatch, speed: Speed) -> Result<(), E> {
        hatch.rows().try_for_each(|row| self.row(&row, hatch.lines.run_up, speed))
    }

    fn row(&mut self, row: &Row<'_>, run_up: f64, speed: Speed) -> Result<(), E> {
        let shift = self.placed.shift;
        let reach = row.direction() * run_up;
        let feed = Pace::Feed(speed);
        let mut end_before: Option<Point> = None;
        for (from, to) in row.stretches() {
            let (from, to) = (from + shift, to + shift);
            // A gap longer than slowing down and getting up to speed again is crossed as travel.
            let enter = match end_before {
                Some(end) if end.distance(from) <= 2.0 * run_up + 1e-6 => None,
                Some(end) => {
                    self.go(Purpose::Dark, Piece::Line { to: end + reach }, feed)?;
                    Some(from - reach)
                }
                None => Some(from - reach),
            };
            if let Some(enter) = enter {
                self.travel(enter)?;
            }
            self.go(Purpose::Dark, Piece::Line { to: from }, feed)?;
            self.go(Purpose::Burn, Piece::Line { to }, feed)?;
            end_before = Some(to);
        }
        match end_before {
            Some(end) => self.go(Purpose::Dark, Piece::Line { to: end + reach }, feed),
            None => Ok(()),
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
        let mut walker = Walker { placed: self, at: Point::ZERO, each };
        let mut step = None;
        let mut number = 0;
        for path in self.sequence.paths() {
            if step.replace(path.step) != Some(path.step) {
                number = 0;
                (walker.each)(Instruction::Step(path.step))?;
            }
            number += 1;
            walker.path(path, number)?;
        }
        Ok(())
    }

    /// The sequence that was placed.
    #[must_use]
    pub fn sequence(&self) -> &Sequence {
        &self.sequence
    }

    /// From bed coordinates (front left corner) to machine coordinates.
    #[must_use]
    pub fn shift(&self) -> Vec2 {
        self.shift
    }
}
