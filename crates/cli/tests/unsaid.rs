//! What a job leaves undone, or does otherwise than it seems: it is told.

use crate::common::Bench;
use serde_json::Value;

/// What `check` says with one code.
fn told(bench: &Bench, job: &str, code: &str) -> Vec<String> {
    let ran = bench.run(&["check", job, "--json"]);
    let said: Value = serde_json::from_str(&ran.out).unwrap();
    let problems = said["problems"].as_array().unwrap().iter();
    let some = problems.filter(|problem| problem["code"] == code);
    some.map(|problem| problem["message"].as_str().unwrap().to_string()).collect()
}

fn step(name: &str, take: &str, make: &str) -> String {
    let lines = if make == "engrave" { "lines = { spacing = \"0.2 mm\" }\n" } else { "" };
    format!(
        "[[step]]\nname = \"{name}\"\ntake = {take}\nmake = \"{make}\"\nspeed = \"20 mm/s\"\npower = \"40 %\"\n{lines}"
    )
}

const BOTH: &str = r#"<path id="badge" d="M10 10H50V40H10z" fill="black" stroke="red"/>"#;

#[test]
fn a_line_that_no_step_burns_is_told_and_rest_takes_it() {
    let engrave = step("fill", "{ fill = \"black\" }", "engrave");
    let bench = Bench::drawn(BOTH, "", &engrave);
    let lines = told(&bench, "a.kite.toml", "unused-line");
    assert_eq!(lines, ["no step burns the line of 1 shape: badge (stroke #ff0000, fill #000000)"]);
    let both = engrave.clone() + &step("rest", "{ rest = true }", "cut");
    let bench = Bench::drawn(BOTH, "", &both);
    assert!(told(&bench, "a.kite.toml", "unused-line").is_empty());
    let plan = bench.json(&["plan", "a.kite.toml"]);
    assert!((plan["steps"][1]["burn_mm"].as_f64().unwrap() - 140.0).abs() < 0.01, "{plan}");
    // Taken by its name or by both colours, it is meant as it is; a line in the fill's own colour is its edge.
    for (body, take) in [
        (BOTH, "{ id = \"badge\" }"),
        (&BOTH.replace("red", "black"), "{ fill = \"black\" }"),
        (&BOTH.replace("red", "white"), "{ fill = \"black\" }"),
    ] {
        let bench = Bench::drawn(body, "", &step("fill", take, "engrave"));
        assert!(told(&bench, "a.kite.toml", "unused-line").is_empty(), "{take}");
    }
    // And no cut follows the edge of a fill that is engraved.
    let black = BOTH.replace("red", "black");
    let bench = Bench::drawn(&black, "", &both);
    let refused = bench.refused(1, &["check", "a.kite.toml"]);
    assert!(refused.contains("takes-nothing"), "{refused}");
}

#[test]
fn cuts_of_two_steps_that_cross_are_told_as_those_of_one() {
    // A circle whose middle lies on a side.
    let body = r#"<path id="plate" d="M10 10H50V40H10z" stroke="red"/><circle id="hole" cx="30" cy="40" r="8" stroke="blue"/>"#;
    let two = step("a", "{ stroke = \"red\" }", "cut") + &step("b", "{ stroke = \"blue\" }", "cut");
    let bench = Bench::drawn(body, "", &two);
    let crossing = told(&bench, "a.kite.toml", "crossing-cuts");
    assert_eq!(
        crossing,
        ["steps \"a\", \"b\" cut: 1 pair of outlines crossing each other: plate and hole"]
    );
    let one = step("a", "[{ stroke = \"red\" }, { stroke = \"blue\" }]", "cut");
    let bench = Bench::drawn(body, "", &one);
    assert_eq!(told(&bench, "a.kite.toml", "crossing-cuts").len(), 1);
    // Fold lines cross what they like, and a second pass over the same lines is no crossing.
    let twice =
        one.clone() + &step("again", "[{ stroke = \"red\" }, { stroke = \"blue\" }]", "cut");
    let bench = Bench::drawn(body, "", &twice);
    assert!(!told(&bench, "a.kite.toml", "crossing-cuts").iter().any(|m| m.starts_with("steps")));
    let score =
        step("a", "{ stroke = \"red\" }", "cut") + &step("b", "{ stroke = \"blue\" }", "score");
    let bench = Bench::drawn(body, "", &score);
    assert!(told(&bench, "a.kite.toml", "crossing-cuts").is_empty());
}

#[test]
fn keys_that_change_nothing_round_a_cylinder_are_told() {
    let cut = step("cut", "{ stroke = \"red\" }", "cut");
    let rotary =
        "[rotary]\nhold = \"chuck\"\ndiameter = \"60 mm\"\nat = \"12 mm\"\nkeep = \"size\"\n";
    let body = r#"<path d="M10 10H50V40H10z" stroke="red"/>"#;
    let bench = Bench::drawn(body, rotary, &cut);
    bench.demo("reel-laser.machine.toml");
    bench.change("a.kite.toml", "bench-laser", "reel-laser");
    let unused = told(&bench, "a.kite.toml", "unused-key");
    assert!(unused[0].starts_with("at in [rotary] changes nothing"), "{unused:?}");
    assert!(unused[1].starts_with("keep in [rotary] changes nothing"), "{unused:?}");
    bench.change(
        "a.kite.toml",
        "diameter = \"60 mm\"",
        "profile = [[\"0 mm\", \"60 mm\"], [\"90 mm\", \"50 mm\"]]",
    );
    assert!(told(&bench, "a.kite.toml", "unused-key").is_empty());
}

#[test]
fn an_error_cannot_be_accepted() {
    let body = r#"<path d="M10 10H50V40H10z" stroke="red"/>"#;
    let cut = step("cut", "{ stroke = \"red\" }", "cut");
    let bench = Bench::drawn(body, "[place]\nat = [\"390 mm\", \"0 mm\"]\n", &cut);
    bench.change("a.kite.toml", "tinkite = 1", "tinkite = 1\naccept = [\"off-bed\"]");
    let refused = bench.refused(1, &["check", "a.kite.toml"]);
    assert!(refused.contains("accept lists off-bed, which refuses the job"), "{refused}");
}

#[test]
fn engraved_parts_are_packed_with_room_for_their_run_up() {
    let body = r#"<path d="M0 0H96V70H0z" fill="black"/>"#;
    let engrave = "[[step]]\nname = \"e\"\ntake = { fill = \"black\" }\nmake = \"engrave\"\nspeed = \"150 mm/s\"\npower = \"40 %\"\nlines = { spacing = \"1 mm\" }\n";
    let place = "[place]\ncopies = { count = 7 }\npack = { gap = \"3 mm\", margin = \"0 mm\" }\n";
    let bench = Bench::drawn(body, place, engrave);
    bench.ok(&["check", "a.kite.toml"]);
    let plan = bench.json(&["plan", "a.kite.toml"]);
    let [left, right] =
        [("min", 0), ("max", 0)].map(|(end, n)| plan["extents_mm"][end][n].as_f64().unwrap());
    // v² / 2 a = 7.5 mm, with a tenth to spare: 8.3 mm on either side.
    assert!(left >= 8.3 - 1e-6 && right <= 400.0 - 8.3 + 1e-6, "{left} {right}");
}

#[test]
fn shapes_beside_the_boundary_of_their_step_are_told() {
    let body = r#"<path id="frame" d="M10 10H50V40H10z" stroke="blue"/><path d="M12 12H30V30H12z" fill="black"/><path id="lost" d="M70 12H90V30H70z" fill="black"/>"#;
    let engrave = step("e", "{ fill = \"black\" }", "engrave") + "boundary = { id = \"frame\" }\n";
    let bench = Bench::drawn(body, "", &engrave);
    let beside = told(&bench, "a.kite.toml", "beside-boundary");
    assert_eq!(beside, ["step \"e\" burns nothing of 1 shape that lies beside its boundary: lost"]);
}

#[test]
fn notes_beyond_the_page_are_one_thing_to_look_begin_and_check() {
    let body = r#"<path d="M10 10H50V40H10z" stroke="red"/><path id="note" d="M120 10H150V20H120z" stroke="red"/>"#;
    let bench = Bench::drawn(body, "", &step("cut", "{ stroke = \"red\" }", "cut"));
    assert!(bench.run(&["look", "art.svg"]).err.contains("off-page"));
    assert_eq!(told(&bench, "a.kite.toml", "off-page"), ["1 shape lies beyond the page: note"]);
    let begun = bench.json(&["begin", "art.svg", "-o", "b.kite.toml"]);
    assert_eq!(begun["problems"][0]["message"], "1 shape beyond the page left out");
    let text = bench.read("b.kite.toml");
    assert!(
        text.contains("leave-out = [{ kind = \"off-page\" }]   # 1 shape beyond the page"),
        "{text}"
    );
    assert!(told(&bench, "b.kite.toml", "off-page").is_empty());
    let plan = bench.json(&["plan", "b.kite.toml"]);
    assert!((plan["steps"][0]["burn_mm"].as_f64().unwrap() - 140.0).abs() < 0.01, "{plan}");
}

#[test]
fn white_that_is_not_quite_white_is_doubted() {
    let body = r##"<path id="paper" d="M0 0H100V80H0z" fill="#fbffff"/><path d="M10 10H50V40H10z" fill="#000"/>"##;
    let engrave = step("e", "[{ fill = \"#fbffff\" }, { fill = \"black\" }]", "engrave");
    let bench = Bench::drawn(body, "", &engrave);
    let white = told(&bench, "a.kite.toml", "nearly-white");
    assert_eq!(
        white,
        ["step \"e\" burns 1 shape that looks white: paper (#fbffff, 99.7 % as light as paper)"]
    );
    // `begin` takes it for paper, and says so.
    bench.ok(&["begin", "art.svg", "-o", "b.kite.toml"]);
    let text = bench.read("b.kite.toml");
    assert!(text.contains("# Nearly white (#fbffff) fills (1) are taken for paper"), "{text}");
    assert_eq!(bench.json(&["plan", "b.kite.toml"])["steps"].as_array().unwrap().len(), 1);
}

#[test]
fn a_doubt_of_units_goes_away_with_the_scale_that_it_advised() {
    let bench = page_in_pixels();
    assert_eq!(told(&bench, "a.kite.toml", "unit-doubt").len(), 1);
    bench.change("a.kite.toml", "file = \"px.svg\"", "file = \"px.svg\"\nscale = \"1.0667\"");
    assert!(told(&bench, "a.kite.toml", "unit-doubt").is_empty());
}

fn page_in_pixels() -> Bench {
    let cut = step("cut", "{ stroke = \"red\" }", "cut");
    let bench = Bench::drawn("", "", &cut);
    bench.write("px.svg", r#"<svg xmlns="http://www.w3.org/2000/svg" width="300" height="200"><path d="M10 10H250V140H10z" fill="none" stroke="red"/></svg>"#);
    bench.change("a.kite.toml", "art.svg", "px.svg");
    bench
}

#[test]
fn an_outline_with_a_spur_stays_closed_when_doubles_are_dropped() {
    let body = r#"<path d="M10 10H50V40L60 50L50 40H10z" stroke="red"/>"#;
    let cut = step("cut", "{ stroke = \"red\" }", "cut");
    let bench = Bench::drawn(body, "drop-doubles = true\n", &cut);
    bench.change("a.kite.toml", "power = \"40 %\"", "power = \"40 %\"\nkerf = \"0.2 mm\"");
    let plan = bench.json(&["plan", "a.kite.toml"]);
    // Outside of 40 x 30 mm: 0.1 mm beyond it on each side, round at the corners; the spur stays as drawn.
    let burn = plan["steps"][0]["burn_mm"].as_f64().unwrap();
    let spur = 200.0_f64.sqrt();
    assert!((burn - spur - 140.0).abs() > 0.3 && (burn - spur - 140.7).abs() < 0.3, "{burn}");
}

#[test]
fn a_window_beside_the_job_is_told() {
    let body = r#"<path d="M10 10H50V40H10z" stroke="red"/>"#;
    let bench = Bench::drawn(body, "", &step("cut", "{ stroke = \"red\" }", "cut"));
    let draw = |window: &str| {
        bench.run(&["draw", "a.kite.toml", "-o", "a.svg", "--force", "--window", window]).err
    };
    assert!(draw("200,200,220,220").contains("the window shows nothing of the job"));
    assert!(!draw("5,5,45,60").contains("the window shows nothing"));
}

#[test]
fn a_machine_beside_the_caller_is_found_for_a_program_elsewhere() {
    let bench = Bench::new();
    std::fs::create_dir(bench.path("programs")).unwrap();
    bench.write("programs/x.nc", "G21G90\nG0X1Y1\nM2\n");
    let profile = bench.read("bench-laser.machine.toml");
    bench.write("shed.machine.toml", profile);
    bench.ok(&["read", "programs/x.nc", "--machine", "shed"]);
}

#[test]
fn a_book_that_is_named_in_two_ways_counts_once() {
    let bench = Bench::new();
    bench.demo("workshop.recipes.toml");
    let list = |book: &str| {
        let ran = bench.command(&["recipe", "list"]).env("TINKITE_BOOK", book).output().unwrap();
        String::from_utf8(ran.stdout).unwrap()
    };
    let named = bench.path("./workshop.recipes.toml");
    assert_eq!(list(named.to_str().unwrap()), list(""));
}

#[test]
fn a_shape_of_a_job_is_measured_on_the_machines_axes() {
    let body = r#"<path id="plate" d="M10 10H50V40H10z" stroke="red"/>"#;
    let place = "[place]\nanchor = \"bottom-left\"\nat = [\"-150 mm\", \"-100 mm\"]\n";
    let bench = Bench::drawn(body, place, &step("cut", "{ stroke = \"red\" }", "cut"));
    let profile =
        bench.read("bench-laser.machine.toml").replace("\"bottom-left\"", "\"top-right\"");
    bench.write("turned.machine.toml", profile);
    bench.change("a.kite.toml", "bench-laser", "turned");
    for which in ["plate", "-130 mm, -100 mm"] {
        let look = bench.json(&["look", "a.kite.toml", "--measure", which]);
        let plan = bench.json(&["plan", "a.kite.toml"]);
        assert_eq!(look["measures"][0]["extents_mm"], plan["extents_mm"], "{which}");
    }
}

#[test]
fn a_gradient_of_which_a_part_lies_beyond_the_page_is_not_lost() {
    // Two letters of one text, the second beyond the page.
    let body = r##"<defs><linearGradient id="g"><stop offset="0" stop-color="red"/><stop offset="1" stop-color="blue"/></linearGradient></defs><g id="two"><path d="M10 10H50V40H10z" fill="url(#g)"/><path d="M120 10H150V40H120z" fill="url(#g)"/></g>"##;
    let bench = Bench::drawn(body, "", &step("e", "{ fill = \"black\" }", "engrave"));
    assert_eq!(told(&bench, "a.kite.toml", "odd-paint").len(), 1);
}

#[test]
fn a_take_that_finds_nothing_says_what_there_is_to_take() {
    for (take, help) in [
        ("{ id = \"bagde\" }", "did you mean \"badge\"?"),
        ("{ id = \"something else\" }", "the drawing has id \"badge\""),
        ("{ stroke = \"#00ff88\" }", "the drawing has fill #000000, stroke #ff0000"),
        ("{ kind = \"bitmap\" }", "the drawing has fill #000000, stroke #ff0000"),
        ("{ file = \"ar.svg\" }", "did you mean \"art.svg\"?"),
        ("{}", "tinkite look shows what there is"),
        ("[]", "take has no condition"),
    ] {
        let bench = Bench::drawn(BOTH, "", &step("fill", take, "engrave"));
        let refused = bench.refused(1, &["check", "a.kite.toml"]);
        let words = refused.split_whitespace().filter(|word| *word != "\u{2502}");
        let refused = words.collect::<Vec<_>>().join(" ");
        assert!(refused.contains(help), "{take}: {refused}");
    }
    // A key that is not there is one mistake, not two.
    let bench = Bench::drawn(BOTH, "", &step("fill", "{ layer = \"x\" }", "engrave"));
    let refused = bench.refused(1, &["check", "a.kite.toml"]);
    assert!(
        refused.contains("no key called layer") && !refused.contains("empty-take"),
        "{refused}"
    );
}

#[test]
fn a_number_in_quotes_is_answered_with_the_line_to_write() {
    for (said, line) in [
        ("scale = \"25.4\"", "write scale = 25.4, without quotes"),
        ("stretch = \"true\"", "write stretch = true, without quotes"),
        ("scale = \"large\"", "write scale as a plain number"),
    ] {
        let bench = Bench::drawn(BOTH, said, &step("fill", "{ rest = true }", "engrave"));
        let refused = bench.refused(1, &["check", "a.kite.toml"]);
        assert!(refused.contains(line), "{said}: {refused}");
    }
    // The word that was begun is offered, and every word that there is.
    let dither = step("fill", "{ kind = \"bitmap\" }", "engrave").replace(
        "lines = { spacing = \"0.2 mm\" }",
        "image = { spacing = \"0.1 mm\", dither = \"floyd\" }",
    );
    let bench = Bench::drawn(BOTH, "", &dither);
    let refused = bench.refused(1, &["check", "a.kite.toml"]);
    let words = refused.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(words.contains("did you mean \"floyd-steinberg\"?"), "{words}");
    assert!(words.contains("\"dots\", \"rows\""), "{words}");
}
