//! The machine profile: what the machine is, decided.

mod attend;
mod axis;
mod beam;
mod bed;
mod codes;
pub mod edges;
pub mod edit;
mod focus;
pub mod frame;
mod link;
pub mod motion;
mod rotary;
pub mod section;
pub mod source;

use crate::section::{Section, SourceText};
pub use crate::source::{Beam, Switch};
pub use attend::Attendance;
use axis::Axes;
pub use axis::{Axis, FocusAxis, Pointing, Travel};
pub use beam::Nominal;
pub use bed::{Bed, Origin};
pub use codes::{Air, Text};
pub use focus::Focus;
use link::Linked;
pub use link::{BAUD, Dialect, Supply};
pub use rotary::{FeedMode, Rotary};
use tinkite_base::problem::{Code, Problem, Problems};
use tinkite_base::quantity::Length;

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
    /// Which way X and Y point.
    pub pointing: Pointing,
    /// The axis up and down, where the machine has one.
    pub z: Option<FocusAxis>,
    /// Junction deviation, mm: how far a corner may be rounded in theory to set its speed.
    pub junction_deviation: f64,
    /// Travel moves.
    pub travel: Travel,
    /// The beam.
    pub beam: Beam,
    /// What the maker of the source says of it, or what the control pin gives at full.
    pub nominal: Nominal,
    /// The air, where the machine switches it.
    pub air: Option<Air>,
    /// The rotary, where the machine has one.
    pub rotary: Option<Rotary>,
    /// Where the focus lies.
    pub focus: Focus,
    /// How far the surface may lie above or below the focus, mm in all, for the spot to stay small.
    pub focus_depth: Option<f64>,
    /// How its programs are laid out.
    pub text: Text,
    /// Where the controller is reached, as written: `rig:`, `tcp:…`, `serial:…`.
    pub link: Option<String>,
    /// How it is spoken to.
    pub dialect: Dialect,
    /// How many moves the controller sees ahead; none: the whole program.
    pub look_ahead: Option<u32>,
    /// How fast lines reach it.
    pub supply: Supply,
    /// What people do before and after a run.
    pub attendance: Attendance,
}

impl Machine {
    /// The top speed of the axis that is slower, mm/s: what a speed in percent is of.
    #[must_use]
    pub fn slower_top_speed(&self) -> f64 {
        self.x.top_speed.min(self.y.top_speed)
    }

    /// Where a point of its axes lies on the bed, mm from the front left corner.
    #[must_use]
    pub fn on_bed(&self, machine: tinkite_base::geometry::Point) -> tinkite_base::geometry::Point {
        (self.bed.origin_offset() + self.pointing.to_plane(machine.to_vec2())).to_point()
    }
}

/// What a profile is called, also where it was named by its path.
#[must_use]
pub fn profile_name(named: &str) -> &str {
    let file = named.rsplit(['/', '\\']).next().unwrap_or(named);
    file.strip_suffix(".machine.toml").unwrap_or(file)
}

/// Reads the machine profile `file` from its text.
///
/// # Errors
/// Everything in it that is wrong, with its place.
pub fn read(file: &str, text: &str) -> Result<Machine, Problems> {
    let sheet = SourceText::new(file, text);
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
    let Linked { to: link, dialect, look_ahead, supply } =
        top.section("link").map(link::read).unwrap_or_default();
    let bed = top.required_section("bed").and_then(bed::read);
    let clearance = top.section("travel").and_then(|travel| {
        let length = travel.quantity::<Length>("clearance")?;
        if length.0 < 0.0 {
            let span = travel.span_of("clearance");
            travel.out_of_range("clearance", span, &travel.written("clearance"), "zero or more");
        }
        Some((length.0, travel.span_of("clearance")))
    });
    let axes = top.required_section("axis").and_then(axis::read);
    let junction_deviation = top.positive::<Length>("corner").map_or(0.01, |length| length.0);
    let travel = top.section("travel").map_or(Some(Travel::Rapid), axis::travel);
    if dialect == Dialect::Reprap && travel == Some(Travel::Rapid) {
        let message = "in the reprap dialect a travel move goes at the feed that was said last";
        let help = "add [travel] with as = \"feed\" and a speed";
        top.report(Problem::error(Code::TravelSpeed, message, help), top.span_of("travel"));
    }
    let beam = top.required_section("beam").and_then(|section| beam::read(section, dialect));
    let air = top.section("air").map_or(Some(None), |s| codes::air(s, dialect).map(Some));
    let text =
        top.section("program").map_or_else(|| Text::of(dialect), |s| codes::text(s, dialect));
    let rotary = match (top.section("rotary"), &axes) {
        (None, _) => Some(None),
        (Some(_), None) => None,
        (Some(section), Some(axes)) => rotary::read(section, axes, dialect).map(Some),
    };
    let attendance = top.section("run").map(attend::read).unwrap_or_default();
    let z = largest_lift(&top, axes.as_ref(), clearance);
    let focus = top.section("focus").map(|s| focus::read(s, z.is_some())).unwrap_or_default();
    top.finish();
    let Axes { x, y, pointing, .. } = axes?;
    let beam::Described { beam, focus_depth, nominal } = beam?;
    Some(Machine {
        name: name?.to_string(),
        bed: bed?,
        x,
        y,
        pointing,
        z,
        junction_deviation,
        travel: travel?,
        beam,
        nominal,
        air: air?,
        rotary: rotary?,
        focus,
        focus_depth,
        text,
        link,
        dialect,
        look_ahead,
        supply,
        attendance,
    })
}

/// The axis of the focus with the clearance that travel asks of it.
fn largest_lift(
    top: &Section<'_, '_>,
    axes: Option<&Axes>,
    clearance: Option<(f64, std::ops::Range<usize>)>,
) -> Option<FocusAxis> {
    let mut z = axes.and_then(|axes| axes.z);
    if let (Some((_, span)), Some(Axes { z: None, .. })) = (&clearance, axes) {
        let message = "a travel clearance lifts the focus, and the machine has no [axis.z]";
        let help = "take clearance out, or say top-speed, acceleration and range of [axis.z]";
        top.report(Problem::error(Code::NoFocusAxis, message, help), span.clone());
    }
    if let (Some(z), Some((clearance, span))) = (&mut z, clearance) {
        if clearance > z.range.1 {
            top.out_of_range("clearance", span, "more than the range of [axis.z]", "within it");
        }
        z.clearance = clearance;
    }
    z
}

impl Machine {
    /// The lines of the profile's own that go out as they stand: the controller has what they say.
    pub fn own_lines(&self) -> impl Iterator<Item = String> {
        let text = &self.text;
        let air = self.air.iter().flat_map(|air| [air.on.clone(), air.off.clone()]);
        let own = text.opening.iter().chain(&text.closing).cloned();
        own.chain(text.frequency_line(1000.0)).chain(air)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_base::geometry::Vec2;

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

    fn messages(text: &str) -> Vec<String> {
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
        assert_eq!(
            (machine.beam.full, machine.beam.ceiling),
            (255.0, tinkite_base::quantity::Power(1.0))
        );
        assert_eq!((machine.travel, machine.dialect), (Travel::Rapid, Dialect::Grbl));
    }

    #[test]
    fn wrong_lines_are_told_with_place_and_cure() {
        let text = SMALL.replace("origin =", "orign =").replace("\"100 mm/s\"", "100");
        assert_eq!(
            messages(&text),
            [
                "m.machine.toml:7 [bed] has no key called orign | did you mean origin?",
                "m.machine.toml:9 top-speed in [x]: \"100\" has no unit, and a speed needs one | write it with a unit, for example \"100 mm/s\" (units: mm/s, mm/min, m/min, in/s, in/min)",
            ]
        );
        assert!(!messages(&SMALL.replace("[beam]", "[[beam")).is_empty());
        assert!(messages("").iter().any(|line| line.contains("tinkite = 1")));
    }

    #[test]
    fn a_speed_for_rapids_would_be_ignored_so_it_is_refused() {
        let lines = messages(&format!("{SMALL}[travel]\nspeed = \"50 mm/s\"\n"));
        assert!(lines[0].contains("takes its speed from the controller"), "{lines:?}");
    }

    #[test]
    fn own_lines_prepare_and_clear_up_and_change_nothing_that_a_program_says() {
        let with = |line: &str| format!("{SMALL}[program]\nopening = [\"{line}\"]\n");
        for line in
            ["G21", "G28", "G40 G49", "M62 P1", "G4 P2", "G64 P0.05", "M8", "G91.1", "T1 M6"]
        {
            assert!(read("m", &with(line)).is_ok(), "{line}");
        }
        for (line, why) in [
            ("G43 H1", "what the program's numbers mean"),
            ("G18", "what the program's numbers mean"),
            ("G93", "what the program's numbers mean"),
            ("G28.1", "what the program's numbers mean"),
            ("G20", "what the program's numbers mean"),
            ("G68 R90", "what the program's numbers mean"),
            ("G52 X5", "what the program's numbers mean"),
            ("G55", "what the program's numbers mean"),
            ("G92.1", "what the program's numbers mean"),
            ("G10 L2 P1 X0", "what the program's numbers mean"),
            ("M98 P2", "runs another program"),
            ("O100", "runs another program"),
            ("M3", "lights the beam"),
            ("S5", "gives the beam power"),
            ("M2", "ends the program"),
            ("G1", "is a feed move"),
            ("G0 X5", "a place that no one has checked"),
        ] {
            let lines = messages(&with(line));
            assert!(lines[0].contains(why), "{line}: {lines:?}");
        }
        // Power that stays is meant, and said.
        let on =
            |keys: &str| SMALL.replace("full = 255", &format!("full = 255\non = \"M3\"{keys}"));
        assert!(messages(&on(""))[0].contains("beam burns on"));
        assert!(!read("m", &on("\nfollows-speed = false")).unwrap().beam.follows_speed);
    }

    #[test]
    fn a_pointer_is_weak_and_lit_for_a_while() {
        let with = |keys: &str| SMALL.replace("full = 255", &format!("full = 255\n{keys}"));
        let pointer = |keys: &str| read("m", &with(keys)).unwrap().beam.pointer;
        assert_eq!(pointer(""), None);
        let found = pointer("pointer = \"1.5 %\"").unwrap();
        assert!((found.power.0 - 0.015).abs() < 1e-12 && found.seconds == 20.0);
        assert_eq!(pointer("pointer = \"2 %\"\npointer-for = \"5 s\"").unwrap().seconds, 5.0);
        for (keys, wanted) in [
            ("pointer = \"2.1 %\"", "at most 2 %"),
            ("pointer = \"0.5 %\"\nfloor = 3", "at least the floor"),
            ("pointer = \"1 %\"\npointer-for = \"121 s\"", "0.1 s to 120 s"),
            ("pointer = 5", "pointer"),
            ("pointer-for = \"5 s\"", "no pointer"),
        ] {
            let lines = messages(&with(keys));
            assert!(lines[0].contains(wanted), "{keys}: {lines:?}");
        }
    }

    #[test]
    fn the_focus_lies_on_the_stock_when_its_axis_stands_so() {
        let z = "[axis.z]\ntop-speed = \"10 mm/s\"\nacceleration = \"100 mm/s2\"\nrange = [\"-10 mm\", \"30 mm\"]\n";
        let with = |keys: &str| format!("{SMALL}{z}[focus]\n{keys}\n");
        let focus = read("m", &with("height = \"25 mm\"\nblock = \"7 mm\"")).unwrap().focus;
        // Stock of 3 mm lies 22 mm below the focus: that far down.
        assert_eq!((focus.on_surface(3.0), focus.above_bed(3.0)), (Some(-22.0), Some(10.0)));
        for (text, wanted) in [
            (with("height = \"2000 mm\""), "within 1000 mm"),
            (with("block = \"0 mm\""), "above zero"),
            (with("block = \"1001 mm\""), "within 1000 mm"),
            (with("blok = \"1 mm\""), "did you mean block"),
            (format!("{SMALL}[focus]\nheight = \"25 mm\"\n"), "no [axis.z]"),
        ] {
            assert!(messages(&text)[0].contains(wanted), "{text}: {:?}", messages(&text));
        }
        assert!(read("m", &format!("{SMALL}[focus]\nblock = \"7 mm\"\n")).is_ok());
    }

    #[test]
    fn own_lines_that_move_the_head_are_refused_whatever_else_they_say() {
        let own = |line: &str| format!("{SMALL}[program]\nopening = [\"{line}\"]\n");
        for line in ["G0 X900 Y900 M9", "G0 X900", "X900 M8", "G28 X900 Y0", "G53 G0 Z5 M9"] {
            assert!(messages(&own(line))[0].contains("no one has checked"), "{line}");
        }
        for line in ["G28", "M9", "M64 P1", "G4 P1"] {
            assert!(read("m.machine.toml", &own(line)).is_ok(), "{line}");
        }
        // There X is a parameter of the code, not a place.
        let printer = own("M907 X500").replace("[bed]", "[link]\ndialect = \"reprap\"\n[bed]")
            + "[travel]\nas = \"feed\"\nspeed = \"50 mm/s\"\n";
        assert!(read("m.machine.toml", &printer).is_ok(), "{:?}", read("m", &printer));
        assert!(!messages(&printer.replace("M907 X500", "G0 X500 M9")).is_empty());
    }
}
