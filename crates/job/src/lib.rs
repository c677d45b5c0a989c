//! The job: what is to be done, read once and decided.
//!
//! A [`Job`] no longer holds anything optional that a stage would have to decide; where the file
//! was silent, the default stands in its place. What this version cannot do is refused here.

mod artwork;
mod asked;
mod beside;
mod copies;
mod drawn;
mod file;
mod make;
mod pack;
mod photo;
mod place;
pub mod recipe;
mod rotary;
mod run_up;
pub mod select;
pub mod set;
mod step;
mod stock;
pub mod swatch;
mod table;
mod take_text;
pub mod takeable;
mod toml_text;
mod tone;
mod used;
mod window;
pub mod words;

pub use artwork::{ArtworkUse, Only, Paint, Under};
pub use beside::{Align, Beside, Edge};
pub use copies::{Copies, Each, Numbering, Spacing};
pub use drawn::{Area, DrawnShape, Outline};
pub use file::{Request, read, read_with};
pub use pack::Pack;
pub use photo::Photo;
pub use place::{Anchor, Mirror, Placement, RegistrationMark, Size, Spot, Zero};
pub use select::Take;
pub use step::{
    Advance, Bridges, Corners, DeepFrom, Directions, Dither, Engrave, Every, Fill, Follow, Image,
    Islands, Lead, LeadShape, Lines, Operation, Order, Overlaps, Pass, PassesBy, Pierce, Ramp,
    RampEnd, Relief, Rings, Screen, ScreenKind, Shade, Sharpen, Shoulder, Side, Start, Step, Tone,
};
pub use stock::{Stock, StockSize};
pub use table::{MOST_ROWS, Table};
pub use take_text::takes_toml;
pub use tone::{ToneCurve, ToneError, tone_curve};
pub use window::Window;

use tinkite_base::problem::Problems;
use tinkite_machine::Machine;
use tinkite_machine::frame::{Field, Frame, Round};

/// Everything that is to be done, decided.
#[derive(Debug, Clone, PartialEq)]
pub struct Job {
    /// What the job is called.
    pub name: String,
    /// What it is made of.
    pub material: Option<String>,
    /// The lens that is in, where the job says so.
    pub lens: Option<String>,
    /// The job file's own name, for problems.
    pub file: String,
    /// Warnings that somebody has judged: told in one line.
    pub accept: Vec<tinkite_base::problem::Code>,
    /// The machine it runs on.
    pub machine: Machine,
    /// What is drawn, in this order.
    pub artworks: Vec<ArtworkUse>,
    /// Shapes that the job draws itself, in the coordinates of the sized artwork.
    pub shapes: Vec<DrawnShape>,
    /// The stock, when the job says how large it is.
    pub stock: Option<Stock>,
    /// What is held in the rotary; none: the job lies flat on the bed.
    pub round: Option<Round>,
    /// Where it sits on the bed.
    pub placement: Placement,
    /// How far toolpaths may stray from the drawn curves, mm.
    pub tolerance: f64,
    /// How its test sheet is laid out, where it is one.
    pub swatch: Option<swatch::Swatch>,
    /// What is done, in this order.
    pub steps: Vec<Step>,
    /// A photo of the bed that lies under its pictures.
    pub photo: Option<crate::Photo>,
    /// What was set for this call, as lines of TOML.
    pub set: Vec<String>,
    /// What is doubtful about its text.
    pub doubts: Problems,
}

impl Job {
    /// The plane that the job is laid out on.
    #[must_use]
    pub fn field(&self) -> Field {
        Field::new(&self.machine, self.placement.zero == Zero::Bed, self.round.as_ref())
    }

    /// From that plane to the words of the machine's axes.
    #[must_use]
    pub fn frame(&self) -> Frame {
        Frame::new(&self.machine, &self.field(), self.round.as_ref(), self.tolerance)
    }
}
