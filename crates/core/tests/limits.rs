//! Limits: what leaves the bed, the stock or the object, and by how much, against sums by hand.

use tinkite_core::job;
use tinkite_core::machine;
use tinkite_core::problem::{Problem, Problems, Severity};
use tinkite_core::{Choice, artwork, compile};

/// A bed of 100 x 80 mm, and a rotary that reaches from 10 to 90 mm.
const MACHINE: &str = r#"tinkite = 1
name = "Small"
[bed]
width = "100 mm"
depth = "80 mm"
ORIGIN
[axis.x]
top-speed = "250 mm/s"
acceleration = "1000 mm/s2"
[axis.y]
top-speed = "200 mm/s"
acceleration = "1000 mm/s2"
[axis.a]
top-speed = "400 deg/s"
acceleration = "2000 deg/s2"
[rotary]
axis = "A"
along = "X"
reach = ["10 mm", "90 mm"]
[beam]
full = 1000
width = "0.1 mm"
DEPTH
"#;

/// A drawing of one rectangle, and where the job goes.
struct Case {
    size: (f64, f64),
    /// Lines of the job before its steps.
    job: String,
    /// Lines of the step besides take and power.
    step: String,
    origin: &'static str,
    depth: &'static str,
}

fn case(size: (f64, f64), job: &str) -> Case {
    let step = "make = \"cut\"\nspeed = \"10 mm/s\"".to_string();
    Case { size, job: job.into(), step, origin: "", depth: "" }
}

impl Case {
    fn step(self, step: &str) -> Self {
        Self { step: step.into(), ..self }
    }

    /// What it is told: severity, code and message of each problem. An error refuses it.
    fn told(&self) -> Vec<(Severity, String, String)> {
        let told = |p: &Problem| (p.severity, p.code.text().to_string(), p.message.clone());
        self.problems().iter().map(told).collect()
    }

    fn problems(&self) -> Problems {
        let (w, h) = self.size;
        let svg = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" width="{w}mm" height="{h}mm" viewBox="0 0 {w} {h}" fill="none"><path d="M0 0H{w}V{h}H0Z" {}/></svg>"#,
            if self.step.contains("engrave") { "fill='red'" } else { "stroke='red'" }
        );
        let profile = MACHINE.replace("ORIGIN", self.origin).replace("DEPTH", self.depth);
        let machine = machine::read("m", &profile).unwrap();
        let text = format!(
            "tinkite = 1\n[[artwork]]\nfile = \"a.svg\"\n{}\n[[step]]\ntake = {{ colour = \"red\" }}\npower = \"40 %\"\n{}\n",
            self.job, self.step
        );
        let job = job::read("job", &text, machine).unwrap_or_else(|p| panic!("{p:#?}"));
        let art = artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
        let (refused, problems) = match compile(art, &job, &Choice::default()) {
            Ok(compiled) => (false, compiled.problems),
            Err(problems) => (true, problems),
        };
        assert_eq!(refused, problems.iter().any(|p| p.severity == Severity::Error));
        problems
    }

    /// The message of the one problem with this code; nothing when there is none.
    fn only(&self, code: &str, severity: Severity) -> Option<String> {
        let told = self.told();
        let mut found = told.into_iter().filter(|(_, c, _)| c == code);
        let (how, _, message) = found.next()?;
        assert!(found.next().is_none(), "told twice");
        assert_eq!(how, severity, "{message}");
        Some(message)
    }
}

fn at(x: f64, y: f64) -> String {
    format!("[place]\nat = [\"{x} mm\", \"{y} mm\"]")
}

#[test]
fn a_job_may_touch_every_edge_of_the_bed_and_reach_over_none() {
    let on = |x: f64, y: f64| case((20.0, 10.0), &at(x, y)).only("off-bed", Severity::Error);
    for (x, y) in [(0.0, 0.0), (80.0, 0.0), (0.0, 70.0), (80.0, 70.0)] {
        assert_eq!(on(x, y), None);
    }
    for (x, y, side) in [
        (-0.01, 30.0, "left"),
        (80.01, 30.0, "right"),
        (30.0, -0.01, "front"),
        (30.0, 70.01, "back"),
    ] {
        let told = format!("the job leaves the bed: 0.01 mm beyond the {side} edge");
        assert_eq!(on(x, y).as_deref(), Some(told.as_str()));
    }
    // What the text's own rounding does is nobody's fault.
    assert_eq!(on(80.001, 70.001), None);
    let both = on(81.0, 72.5).unwrap();
    assert!(both.contains("1 mm beyond the right edge, 2.5 mm beyond the back edge"), "{both}");
}

#[test]
fn what_is_larger_than_the_bed_is_told_with_whether_turned_it_would_fit() {
    // The bed is 100 x 80 mm; a cut is 0.1 mm wide, and half of that may hang over.
    let help = |w: f64, h: f64| -> String {
        let problems = case((w, h), &at(-1.0, -1.0)).problems();
        let off: Vec<&Problem> = problems.iter().filter(|p| p.code.text() == "off-bed").collect();
        assert_eq!(off.len(), 1, "{w} x {h}: {problems:#?}");
        off[0].help.to_string()
    };
    let (lies, turned) = ("move it with [place] at", "turned by a quarter it lies on it");
    let (neither, larger) = ("turned by a quarter as well", "larger than the bed of 100 x 80 mm");
    for (w, h, wanted) in [
        // As large as the bed it needs another place only.
        (100.0, 80.0, lies),
        (99.0, 79.0, lies),
        (100.1, 80.0, neither),
        (100.0, 80.1, neither),
        (80.0, 100.0, turned),
        (80.1, 100.0, neither),
        (80.0, 100.1, neither),
        (70.0, 90.0, turned),
        (120.0, 10.0, neither),
        (10.0, 120.0, neither),
    ] {
        let text = help(w, h);
        assert!(text.contains(wanted), "{w} x {h}: {text}");
        assert_eq!(text.contains(larger), wanted != lies, "{w} x {h}: {text}");
    }
}

#[test]
fn edges_are_called_as_the_operator_sees_them_wherever_the_machine_counts_from() {
    for (origin, x, y) in
        [("bottom-right", -25.0, 3.0), ("top-left", 75.0, -77.0), ("centre", 25.0, -37.0)]
    {
        let origin = format!("origin = \"{origin}\"").leak();
        let inside = Case { origin, ..case((20.0, 10.0), &at(x, y)) };
        assert_eq!(inside.only("off-bed", Severity::Error), None, "{origin}");
        let out = Case { origin, ..case((20.0, 10.0), &at(x + 8.0, y)) };
        let told = out.only("off-bed", Severity::Error).unwrap();
        assert!(told.contains("3 mm beyond the right edge"), "{origin}: {told}");
    }
}

#[test]
fn run_up_needs_room_too() {
    let engraved = |x: f64| {
        case((20.0, 4.0), &at(x, 10.0))
            .step("make = \"engrave\"\nspeed = \"50 mm/s\"\nlines = { spacing = \"0.5 mm\", run-up = \"6 mm\" }")
            .only("off-bed", Severity::Error)
    };
    assert_eq!(engraved(6.0), None);
    assert_eq!(engraved(74.0), None);
    let left = engraved(5.5).unwrap();
    assert!(left.contains("run-up") && left.contains("0.5 mm beyond the left edge"), "{left}");
    assert!(engraved(75.0).unwrap().contains("1 mm beyond the right edge"));
    // A job that is off itself is called so.
    assert!(engraved(-1.0).unwrap().starts_with("the job leaves the bed"));
}

#[test]
fn a_job_whose_zero_is_set_at_the_machine_must_find_room_from_there() {
    let from = |size: (f64, f64), anchor: &str| {
        case(size, &format!("[place]\nzero = \"head\"\nanchor = \"{anchor}\""))
            .only("off-bed", Severity::Error)
    };
    assert_eq!(from((100.0, 80.0), "bottom-left"), None);
    let wide = from((103.0, 20.0), "bottom-left").unwrap();
    assert!(wide.contains("bed: 3 mm too wide") && !wide.contains("deep"), "{wide}");
    let both = from((103.0, 82.0), "centre").unwrap();
    assert!(both.contains("bed: 3 mm too wide, 2 mm too deep"), "{both}");
}

#[test]
fn stock_is_left_on_no_side_and_may_be_larger_than_the_bed() {
    let on = |x: f64, y: f64| {
        case((20.0, 10.0), &format!("{}\n[stock]\nwidth = \"60 mm\"\ndepth = \"50 mm\"", at(x, y)))
            .only("off-stock", Severity::Error)
    };
    assert_eq!(on(40.0, 40.0), None);
    assert!(on(41.5, 5.0).unwrap().contains("1.5 mm beyond the right edge"));
    assert!(on(5.0, 42.0).unwrap().contains("2 mm beyond the back edge"));
    let large = case((20.0, 10.0), "[stock]\nwidth = \"120 mm\"\ndepth = \"50 mm\"");
    let told = large.only("large-stock", Severity::Warning).unwrap();
    assert!(told.contains("120 x 50 mm"), "{told}");
    let exact = case((20.0, 10.0), "[stock]\nwidth = \"100 mm\"\ndepth = \"80 mm\"");
    assert_eq!(exact.only("large-stock", Severity::Warning), None);
}

#[test]
fn speed_is_held_against_the_faster_axis_and_told_for_the_slower() {
    let at_speed = |speed: f64| {
        case((20.0, 10.0), "").step(&format!("make = \"cut\"\nspeed = \"{speed} mm/s\""))
    };
    assert_eq!(at_speed(200.0).only("over-speed", Severity::Warning), None);
    let slower = at_speed(201.0).only("over-speed", Severity::Warning).unwrap();
    assert!(slower.contains("the Y axis does only 200 mm/s"), "{slower}");
    assert!(at_speed(250.0).only("over-speed", Severity::Warning).is_some());
    let over = at_speed(251.0).only("over-speed", Severity::Error).unwrap();
    assert!(over.contains("fastest axis does 250 mm/s"), "{over}");
    // Of several passes the fastest counts.
    let passes = case((20.0, 10.0), "")
        .step("make = \"cut\"\nspeed = [\"10 mm/s\", \"300 mm/s\"]")
        .only("over-speed", Severity::Error);
    assert!(passes.unwrap().contains("300 mm/s"));
}

#[test]
fn lines_nearer_than_the_beam_is_wide_are_told() {
    let spaced = |mm: f64| {
        case((20.0, 4.0), &at(30.0, 10.0))
            .step(&format!(
                "make = \"engrave\"\nspeed = \"50 mm/s\"\nlines = {{ spacing = \"{mm} mm\" }}"
            ))
            .only("dense-lines", Severity::Warning)
    };
    assert_eq!(spaced(0.1), None);
    assert!(spaced(0.09).unwrap().contains("0.09 mm apart with a beam 0.1 mm wide"));
}

/// A job round something, at its left edge 40 mm from the bed's.
fn round(size: (f64, f64), rotary: &str) -> Case {
    case(
        size,
        &format!("[rotary]\nhold = \"chuck\"\n{rotary}\n[place]\nat = [\"40 mm\", \"0 mm\"]"),
    )
}

#[test]
fn nothing_goes_round_an_object_twice() {
    // 20 mm across: 62.832 mm round.
    let held = |height: f64, more: &str| {
        round((20.0, height), &format!("diameter = \"20 mm\"\n{more}"))
            .only("over-wrap", Severity::Error)
    };
    assert_eq!(held(62.8, ""), None);
    let twice = held(65.0, "").unwrap();
    assert!(twice.contains("62.832 mm circumference: 2.168 mm would be burnt twice"), "{twice}");
    assert_eq!(held(65.0, "overlap = true"), None);
}

#[test]
fn a_rotary_reaches_so_far_along_and_all_the_way_round() {
    let along = |x: f64| {
        case((20.0, 10.0), &format!("[rotary]\nhold = \"chuck\"\ndiameter = \"20 mm\"\n[place]\nat = [\"{x} mm\", \"0 mm\"]"))
            .only("off-bed", Severity::Error)
    };
    assert_eq!(along(10.0), None);
    assert_eq!(along(70.0), None);
    assert!(along(9.0).unwrap().contains("rotary's reach: 1 mm beyond the left edge"));
    assert!(along(71.0).unwrap().contains("1 mm beyond the right edge"));
}

/// A cone that gains `gain` mm in diameter over 40 mm, measured from 30 to 70 mm.
fn cone(gain: f64, more: &str) -> String {
    format!(
        "profile = [[\"0 mm\", \"30 mm\"], [\"40 mm\", \"{} mm\"]]\nat = \"30 mm\"\nkeep = \"angle\"\n{more}",
        30.0 + gain
    )
}

#[test]
fn a_profile_is_known_as_far_as_it_was_measured() {
    let on = |x: f64| {
        case(
            (20.0, 10.0),
            &format!(
                "[rotary]\nhold = \"chuck\"\n{}\n[place]\nat = [\"{x} mm\", \"0 mm\"]",
                cone(4.0, "")
            ),
        )
        .only("off-object", Severity::Error)
    };
    assert_eq!(on(30.0), None);
    assert_eq!(on(50.0), None);
    assert!(on(29.0).unwrap().contains("1 mm before its start"));
    assert!(on(51.5).unwrap().contains("1.5 mm beyond its end"));
}

#[test]
fn slopes_and_heights_of_a_cone_are_those_of_its_drawing() {
    // Over 20 of 40 mm the radius changes by a quarter of the gain in diameter.
    let changes =
        |gain: f64, depth: &'static str| Case { depth, ..round((20.0, 10.0), &cone(gain, "")) };
    let note = changes(8.0, "").only("focus-departure", Severity::Note).unwrap();
    assert!(note.contains("changes its height by 2 mm"), "{note}");
    assert_eq!(changes(0.0, "").only("focus-departure", Severity::Note), None);
    let deep = changes(8.0, "focus-depth = \"1.9 mm\"");
    let told = deep.only("out-of-focus", Severity::Warning).unwrap();
    assert!(told.contains("by 2 mm over the artwork, and the depth of focus is 1.9 mm"), "{told}");
    let enough = changes(8.0, "focus-depth = \"2.1 mm\"");
    assert_eq!(enough.only("out-of-focus", Severity::Warning), None);

    // The spot is 1 / cos(slope) as long as wide: 1.25 at 36.87 degrees, tan = 0.75. The radius
    // rises by half the gain over 40 mm.
    let slope = |gain: f64, severity| changes(gain, "").only("steep-surface", severity);
    assert_eq!(slope(58.0, Severity::Warning), None);
    let steep = slope(62.0, Severity::Warning).unwrap();
    assert!(steep.contains("slopes by 38 deg") && steep.contains("1.27 x"), "{steep}");
    // Grazing begins at 1.05 rad: tan = 1.743, a gain of 139.5 mm.
    assert!(slope(138.0, Severity::Warning).is_some());
    assert!(slope(141.0, Severity::Error).unwrap().contains("only grazes"));
}

#[test]
fn constant_power_is_told_where_lines_may_stop_coming() {
    let told = |beam: &'static str| {
        Case { depth: beam, ..case((20.0, 10.0), "") }.only("constant-power", Severity::Warning)
    };
    let burns = told("follows-speed = false").unwrap();
    assert!(burns.contains("burns with constant power"), "{burns}");
    assert_eq!(told("follows-speed = true"), None);
    assert_eq!(told("follows-speed = false\nconstant = \"accepted\""), None);
    // This dialect is not streamed line by line: the controller has the whole program.
    assert_eq!(told("follows-speed = false\n[link]\ndialect = \"ngc\""), None);
}

#[test]
fn stock_of_any_outline_holds_what_lies_within_it() {
    // A disc about the middle of 20 x 10 mm, whose corners lie sqrt(125) = 11.18 mm from it.
    let on = |diameter: f64| {
        let disc = format!(
            "[[shape]]\nkind = \"circle\"\nname = \"disc\"\ncolour = \"blue\"\ndiameter = \"{diameter} mm\"\nat = [\"10 mm\", \"5 mm\"]\n[stock]\noutline = {{ id = \"disc\" }}\n"
        );
        case((20.0, 10.0), &disc).only("off-stock", Severity::Error)
    };
    assert_eq!(on(22.4), None);
    let corners = on(22.2).unwrap();
    assert!(corners.contains("first at X 0 Y 0 mm"), "{corners}");
}
