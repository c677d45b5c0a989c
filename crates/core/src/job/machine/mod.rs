//! The machine profile: what the machine is, decided.

mod beam;

use super::reader::{Section, Sheet};
use crate::geometry::{Rect, Vec2};
use crate::problem::{Problem, Problems};
use crate::quantity::{Acceleration, Duration, Length, Speed, parse};
pub use beam::Beam;

/// Which point of the bed the machine counts from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Origin {
    /// Front left corner.
    BottomLeft,
    /// Front right corner.
    BottomRight,
    /// Back left corner.
    TopLeft,
    /// Back right corner.
    TopRight,
    /// The middle.
    Centre,
}

/// Words for origins in a profile.
const ORIGINS: [(&str, Origin); 5] = [
    ("bottom-left", Origin::BottomLeft),
    ("bottom-right", Origin::BottomRight),
    ("top-left", Origin::TopLeft),
    ("top-right", Origin::TopRight),
    ("centre", Origin::Centre),
];

impl Origin {
    /// The word for it in a profile.
    #[must_use]
    pub fn name(self) -> &'static str {
        ORIGINS.iter().find(|(_, origin)| *origin == self).map_or("", |(name, _)| name)
    }
}

/// The bed: how large, and where its zero is. X grows to the right, Y away from the operator.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bed {
    /// Along X, mm.
    pub width: f64,
    /// Along Y, mm.
    pub depth: f64,
    /// Where the machine's zero is.
    pub origin: Origin,
}

impl Bed {
    /// All of it, mm from its front left corner.
    #[must_use]
    pub fn rect(&self) -> Rect {
        Rect::new(0.0, 0.0, self.width, self.depth)
    }

    /// Where the origin lies, seen from the front left corner, mm.
    #[must_use]
    pub fn origin_offset(&self) -> Vec2 {
        let (w, d) = (self.width, self.depth);
        match self.origin {
            Origin::BottomLeft => Vec2::new(0.0, 0.0),
            Origin::BottomRight => Vec2::new(w, 0.0),
            Origin::TopLeft => Vec2::new(0.0, d),
            Origin::TopRight => Vec2::new(w, d),
            Origin::Centre => Vec2::new(w / 2.0, d / 2.0),
        }
    }
}

/// What one axis can do.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Axis {
    /// Top speed, mm/s.
    pub top_speed: f64,
    /// Acceleration, mm/s².
    pub acceleration: f64,
}

/// How the head travels with the beam off.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Travel {
    /// As a rapid move: each axis as fast as it can.
    Rapid,
    /// As a feed move at this speed.
    Feed(Speed),
}

/// The axis that carries the focus: up is away from the bed, 0 is where the operator has focused.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FocusAxis {
    /// What the axis can do.
    pub axis: Axis,
    /// Lowest and highest position that a program may ask for, mm.
    pub range: (f64, f64),
    /// How high the focus is lifted for travel between paths, mm; 0 leaves it where it is.
    pub clearance: f64,
}

/// Codes that switch the air.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Air {
    /// Air on: M7 or M8.
    pub on: &'static str,
    /// How long it takes to blow evenly, s.
    pub settle: f64,
}

/// How programs are written and lines are spoken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dialect {
    /// Plain RS-274/NGC, for controllers that read whole programs.
    Ngc,
    /// The public `grbl` interface.
    Grbl,
}

/// Words for dialects in a profile.
const DIALECTS: [(&str, Dialect); 2] = [("ngc", Dialect::Ngc), ("grbl", Dialect::Grbl)];

impl Dialect {
    /// The word for it in a profile.
    #[must_use]
    pub fn name(self) -> &'static str {
        DIALECTS.iter().find(|(_, dialect)| *dialect == self).map_or("", |(name, _)| name)
    }
}

/// Everything a stage needs to know about the machine.
#[derive(Debug, Clone, PartialEq)]
pub struct Machine {
    /// What people call it.
    pub name: String,
    /// The bed.
    pub bed: Bed,
    /// The axis across.
    pub x: Axis,
    /// The axis away from the operator.
    pub y: Axis,
    /// The axis up and down, where the machine has one.
    pub z: Option<FocusAxis>,
    /// Junction deviation, mm: how far a corner may be rounded in theory to set its speed.
    pub corner: f64,
    /// Travel moves.
    pub travel: Travel,
    /// The beam.
    pub beam: Beam,
    /// The air, where the machine switches it.
    pub air: Option<Air>,
    /// Where the controller is reached, as written: `rig:`, `tcp:…`, `serial:…`.
    pub link: Option<String>,
    /// How it is spoken to.
    pub dialect: Dialect,
    /// How many moves the controller sees ahead; none: the whole program.
    pub window: Option<u32>,
}

/// Reads the machine profile `file` from its text.
///
/// # Errors
/// Everything in it that is wrong, with its place.
pub fn read(file: &str, text: &str) -> Result<Machine, Problems> {
    let sheet = Sheet::new(file, text);
    let table = sheet.parse();
    let machine = profile(Section::new(&sheet, "the profile", table.get_ref(), 0..0));
    match (machine, sheet.into_problems()) {
        (Some(machine), problems) if !problems.refuse() => Ok(machine),
        (_, problems) => Err(problems),
    }
}

fn profile(top: Section<'_, '_>) -> Option<Machine> {
    top.format_version();
    let name = top.required_text("name", "name = \"Bench laser\"");
    let bed = top.required_section("bed").and_then(bed);
    let clearance = top.section("travel").and_then(|travel| {
        let length = travel.quantity::<Length>("clearance")?;
        if length.0 < 0.0 {
            let span = travel.span_of("clearance");
            travel.out_of_range("clearance", span, &travel.written("clearance"), "zero or more");
        }
        Some((length.0, travel.span_of("clearance")))
    });
    let axes = top.required_section("axis").and_then(axes);
    let corner = top.positive::<Length>("corner").map_or(0.01, |corner| corner.0);
    let travel = top.section("travel").map_or(Some(Travel::Rapid), travel);
    let beam = top.required_section("beam").and_then(beam::read);
    let air = top.section("air").map_or(Some(None), |section| air(section).map(Some));
    let link = top.section("link").map(link);
    top.not_yet(&["rotary", "checklist"]);
    if let (Some((_, span)), Some((_, _, None))) = (&clearance, &axes) {
        let message = "a travel clearance lifts the focus, and the machine has no [axis.z]";
        let help = "take clearance out, or say top-speed, acceleration and range of [axis.z]";
        top.report(Problem::error("no-focus-axis", message, help), span.clone());
    }
    let mut z = axes.and_then(|(_, _, z)| z);
    if let (Some(z), Some((clearance, span))) = (&mut z, clearance) {
        if clearance > z.range.1 {
            top.out_of_range("clearance", span, "more than the range of [axis.z]", "within it");
        }
        z.clearance = clearance;
    }
    top.finish();
    let (x, y, _) = axes?;
    let Linked { to: link, dialect, window } = link.unwrap_or_default();
    Some(Machine {
        name: name?.to_string(),
        bed: bed?,
        x,
        y,
        z,
        corner,
        travel: travel?,
        beam: beam?,
        air: air?,
        link,
        dialect,
        window,
    })
}

fn bed(section: Section<'_, '_>) -> Option<Bed> {
    let width = section.required_positive::<Length>("width", "width = \"400 mm\"");
    let depth = section.required_positive::<Length>("depth", "depth = \"300 mm\"");
    let origin = section.choice("origin", &ORIGINS).unwrap_or(Origin::BottomLeft);
    section.finish();
    Some(Bed { width: width?.0, depth: depth?.0, origin })
}

fn axes(section: Section<'_, '_>) -> Option<(Axis, Axis, Option<FocusAxis>)> {
    let x = section.required_section("x").and_then(axis);
    let y = section.required_section("y").and_then(axis);
    let z = section.section("z").map(focus_axis);
    section.not_yet(&["a"]);
    section.finish();
    Some((x?, y?, z.map_or(Some(None), |z| z.map(Some))?))
}

fn focus_axis(section: Section<'_, '_>) -> Option<FocusAxis> {
    if !section.has("range") {
        section.missing("range", "range = [\"-10 mm\", \"30 mm\"], down and up from the focus");
    }
    let range = section.point("range", parse::<Length>);
    if range.is_some_and(|r| r.x > 0.0 || r.y < 0.0 || r.x >= r.y) {
        let span = section.span_of("range");
        section.out_of_range("range", span, &section.written("range"), "from below zero to above");
    }
    let axis = axis(section)?;
    Some(FocusAxis { axis, range: range.map(|r| (r.x, r.y))?, clearance: 0.0 })
}

fn axis(section: Section<'_, '_>) -> Option<Axis> {
    let top_speed = section.required_positive::<Speed>("top-speed", "top-speed = \"200 mm/s\"");
    let acceleration =
        section.required_positive::<Acceleration>("acceleration", "acceleration = \"1500 mm/s2\"");
    section.finish();
    Some(Axis { top_speed: top_speed?.0, acceleration: acceleration?.0 })
}

fn travel(section: Section<'_, '_>) -> Option<Travel> {
    let as_feed = section.choice("as", &[("rapid", false), ("feed", true)]).unwrap_or(false);
    let speed = section.positive::<Speed>("speed");
    section.has("clearance");
    if !as_feed && section.has("speed") {
        section.report(
            Problem::error(
                "travel-speed",
                "a rapid move takes its speed from the controller, so a speed for it would be ignored",
                "leave speed out, or set as = \"feed\"",
            ),
            section.span_of("speed"),
        );
    }
    let travel = match (as_feed, speed) {
        (false, _) => Some(Travel::Rapid),
        (true, speed) => {
            if speed.is_none() && !section.has("speed") {
                section.missing("speed", "speed = \"150 mm/s\"");
            }
            speed.map(Travel::Feed)
        }
    };
    section.finish();
    travel
}

fn air(section: Section<'_, '_>) -> Option<Air> {
    if !section.has("on") {
        section.missing("on", "on = \"M8\"");
    }
    // Only the air's own codes: a profile must not be able to light the beam.
    let on = section.choice("on", &[("M7", "M7"), ("M8", "M8")]);
    section.choice("off", &[("M9", ())]);
    let settle = section.quantity::<Duration>("settle").map_or(0.0, |time| time.0);
    if !(0.0..=60.0).contains(&settle) {
        let span = section.span_of("settle");
        section.out_of_range("settle", span, &section.written("settle"), "from 0 s to 60 s");
    }
    section.finish();
    on.map(|on| Air { on, settle })
}

/// What `[link]` says.
struct Linked {
    to: Option<String>,
    dialect: Dialect,
    window: Option<u32>,
}

impl Default for Linked {
    fn default() -> Self {
        Self { to: None, dialect: Dialect::Grbl, window: Some(GRBL_WINDOW) }
    }
}

/// Moves that a board of the `grbl` interface sees ahead, as it comes.
const GRBL_WINDOW: u32 = 16;

fn link(section: Section<'_, '_>) -> Linked {
    let to = section.text("to").map(str::to_string);
    let dialect = section.choice("dialect", &DIALECTS).unwrap_or(Dialect::Grbl);
    let window = section.whole("look-ahead", 1..=100_000).map(|n| n as u32);
    section.finish();
    let left_out = (dialect == Dialect::Grbl).then_some(GRBL_WINDOW);
    Linked { to, dialect, window: window.or(left_out) }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SMALL: &str = r#"
tinkite = 1
name = "Small"
[bed]
width = "200 mm"
depth = "100 mm"
origin = "top-right"
[axis.x]
top-speed = "100 mm/s"
acceleration = "1000 mm/s2"
[axis.y]
top-speed = "6000 mm/min"
acceleration = "1000 mm/s2"
[beam]
full = 255
"#;

    fn told(text: &str) -> Vec<String> {
        let problems = read("m.machine.toml", text).unwrap_err();
        problems
            .iter()
            .map(|p| format!("{} {} | {}", p.place.as_ref().unwrap(), p.message, p.help))
            .collect()
    }

    #[test]
    fn silence_gets_defaults_and_everything_is_decided() {
        let machine = read("m.machine.toml", SMALL).unwrap();
        assert_eq!(machine.bed.origin_offset(), Vec2::new(200.0, 100.0));
        assert_eq!(machine.y.top_speed, 100.0);
        assert_eq!((machine.beam.full, machine.beam.ceiling), (255.0, crate::quantity::Power(1.0)));
        assert_eq!((machine.travel, machine.dialect), (Travel::Rapid, Dialect::Grbl));
    }

    #[test]
    fn wrong_lines_are_told_with_place_and_cure() {
        let text = SMALL.replace("origin =", "orign =").replace("\"100 mm/s\"", "100");
        assert_eq!(
            told(&text),
            [
                "m.machine.toml:7 [bed] has no key called orign | did you mean origin?",
                "m.machine.toml:9 top-speed in [x]: \"100\" has no unit, and a speed needs one | write it with a unit, for example \"100 mm/s\" (units: mm/s, mm/min, m/min, in/s, in/min)",
            ]
        );
        assert!(!told(&SMALL.replace("[beam]", "[[beam")).is_empty());
        assert!(told("").iter().any(|line| line.contains("tinkite = 1")));
    }

    #[test]
    fn a_speed_for_rapids_would_be_ignored_so_it_is_refused() {
        let lines = told(&format!("{SMALL}[travel]\nspeed = \"50 mm/s\"\n"));
        assert!(lines[0].contains("takes its speed from the controller"), "{lines:?}");
    }

    #[test]
    fn what_is_not_built_is_refused_not_ignored() {
        let lines = told(&SMALL.replace("full = 255", "full = 255\npointer = 5"));
        assert!(lines[0].contains("pointer in [beam] is not built into this version"), "{lines:?}");
    }
}
