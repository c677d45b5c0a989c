//! The job: what is to be done, read once and decided.
//!
//! A [`Job`] no longer holds anything optional that a stage would have to decide; where the file
//! was silent, the default stands in its place. What this version cannot do is refused here.

mod drawn;
mod file;
pub mod machine;
mod place;
mod reader;
pub mod select;
mod starter;
mod step;

pub use drawn::{DrawnShape, Outline};
pub use file::{Request, read};
pub use machine::Machine;
pub use place::{Anchor, Copies, Mirror, Placement, Size};
pub use select::Take;
pub use starter::starter;
pub use step::{Advance, Directions, Lines, Make, Order, Step};

use crate::quantity::Power;

/// A rectangle of material on the bed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stock {
    /// Across the bed, mm.
    pub width: f64,
    /// Away from the operator, mm.
    pub depth: f64,
    /// Its thickness, mm, when the job says so.
    pub thickness: Option<f64>,
}

/// The artwork of a job and how it is laid on the bed.
#[derive(Debug, Clone, PartialEq)]
pub struct ArtworkUse {
    /// The file, as the job names it (relative to the job).
    pub file: String,
    /// How large it is made.
    pub size: Size,
    /// Counter-clockwise turn in radians, applied after the size.
    pub turn: f64,
    /// Mirroring, applied first.
    pub mirror: Option<Mirror>,
    /// What one unit of the drawing is, mm, where the file leaves it in doubt.
    pub mm_per_unit: Option<f64>,
    /// Shapes that take no part.
    pub leave_out: Vec<Take>,
    /// Ends of lines painted alike that lie within this of each other are joined, mm.
    pub join_gaps: Option<f64>,
    /// Whether stretches that are drawn twice in one colour are dropped.
    pub drop_doubles: bool,
}

/// Everything that is to be done, decided.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    /// What the job is called.
    pub name: String,
    /// What it is made of, for people to read.
    pub material: Option<String>,
    /// The job file's own name, for problems.
    pub file: String,
    /// The machine it runs on.
    pub machine: Machine,
    /// What is drawn.
    pub artwork: ArtworkUse,
    /// Shapes that the job draws itself, in the coordinates of the sized artwork.
    pub shapes: Vec<DrawnShape>,
    /// The stock, when the job says how large it is; its front left corner lies at the bed's.
    pub stock: Option<Stock>,
    /// Where it sits on the bed.
    pub placement: Placement,
    /// How far toolpaths may stray from the drawn curves, mm.
    pub tolerance: f64,
    /// What is done, in this order.
    pub steps: Vec<Step>,
}

impl Job {
    /// The highest power that any step asks for.
    #[must_use]
    pub fn strongest(&self) -> Power {
        Power(self.steps.iter().map(|step| step.power.0).fold(0.0, f64::max))
    }
}
