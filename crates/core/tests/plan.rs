//! What a job comes to: lengths, times and energy against closed forms.

use tinkite_core::job;
use tinkite_core::limits::WithinLimits;
use tinkite_core::machine;
use tinkite_core::{Choice, artwork, compile};

/// Both axes alike: 200 mm/s, 1000 mm/s². Power in watts is a tenth of the percent.
const MACHINE: &str = r#"tinkite = 1
name = "Plain"
corner = "0.01 mm"
[bed]
width = "300 mm"
depth = "200 mm"
[axis.x]
top-speed = "200 mm/s"
acceleration = "1000 mm/s2"
[axis.y]
top-speed = "200 mm/s"
acceleration = "1000 mm/s2"
[axis.z]
top-speed = "10 mm/s"
acceleration = "100 mm/s2"
range = ["-20 mm", "20 mm"]
[beam]
full = 1000
width = "0.1 mm"
follows-speed = false
table = [["0 %", "0 W"], ["50 %", "5 W"], ["100 %", "10 W"]]
MORE
"#;

/// A drawing on a page of 300 x 200 mm, and one step.
fn planned(body: &str, step: &str, more: &str) -> WithinLimits {
    let svg = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="300mm" height="200mm" viewBox="0 0 300 200" fill="none">{body}</svg>"#
    );
    let machine =
        machine::read("m", &MACHINE.replace("MORE", more)).unwrap_or_else(|p| panic!("{p:#?}"));
    let power = if step.contains("\npower =") { "" } else { "power = \"40 %\"" };
    let text = format!(
        "tinkite = 1\n[[artwork]]\nfile = \"a.svg\"\n[[step]]\ntake = {{ colour = \"red\" }}\n{power}\n{step}\n"
    );
    let job = job::read("job", &text, machine).unwrap_or_else(|p| panic!("{p:#?}"));
    let art = artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
    compile(art, &job, &Choice::default()).unwrap_or_else(|p| panic!("{p:#?}")).within
}

fn near(a: f64, b: f64) {
    assert!((a - b).abs() < 1e-6 * b.abs().max(1.0), "{a}, and by hand {b}");
}

/// From standstill to standstill over a length, mm, at most so fast, mm/s: s.
fn trapezoid(length: f64, speed: f64, acceleration: f64) -> f64 {
    if length * acceleration > speed * speed {
        length / speed + speed / acceleration
    } else {
        2.0 * (length / acceleration).sqrt()
    }
}

/// A line along the front edge, from the zero.
const LINE: &str = r#"<path d="M0 200H100" stroke="red"/>"#;

#[test]
fn one_line_takes_its_trapezoid_and_that_of_the_way_home() {
    for speed in [20.0, 50.0, 150.0] {
        let within = planned(LINE, &format!("make = \"score\"\nspeed = \"{speed} mm/s\""), "");
        let totals = &within.planned().totals;
        let burning = trapezoid(100.0, speed, 1000.0);
        let home = totals.seconds() - burning;
        // The head stays where the line ends, or comes home.
        if totals.travel() > 0.0 {
            near(totals.travel(), 100.0);
            near(home, trapezoid(100.0, 200.0, 1000.0));
        } else {
            near(home, 0.0);
        }
        near(totals.burn(), 100.0);
        // 40 % are 4 W, lit all the way with a beam of constant power.
        near(totals.steps[0].energy.unwrap(), 4.0 * burning);
        near(totals.steps[0].energy_per_mm().unwrap(), 4.0 * burning / 100.0);
        assert_eq!(totals.steps[0].s, Some((400.0, 400.0)));
        assert_eq!((totals.steps[0].pierces, within.planned().lines(0)), (0, 1));
    }
}

#[test]
fn a_beam_that_follows_the_speed_spends_the_same_on_every_mm() {
    let within = planned(LINE, "make = \"score\"\nspeed = \"50 mm/s\"", "");
    let job = within.planned().job().clone();
    assert!(!job.machine.beam.follows_speed);
    let follows = MACHINE.replace("follows-speed = false", "follows-speed = true");
    assert_ne!(follows, MACHINE);
    let machine = machine::read("m", &follows.replace("MORE", "")).unwrap();
    let text = "tinkite = 1\n[[artwork]]\nfile = \"a.svg\"\n[[step]]\ntake = { colour = \"red\" }\npower = \"40 %\"\nmake = \"score\"\nspeed = \"50 mm/s\"\n";
    let job = job::read("job", text, machine).unwrap();
    let svg = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="300mm" height="200mm" viewBox="0 0 300 200" fill="none">{LINE}</svg>"#
    );
    let art = artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
    let within = compile(art, &job, &Choice::default()).unwrap().within;
    // 4 W at 50 mm/s are 0.08 J on each mm, at the ends of the line too.
    near(within.planned().totals.steps[0].energy_per_mm().unwrap(), 0.08);
}

#[test]
fn passes_go_there_and_back_and_are_counted_each() {
    let one = planned(LINE, "make = \"score\"\nspeed = \"50 mm/s\"", "");
    let three = planned(LINE, "make = \"score\"\nspeed = \"50 mm/s\"\npasses = 3", "");
    let (one, three) = (&one.planned().totals, &three.planned().totals);
    near(three.burn(), 300.0);
    near(three.travel(), one.travel());
    // At each end the head comes to a stand and turns.
    let passes = 3.0 * trapezoid(100.0, 50.0, 1000.0);
    near(three.seconds() - (one.seconds() - trapezoid(100.0, 50.0, 1000.0)), passes);
    let slower = planned(
        LINE,
        "make = \"score\"\nspeed = [\"50 mm/s\", \"25 mm/s\"]\npower = [\"40 %\", \"20 %\"]",
        "",
    );
    assert_eq!(slower.planned().totals.steps[0].s, Some((200.0, 400.0)));
}

#[test]
fn a_pierce_stands_for_as_long_as_it_was_said_and_burns() {
    let plain = planned(LINE, "make = \"cut\"\nspeed = \"50 mm/s\"", "");
    let pierced = planned(
        LINE,
        "make = \"cut\"\nspeed = \"50 mm/s\"\npierce = { power = \"80 %\", dwell = \"0.7 s\" }",
        "",
    );
    let (plain, pierced) = (&plain.planned().totals, &pierced.planned().totals);
    near(pierced.seconds() - plain.seconds(), 0.7);
    near(pierced.steps[0].energy.unwrap() - plain.steps[0].energy.unwrap(), 8.0 * 0.7);
    assert_eq!((pierced.steps[0].pierces, pierced.steps[0].s), (1, Some((400.0, 800.0))));
    near(pierced.burn(), plain.burn());
}

#[test]
fn focus_goes_up_for_travel_as_fast_as_its_axis_can() {
    let body = r#"<path d="M0 200H100" stroke="red"/><path d="M150 200H250" stroke="red"/>"#;
    let step = "make = \"score\"\nspeed = \"50 mm/s\"";
    let flat = planned(body, step, "");
    let lifted = planned(body, step, "[travel]\nclearance = \"3 mm\"");
    let more = lifted.planned().totals.seconds() - flat.planned().totals.seconds();
    // Up and down by 3 mm takes 0.8 s. A corner between up and along is taken at a few mm/s, so it is a
    // little less; how often it is lifted is a whole number.
    let once = 2.0 * trapezoid(3.0, 10.0, 100.0);
    let times = (more / once).round();
    assert!(
        times >= 1.0 && (more / (times * once) - 1.0).abs() < 0.1,
        "{more} is not some of {once}"
    );
}

#[test]
fn an_area_is_as_many_lines_as_its_height_holds_and_its_dose_is_that_of_a_line() {
    let body = r#"<path d="M50 100H90V120H50Z" fill="red"/>"#;
    let engraved = |spacing: f64, passes: u32| {
        planned(
            body,
            &format!(
                "make = \"engrave\"\nspeed = \"80 mm/s\"\nlines = {{ spacing = \"{spacing} mm\", run-up = \"5 mm\" }}\npasses = {passes}"
            ),
            "",
        )
    };
    for (spacing, rows) in [(0.5, 40), (0.25, 80), (0.2, 100)] {
        let within = engraved(spacing, 1);
        let planned = within.planned();
        assert_eq!(planned.lines(0), rows);
        near(planned.totals.burn(), 40.0 * rows as f64);
        // 4 W at 80 mm/s are 0.05 J on each mm; run-up keeps the speed even over what is burnt.
        near(planned.totals.steps[0].energy_per_mm().unwrap(), 0.05);
        near(planned.energy_per_mm2(0).unwrap(), 0.05 / spacing);
    }
    let twice = engraved(0.5, 2);
    near(twice.planned().energy_per_mm2(0).unwrap(), 2.0 * 0.05 / 0.5);
    assert_eq!(twice.planned().lines(0), 40);
}

#[test]
fn rectangles_of_what_is_burnt_worked_and_reached_lie_in_each_other() {
    let body = r#"<path d="M50 100H90V120H50Z" fill="red"/>"#;
    let within = planned(
        body,
        "make = \"engrave\"\nspeed = \"80 mm/s\"\nlines = { spacing = \"0.5 mm\", run-up = \"5 mm\" }",
        "",
    );
    let totals = &within.planned().totals;
    let (burnt, worked, reached) =
        (totals.burnt.unwrap(), totals.worked.unwrap(), totals.reached.unwrap());
    // Lines lie half a spacing from the edges.
    assert!((burnt.x0, burnt.x1) == (50.0, 90.0), "{burnt:?}");
    near(burnt.y0, 80.25);
    near(burnt.y1, 99.75);
    near(worked.x0, 45.0);
    near(worked.x1, 95.0);
    assert!(reached.x0 <= 0.0 && reached.y0 <= 0.0 && reached.x1 >= worked.x1);
}
