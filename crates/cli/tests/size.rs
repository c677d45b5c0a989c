//! Sizes: as they were drawn, as they were asked for, and told where they change.

use crate::common::Bench;
use serde_json::{Value, json};

/// Width and depth of what a job burns, mm.
fn burnt(bench: &Bench, job: &str) -> [f64; 2] {
    let plan = bench.json(&["plan", job]);
    let end = |end: &str, n: usize| plan["extents_mm"][end][n].as_f64().unwrap();
    [0, 1].map(|n| end("max", n) - end("min", n))
}

#[track_caller]
fn near(got: [f64; 2], want: [f64; 2], slack: f64) {
    assert!((0..2).all(|n| (got[n] - want[n]).abs() <= slack), "{got:?} instead of {want:?}");
}

/// What `check` says with one code: how bad, and the message.
fn told(bench: &Bench, job: &str, code: &str) -> Vec<(String, String)> {
    let ran = bench.run(&["check", job, "--json"]);
    let said: Value = serde_json::from_str(&ran.out).unwrap();
    let problems = said["problems"].as_array().unwrap().iter();
    let text = |value: &Value| value.as_str().unwrap().to_string();
    problems
        .filter(|problem| problem["code"] == code)
        .map(|problem| (text(&problem["severity"]), text(&problem["message"])))
        .collect()
}

/// What stands on the standard error, without its line breaks.
fn words(err: &str) -> String {
    err.split_whitespace().filter(|word| *word != "│").collect::<Vec<_>>().join(" ")
}

/// A bitmap of 80 x 60 pixels with a black rectangle of 40 x 20 in it.
fn picture() -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, 80, 60);
    encoder.set_color(png::ColorType::Grayscale);
    let pixels: Vec<u8> = (0..60 * 80)
        .map(|n| (n % 80, n / 80))
        .map(|(x, y)| if (10..50).contains(&x) && (30..50).contains(&y) { 0 } else { 255 })
        .collect();
    encoder.write_header().unwrap().write_image_data(&pixels).unwrap();
    out
}

#[test]
fn a_picture_with_blank_margins_is_as_wide_as_was_asked_for() {
    let bench = Bench::new();
    bench.write("logo.png", picture());
    for (wish, size) in [("--width", [60.0, 30.0]), ("--height", [120.0, 60.0])] {
        bench.ok(&["begin", "logo.png", wish, "60 mm", "-o", "a.kite.toml", "--force"]);
        near(burnt(&bench, "a.kite.toml"), size, 0.3);
        let text = bench.read("a.kite.toml");
        assert!(text.contains("trace ="), "{text}");
        assert!(text.contains(&format!(", {} x {} mm", size[0], size[1])), "{text}");
        // It lies where its comment says.
        let plan = bench.json(&["plan", "a.kite.toml"]);
        let left = plan["extents_mm"]["min"][0].as_f64().unwrap();
        assert!((left - 10.0).abs() < 0.3, "{left}");
    }
}

fn page(size: &str, body: &str) -> Bench {
    let bench = Bench::new();
    let head = r#"<svg xmlns="http://www.w3.org/2000/svg""#;
    bench.write("art.svg", format!("{head} {size} fill=\"none\">{body}</svg>"));
    bench
}

#[test]
fn a_size_that_was_drawn_is_kept_and_check_says_that_it_does_not_fit() {
    let large = r#"<path d="M0 0H600V905H0z" stroke="red"/>"#;
    let bench = page(r#"width="600mm" height="905mm" viewBox="0 0 600 905""#, large);
    let profile = bench.read("bench-laser.machine.toml");
    let roomy = profile.replace("\"400 mm\"", "\"1000 mm\"").replace("\"300 mm\"", "\"700 mm\"");
    bench.write("roomy.machine.toml", roomy);
    let begun = bench.run(&["begin", "art.svg", "-o", "a.kite.toml"]);
    assert_eq!(begun.status, 0, "{}", begun.err);
    for word in ["200 mm too wide", "605 mm too deep", "roomy (1000 x 700 mm, turned)", "--fit"] {
        assert!(words(&begun.err).contains(word), "{word}: {}", begun.err);
    }
    let refused = words(&bench.refused(1, &["check", "a.kite.toml"]));
    for word in ["off-bed", "600 x 905 mm", "400 x 300 mm", "turned by a quarter as well", "roomy"]
    {
        assert!(refused.contains(word), "{word}: {refused}");
    }
    // It does lie on the other one, turned.
    bench.change("a.kite.toml", "file = \"art.svg\"", "file = \"art.svg\"\nturn = \"90 deg\"");
    bench.ok(&["check", "a.kite.toml", "--machine", "roomy"]);
    // Asked for, it is made smaller; that is told with both sizes.
    let begun = bench.json(&["begin", "art.svg", "-o", "b.kite.toml", "--fit"]);
    assert_eq!(
        begun["artworks"],
        json!([{ "file": "art.svg", "drawn_mm": [600.0, 905.0], "made_mm": [185.635, 280.0], "size_by": "bed" }])
    );
    near(burnt(&bench, "b.kite.toml"), [185.635, 280.0], 0.01);
    bench.refused(2, &["begin", "art.svg", "-o", "c.kite.toml", "--fit", "--width", "5 mm"]);
}

#[test]
fn a_size_in_pixels_is_fitted_to_the_bed_and_everybody_says_so() {
    let large = r#"<path d="M0 0H1600V2400H0z" stroke="red"/>"#;
    let bench = page(r#"width="1600" height="2400" viewBox="0 0 1600 2400""#, large);
    let begun = bench.run(&["begin", "art.svg", "-o", "a.kite.toml"]);
    for word in ["changed-size", "423.33 x 635 mm", "186.67 x 280 mm", "400 x 300 mm", "--width"] {
        assert!(words(&begun.err).contains(word), "{word}: {}", begun.err);
    }
    let said = told(&bench, "a.kite.toml", "changed-size");
    let expected = "drawn 423.33 x 635 mm, larger than the bed; made 186.67 x 280 mm";
    assert_eq!(said, [("note".to_string(), expected.to_string())]);
    let begun = bench.json(&["begin", "art.svg", "-o", "b.kite.toml"]);
    assert_eq!(begun["problems"][0]["code"], "changed-size");
    // What fits says nothing.
    let begun = bench.json(&["begin", "sail-panel.svg", "-o", "c.kite.toml"]);
    assert_eq!(
        (begun["problems"].clone(), &begun["artworks"][0]["size_by"]),
        (json!([]), &json!("drawing"))
    );
}

const STEP: &str = "[[step]]\nname = \"cut\"\ntake = { colour = \"red\" }\nmake = \"cut\"\nspeed = \"10 mm/s\"\npower = \"40 %\"\n";

#[test]
fn a_shape_goes_round_pictures_and_solids_as_it_goes_round_lines() {
    let bench = Bench::new();
    bench.write("logo.png", picture());
    bench.demo("medal.stl");
    let head = "tinkite = 1\nname = \"a\"\nmachine = \"bench-laser\"\n[[artwork]]\n";
    let at = "[place]\nat = [\"50 mm\", \"60 mm\"]\n";
    let image = "[[step]]\nname = \"i\"\ntake = { kind = \"bitmap\" }\nmake = \"engrave\"\nspeed = \"50 mm/s\"\npower = \"50 %\"\nimage = { spacing = \"0.1 mm\" }\n";
    bench.write("a.kite.toml", format!("{head}file = \"logo.png\"\nwidth = \"40 mm\"\n[[shape]]\nkind = \"border\"\ndistance = \"2 mm\"\ncolour = \"red\"\n{at}{image}{STEP}"));
    near(burnt(&bench, "a.kite.toml"), [44.0, 34.0], 0.2);
    // A circle as wide as the solid lies on it.
    let relief = "[[step]]\nname = \"r\"\ntake = { kind = \"solid\" }\nmake = \"engrave\"\nspeed = \"50 mm/s\"\npower = \"50 %\"\nlines = { spacing = \"0.2 mm\" }\nrelief = { depth = \"1 mm\", layers = 4, raised = true }\n";
    bench.write("b.kite.toml", format!("{head}file = \"medal.stl\"\nwidth = \"24 mm\"\n[[shape]]\nkind = \"circle\"\ndiameter = \"24 mm\"\ncolour = \"red\"\n{at}{relief}{STEP}"));
    near(burnt(&bench, "b.kite.toml"), [24.0, 24.0], 0.3);
}

#[test]
fn what_leave_out_takes_beside_what_it_names_is_told_with_both_numbers() {
    let body = r#"<path id="edge" d="M0 0H100V60H0z" stroke="blue"/><path d="M8 8H92V52H8z" stroke="red"/>"#;
    let bench = Bench::drawn(body, "width = \"200 mm\"\nleave-out = [{ id = \"edge\" }]\n", STEP);
    let [(severity, message)] = &told(&bench, "a.kite.toml", "changed-size")[..] else { panic!() };
    assert_eq!(severity, "warning");
    assert_eq!(
        message,
        "width = 200 mm goes to what leave-out leaves: with all that is drawn that is 168 mm, so the rest is made 1.1905 times as large"
    );
    // The cure is what it says.
    bench.change("a.kite.toml", "200 mm", "168 mm");
    near(burnt(&bench, "a.kite.toml"), [168.0, 88.0], 0.01);
    // A line that is left out takes its fill along.
    let body = r#"<path id="both" d="M0 0H100V60H0z" stroke="blue" fill="black"/><path d="M8 8H92V52H8z" stroke="red"/>"#;
    let bench = Bench::drawn(body, "leave-out = [{ stroke = \"blue\" }]\n", STEP);
    let [(_, message)] = &told(&bench, "a.kite.toml", "changed-size")[..] else { panic!() };
    assert!(
        message.contains("leaves 1 shape out whole") && message.contains("both (fill #000000)"),
        "{message}"
    );
    // Named whole it is not told.
    bench.change("a.kite.toml", "{ stroke = \"blue\" }", "{ id = \"both\" }");
    assert!(told(&bench, "a.kite.toml", "changed-size").is_empty());
}

#[test]
fn a_gradient_that_is_faint_somewhere_is_drawn_as_the_page_shows_it() {
    let glow = |stops: &str| {
        format!(
            r##"<defs><radialGradient id="g">{stops}</radialGradient></defs><path d="M10 10H60V60H10z" fill="black"/><circle cx="35" cy="35" r="20" fill="url(#g)"/>"##
        )
    };
    for (stops, rendered) in [
        (
            r#"<stop offset="0" stop-color="white"/><stop offset="1" stop-color="white" stop-opacity="0"/>"#,
            true,
        ),
        (r#"<stop offset="0" stop-color="white"/><stop offset="1" stop-color="black"/>"#, true),
        (
            r#"<stop offset="0" stop-color="red" stop-opacity="0.5"/><stop offset="1" stop-color="red"/>"#,
            true,
        ),
        (r#"<stop offset="0" stop-color="red"/><stop offset="1" stop-color="blue"/>"#, false),
    ] {
        let bench = page(r#"width="100mm" height="80mm" viewBox="0 0 100 80""#, &glow(stops));
        bench.ok(&["begin", "art.svg", "-o", "a.kite.toml"]);
        let text = bench.read("a.kite.toml");
        let key = |key: &str| text.lines().any(|line| line.starts_with(key));
        assert_eq!(key("render ="), rendered, "{stops}\n{text}");
        assert_eq!(key("paint ="), !rendered, "{stops}\n{text}");
        bench.ok(&["check", "a.kite.toml"]);
    }
}
