//! A machine profile.

use super::quantity::{
    Acceleration, Length, Power, Speed, Time, TurningAcceleration, TurningSpeed, Watts,
};
use schemars::JsonSchema;

/// A machine profile: what the machine is
#[derive(JsonSchema)]
#[schemars(title = "NAME.machine.toml", rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct MachineFile {
    /// The format: 1
    #[schemars(range(min = 1, max = 1), example = 1)]
    tinkite: u32,
    /// What people call it
    name: String,
    /// Junction deviation: how fast corners are taken
    #[schemars(example = "0.02 mm")]
    corner: Option<Length>,
    bed: Bed,
    axis: Axes,
    travel: Option<Travel>,
    beam: Beam,
    focus: Option<Focus>,
    air: Option<Air>,
    rotary: Option<Rotary>,
    program: Option<ProgramText>,
    link: Option<Link>,
    run: Option<Attendance>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Bed {
    /// To the right
    width: Length,
    /// Away from the operator
    depth: Length,
    /// Where the machine counts from
    origin: Origin,
    /// The work offset (G54) that the controller always has
    #[schemars(example = ["-400 mm", "-300 mm"])]
    offset: Option<[Length; 2]>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Origin {
    BottomLeft,
    BottomRight,
    TopLeft,
    TopRight,
    Centre,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Axes {
    /// X runs away from the operator and Y to the right
    exchanged: Option<bool>,
    x: Axis,
    y: Axis,
    z: Option<FocusAxis>,
    a: Option<TurningAxis>,
    b: Option<TurningAxis>,
    c: Option<TurningAxis>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Axis {
    #[schemars(example = "200 mm/s")]
    top_speed: Speed,
    acceleration: Acceleration,
    /// It counts the other way
    reversed: Option<bool>,
}

/// Moves the focus
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct FocusAxis {
    top_speed: Speed,
    acceleration: Acceleration,
    /// Down and up from where the operator focused
    #[schemars(example = ["-12 mm", "20 mm"])]
    range: [Length; 2],
}

/// Turns
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct TurningAxis {
    top_speed: TurningSpeed,
    acceleration: TurningAcceleration,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Travel {
    #[schemars(rename = "as")]
    by: Option<TravelBy>,
    /// Of travel as feed
    speed: Option<Speed>,
    /// How far the focus is lifted for travel between paths
    clearance: Option<Length>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum TravelBy {
    /// G0, as fast as the controller can
    Rapid,
    /// G1, with a speed
    Feed,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Beam {
    /// S at 100 %
    #[schemars(example = 1000.0)]
    full: Option<f64>,
    /// Lowest S that lights
    #[schemars(example = 10.0)]
    floor: Option<f64>,
    /// Highest power allowed
    #[schemars(example = "90 %")]
    ceiling: Option<Power>,
    /// Of the spot
    #[schemars(example = "0.12 mm")]
    width: Option<Length>,
    /// How many the source tells apart
    #[schemars(example = 256)]
    levels: Option<u32>,
    /// true: the controller scales power by speed (M4); false: it burns on where the head stands (M3)
    follows_speed: Option<bool>,
    /// Programs of constant power may be run on this machine
    constant: Option<Accepted>,
    /// A power that marks nothing, at most 2 %
    #[schemars(example = "1 %")]
    pointer: Option<Power>,
    /// How long the pointer stays lit
    #[schemars(example = "5 s")]
    pointer_for: Option<Time>,
    /// The light of the source at 100 %
    watts: Option<Watts>,
    /// What a voltmeter shows at the control pin at 100 %
    #[schemars(example = "5 V", extend("pattern" = r"^[0-9.]+ *V$"))]
    volts: Option<String>,
    /// How far the surface may rise and fall in all
    focus_depth: Option<Length>,
    /// What was asked for and what was read at the meters
    #[schemars(example = serde_json::json!([["10 %", "4 mA", "3 W"], ["85 %", "24 mA", "58 W"]]))]
    table: Option<Vec<Vec<Power>>>,
    /// The line that lights it
    #[schemars(example = &"M3")]
    on: Option<String>,
    /// The line that puts it out
    #[schemars(example = &"M5")]
    off: Option<String>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Accepted {
    Accepted,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Focus {
    /// How far above the bed the focus lies when Z stands at the machine's zero
    #[schemars(example = "10 mm")]
    height: Option<Length>,
    /// How far the head stands above the surface when the focus lies on it
    #[schemars(example = "8 mm")]
    block: Option<Length>,
    /// How far the head must rise from where its probe touches
    #[schemars(example = "4 mm")]
    probe: Option<Length>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Air {
    #[schemars(example = &"M8")]
    on: String,
    #[schemars(example = &"M9")]
    off: String,
    /// How long it is waited for
    settle: Option<Time>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Rotary {
    /// The axis that turns, or the one that it stands in for
    axis: RotaryAxis,
    /// The linear axis along the object
    along: Option<Along>,
    /// What a stand-in axis is told for one turn
    #[schemars(example = "80 mm")]
    per_turn: Option<Length>,
    #[schemars(example = 3200.0)]
    steps_per_turn: Option<f64>,
    #[schemars(example = 80.0)]
    steps_per_mm: Option<f64>,
    /// Diameter of the driving roller
    #[schemars(example = "30 mm")]
    roller: Option<Length>,
    reversed: Option<bool>,
    /// Between chuck and tailstock, from the bed's left edge
    #[schemars(example = ["40 mm", "520 mm"])]
    reach: Option<[Length; 2]>,
    feed: Option<FeedMode>,
}

#[derive(JsonSchema)]
pub(super) enum RotaryAxis {
    A,
    B,
    C,
    X,
    Y,
}

#[derive(JsonSchema)]
pub(super) enum Along {
    X,
    Y,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum FeedMode {
    /// G93
    InverseTime,
    /// G94, worked out for each move
    PerMinute,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct ProgramText {
    /// Lines of your own
    #[schemars(example = ["G21"])]
    opening: Option<Vec<String>>,
    /// Lines of your own
    #[schemars(example = ["G21"])]
    closing: Option<Vec<String>>,
    /// false: G2 and G3 become lines
    arcs: Option<bool>,
    line_ends: Option<LineEnds>,
    /// Programs are cut into files of that size
    #[schemars(example = "500 kB")]
    largest: Option<String>,
    /// The line that sets the pulse frequency
    #[schemars(example = "M67 E0 Q{kHz}")]
    frequency: Option<String>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum LineEnds {
    Lf,
    Crlf,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Link {
    /// "rig:", "tcp:HOST:PORT", "serial:PORT@BAUD"
    #[schemars(example = "rig:")]
    to: Option<String>,
    dialect: Option<Dialect>,
    /// How many moves the controller holds in its queue
    #[schemars(example = 15)]
    look_ahead: Option<u32>,
    /// How many lines it works through in a second
    #[schemars(example = 1500)]
    lines_per_second: Option<u32>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Dialect {
    Ngc,
    Grbl,
    Reprap,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Attendance {
    /// What somebody confirms before the beam may light
    #[schemars(example = ["air on", "extraction on"])]
    checklist: Option<Vec<String>>,
    /// How long the lid stays closed behind a run
    #[schemars(example = "20 s")]
    clear_air: Option<Time>,
}
