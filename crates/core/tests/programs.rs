//! Whole programs of small drawings, as text: each was read by a person before it was accepted.

use tinkite_core::job;
use tinkite_core::machine;
use tinkite_core::program::{Comments, Program};
use tinkite_core::{Choice, artwork, compile};

const MACHINE: &str = r#"tinkite = 1
name = "Small"
[bed]
width = "100 mm"
depth = "80 mm"
[axis.x]
top-speed = "200 mm/s"
acceleration = "1000 mm/s2"
[axis.y]
top-speed = "200 mm/s"
acceleration = "1000 mm/s2"
[beam]
full = 255
"#;

/// The program of a drawing on a 50 x 50 mm page, done by `steps` on a machine with `more` in its
/// profile; or what refuses it.
fn attempt(body: &str, place: &str, steps: &str, more: &str) -> Result<String, String> {
    attempt_on(&format!("{MACHINE}{more}"), body, place, steps)
}

/// The same on a machine of its own.
fn attempt_on(machine: &str, body: &str, place: &str, steps: &str) -> Result<String, String> {
    let told = |problems: tinkite_core::problem::Problems| {
        problems.iter().map(|p| format!("{}: {}", p.code, p.message)).collect::<Vec<_>>().join("\n")
    };
    let svg = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="50mm" viewBox="0 0 50 50" fill="none">{body}</svg>"#
    );
    let machine = machine::read("m", machine).map_err(told)?;
    let text =
        format!("tinkite = 1\nname = \"t\"\n[[artwork]]\nfile = \"a.svg\"\n{place}\n{steps}");
    let job = job::read("job", &text, machine).map_err(told)?;
    let art = artwork::read("a.svg", svg.as_bytes(), &Default::default()).map_err(told)?;
    let compiled = compile(art, &job, &Choice::default()).map_err(told)?;
    let mut out = Vec::new();
    Program::new(compiled.within).write(Comments::None, &mut out).unwrap();
    Ok(String::from_utf8(out).unwrap())
}

fn program(body: &str, place: &str, steps: &str, more: &str) -> String {
    attempt(body, place, steps, more).unwrap_or_else(|told| panic!("{told}"))
}

/// A step on red lines.
fn step(make: &str) -> String {
    format!(
        "[[step]]\nname = \"s\"\ntake = {{ colour = \"red\" }}\nspeed = \"10 mm/s\"\npower = \"40 %\"\n{make}\n"
    )
}

const SQUARE: &str = r#"<path d="M10 10H30V30H10Z" stroke="red"/>"#;
const FILLED: &str = r#"<path d="M10 10H20V12H10Z" fill="red"/>"#;

#[test]
fn a_square_is_cut_from_its_nearest_corner() {
    insta::assert_snapshot!(program(SQUARE, "", &step("make = \"cut\""), ""), @"
    M5 S0
    G21 G90 G94 G17 G54
    M4 S0
    G0X10Y20
    G1Y40S102F600
    X30
    Y20
    X10
    M5 S0
    M2
    ");
}

#[test]
fn two_passes_go_round_twice_and_there_and_back_on_an_open_line() {
    insta::assert_snapshot!(program(r#"<path d="M10 10H30" stroke="red"/>"#, "", &step("make = \"score\"\npasses = 3"), ""), @"
    M5 S0
    G21 G90 G94 G17 G54
    M4 S0
    G0X10Y40
    G1X30S102F600
    X10
    X30
    M5 S0
    M2
    ");
}

#[test]
fn a_circle_is_arcs_and_the_hole_comes_first() {
    let body = r#"<circle cx="25" cy="25" r="20" stroke="red"/><circle cx="25" cy="25" r="5" stroke="red"/>"#;
    insta::assert_snapshot!(program(body, "", &step("make = \"cut\""), ""), @"
    M5 S0
    G21 G90 G94 G17 G54
    M4 S0
    G0X21.464Y21.464
    G2X20Y25I3.536J3.536S102F600
    X25Y30I5J0
    X30Y25I0J-5
    X25Y20I-5J0
    X21.464Y21.464I0J5
    G0X10.858Y10.858S0
    G2X5Y25I14.142J14.142S102
    X25Y45I20J0
    X45Y25I0J-20
    X25Y5I-20J0
    X10.858Y10.858I0J20
    M5 S0
    M2
    ");
}

#[test]
fn engraved_lines_go_there_and_back_with_run_up_upwards() {
    let lines = "make = \"engrave\"\nlines = { spacing = \"0.5 mm\", run-up = \"1 mm\" }";
    insta::assert_snapshot!(program(FILLED, "", &step(lines), ""), @"
    M5 S0
    G21 G90 G94 G17 G54
    M4 S0
    G0X9Y38.25
    G1X10F600
    X20S102
    X21S0
    G0Y38.75
    G1X20
    X10S102
    X9S0
    G0Y39.25
    G1X10
    X20S102
    X21S0
    G0Y39.75
    G1X20
    X10S102
    X9S0
    M5 S0
    M2
    ");
}

#[test]
fn one_direction_downwards_without_run_up() {
    let lines = "make = \"engrave\"\nlines = { spacing = \"1 mm\", run-up = \"0 mm\", advance = \"downwards\", directions = \"one\" }";
    insta::assert_snapshot!(program(FILLED, "", &step(lines), ""), @"
    M5 S0
    G21 G90 G94 G17 G54
    M4 S0
    G0X10Y39.5
    G1X20S102F600
    G0X10Y38.5S0
    G1X20S102
    M5 S0
    M2
    ");
}

#[test]
fn lines_away_from_the_operator_advance_sideways() {
    let lines = "make = \"engrave\"\nlines = { spacing = \"4 mm\", angle = \"90 deg\", run-up = \"1 mm\", advance = \"leftwards\" }";
    insta::assert_snapshot!(program(FILLED, "", &step(lines), ""), @"
    M5 S0
    G21 G90 G94 G17 G54
    M4 S0
    G0X19Y37
    G1Y38F600
    Y40S102
    Y41S0
    G0X15
    G1Y40
    Y38S102
    Y37S0
    G0X11
    G1Y38
    Y40S102
    Y41S0
    M5 S0
    M2
    ");
}

#[test]
fn short_gaps_are_crossed_dark_and_long_ones_as_travel() {
    let body = r#"<path d="M5 10H10V11H5ZM11 10H15V11H11ZM25 10H30V11H25Z" fill="red"/>"#;
    let lines = "make = \"engrave\"\nlines = { spacing = \"1 mm\", run-up = \"2 mm\" }";
    insta::assert_snapshot!(program(body, "", &step(lines), ""), @"
    M5 S0
    G21 G90 G94 G17 G54
    M4 S0
    G0X3Y39.5
    G1X5F600
    X10S102
    X11S0
    X15S102
    X16.95S0
    G0X23.05
    G1X25
    X30S102
    X32S0
    M5 S0
    M2
    ");
}

#[test]
fn a_constant_beam_air_and_travel_as_feed() {
    let more = "follows-speed = false\nceiling = \"50 %\"\n[air]\non = \"M7\"\n[travel]\nas = \"feed\"\nspeed = \"100 mm/s\"\n";
    let steps =
        step("make = \"cut\"") + &step("make = \"score\"\nair = false").replace("\"s\"", "\"t\"");
    let text = program(r#"<path d="M10 10H30" stroke="red"/>"#, "", &steps, more);
    insta::assert_snapshot!(text, @"
    M5 S0
    G21 G90 G94 G17 G54
    M3 S0
    M7
    G1X10Y40F6000
    X30S102F600
    S0
    M9
    X10S102
    M5 S0
    M2
    ");
}

#[test]
fn a_machine_with_its_zero_in_the_middle_counts_from_there() {
    let more = "[link]\ndialect = \"ngc\"\n";
    let text = attempt(
        SQUARE,
        "[place]\nanchor = \"centre\"\nat = [\"0 mm\", \"0 mm\"]",
        &step("make = \"cut\""),
        more,
    );
    assert!(text.unwrap_err().contains("10 mm beyond the left edge, 10 mm beyond the front edge"));
    let centred = MACHINE.replace("depth = \"80 mm\"", "depth = \"80 mm\"\norigin = \"centre\"");
    let place = "[place]\nanchor = \"centre\"\nat = [\"0 mm\", \"0 mm\"]";
    let machine = format!("{centred}{more}");
    let text = attempt_on(&machine, SQUARE, place, &step("make = \"cut\"")).unwrap();
    insta::assert_snapshot!(text, @"
    %
    M5 S0
    G21 G90 G94 G17 G54
    G64 P0.01
    M3 S0
    G0X-10Y10
    G1X10S102F600
    Y-10
    X-10
    Y10
    M5 S0
    M2
    %
    ");
}

#[test]
fn every_anchor_lies_where_it_was_said() {
    for (anchor, x, y) in [
        ("bottom-left", 0.0, 0.0),
        ("bottom", 10.0, 0.0),
        ("bottom-right", 20.0, 0.0),
        ("left", 0.0, 10.0),
        ("centre", 10.0, 10.0),
        ("right", 20.0, 10.0),
        ("top-left", 0.0, 20.0),
        ("top", 10.0, 20.0),
        ("top-right", 20.0, 20.0),
    ] {
        let place = format!("[place]\nanchor = \"{anchor}\"\nat = [\"40 mm\", \"40 mm\"]");
        let text = program(SQUARE, &place, &step("make = \"cut\""), "");
        let (left, front) = (40.0 - x, 40.0 - y);
        for word in [
            format!("X{left}"),
            format!("X{}", left + 20.0),
            format!("Y{front}"),
            format!("Y{}", front + 20.0),
        ] {
            assert!(text.contains(&word), "{anchor}: no {word} in\n{text}");
        }
    }
}

#[test]
fn an_order_as_drawn_is_kept_and_nearest_ignores_nesting() {
    let body = r#"<path id="out" d="M1 1H49V49H1Z" stroke="red"/><path id="in" d="M20 20H22V22H20Z" stroke="red"/>"#;
    let first_x = |order: &str| {
        let text = program(body, "", &step(&format!("make = \"cut\"\norder = \"{order}\"")), "");
        text.lines().find(|l| l.starts_with("G0")).unwrap().to_string()
    };
    assert_eq!(first_x("as-drawn"), "G0X1Y49");
    assert_eq!(first_x("nearest"), "G0X1Y1");
    assert_eq!(first_x("holes-first"), "G0X20Y28");
}

#[test]
fn nesting_is_kept_at_any_depth_and_for_open_lines() {
    let mut body = String::from(r#"<path d="M24 25H26" stroke="red"/>"#);
    for n in 1..12 {
        body.push_str(&format!(
            r#"<rect x="{0}" y="{0}" width="{1}" height="{1}" stroke="red"/>"#,
            25 - 2 * n,
            4 * n
        ));
    }
    let text = program(&body, "", &step("make = \"cut\""), "");
    // Every path begins with its travel: from the innermost line outwards.
    let mut at = [0.0_f64; 2];
    let mut starts = Vec::new();
    for line in text.lines() {
        for (axis, letter) in ['X', 'Y'].into_iter().enumerate() {
            let number = line.split_once(letter).map(|(_, rest)| {
                rest.chars().take_while(|c| "-.0123456789".contains(*c)).collect::<String>()
            });
            at[axis] = number.map_or(at[axis], |n| n.parse().unwrap());
        }
        if line.starts_with("G0") {
            starts.push((at[0] - 25.0).abs().max((at[1] - 25.0).abs()));
        }
    }
    assert_eq!(starts.len(), 12, "{text}");
    assert!(starts.windows(2).all(|pair| pair[0] < pair[1]), "{starts:?}");
}

#[test]
fn refusals_name_numbers_and_sides() {
    let told = |body: &str, place: &str, make: &str, more: &str| {
        attempt(body, place, &step(make), more).unwrap_err()
    };
    let at = |x: i32, y: i32| format!("[place]\nat = [\"{x} mm\", \"{y} mm\"]");
    assert_eq!(
        told(SQUARE, &at(85, 10), "make = \"cut\"", ""),
        "off-bed: the job leaves the bed: 5 mm beyond the right edge"
    );
    assert_eq!(
        told(SQUARE, &at(10, 70), "make = \"cut\"", ""),
        "off-bed: the job leaves the bed: 10 mm beyond the back edge"
    );
    let lines = "make = \"engrave\"\nlines = { spacing = \"0.5 mm\", run-up = \"6 mm\" }";
    assert_eq!(
        told(FILLED, &at(2, 10), lines, ""),
        "off-bed: the run-up of engraved lines leaves the bed: 4 mm beyond the left edge"
    );
    assert_eq!(
        told(SQUARE, "[stock]\nwidth = \"25 mm\"\ndepth = \"60 mm\"", "make = \"cut\"", ""),
        "off-stock: the job leaves the stock: 5 mm beyond the right edge"
    );
    assert_eq!(
        told(SQUARE, "", "make = \"cut\"", "ceiling = \"39 %\""),
        "over-ceiling: 40 % (S102) is above the machine's ceiling of 39 % (S99.5)"
    );
    assert!(
        told(SQUARE, "", "make = \"cut\"", "floor = 200").contains("below-floor: 40 % is S102")
    );
    assert!(told("", "", "make = \"cut\"", "").contains("the artwork has no shapes"));
    assert!(
        told(r#"<path d="M5 5h0" stroke="red" stroke-linecap="round"/>"#, "", "make = \"cut\"", "")
            .contains("size-zero")
    );
}
