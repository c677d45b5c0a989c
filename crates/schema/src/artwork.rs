//! Drawings of a job, and shapes that it draws itself.

use super::anchor::Anchor;
use super::quantity::{Angle, Colour, Length, OneOrMany, PaintColour, Percent, Resolution, Share};
use super::take::Take;
use schemars::JsonSchema;

/// A drawing, and how it is used
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Artwork {
    /// From the job's folder
    #[schemars(example = "panel.svg")]
    file: String,
    /// What steps call it; its file where left out
    name: Option<String>,
    /// Which page of a PDF, from 1
    #[schemars(range(min = 1), example = 1)]
    page: Option<u32>,
    /// The other kind takes no part
    only: Option<Only>,
    /// Its width; proportions are kept
    width: Option<Length>,
    /// Its height; proportions are kept
    height: Option<Length>,
    /// Instead of width or height: a factor
    #[schemars(example = 2.0)]
    scale: Option<f64>,
    /// How many of it are laid, with pack
    #[schemars(range(min = 1, max = 500), example = 12)]
    count: Option<u32>,
    /// With both width and height: proportions are given up
    stretch: Option<bool>,
    /// Of a bitmap file, instead of what it says
    dpi: Option<Resolution>,
    /// How many units of the drawing go into a length: "90/in", "1/mm"
    #[schemars(example = "90/in")]
    units: Option<String>,
    /// Where a point of this drawing lies on the sheet
    at: Option<[Length; 2]>,
    anchor: Option<Anchor>,
    /// Instead of at and anchor: beside a drawing that stands before it
    beside: Option<Beside>,
    /// After the size
    turn: Option<Angle>,
    /// First
    mirror: Option<Mirror>,
    /// What lies beyond the page is cut away
    crop: Option<Crop>,
    /// The part of the page that is used
    window: Option<Window>,
    /// Colours that differ by no more than this become one
    #[schemars(range(min = 0, max = 64), example = 8)]
    colour_tolerance: Option<u32>,
    /// Bitmaps become filled outlines
    trace: Option<Trace>,
    /// A dashed line is its dashes
    dashes: Option<bool>,
    /// Shapes that take no part
    leave_out: Option<OneOrMany<Take>>,
    /// Ends of lines painted alike that lie within this are joined
    join_gaps: Option<Length>,
    /// Shapes that get another paint
    paint: Option<OneOrMany<Paint>>,
    /// What has no plain colour is drawn into a bitmap
    #[schemars(example = "254 dpi")]
    render: Option<Render>,
    /// What lies under later paint
    under: Option<Under>,
    /// Stretches that lie on another line of the same colour are dropped
    drop_doubles: Option<bool>,
}

/// Beside another drawing on the sheet
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Beside {
    /// The other one's name, or its file
    #[schemars(example = "panel.svg")]
    of: String,
    side: Option<Edge>,
    /// Between the two
    gap: Option<Length>,
    /// bottom, centre or top of drawings side by side; left, centre or right of drawings above each other
    align: Option<Align>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Edge {
    Right,
    Left,
    Above,
    Below,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Align {
    Bottom,
    Centre,
    Top,
    Left,
    Right,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Only {
    Vectors,
    Bitmaps,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Mirror {
    LeftRight,
    TopBottom,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Crop {
    Page,
}

/// A part of the page: shares of it, or lengths at true size
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Window {
    /// Lower left corner
    #[schemars(example = ["10 %", "10 %"])]
    from: [Share; 2],
    /// Upper right corner
    #[schemars(example = ["90 %", "90 %"])]
    to: [Share; 2],
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Trace {
    /// What is darker becomes an outline
    threshold: Option<Percent>,
    /// Turns below this become curves
    smooth: Option<Angle>,
    /// Smaller areas are left out, and counted
    #[schemars(example = "0.3 mm")]
    speck: Option<Length>,
    colour: Option<Colour>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Paint {
    take: OneOrMany<Take>,
    fill: Option<PaintColour>,
    stroke: Option<PaintColour>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Render {
    Everything(Resolution),
    Some(Box<RenderSome>),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct RenderSome {
    take: Option<OneOrMany<Take>>,
    dpi: Resolution,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Under {
    Both(KeepOrDrop),
    Each(UnderEach),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct UnderEach {
    lines: Option<KeepOrDrop>,
    fills: Option<KeepOrDrop>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum KeepOrDrop {
    /// Burnt whole, also where later paint lies over it
    Keep,
    /// What shows is burnt
    Drop,
}

/// A shape that the job draws itself
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct DrawnShape {
    kind: ShapeKind,
    /// Of its line, or its inside
    colour: Colour,
    /// Its inside is painted, and not its line
    filled: Option<bool>,
    /// Its id for take
    name: Option<String>,
    /// Of a border, from everything before it
    distance: Option<Length>,
    width: Option<Length>,
    depth: Option<Length>,
    diameter: Option<Length>,
    text: Option<String>,
    /// How high a capital is
    height: Option<Length>,
    /// Family of the font
    font: Option<String>,
    /// Longer words are made smaller, so that they are no wider
    widest: Option<Length>,
    /// What an area is made of
    of: Option<OneOrMany<Take>>,
    combine: Option<Combine>,
    /// The other shapes of an area
    with: Option<OneOrMany<Take>>,
    /// By how much an area grows; less than zero shrinks
    grow: Option<Length>,
    /// The shapes that an area was made of stay as well
    keep: Option<bool>,
    /// Of the corners of a border or rectangle
    #[schemars(example = "1 mm")]
    radius: Option<Length>,
    /// The centre, from the lower left corner of the sized drawing
    at: Option<[Length; 2]>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum ShapeKind {
    Border,
    Rectangle,
    Circle,
    Ellipse,
    Text,
    Area,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Combine {
    Union,
    Minus,
    Overlap,
    Apart,
}
