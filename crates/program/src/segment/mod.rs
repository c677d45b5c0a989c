//! Segments: what each line of a program will say.
//!
//! A [`Segment`] is already rounded as the text is: positions in whole thousandths of the
//! controller's own units, a [`Level`] that only the source can make, a feed in its decimals. It can
//! no longer hold percent, fractions of power or drawn curves. Planner, totals, limits, pictures and
//! the writer all go through the same segments.

mod ahead;
mod axis_move;
mod cut;
mod lower;
pub mod powers;
#[cfg(test)]
mod sample;

pub use axis_move::{Arc, AxisMove, Feed, Micron, microns};

use crate::mapping::Placed;
use tinkite_base::geometry::{Piece, Point};
use tinkite_base::problem::{Code, Location, Problem};
use tinkite_base::quantity::{Power, plain};
use tinkite_job::Job;
use tinkite_machine::frame::Frame;
use tinkite_machine::motion::course::Course;
use tinkite_machine::source::{Level, Scale};
use tinkite_toolpath::Toolpath;
use tinkite_toolpath::order::Sequence;

/// Which part of the job a segment belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Provenance {
    /// The step, counted from 0.
    pub step: usize,
    /// The path in the step, in running order, from 1; 0 before the first.
    pub path: usize,
    /// The pass over the whole sheet, from 1; 0 where each path gets all its passes at once.
    pub pass: u32,
}

/// What a segment does.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Act {
    /// The head moves.
    Move(AxisMove),
    /// The head stands still for so many milliseconds, lit or dark.
    Dwell(u32, Level),
    /// The focus goes from one height to another, thousandths of a mm, with the beam off.
    Lift(Micron, Micron),
    /// The air is switched on or off.
    Air(bool),
    /// The frequency of the source's pulses, Hz.
    Frequency(f64),
    /// Whether the controller makes power follow the speed (M4) or keeps it (M3).
    Follow(bool),
}

impl Act {
    /// Whether the controller comes to a halt for it.
    #[must_use]
    pub fn stops(&self) -> bool {
        !matches!(self, Self::Move(_))
    }
}

/// What one line of the program says; a lit dwell, or a move after a change of power that needs a
/// line of its own, takes several.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Segment {
    /// What it belongs to.
    pub of: Provenance,
    /// What it does.
    pub act: Act,
}

/// A job as segments. They are made while it is walked, not stored: a million engraved lines cost
/// no memory here. It owns the job that it was made from.
#[derive(Debug, Clone)]
pub struct Segments {
    placed: Placed,
    job: Job,
    course: Course,
    scale: Scale,
    /// Which of all paths is the first of each step.
    first: Vec<usize>,
    /// In which steps the controller makes power follow the speed.
    follows: Vec<bool>,
}

impl Segments {
    /// The segments of a placed job.
    #[must_use]
    pub fn new(placed: Placed, job: &Job) -> Self {
        let course = Course::new(&job.machine, *placed.frame().axes());
        let paths = placed.sequence().paths();
        let first = |step| paths.iter().position(|path| path.step == step).unwrap_or(paths.len());
        let first = (0..job.steps.len()).map(first).collect();
        let scale = job.machine.beam.scale();
        let follows = job.steps.iter().map(|step| powers::follows(job, step)).collect();
        Self { placed, job: job.clone(), course, scale, first, follows }
    }

    /// Hands on every segment, in running order.
    ///
    /// # Errors
    /// Powers that the source cannot give and speeds that no F word can say, and whatever `each`
    /// returns.
    pub fn walk<E: From<Problem>>(
        &self,
        each: impl FnMut(Segment) -> Result<(), E>,
    ) -> Result<(), E> {
        lower::lower(self, each)
    }

    /// The job that it was made from.
    #[must_use]
    pub fn job(&self) -> &Job {
        &self.job
    }

    /// How the plane of the job becomes the controller's positions.
    #[must_use]
    pub fn frame(&self) -> &Frame {
        self.placed.frame()
    }

    /// The paths in running order.
    #[must_use]
    pub fn sequence(&self) -> &Sequence {
        self.placed.sequence()
    }

    /// What people call the path that a segment belongs to.
    #[must_use]
    pub fn label(&self, of: Provenance) -> &str {
        self.path(of).map_or("", |path| &path.name.text)
    }

    /// The path that a segment belongs to.
    #[must_use]
    pub fn path(&self, of: Provenance) -> Option<&Toolpath> {
        let number = self.first.get(of.step).map(|first| first + of.path.saturating_sub(1))?;
        self.sequence().paths().get(number)
    }

    /// What the controller's planner makes of a move.
    #[must_use]
    pub fn course(&self) -> &Course {
        &self.course
    }

    /// Whether the controller makes power follow the speed (M4) in a step, counted from 0.
    #[must_use]
    pub fn follows(&self, step: usize) -> bool {
        self.follows.get(step).copied().unwrap_or(false)
    }

    /// Where a move runs in the plane of the job, mm from the program's zero.
    #[must_use]
    pub fn piece(&self, way: &AxisMove) -> (Point, Piece) {
        let frame = self.frame();
        let point = |at: [Micron; 2]| frame.point(at.map(|a| a as f64 / 1000.0));
        let (from, to) = (point(way.from), point(way.to));
        match way.circle() {
            None => (from, Piece::Line { to }),
            Some(circle) => {
                let sweep = if frame.mirrors() { -circle.sweep } else { circle.sweep };
                (from, Piece::Arc { to, centre: frame.point(circle.centre), sweep })
            }
        }
    }

    /// How long a move is on the stock, mm.
    #[must_use]
    pub fn length(&self, way: &AxisMove) -> f64 {
        let (from, piece) = self.piece(way);
        self.frame().length(from, &piece)
    }

    /// The speed that is asked of a move, in the controller's own lengths per second; infinite for
    /// a rapid.
    #[must_use]
    pub fn speed(&self, way: &AxisMove) -> f64 {
        way.feed.map_or(f64::INFINITY, |feed| {
            self.frame().speed(way.start_mm(), way.to_mm(), || way.length(), feed.value())
        })
    }

    /// The blocks that the controller's planner makes of a move.
    pub fn blocks(&self, way: &AxisMove, each: impl FnMut(tinkite_machine::motion::block::Block)) {
        let circle = way.circle();
        self.course.blocks(way.start_mm(), way.to_mm(), circle.as_ref(), self.speed(way), each);
    }

    /// The level of a power (share of full), for what belongs to `of`.
    fn level(&self, of: Provenance, power: f64) -> Result<Level, Problem> {
        self.scale.level(Power(power)).map_err(|problem| {
            self.job.machine.beam.measured(problem, Power(power)).at(self.place(of))
        })
    }

    /// By how much power must change for another level, as a share of full.
    fn level_share(&self) -> f64 {
        self.scale.share_of_level()
    }

    /// The F word of a straight move at a speed on the stock, mm/s, between positions as they are
    /// written.
    fn feed(
        &self,
        of: Provenance,
        from: [Micron; 2],
        to: [Micron; 2],
        speed: f64,
    ) -> Result<Feed, Problem> {
        let frame = self.frame();
        let feed = if frame.surface().is_none() {
            speed * 60.0
        } else {
            let [a, b] = [from, to].map(|at| frame.point(at.map(|a| a as f64 / 1000.0)));
            frame.feed(a, b, speed)
        };
        Feed::new(feed).ok_or_else(|| {
            let message = format!(
                "{} mm/s cannot be said in a program: its F word would be 0",
                plain(speed, 6)
            );
            Problem::error(Code::TooSlow, message, "ask for a higher speed").at(self.place(of))
        })
    }

    fn place(&self, of: Provenance) -> Location {
        let step = &self.job.steps[of.step];
        Location {
            span: Some(step.span.clone()),
            thing: Some(step.name.clone()),
            ..Location::file(&self.job.file)
        }
    }
}
