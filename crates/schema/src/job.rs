//! A job file.

use super::anchor::Anchor;
use super::artwork::{Artwork, DrawnShape};
use super::quantity::{Angle, Length, OneOrMany, Power, Speed};
use super::step::{Settings, Step};
use super::take::Take;
use schemars::JsonSchema;

/// A job: what is done with each colour of a drawing
#[derive(JsonSchema)]
#[schemars(title = "NAME.kite.toml", rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct JobFile {
    /// The format: 1
    #[schemars(range(min = 1, max = 1), example = 1)]
    tinkite: u32,
    /// What people call it
    name: Option<String>,
    /// A profile's name, or a path to one
    machine: String,
    /// Recipes are found by it; it stands in the program's head
    material: Option<String>,
    /// Where lenses are changed: recipes for it are found
    lens: Option<String>,
    /// How far toolpaths may stray from the drawn curves; 0.01 mm where left out
    tolerance: Option<Length>,
    /// Warnings that somebody has judged, by code
    accept: Option<Vec<Code>>,
    artwork: Option<OneOrMany<Artwork>>,
    shape: Option<OneOrMany<DrawnShape>>,
    stock: Option<Stock>,
    place: Option<Placed>,
    rotary: Option<Round>,
    step: Option<OneOrMany<Step>>,
    photo: Option<Photo>,
    swatch: Option<Swatch>,
}

/// A code that `tinkite check --explain` explains
#[derive(JsonSchema)]
#[schemars(example = "missing-font")]
pub(super) struct Code(String);

/// The material on the bed
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Stock {
    /// Its front left corner lies at the bed's
    width: Option<Length>,
    depth: Option<Length>,
    /// Instead of width and depth: it lies round everything that is burnt
    margin: Option<Length>,
    /// Instead of width and depth: the closed lines that are its edge, an offcut for instance
    outline: Option<OneOrMany<Take>>,
    /// Recipes are found by it, and the focus is set by it
    thickness: Option<Length>,
}

/// Where the job lies
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Placed {
    /// Where the anchor lies on the machine's axes
    at: Option<[Length; 2]>,
    /// Which point of the drawing lies there; the lower left corner where left out
    anchor: Option<Anchor>,
    /// What the program counts from; the bed where left out
    zero: Option<Zero>,
    copies: Option<Copies>,
    /// Every part is laid where its outline fits
    pack: Option<Pack>,
    /// Points of the drawing and where they were found on the bed
    mark: Option<OneOrMany<Mark>>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Zero {
    /// The machine's own zero
    Bed,
    /// The zero that the operator has set on the stock
    Stock,
    /// Where the head stands
    Head,
}

/// Everything repeated
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Copies {
    #[schemars(range(min = 1), example = 2)]
    columns: Option<u32>,
    #[schemars(range(min = 1), example = 2)]
    rows: Option<u32>,
    /// Instead of columns and rows: how many in all, over as many sheets as they need
    #[schemars(range(min = 1), example = 3)]
    count: Option<u32>,
    /// Instead of both: a table (CSV) with a row for each copy, whose columns fill `{name}` in texts
    #[schemars(example = "names.csv")]
    each: Option<String>,
    /// The table's column that names shapes which a copy goes without
    leave_out: Option<String>,
    /// Serial numbers, which fill `{number}` in texts
    number: Option<Numbering>,
    /// Which of those sheets is made
    #[schemars(range(min = 1), example = 1)]
    sheet: Option<u32>,
    /// Between the extents of neighbours
    gap: Option<Length>,
    /// Instead of the gap: from one to the next
    #[schemars(example = ["50 mm", "30 mm"])]
    pitch: Option<[Length; 2]>,
    /// Every other row is turned half round
    turn: Option<CopiesTurn>,
}

/// Parts laid where their outlines fit, over as many sheets as they need
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Pack {
    /// Between the outlines of neighbours, at least
    gap: Length,
    /// From the edge of the stock, at least; the gap where left out
    margin: Option<Length>,
    /// Parts may be turned by this and by its multiples; not turned where left out
    #[schemars(example = "90 deg")]
    turn: Option<Angle>,
    /// Only turns that keep the grain: none, and half round
    keep_grain: Option<bool>,
}

/// Serial numbers of the copies
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Numbering {
    /// Of the first copy; 1 where left out
    #[schemars(range(max = 4_000_000_000_u32), example = 101)]
    first: Option<u32>,
    /// Filled up with zeros to so many digits
    #[schemars(range(min = 1, max = 12), example = 4)]
    digits: Option<u8>,
    /// Go on behind the greatest number that a finished run of this job has burnt
    go_on: Option<bool>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum CopiesTurn {
    AlternateRows,
}

/// A registration mark
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Mark {
    /// On the sized drawing's page, from its lower left corner
    drawn: Option<[Length; 2]>,
    /// Instead of it: the middle of a shape, by its id
    shape: Option<String>,
    /// On the machine's axes
    found: [Length; 2],
}

/// What is held in the rotary
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Round {
    hold: Hold,
    diameter: Option<Length>,
    /// Instead of the diameter
    circumference: Option<Length>,
    /// Distance along the axis and diameter there; cones in between
    #[schemars(example = [["0 mm", "70 mm"], ["120 mm", "64 mm"]])]
    profile: Option<Vec<[Length; 2]>>,
    /// Where on the bed the profile begins
    at: Option<Length>,
    /// What is kept on a profile: sizes, or angles
    keep: Option<Keep>,
    /// What the axis reads when the top is under the beam
    top: Option<Angle>,
    /// How far from the top the surface is cut open in pictures
    seam: Option<Angle>,
    /// The drawing may be wider than the object is round
    overlap: Option<bool>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Hold {
    Chuck,
    Rollers,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Keep {
    Size,
    Angle,
}

/// A photo of the bed that lies under the pictures
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Photo {
    /// From the job's folder: PNG, JPEG, BMP, GIF, TIFF
    #[schemars(example = "photo.png")]
    file: String,
    /// At least four places on it, pixels from its upper left corner; left out: dark marks lie at the places found
    #[schemars(example = [[1.0, 1.0], [90.0, 1.0], [90.0, 90.0], [1.0, 90.0]])]
    corners: Option<Vec<[f64; 2]>>,
    /// The same places on the machine's axes
    #[schemars(example = [["0 mm", "50 mm"], ["50 mm", "50 mm"], ["50 mm", "0 mm"], ["0 mm", "0 mm"]])]
    found: Vec<[Length; 2]>,
}

/// A test sheet, with how its squares are burnt
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Swatch {
    kind: Option<SwatchKind>,
    /// One key of a step with its values: { power = ["10 %", "60 %"], count = 6 }
    #[schemars(example = serde_json::json!({"power": ["10 %", "60 %"], "count": 3}))]
    across: Option<serde_json::Map<String, serde_json::Value>>,
    #[schemars(example = serde_json::json!({"speed": ["20 mm/s", "60 mm/s"], "count": 3}))]
    down: Option<serde_json::Map<String, serde_json::Value>>,
    /// Side of a square
    cell: Option<Length>,
    /// Between squares
    gap: Option<Length>,
    /// Squares in a row, where only one thing is varied
    #[schemars(example = 4)]
    in_row: Option<u32>,
    /// Neighbours are not burnt in turn
    scatter: Option<bool>,
    /// How letters and marks are burnt
    label: SwatchLabel,
    /// What stands on it
    name: Option<String>,
    date: Option<String>,
    /// A bitmap that each square is
    picture: Option<String>,
    /// The stock leans over this length
    ramp: Option<Length>,
    /// Of a comb: how many parts
    #[schemars(example = 10)]
    parts: Option<u32>,
    /// Of a comb: how wide each is drawn
    part: Option<Length>,
    recipe: Option<String>,
    #[schemars(flatten)]
    settings: Settings,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum SwatchKind {
    Grid,
    Greys,
    Focus,
    Offset,
    Kerf,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct SwatchLabel {
    speed: Speed,
    power: Power,
}
