//! `begin`: the job that it writes runs as it is.

use crate::common::Bench;
use serde_json::{Value, json};

fn drawn(size: &str, body: &str) -> Bench {
    let bench = Bench::new();
    bench.write(
        "art.svg",
        format!(r#"<svg xmlns="http://www.w3.org/2000/svg" {size} fill="none">{body}</svg>"#),
    );
    bench
}

/// What the job that is begun plans to burn, unedited.
fn begun(bench: &Bench, more: &[&str]) -> Value {
    bench.ok(&[&["begin", "art.svg", "-o", "a.kite.toml", "--force"], more].concat());
    bench.ok(&["check", "a.kite.toml"]);
    bench.ok(&["emit", "a.kite.toml", "-o", "a.nc", "--force"]);
    bench.json(&["plan", "a.kite.toml"])
}

fn close(value: &Value, wanted: f64) -> bool {
    (value.as_f64().unwrap() - wanted).abs() < 0.01
}

const LARGE: &str = r#"<path d="M100 100H900V500H100z" stroke="red"/>"#;

#[test]
fn a_drawing_larger_than_the_bed_is_made_to_fit_where_that_is_asked_for() {
    let bench = drawn(r#"width="1000mm" height="600mm" viewBox="0 0 1000 600""#, LARGE);
    // 800 x 400 mm on a bed of 400 x 300 mm: 380 wide, with 10 mm for run-up on each side.
    let plan = begun(&bench, &["--fit"]);
    let [min, max] = ["min", "max"].map(|end| plan["extents_mm"][end].clone());
    assert!(close(&min[0], 10.0) && close(&max[0], 390.0), "{plan}");
    assert!(close(&max[1], min[1].as_f64().unwrap() + 190.0), "{plan}");
    assert!(bench.read("a.kite.toml").contains("drawn 800 x 400 mm, too large for the bed"));
    let plan =
        begun(&bench, &["--height", "5 cm", "--at", "30,40", "--material", "beech \"3\" mm"]);
    let want = json!({"min": [30.0, 40.0], "max": [130.0, 90.0]});
    for end in ["min", "max"] {
        for n in 0..2 {
            assert!(close(&plan["extents_mm"][end][n], want[end][n].as_f64().unwrap()), "{plan}");
        }
    }
    assert!(bench.read("a.kite.toml").contains(r#"material = "beech \"3\" mm""#));
    assert!(bench.refused(2, &["begin", "art.svg", "--width", "0 mm"]).contains("above zero"));
    bench.refused(2, &["begin", "art.svg", "--width", "5 mm", "--height", "5 mm"]);
    // What would leave the bed is not begun.
    assert!(bench.refused(2, &["begin", "art.svg", "--width", "1e9 mm"]).contains("as large"));
    for wish in [["--width", "9 m"], ["--at", "200,0"], ["--at", "-5,0"]] {
        let call = ["begin", "art.svg", "-o", "c.kite.toml", wish[0], wish[1]];
        assert!(bench.refused(1, &call).contains("no-room"), "{wish:?}");
        assert!(!bench.path("c.kite.toml").exists());
    }
    let two = ["begin", "art.svg", "sail-panel.svg", "-o", "b.kite.toml", "--width", "50 mm"];
    assert!(bench.refused(2, &two).contains("for one drawing"));
}

#[test]
fn several_drawings_keep_their_sizes_to_each_other() {
    let bench = drawn(r#"width="1000mm" height="600mm" viewBox="0 0 1000 600""#, LARGE);
    bench.ok(&["begin", "art.svg", "sail-panel.svg", "--fit", "-o", "a.kite.toml"]);
    bench.ok(&["check", "a.kite.toml"]);
    let plan = bench.json(&["plan", "a.kite.toml"]);
    assert!(plan["extents_mm"]["max"][0].as_f64().unwrap() <= 390.01, "{plan}");
}

#[test]
fn the_place_is_on_the_machines_own_axes() {
    let bench = drawn(
        r#"width="100mm" height="60mm" viewBox="0 0 100 60""#,
        r#"<path d="M10 10H50V30H10z" stroke="red"/>"#,
    );
    let profile = bench.read("bench-laser.machine.toml");
    for origin in ["bottom-left", "top-right", "centre"] {
        for (x, y, exchanged) in
            [(false, false, ""), (true, true, ""), (false, true, "[axis]\nexchanged = true\n")]
        {
            let text = profile
                .replace("\"bottom-left\"", &format!("\"{origin}\""))
                .replace("[axis.x]", &format!("{exchanged}[axis.x]\nreversed = {x}"))
                .replace("[axis.y]", &format!("[axis.y]\nreversed = {y}"));
            bench.write("turned.machine.toml", text);
            begun(&bench, &["--machine", "turned"]);
            begun(&bench, &["--machine", "turned", "--at", "200,150"]);
        }
    }
}

#[test]
fn white_lines_are_paper() {
    let bench = drawn(
        r#"width="100mm" height="60mm" viewBox="0 0 100 60""#,
        r#"<path d="M10 10H50V30H10z" fill="black"/><path d="M10 20H50" stroke="white" stroke-width="2"/><path d="M60 10H80V30H60z" stroke="blue"/>"#,
    );
    let plan = begun(&bench, &[]);
    let text = bench.read("a.kite.toml");
    assert!(text.contains("White lines (1) are taken for paper"), "{text}");
    // The blue line is the only colour of line, and the white one cuts the area in two.
    assert_eq!(plan["steps"].as_array().unwrap().len(), 2);
    assert_eq!(plan["steps"][1]["make"], "cut");
    assert!(close(&json!(plan["steps"][0]["burn_mm"].as_f64().unwrap() / 10.0), 720.0), "{plan}");
}

/// A sky, a wall and a line that are painted with no colour, and one that is.
const ODD: &str = r##"<defs><linearGradient id="g"><stop offset="0" stop-color="red"/><stop offset="1" stop-color="blue"/></linearGradient><pattern id="p" width="4" height="4" patternUnits="userSpaceOnUse"><rect width="2" height="2" fill="black"/></pattern></defs><path d="M5 5H45V25H5z" fill="url(#g)" stroke="red"/><path d="M5 30H45V50H5z" fill="url(#p)"/><path d="M50 5H90V6" stroke="url(#g)" stroke-width="2"/><path d="M50 30H90" stroke="blue"/>"##;

#[test]
fn gradients_and_patterns_get_a_plain_colour_or_are_left_out() {
    let burnt = |plan: &Value, make: &str| -> f64 {
        let steps = plan["steps"].as_array().unwrap();
        steps.iter().filter(|s| s["make"] == make).map(|s| s["burn_mm"].as_f64().unwrap()).sum()
    };
    // A pattern has gaps: with it all is drawn as the page shows it. The sky is dark all over, of the wall a
    // quarter is black, and of the line 41 mm of 2 mm at most show.
    let bench = drawn(r#"width="100mm" height="60mm" viewBox="0 0 100 60""#, ODD);
    let plan = begun(&bench, &[]);
    assert!(bench.read("a.kite.toml").contains("render = "));
    let area = burnt(&plan, "engrave") * 0.1;
    assert!((990.0..1090.0).contains(&area), "{plan}");
    let wall = r#"<path d="M5 30H45V50H5z" fill="url(#p)"/>"#;
    assert!(ODD.contains(wall));
    let plain = ODD.replace(wall, "");
    let bench = drawn(r#"width="100mm" height="60mm" viewBox="0 0 100 60""#, &plain);
    let plan = begun(&bench, &[]);
    // An area of 40 x 20 mm; the outline stays a cut, and both lines are scored.
    assert!((burnt(&plan, "engrave") * 0.1 - 800.0).abs() < 1.0, "{plan}");
    assert!((burnt(&plan, "cut") - 120.0).abs() < 0.01, "{plan}");
    assert!((burnt(&plan, "score") - 81.0).abs() < 0.01, "{plan}");
    let text = bench.read("a.kite.toml");
    assert!(
        text.contains(
            r##"paint = [{ take = { kind = "gradient" }, fill = "#555555", stroke = "#555555" }]"##
        ),
        "{text}"
    );
    // Without it the job is refused, once, and names both ways out.
    let line = text.lines().find(|line| line.starts_with("paint")).unwrap().to_string();
    let with = |line_now: &str| bench.write("b.kite.toml", text.replace(&line, line_now));
    with("");
    let refused = bench.refused(1, &["check", "b.kite.toml"]);
    assert!(refused.contains("2 of them") && refused.contains("paint = [{ take"), "{refused}");
    assert!(refused.contains("leave-out = [{ kind"), "{refused}");
    with("paint = [{ take = { kind = \"gradient\" }, fill = \"none\", stroke = \"#555555\" }]");
    let refused = bench.refused(1, &["plan", "b.kite.toml"]);
    assert!(refused.contains("takes nothing") || refused.contains("no shape"), "{refused}");
    for (wrong, told) in [
        ("paint = [{ fill = \"#555555\" }]", "take"),
        ("paint = [{ take = { kind = \"gradient\" } }]", "fill"),
        ("paint = [{ take = { kind = \"gradient\" }, fill = \"grue\" }]", "grue"),
        ("paint = \"grey\"", "paint"),
    ] {
        with(wrong);
        let refused = bench.refused(1, &["check", "b.kite.toml"]);
        assert!(refused.contains(told), "{wrong}: {refused}");
    }
}

/// Numbers that follow from a seed (splitmix64, Steele and others 2014).
struct Dice(u64);

impl Dice {
    fn below(&mut self, most: u64) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        (z ^ (z >> 31)) % most
    }
}

/// A page of some shapes with every kind of paint.
fn page(dice: &mut Dice) -> String {
    let mut out = String::from(
        r##"<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="90mm" height="60mm" viewBox="0 0 90 60"><defs><linearGradient id="g"><stop offset="0" stop-color="red"/><stop offset="1" stop-color="#fff"/></linearGradient><pattern id="p" width="4" height="4" patternUnits="userSpaceOnUse"><rect width="2" height="2" fill="red"/></pattern><filter id="f"><feGaussianBlur stdDeviation="1"/></filter><mask id="m"><circle cx="20" cy="20" r="15" fill="#888"/></mask><clipPath id="c"><circle cx="30" cy="30" r="20"/></clipPath></defs>"##,
    );
    for _ in 0..dice.below(7) {
        let paint = [
            r##"fill="#000""##,
            r##"fill="#fff" stroke="#fff""##,
            r##"fill="none" stroke="red""##,
            r##"fill="none" stroke="#0000ff" stroke-dasharray="2 1""##,
            r##"fill="url(#g)" stroke="red""##,
            r##"fill="url(#p)""##,
            r##"fill="none" stroke="url(#g)" stroke-width="2""##,
            r##"fill="#333" filter="url(#f)""##,
            r##"fill="#333" mask="url(#m)""##,
            r##"fill="#234" clip-path="url(#c)""##,
            r##"fill="#345" opacity="0.5""##,
            r##"fill="#345" opacity="0""##,
            r##"fill="#456" style="mix-blend-mode:multiply""##,
            r##"fill="#456" style="mix-blend-mode:screen""##,
            r##"display="none""##,
            r##"fill="none""##,
        ][dice.below(16) as usize];
        let (x, y) = (dice.below(60), dice.below(40));
        let shape = match dice.below(7) {
            0 => format!(r##"<path d="M{x} {y}h20v15" {paint}/>"##),
            1 => format!(r##"<path d="M{x} {y}h20" {paint}/>"##),
            2 => format!(r##"<circle cx="{x}" cy="{y}" r="9" {paint}/>"##),
            3 => format!(r##"<text x="{x}" y="{y}" font-size="6" {paint}>kite</text>"##),
            4 => format!(r##"<flowRoot {paint}><flowPara>kite</flowPara></flowRoot>"##),
            5 => {
                format!(r##"<image x="{x}" y="{y}" width="9" height="9" xlink:href="photo.png"/>"##)
            }
            _ => format!(r##"<rect x="{x}" y="{y}" width="25" height="18" {paint}/>"##),
        };
        out.push_str(&shape);
    }
    out + "</svg>"
}

/// Whether a job is begun that runs unedited; otherwise it was refused, for a reason.
fn begins(bench: &Bench, name: &str) -> bool {
    let ran = bench.run(&["begin", name, "-o", "a.kite.toml", "--force"]);
    if ran.status == 1 {
        let reasons = ["nothing", "solid", "effect", "broken", "locked", "no-page"];
        assert!(reasons.iter().any(|reason| ran.err.contains(reason)), "{name}: {}", ran.err);
        return false;
    }
    assert_eq!(ran.status, 0, "{name}: {}", ran.err);
    let checked = bench.run(&["check", "a.kite.toml"]);
    assert_eq!(checked.status, 0, "{name}: {}\n{}", checked.err, bench.read("a.kite.toml"));
    let emitted = bench.run(&["emit", "a.kite.toml", "-o", "a.nc", "--force"]);
    assert_eq!(emitted.status, 0, "{name}: {}\n{}", emitted.err, bench.read("a.kite.toml"));
    true
}

#[test]
fn whatever_is_begun_runs_and_what_is_not_is_refused_for_a_reason() {
    let bench = Bench::new();
    let mut refused = 0;
    for seed in 0..60 {
        let svg = page(&mut Dice(seed));
        bench.write("page.svg", &svg);
        refused += usize::from(!begins(&bench, "page.svg"));
    }
    assert!((1..30).contains(&refused), "{refused} of 60 refused");
}

#[test]
fn every_drawing_of_the_workshop_begins() {
    let bench = Bench::new();
    for name in [
        "bow-photo.jpg",
        "kite-sky.png",
        "kite-stamp.svg",
        "label.bmp",
        "line-reel.svg",
        "name-tag.svg",
        "reel-cheek.pdf",
        "reel-label.svg",
        "rough-panel.svg",
        "sail-panel.svg",
        "spar-hub.dxf",
        "spool.tif",
        "stamp.png",
        "tail.gif",
        "pennant.webp",
    ] {
        bench.demo(name);
        assert!(begins(&bench, name), "{name}");
    }
    for name in ["medal.stl", "toggle.obj"] {
        bench.demo(name);
        assert!(begins(&bench, name), "{name}");
    }
}

/// A job without one of its lines, and, where that holds a table, without each of its keys.
fn shorter(job: &str) -> Vec<(String, String)> {
    let mut all = Vec::new();
    for (n, line) in job.lines().enumerate() {
        let with = |own: &str| {
            let lines = job.lines().enumerate().map(|(m, line)| if m == n { own } else { line });
            lines.collect::<Vec<_>>().join("\n")
        };
        if line.starts_with(['#', '[']) || line.is_empty() {
            continue;
        }
        all.push((line.to_string(), with("")));
        if let Some((open, rest)) = line.split_once("= {")
            && let Some((keys, behind)) = rest.rsplit_once('}')
            && !keys.contains('{')
        {
            let keys: Vec<&str> = keys.split(',').collect();
            for gone in 0..keys.len() {
                let others =
                    keys.iter().enumerate().filter(|(m, _)| *m != gone).map(|(_, key)| *key);
                let left = format!("{open}= {{{}}}{behind}", others.collect::<Vec<_>>().join(","));
                all.push((format!("{line}: {}", keys[gone]), with(&left)));
            }
        }
    }
    all
}

#[test]
fn what_is_begun_says_no_defaults_and_its_comments_end_where_a_line_should() {
    let bench = Bench::new();
    let cases: [&[&str]; 9] = [
        &["sail-panel.svg"],
        &["sail-panel.svg", "--zero", "stock", "--speed", "25 mm/s", "--passes", "cut=2"],
        &["sail-panel.svg", "--zero", "head", "--leave-out", "blue"],
        &["kite-sky.png", "--width", "12 mm"],
        &["name-tag.svg", "--machine", "tube-laser"],
        &["reel-cheek.pdf"],
        &["spar-hub.dxf", "--steps", "2"],
        &["medal.stl"],
        &["stamp.png"],
    ];
    for case in cases {
        bench.demo(case[0]);
    }
    bench.demo("tube-laser.machine.toml");
    for case in cases {
        bench.ok(&[&["begin", "-o", "a.kite.toml", "--force"], case].concat());
        let job = bench.read("a.kite.toml");
        for line in job.lines() {
            let has_comment = line.starts_with('#') || line.contains("   # ");
            assert!(!has_comment || line.chars().count() <= 100, "{line}");
        }
        // Its name and the version say nothing of what is burnt.
        let own =
            |line: &str| ["tinkite", "name", "machine"].iter().any(|key| line.starts_with(key));
        let burnt = |name: &str| bench.run(&["emit", name, "-o", "-", "--terse"]);
        bench.write("b.kite.toml", &job);
        let whole = burnt("b.kite.toml");
        assert_eq!(whole.status, 0, "{}", whole.err);
        for (gone, text) in shorter(&job) {
            // This picture has no specks.
            if own(&gone) || gone.ends_with("speck = \"0.3 mm\" ") {
                continue;
            }
            bench.write("b.kite.toml", text);
            let less = burnt("b.kite.toml");
            assert!(
                less.status != 0 || (less.out, less.err) != (whole.out.clone(), whole.err.clone()),
                "{case:?}: {gone} says a default\n{job}"
            );
        }
    }
}

#[test]
fn many_colours_are_gathered_into_few_steps() {
    let bench = drawn(r#"width="200mm" height="120mm" viewBox="0 0 200 120""#, "");
    let mut body = String::new();
    for n in 0..88 {
        let (x, y) = (2 * (n % 44), 10 * (n / 44));
        body += &format!(
            r##"<rect x="{x}" y="{y}" width="2" height="8" fill="#{:02x}{:02x}{:02x}"/>"##,
            n * 2,
            255 - n * 2,
            n
        );
    }
    body += r##"<path d="M0 40h50" stroke="red"/><path d="M0 50h50" stroke="blue"/>"##;
    bench.write("art.svg", format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="120mm" viewBox="0 0 200 120" fill="none">{body}</svg>"#));
    let steps = |more: &[&str]| begun(&bench, more)["steps"].as_array().unwrap().clone();
    assert_eq!(steps(&[]).len(), 12);
    let four = steps(&["--steps", "4"]);
    assert_eq!(four.len(), 4);
    // Nothing is left out: 88 areas of 16 mm².
    let burnt: f64 = four
        .iter()
        .filter(|s| s["make"] == "engrave")
        .map(|s| s["burn_mm"].as_f64().unwrap())
        .sum();
    assert!((burnt / 10.0 - 88.0 * 16.0).abs() < 10.0, "{burnt}");
    assert!(bench.read("a.kite.toml").contains("near it\""));
    // Never fewer than there are things to make.
    assert_eq!(steps(&["--steps", "1"]).len(), 3);
    bench.refused(2, &["begin", "art.svg", "--steps", "0"]);
}

#[test]
fn a_job_of_drawn_shapes_alone_is_a_job() {
    let bench = Bench::new();
    bench.write("a.kite.toml", "tinkite = 1\nname = \"a\"\nmachine = \"bench-laser\"\n[[shape]]\nkind = \"rectangle\"\nat = [\"20 mm\", \"20 mm\"]\nwidth = \"20 mm\"\ndepth = \"10 mm\"\ncolour = \"red\"\n[[step]]\nname = \"c\"\ntake = { stroke = \"red\" }\nmake = \"cut\"\nspeed = \"10 mm/s\"\npower = \"50 %\"\n");
    let plan = bench.json(&["plan", "a.kite.toml"]);
    assert!(close(&plan["steps"][0]["burn_mm"], 60.0), "{plan}");
}

#[test]
fn pale_paint_of_a_page_is_burnt_as_well() {
    // Light orange dots: lighter than a half, and nothing else is there.
    let dots = r##"<defs><pattern id="d" width="10" height="10" patternUnits="userSpaceOnUse"><circle cx="5" cy="5" r="4" fill="#ffc040"/></pattern></defs><rect width="40" height="40" fill="url(#d)"/>"##;
    let bench = drawn(r#"width="40mm" height="40mm" viewBox="0 0 40 40""#, dots);
    let plan = begun(&bench, &[]);
    assert!(plan["burn_mm"].as_f64().unwrap() > 100.0, "{plan}");
    assert!(bench.read("a.kite.toml").contains("power follows the grey"));
    // Dark dots stay what they are: burnt or not.
    let bench = drawn(
        r#"width="40mm" height="40mm" viewBox="0 0 40 40""#,
        &dots.replace("#ffc040", "#201000"),
    );
    begun(&bench, &[]);
    assert!(bench.read("a.kite.toml").contains("threshold = \"50 %\""));
}
