//! What a program comes to.

use super::Timeline;
use tinkite_base::geometry::Rect;
use tinkite_base::problem::Problems;
use tinkite_machine::Dialect;

/// What a program comes to. Places are the machine's own: offsets that the program sets count.
#[derive(Debug, Clone)]
pub struct Report {
    /// Lines of text.
    pub lines: u32,
    /// Which dialect its style is that of.
    pub dialect: Dialect,
    /// Units it is written in.
    pub units: &'static str,
    /// Length with the beam on, mm; of turns only where the diameter is known.
    pub burn: f64,
    /// Length with the beam off, mm.
    pub travel: f64,
    /// Time, s. Without a machine only feed moves and dwells count, at their full feed.
    pub seconds: f64,
    /// The rectangle round all moves but the first approach.
    pub extents: Option<Rect>,
    /// The rectangle round all moves with the beam on.
    pub burn_extents: Option<Rect>,
    /// Least and greatest angle of a turning axis, degrees.
    pub rotary: Option<(f64, f64)>,
    /// Least and greatest S of moves with the beam on.
    pub s: Option<(f64, f64)>,
    /// The first line that burns with constant power.
    pub constant: Option<u32>,
    /// Whether the beam is off when the program ends.
    pub beam_off_at_end: bool,
    /// What is wrong or doubtful.
    pub problems: Problems,
    /// When each line is done.
    pub timeline: Timeline,
}

impl Report {
    /// Of a program of which nothing was read yet.
    pub(super) fn new() -> Self {
        Self {
            lines: 0,
            dialect: Dialect::Ngc,
            units: "mm",
            burn: 0.0,
            travel: 0.0,
            seconds: 0.0,
            extents: None,
            burn_extents: None,
            rotary: None,
            s: None,
            constant: None,
            beam_off_at_end: true,
            problems: Problems::new(),
            timeline: Timeline::default(),
        }
    }
}
