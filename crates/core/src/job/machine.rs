//! The machine profile: what the machine is, decided.

use super::reader::{Section, Sheet};
use crate::geometry::Vec2;
use crate::problem::{Problem, Problems};
use crate::quantity::{Acceleration, Length, Power, Speed};

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

/// The beam and the S values that drive it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Beam {
    /// S value at 100 %.
    pub full: f64,
    /// Lowest S value that lights the source.
    pub floor: f64,
    /// Highest power that may be asked for.
    pub ceiling: Power,
    /// Width of the spot, mm.
    pub width: f64,
    /// Whether the controller scales power by the actual speed (M4) or keeps it (M3).
    pub follows_speed: bool,
}

/// Codes that switch the air.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Air {
    /// Air on: M7 or M8.
    pub on: &'static str,
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
    let axes = top.required_section("axis").and_then(axes);
    let corner = top.positive::<Length>("corner").map_or(0.01, |corner| corner.0);
    let travel = top.section("travel").map_or(Some(Travel::Rapid), travel);
    let beam = top.required_section("beam").and_then(beam);
    let air = top.section("air").map_or(Some(None), |section| air(section).map(Some));
    let link = top.section("link").map(link);
    top.not_yet(&["rotary", "checklist"]);
    top.finish();
    let (x, y) = axes?;
    let (link, dialect) = link.unwrap_or((None, Dialect::Grbl));
    Some(Machine {
        name: name?.to_string(),
        bed: bed?,
        x,
        y,
        corner,
        travel: travel?,
        beam: beam?,
        air: air?,
        link,
        dialect,
    })
}

fn bed(section: Section<'_, '_>) -> Option<Bed> {
    let width = section.required_positive::<Length>("width", "width = \"400 mm\"");
    let depth = section.required_positive::<Length>("depth", "depth = \"300 mm\"");
    let origin = section.choice("origin", &ORIGINS).unwrap_or(Origin::BottomLeft);
    section.finish();
    Some(Bed { width: width?.0, depth: depth?.0, origin })
}

fn axes(section: Section<'_, '_>) -> Option<(Axis, Axis)> {
    let x = section.required_section("x").and_then(axis);
    let y = section.required_section("y").and_then(axis);
    section.not_yet(&["z", "a"]);
    section.finish();
    Some((x?, y?))
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
    section.not_yet(&["clearance"]);
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

fn beam(section: Section<'_, '_>) -> Option<Beam> {
    let full = section.number("full").unwrap_or(1000.0);
    let floor = section.number("floor").unwrap_or(0.0);
    let ceiling = section.positive::<Power>("ceiling").unwrap_or(Power(1.0));
    let width = section.positive::<Length>("width").map_or(0.1, |width| width.0);
    let follows_speed = section.flag("follows-speed").unwrap_or(false);
    section.not_yet(&["levels", "on", "off", "table", "pointer"]);
    if !(1.0..=1e6).contains(&full) {
        section.out_of_range("full", section.span_of("full"), &full.to_string(), "1 to 1000000");
    }
    if !(0.0..full).contains(&floor) {
        let span = section.span_of("floor");
        section.out_of_range("floor", span, &floor.to_string(), "from 0 to below full");
    }
    if ceiling.0 > 1.0 {
        section.out_of_range(
            "ceiling",
            section.span_of("ceiling"),
            &ceiling.to_string(),
            "at most 100 %",
        );
    }
    section.finish();
    Some(Beam { full, floor, ceiling, width, follows_speed })
}

fn air(section: Section<'_, '_>) -> Option<Air> {
    if !section.has("on") {
        section.missing("on", "on = \"M8\"");
    }
    // Only the air's own codes: a profile must not be able to light the beam.
    let on = section.choice("on", &[("M7", "M7"), ("M8", "M8")]);
    section.choice("off", &[("M9", ())]);
    section.not_yet(&["settle"]);
    section.finish();
    on.map(|on| Air { on })
}

fn link(section: Section<'_, '_>) -> (Option<String>, Dialect) {
    let to = section.text("to").map(str::to_string);
    let dialect = section.choice("dialect", &DIALECTS).unwrap_or(Dialect::Grbl);
    section.finish();
    (to, dialect)
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
        assert_eq!((machine.beam.full, machine.beam.ceiling), (255.0, Power(1.0)));
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
