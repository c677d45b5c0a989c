//! Test sheets: a job with `[swatch]` draws itself, a square for each pair of values.
//!
//! It is written out as shapes and steps before the job is read, so that one reader, one set of checks and one
//! way to the program is all there is.

mod axis;
mod drawn;
mod grid;
mod kerf;
mod ramp;
mod read;
mod written;

pub use axis::Varied;
pub use kerf::{KerfError, Measured, kerf_of};
pub(super) use read::expand;
pub use written::{NewSwatch, swatch_text};

use tinkite_base::geometry::{Point, Rect};

/// What a sheet is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SwatchKind {
    /// A square for each pair of values.
    Grid,
    /// Powers at one speed, from which a tone curve follows.
    Greys,
    /// Heights of the focus.
    Focus,
    /// By how much rows that are walked back land beside the others.
    Offset,
    /// Parts side by side, from whose measured width the kerf follows.
    Kerf,
}

impl SwatchKind {
    /// All of them with their words.
    pub const WORDS: [(&'static str, Self); 5] = [
        ("grid", Self::Grid),
        ("greys", Self::Greys),
        ("focus", Self::Focus),
        ("offset", Self::Offset),
        ("kerf", Self::Kerf),
    ];
}

/// One square.
#[derive(Debug, Clone, PartialEq)]
pub struct Cell {
    /// Its name: `C4`, third from the left and fourth from the top.
    pub name: String,
    /// Where it lies, mm from the sheet's lower left corner.
    pub rect: Rect,
    /// The values that are tried in it, as TOML writes them: of the first key and of the second.
    pub values: Vec<String>,
    /// Why it is not burnt, where it is not.
    pub blank: Option<String>,
}

/// A test sheet as it is laid out.
#[derive(Debug, Clone, PartialEq)]
pub struct Swatch {
    /// What it is for.
    pub kind: SwatchKind,
    /// What is varied from left to right, then from top to bottom.
    pub varied: Vec<Varied>,
    /// Its squares, row by row from the top.
    pub cells: Vec<Cell>,
    /// How large it is, mm.
    pub size: (f64, f64),
    /// The four corner marks, from the upper left one clockwise, mm from the lower left corner.
    pub marks: [Rect; 4],
    /// The mark that stands beside the upper left one, on the upper edge, and tells which way round it lies.
    pub key: Rect,
    /// When it was made, as the job says it.
    pub date: Option<String>,
    /// The parts of a comb: how many, and how wide each is drawn, mm.
    pub comb: Option<(u32, f64)>,
    /// Whether the stock leans while it is burnt, so that the head stays at one height.
    pub leans: bool,
}

impl Swatch {
    /// The square of this name; capitals do not matter.
    #[must_use]
    pub fn cell(&self, name: &str) -> Option<&Cell> {
        self.cells.iter().find(|cell| cell.name.eq_ignore_ascii_case(name.trim()))
    }

    /// Centres of the corner marks, from the upper left one clockwise.
    #[must_use]
    pub fn corners(&self) -> [Point; 4] {
        self.marks.map(|mark| mark.center())
    }
}

/// The name of a column: A to Z, then AA.
fn column_name(mut n: usize) -> String {
    let mut name = Vec::new();
    loop {
        name.insert(0, char::from(b'A' + (n % 26) as u8));
        if n < 26 {
            return name.into_iter().collect();
        }
        n = n / 26 - 1;
    }
}
