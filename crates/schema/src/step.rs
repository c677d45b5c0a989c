//! What is done with shapes.

use super::image::{Image, Relief};
use super::lines::{Advance, Directions};
use super::quantity::{Angle, Frequency, Length, LineSpacing, OneOrMany, Power, Speed, Time};
use super::take::Take;
use schemars::JsonSchema;

/// One operation on some of the shapes; steps run in the order in which they stand
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Step {
    /// For people, --only and --skip; unique
    name: Option<String>,
    /// Which shapes
    take: OneOrMany<Take>,
    /// The step is there and is not done; --only with its name still does it
    skip: Option<bool>,
    /// From a book: everything that says how; keys of the step win
    recipe: Option<String>,
    /// The closed shapes that bound the area
    boundary: Option<OneOrMany<Take>>,
    #[schemars(example = &"nearest")]
    order: Option<Order>,
    #[schemars(flatten)]
    settings: Settings,
}

/// How something is done
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Settings {
    make: Option<Make>,
    /// Along the line; a list gives each pass its own
    speed: Option<OneOrMany<Speed>>,
    /// A list gives each pass its own
    power: Option<OneOrMany<Power>>,
    /// How many times
    #[schemars(range(min = 1), example = 2)]
    passes: Option<u32>,
    passes_by: Option<PassesBy>,
    /// Height of the focus above the surface; less than zero is deeper
    focus: Option<Length>,
    /// By how much each further pass lowers the focus
    #[schemars(example = "0.5 mm")]
    focus_drop: Option<Length>,
    /// Power that changes along the path
    ramp: Option<Ramp>,
    /// Of the source's pulses
    frequency: Option<Frequency>,
    /// Whether air blows
    air: Option<bool>,
    /// Width that the beam removes; closed lines move by half of it
    #[schemars(example = "0.16 mm")]
    kerf: Option<Length>,
    /// Where the beam walks beside a closed line
    side: Option<Side>,
    /// How deep the kerf of a line may cut into a part that is not its own
    #[schemars(example = "0.1 mm")]
    deepest_bite: Option<Length>,
    /// The beam stands still first
    pierce: Option<Pierce>,
    /// A way through the scrap before a closed line
    #[schemars(example = "2 mm")]
    lead_in: Option<Lead>,
    /// A way through the scrap behind a closed line
    #[schemars(example = "2 mm")]
    lead_out: Option<Lead>,
    /// How far a closed line is followed beyond its start
    #[schemars(example = "1 mm")]
    overlap: Option<Length>,
    /// Where closed lines are begun
    #[schemars(example = &"corner")]
    start: Option<Start>,
    /// Stretches that stay attached
    bridges: Option<Bridges>,
    /// What is done where lines turn sharply
    #[schemars(example = &"loop")]
    corners: Option<Corners>,
    /// Edges that neighbouring parts share are followed once
    shared_edges: Option<bool>,
    /// Closed shapes are filled with straight lines
    lines: Option<Lines>,
    /// Closed shapes are filled with lines that follow the outline
    rings: Option<Rings>,
    /// Bitmaps are engraved
    image: Option<Image>,
    /// Solids and depth pictures are cut layer by layer
    relief: Option<Relief>,
    /// How deep one pass of a relief goes
    #[schemars(example = "0.05 mm")]
    per_pass: Option<Length>,
    /// Inside the shapes, or outside them up to the boundary
    area: Option<Area>,
    /// The drawing is grown first; less than zero shrinks it
    #[schemars(example = "0.1 mm")]
    grow: Option<Length>,
    overlaps: Option<Overlaps>,
    /// Power at the edge of the drawing
    shoulder: Option<Shoulder>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Make {
    /// Along the line, through the stock
    Cut,
    /// Along the line, into the stock
    Score,
    /// The area
    Engrave,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum PassesBy {
    /// Each path gets all its passes at once
    Path,
    /// All paths the first, then all the second
    Sheet,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Ramp {
    /// Power at standstill
    slow: Option<Power>,
    /// At the start of each line
    start: Option<RampStart>,
    /// At the end of each line
    end: Option<RampEnd>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct RampStart {
    from: Power,
    over: Length,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct RampEnd {
    to: Power,
    over: Length,
}

/// A way of ordering, or ids that go first
#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Order {
    Way(OrderWay),
    First(Vec<String>),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum OrderWay {
    /// What lies inside a closed line before that line
    HolesFirst,
    /// The same, and each outermost part is finished before the next
    PartByPart,
    /// Short travel only
    Nearest,
    AsDrawn,
    /// Parts nearest to the operator first
    Upwards,
    /// Parts farthest from the operator first
    Downwards,
    /// From left to right
    Rightwards,
    /// From right to left
    Leftwards,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Side {
    /// Outside outlines, inside holes
    Scrap,
    Outside,
    Inside,
    OnLine,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Pierce {
    power: Power,
    dwell: Time,
    every: Option<Every>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Every {
    Pass,
    First,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Lead {
    Straight(Length),
    Shaped(ShapedLead),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct ShapedLead {
    length: Length,
    shape: Option<LeadShape>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum LeadShape {
    Straight,
    Arc,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Corners {
    Way(CornersWay),
    Said(SaidCorners),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum CornersWay {
    /// A loop through the scrap at outer corners, as large as the speed needs
    Loop,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) enum SaidCorners {
    /// The radius of a loop through the scrap at outer corners
    Loop(Length),
    /// How long the beam stands in every corner
    Dwell(Time),
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum Start {
    Way(StartWay),
    Near([Length; 2]),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum StartWay {
    Nearest,
    Corner,
    /// Away from corners
    Flat,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Bridges {
    #[schemars(range(min = 1), example = 3)]
    count: Option<u32>,
    /// Instead of a count: how far apart
    spacing: Option<Length>,
    width: Length,
    /// How far they stay away from corners
    corner: Option<Length>,
    /// Parts that are shorter get none
    smallest: Option<Length>,
    /// Burns across them weakly
    #[schemars(example = "20 %")]
    power: Option<Power>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct Lines {
    spacing: LineSpacing,
    /// Direction of the lines, or "quickest"
    angle: Option<LineAngle>,
    /// More angles: the area is covered once for each
    cross: Option<OneOrMany<Angle>>,
    directions: Option<Directions>,
    /// Before and after each line, at full speed with the beam off
    run_up: Option<Length>,
    advance: Option<Advance>,
    /// How far lines that are walked backwards land beyond where they should
    #[schemars(example = "0.05 mm")]
    offset: Option<Length>,
    /// How far the lines stay away from the edge
    #[schemars(example = "0.1 mm")]
    inset: Option<Length>,
    islands: Option<Islands>,
}

#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum LineAngle {
    This(Angle),
    Open(QuickestAngle),
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum QuickestAngle {
    /// Whatever takes least time
    Quickest,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Islands {
    /// In groups: together where that is planned to be quicker
    Quickest,
    /// A line runs through all areas before the next begins
    Together,
    OneByOne,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Rings {
    spacing: LineSpacing,
    /// How far the first lies inside the outline
    #[schemars(example = "0.05 mm")]
    inset: Option<Length>,
    towards: Option<Towards>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Towards {
    Middle,
    Outline,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Area {
    Inside,
    Outside,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Overlaps {
    Union,
    /// What lies in an odd number of shapes
    EvenOdd,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Shoulder {
    from: Power,
    /// The true distance over which it becomes the step's
    over: Length,
}
