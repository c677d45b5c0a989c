//! `look` and `begin`: what is in a drawing, and a job to start from.

use crate::common;
use crate::common::Bench;
use serde_json::{Value, json};

#[test]
fn the_demo_drawing_for_people() {
    let bench = Bench::new();
    insta::assert_snapshot!(bench.ok(&["look", "sail-panel.svg"]), @r#"
    sail-panel.svg: SVG, 172.97 x 116.39 mm
      page     200 x 140 mm
      units    width "200mm" over 800 view box units: 1 unit is 0.25 mm
      drawing  X 13.06 to 186.03, Y 13 to 129.39 mm from the lower left corner
      groups   "emblem", "folds", "holes"

        colour   by      shapes  open  closed  lines  length mm  inside mm²      size mm  stroke mm
        #1a1a1a  fill         2     0       2      3      212.5       550.1  34.7 x 60.6
        #0000ff  stroke       3     3       0      3      231.2         0.0     112 x 90  0.25
        #ff0000  stroke      19     0      19     19      659.6     10832.5  173 x 116.4  0.25
    "#);
}

#[test]
fn the_fields_that_other_programs_rely_on() {
    let bench = Bench::new();
    let look = bench.json(&["look", "sail-panel.svg"]);
    let file = &look["files"][0];
    assert_eq!(file["format"], "SVG");
    assert_eq!(file["page_mm"], json!([200.0, 140.0]));
    assert_eq!(file["units"]["mm_per_unit"], 0.25);
    let keys: Vec<_> = file.as_object().unwrap().keys().cloned().collect();
    assert_eq!(
        keys,
        [
            "extents_mm",
            "file",
            "format",
            "groups",
            "images",
            "layers",
            "page_mm",
            "problems",
            "size_mm",
            "solid",
            "units"
        ]
    );
    let layer = &file["layers"][2];
    assert_eq!((&layer["colour"], &layer["by"]), (&json!("#ff0000"), &json!("stroke")));
    assert_eq!(layer["shapes"], layer["closed"]);
    // Twelve vents of 2.5 mm, four grommets of 5.5 mm, by their circles alone.
    let round = std::f64::consts::PI * (12.0 * 2.5 + 4.0 * 5.5);
    assert!(layer["length_mm"].as_f64().unwrap() > round);
    assert_eq!(layer["stroke_width_mm"], json!([0.25, 0.25]));
}

#[test]
fn several_files_and_standard_input() {
    let bench = Bench::new();
    bench.write("b.svg", r#"<svg xmlns="http://www.w3.org/2000/svg" width="2in" height="1in" viewBox="0 0 2 1"><path d="M0 0H2" stroke="red"/></svg>"#);
    let look = bench.json(&["look", "sail-panel.svg", "b.svg"]);
    assert_eq!(look["files"][1]["size_mm"], json!([50.8, 0.0]));
    let mut command = bench.command(&["look", "-", "--json"]);
    let drawing = std::fs::File::open(bench.path("b.svg")).unwrap();
    let ran = common::Ran::from(command.stdin(drawing).output().unwrap());
    assert!(ran.out.contains("50.8"), "{}", ran.err);
}

#[test]
fn pixels_are_doubted_and_said() {
    let bench = Bench::new();
    bench.write("px.svg", r#"<svg xmlns="http://www.w3.org/2000/svg" width="960" height="96"><rect width="96" height="48" fill="red"/></svg>"#);
    let ran = bench.run(&["look", "px.svg"]);
    assert!(ran.out.contains("25.4 x 12.7 mm"), "{}", ran.out);
    assert!(ran.err.contains("unit-doubt"), "{}", ran.err);
}

#[test]
fn a_begun_job_plans_unedited_wherever_it_is_written() {
    let bench = Bench::new();
    std::fs::create_dir(bench.path("jobs")).unwrap();
    for output in ["a.kite.toml", "jobs/b.kite.toml"] {
        bench.ok(&["begin", "sail-panel.svg", "-o", output]);
        let plan = bench.json(&["plan", output]);
        let makes: Vec<_> =
            plan["steps"].as_array().unwrap().iter().map(|s| s["make"].as_str().unwrap()).collect();
        assert_eq!(makes, ["engrave", "score", "cut"]);
        assert_eq!(plan["leftovers"], json!([]));
    }
    assert!(bench.read("a.kite.toml").contains("# guessed"));
    // The drawing is named as it lies from the job, so that the folder can be moved.
    assert!(bench.read("a.kite.toml").contains("file = \"sail-panel.svg\""));
    assert!(bench.read("jobs/b.kite.toml").contains("file = \"../sail-panel.svg\""));
    // Nothing is overwritten unasked.
    assert!(
        bench.refused(2, &["begin", "sail-panel.svg", "-o", "a.kite.toml"]).contains("--force")
    );
    bench.ok(&["begin", "sail-panel.svg", "-o", "a.kite.toml", "--force"]);
    bench.ok(&["begin", "sail-panel.svg", "-o", "a.kite.toml", "--number"]);
    assert!(bench.path("a-2.kite.toml").exists());
    assert!(bench.ok(&["begin", "sail-panel.svg", "-o", "-"]).contains("[[step]]"));
}

/// A red line of 40 mm, of which 10 mm lie under a white kite and 2 mm along the edge of another fill; a
/// black square that nobody sees.
const UNDER: &str = r##"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">
<path id="spar" d="M10 10H50" stroke="red" fill="none" stroke-width="0.2"/>
<rect id="lost" x="21" y="6" width="3" height="3" fill="black"/>
<rect id="kite" x="20" y="5" width="10" height="10" fill="white"/>
<rect id="edge" x="40" y="10" width="2" height="5" fill="blue"/>
</svg>"##;

const UNDER_JOB: &str = "tinkite = 1\nname = \"a\"\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"a.svg\"\n[[step]]\nname = \"c\"\ntake = { stroke = \"red\" }\nmake = \"cut\"\nspeed = \"10 mm/s\"\npower = \"50 %\"\n[[step]]\nname = \"e\"\ntake = { fill = \"blue\" }\nmake = \"engrave\"\nspeed = \"100 mm/s\"\npower = \"50 %\"\nlines = { spacing = \"0.1 mm\" }\n";

#[test]
fn what_lies_under_a_fill_is_told_alike_by_look_and_check() {
    let bench = Bench::new();
    bench.write("a.svg", UNDER);
    bench.write("a.kite.toml", UNDER_JOB);
    let told = |json: &Value| -> Vec<String> {
        let all = json["problems"].as_array().unwrap();
        let under = all.iter().filter(|p| p["code"].as_str().unwrap().starts_with("hidden-"));
        under.map(|p| p["message"].as_str().unwrap().to_string()).collect()
    };
    let looked = told(&bench.json(&["look", "a.svg"])["files"][0]);
    assert_eq!(
        looked,
        [
            "1 shape filled, and hidden under another fill: lost",
            "1 shape with 10 mm of line under a later fill: spar"
        ]
    );
    assert_eq!(told(&bench.json(&["check", "a.kite.toml"])), looked);
}

#[test]
fn lines_under_a_fill_are_followed_whole_unless_the_job_drops_them() {
    let bench = Bench::new();
    bench.write("a.svg", UNDER);
    for (under, length) in [
        ("", 40.0),
        ("under = \"keep\"", 40.0),
        ("under = { fills = \"drop\" }", 40.0),
        ("under = { lines = \"drop\" }", 30.0),
        ("under = \"drop\"", 30.0),
    ] {
        let file = format!("file = \"a.svg\"\n{under}");
        bench.write("a.kite.toml", UNDER_JOB.replace("file = \"a.svg\"", &file));
        let plan = bench.json(&["plan", "a.kite.toml"]);
        let burnt = plan["steps"][0]["burn_mm"].as_f64().unwrap();
        assert!((burnt - length).abs() < 0.05, "{under}: {burnt}");
    }
    bench.write(
        "a.kite.toml",
        UNDER_JOB.replace("file = \"a.svg\"", "file = \"a.svg\"\nunder = { line = \"drop\" }"),
    );
    assert!(bench.refused(1, &["check", "a.kite.toml"]).contains("line"));
}

#[test]
fn a_file_of_another_kind_is_told_with_what_takes_it() {
    let bench = Bench::new();
    bench.ok(&["emit", "sail-panel.kite.toml", "-o", "panel.nc"]);
    for (call, told) in [
        (&["look", "sail-panel.kite.toml"][..], "this is a job, no drawing"),
        (&["look", "bench-laser.machine.toml"], "this is a machine profile, no drawing"),
        (&["look", "panel.nc"], "tinkite read panel.nc says"),
        (&["plan", "sail-panel.svg"], "tinkite begin sail-panel.svg writes a job"),
        (&["check", "panel.nc"], "this is a machine program, not a job"),
        (&["emit", "bench-laser.machine.toml"], "tinkite machine show"),
        (&["draw", "sail-panel.svg", "-o", "a.png"], "draw sail-panel.svg --trouble"),
        (&["draw", "panel.nc", "--trouble", "-o", "a.png"], "tinkite read panel.nc"),
        (&["read", "sail-panel.svg"], "this is a drawing, no machine program"),
        (&["run", "sail-panel.svg", "--to", "rig:"], "this is a drawing"),
    ] {
        let refused = bench.refused(1, call);
        assert!(refused.contains(told), "{call:?}: {refused}");
    }
}

#[test]
fn a_shape_of_a_job_is_measured_as_it_will_be_burnt() {
    let bench = Bench::new();
    bench.write("a.svg", r##"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40" fill="none" stroke="red"><path id="hole" d="M10 10h10v10h-10v-9.9"/></svg>"##);
    bench.write(
        "a.kite.toml",
        UNDER_JOB.split("[[step]]\nname = \"e\"").next().unwrap().replace(
            "file = \"a.svg\"",
            "file = \"a.svg\"\nwidth = \"30 mm\"\njoin-gaps = \"0.5 mm\"",
        ),
    );
    let drawn = bench.json(&["look", "a.svg", "--measure", "hole"]);
    assert_eq!(drawn["measures"][0]["area_mm2"], Value::Null, "{drawn}");
    let mended = bench.json(&["look", "a.kite.toml", "--measure", "hole"]);
    assert!((mended["measures"][0]["area_mm2"].as_f64().unwrap() - 900.0).abs() < 0.1, "{mended}");
    assert!(
        bench
            .refused(2, &["look", "a.kite.toml", "--measure", "hale"])
            .contains("did you mean hole")
    );
}

#[test]
fn verbose_names_everything_and_tells_what_was_read() {
    let bench = Bench::new();
    let lines: Vec<String> = (0..12)
        .map(|n| format!("<path id=\"dot{n}\" d=\"M{n} 5h0\" stroke=\"red\"/><path d=\"M{n} 8v9\" stroke=\"red\"/>"))
        .collect();
    bench.write(
        "dots.svg",
        format!("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"20mm\" height=\"20mm\" viewBox=\"0 0 20 20\" fill=\"none\">{}</svg>", lines.concat()),
    );
    let plain = bench.run(&["look", "dots.svg"]).err;
    assert!(
        plain.contains("dot0") && !plain.contains("dot11") && plain.contains("6 more"),
        "{plain}"
    );
    let all = bench.run(&["look", "dots.svg", "--verbose"]).err;
    assert!(all.contains("read dots.svg: SVG, 24 shapes"), "{all}");
    assert!(
        (0..12).all(|n| all.lines().any(|l| l.trim().starts_with(&format!("dot{n}")))),
        "{all}"
    );
    let json = bench.json(&["look", "dots.svg"]);
    let stray = json["files"][0]["problems"].as_array().unwrap();
    let stray = stray.iter().find(|p| p["code"] == "stray").unwrap();
    assert_eq!(stray["names"].as_array().unwrap().len(), 12);
    bench.refused(2, &["look", "dots.svg", "--verbose", "--quiet"]);
}
