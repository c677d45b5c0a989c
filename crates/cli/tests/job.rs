//! Jobs: plan and check, selection, and everything that is refused.

use crate::common::Bench;
use serde_json::{Value, json};

const JOB: &str = "sail-panel.kite.toml";

#[test]
fn the_demo_plan_for_people() {
    let bench = Bench::new();
    insta::assert_snapshot!(bench.ok(&["plan", JOB]), @"
    Sail panel on Bench laser, 400 x 300 mm diode

        step     make                   shapes  lines  passes  mm/s  power %    S  burn mm  travel mm        time
     1  emblem   engrave, 0.2 mm apart       2    397       1   120       30  300     2751       3347  1 min 15 s
     2  folds    score                       3      3       1    60       15  150      231         90       4.7 s
     3  outline  cut                        19     19       1    25       55  550      660        344      30.0 s

      burns    X 20 to 192.97, Y 20 to 136.39 mm, 172.97 x 116.39 mm, from the machine's zero
      in all   3642 mm burnt, 3782 mm of travel, about 1 min 50 s
      focus    the head 6 mm above the surface, 6.1 mm above the bed
    ");
    assert_eq!(bench.ok(&["check", JOB]), "nothing is wrong or doubtful\n");
}

#[test]
fn the_fields_that_other_programs_rely_on() {
    let bench = Bench::new();
    let plan = bench.json(&["plan", JOB]);
    for key in [
        "name",
        "machine",
        "extents_mm",
        "burn_mm",
        "travel_mm",
        "seconds",
        "steps",
        "leftovers",
        "problems",
    ] {
        assert!(!plan[key].is_null(), "{key}");
    }
    let step = &plan["steps"][2];
    assert_eq!(
        (&step["name"], &step["make"], &step["s"]),
        (&json!("outline"), &json!("cut"), &json!([550.0, 550.0]))
    );
    assert_eq!(step["power_percent"], json!([55.0, 55.0]));
    let sum: f64 =
        plan["steps"].as_array().unwrap().iter().map(|s| s["seconds"].as_f64().unwrap()).sum();
    assert!((sum - plan["seconds"].as_f64().unwrap()).abs() < 0.01);
    assert_eq!(plan["extents_mm"]["min"], json!([20.0, 20.0]));
}

#[test]
fn every_command_that_reports_tells_its_problems_in_json() {
    let bench = Bench::new();
    // Two squares nearer than the kerf: doubtful, and told by each.
    bench.write(
        "near.svg",
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40" fill="none"><rect id="a" x="5" y="5" width="20" height="20" stroke="red"/><rect id="b" x="25.3" y="5" width="20" height="20" stroke="red"/></svg>"#,
    );
    bench.write(
        "near.kite.toml",
        "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"near.svg\"\n[[step]]\nname = \"cut\"\ntake = { stroke = \"red\" }\nmake = \"cut\"\nspeed = \"9 mm/s\"\npower = \"50 %\"\nkerf = \"0.4 mm\"\n",
    );
    for args in [
        &["check", "near.kite.toml"][..],
        &["plan", "near.kite.toml"],
        &["emit", "near.kite.toml"],
        &["draw", "near.kite.toml", "-o", "near.png"],
    ] {
        let told = &bench.json(args)["problems"];
        assert_eq!(told[0]["code"], "kerf-bite", "{args:?}: {told}");
        assert_eq!((&told[0]["file"], &told[0]["name"]), (&json!("near.kite.toml"), &json!("cut")));
    }
    // What is refused says why, on one line.
    bench.change("near.kite.toml", "kerf", "deepest-bite = \"0 mm\"\nkerf");
    for args in [
        &["plan", "near.kite.toml", "--json"][..],
        &["emit", "near.kite.toml", "--force", "--json"],
        &["run", "near.kite.toml", "--to", "rig:max", "--json"],
    ] {
        let ran = bench.run(args);
        assert_eq!((ran.status, ran.out.lines().count()), (1, 1), "{}", ran.out);
        let told: Value = serde_json::from_str(&ran.out).unwrap();
        assert_eq!(told["problems"][0]["severity"], "error", "{told}");
    }
    let ran = bench.run(&["plan", "near.kite.toml", "--only", "cuts", "--json"]);
    assert!(serde_json::from_str::<Value>(&ran.out).is_ok(), "{}", ran.out);
}

#[test]
fn steps_can_be_chosen_by_name() {
    let bench = Bench::new();
    let names = |plan: Value| -> Vec<String> {
        plan["steps"]
            .as_array()
            .unwrap()
            .iter()
            .map(|s| s["name"].as_str().unwrap().into())
            .collect()
    };
    assert_eq!(names(bench.json(&["plan", JOB, "--only", "folds"])), ["folds"]);
    assert_eq!(names(bench.json(&["plan", JOB, "--skip", "folds"])), ["emblem", "outline"]);
    assert!(bench.refused(1, &["plan", JOB, "--only", "fold"]).contains("did you mean \"folds\"?"));
}

#[test]
fn a_step_with_skip_stands_there_and_is_not_done() {
    let bench = Bench::new();
    let program = |args: &[&str]| bench.ok(&[&["emit", JOB, "-o", "-"], args].concat());
    let burnt = |program: &str| -> Vec<String> {
        program.lines().filter(|l| l.starts_with(['G', 'X', 'Y', 'M'])).map(String::from).collect()
    };
    let told_to = burnt(&program(&["--skip", "folds"]));
    let alone = burnt(&program(&["--only", "folds"]));
    bench.change(JOB, "name  = \"folds\"", "name  = \"folds\"\nskip  = true");
    // The same as by the call; what it takes keeps its place, and nobody is told of a line without a step.
    assert_eq!(burnt(&program(&[])), told_to);
    assert_eq!(burnt(&program(&["--only", "folds"])), alone);
    let check = |args: &[&str]| bench.run(&[&["check", JOB], args].concat()).err;
    let told = check(&[]);
    assert!(told.contains("skipped") && told.contains("1 step left out: \"folds\""), "{told}");
    assert!(told.contains("--only NAME") && !told.contains("leftover"), "{told}");
    assert!(!bench.run(&["plan", JOB, "--only", "folds"]).err.contains("skipped"));
    // By name it is skipped for one call as well; nothing is left then.
    let refused = bench.refused(1, &["plan", JOB, "--skip", "emblem", "--skip", "outline"]);
    assert!(refused.contains("every step is left out") && refused.contains("--only"), "{refused}");
    // One that takes nothing may be skipped.
    bench.change(JOB, "take  = { stroke = \"blue\" }", "take  = { stroke = \"lime\" }");
    assert!(check(&[]).contains("leftover"));
    bench.change(JOB, "skip  = true", "skip  = false");
    assert!(bench.refused(1, &["check", JOB]).contains("takes nothing"));
}

#[test]
fn other_ways_to_switch_a_step_off_are_answered_with_skip() {
    let bench = Bench::new();
    let folds = "make  = \"score\"\nspeed = \"60 mm/s\"\npower = \"15 %\"";
    let whole = bench.read(JOB);
    for (instead, told) in [
        (
            "make = \"score\"\nspeed = \"60 mm/s\"\npower = \"0 %\"",
            "power in step 2 (\"folds\") is \"0 %\"",
        ),
        ("make = \"score\"\nspeed = \"60 mm/s\"\npower = \"off\"", "leave power as it was"),
        (
            "make = \"score\"\nspeed = \"60 mm/s\"\npower = \"15 %\"\npasses = 0",
            "leave passes as it was",
        ),
        ("make = \"none\"\nspeed = \"60 mm/s\"\npower = \"15 %\"", "make in step 2"),
        (
            "enabled = false\nmake = \"score\"\nspeed = \"60 mm/s\"\npower = \"15 %\"",
            "has no key enabled",
        ),
    ] {
        bench.write(JOB, whole.replace(folds, instead));
        let refused = bench.refused(1, &["check", JOB]);
        assert!(refused.contains(told) && refused.contains("write skip = true"), "{refused}");
        assert_eq!(refused.matches('×').count(), 1, "{refused}");
        bench.write(JOB, whole.replace(folds, &format!("skip = true\n{instead}")));
        let refused = bench.refused(1, &["check", JOB]);
        assert!(refused.contains("skip = true") && !refused.contains("write skip"), "{refused}");
    }
}

#[test]
fn take_finds_shapes_in_every_way() {
    let bench = Bench::new();
    let shapes = |take: &str| {
        bench.write(JOB, format!(
            "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"sail-panel.svg\"\n[[step]]\nname = \"a\"\nmake = \"cut\"\nspeed = \"9 mm/s\"\npower = \"50 %\"\ntake = {take}\n"
        ));
        let plan = bench.json(&["plan", JOB]);
        (plan["steps"][0]["shapes"].as_u64().unwrap(), plan["leftovers"].as_array().unwrap().len())
    };
    assert_eq!(shapes("{ stroke = \"red\" }"), (19, 5));
    assert_eq!(shapes("{ fill = \"#1A1A1A\" }"), (2, 22));
    assert_eq!(shapes("{ colour = \"#00f\" }"), (3, 21));
    assert_eq!(shapes("{ group = \"holes\" }"), (18, 6));
    assert_eq!(shapes("{ id = \"outline\" }"), (1, 23));
    assert_eq!(shapes("{ kind = \"open\" }"), (3, 21));
    assert_eq!(shapes("{ hairline = \"0.25 mm\" }"), (22, 2));
    assert_eq!(shapes("{ stroke = \"red\", not = { group = \"holes\" } }"), (1, 23));
    assert_eq!(shapes("[{ id = \"outline\" }, { stroke = \"blue\" }]"), (4, 20));
    assert_eq!(shapes("{ rest = true }"), (24, 0));
}

#[test]
fn size_turn_mirror_and_place_do_what_they_say() {
    let bench = Bench::new();
    let demo = bench.read(JOB);
    let extents = |artwork: &str, place: &str| {
        let text = demo
            .replace("file = \"sail-panel.svg\"", &format!("file = \"sail-panel.svg\"\n{artwork}"))
            .replace("[stock]", "[ignored]")
            .replace("at     = [\"20 mm\", \"20 mm\"]", place);
        // Without the stock: it would refuse the larger sizes.
        let (before, after) = text.split_once("[ignored]").unwrap();
        let (_, after) = after.split_once("[place]").unwrap();
        bench.write(JOB, format!("{before}[place]{after}"));
        let plan = bench.json(&["plan", JOB]);
        let at = |m: &str, n: usize| plan["extents_mm"][m][n].as_f64().unwrap();
        [at("min", 0), at("min", 1), at("max", 0), at("max", 1)]
    };
    let near = |a: [f64; 4], b: [f64; 4]| {
        assert!(a.iter().zip(b).all(|(a, b)| (a - b).abs() < 0.011), "{a:?} {b:?}")
    };
    let here = "at     = [\"30 mm\", \"40 mm\"]";
    let plain = extents("", here);
    let (w, h) = (plain[2] - 30.0, plain[3] - 40.0);
    near(extents("width = \"100 mm\"", here), [30.0, 40.0, 130.0, 40.0 + h * 100.0 / w]);
    near(extents("height = \"2 in\"", here), [30.0, 40.0, 30.0 + w * 50.8 / h, 90.8]);
    near(extents("scale = 0.5", here), [30.0, 40.0, 30.0 + w / 2.0, 40.0 + h / 2.0]);
    near(extents("turn = \"90 deg\"", here), [30.0, 40.0, 30.0 + h, 40.0 + w]);
    near(extents("mirror = \"left-right\"", here), plain);
}

/// Name, what is changed in which file, words that must be said.
type Bad = (&'static str, &'static str, &'static str, &'static str);

#[test]
fn bad_jobs_are_refused_with_place_and_cure_and_nothing_is_written() {
    let cases: [Bad; 17] = [
        (JOB, "speed = \"120 mm/s\"", "speed = 120", "has no unit"),
        (JOB, "speed = \"120 mm/s\"", "speed = \"0 mm/s\"", "must be above zero"),
        (JOB, "speed = \"120 mm/s\"", "speed = \"-1 mm/s\"", "must be above zero"),
        (JOB, "speed = \"120 mm/s\"", "speed = true", "true or false"),
        (JOB, "speed = \"120 mm/s\"", "sped = \"120 mm/s\"", "did you mean speed?"),
        (JOB, "speed = \"120 mm/s\"", "speed = \"900 mm/s\"", "fastest axis does 250 mm/s"),
        (JOB, "power = \"30 %\"", "power = \"95 %\"", "above the machine's ceiling of 90 %"),
        (JOB, "power = \"30 %\"", "power = \"0.5 %\"", "does not light below S10"),
        (JOB, "take  = { stroke = \"blue\" }", "take = { stroke = \"green\" }", "takes nothing"),
        (
            JOB,
            "take  = { fill = \"#1a1a1a\" }",
            "take = { group = \"folds\" }",
            "3 shapes are not closed: pocket (ends",
        ),
        (
            JOB,
            "at     = [\"20 mm\", \"20 mm\"]",
            "at = [\"300 mm\", \"20 mm\"]",
            "beyond the right edge",
        ),
        (
            JOB,
            "at     = [\"20 mm\", \"20 mm\"]",
            "at = [\"50 mm\", \"20 mm\"]",
            "the job leaves the stock",
        ),
        (JOB, "file = \"sail-panel.svg\"", "file = \"gone.svg\"", "gone.svg cannot be read"),
        (JOB, "spacing = \"0.2 mm\"", "spacing = \"0 mm\"", "must be above zero"),
        (JOB, "spacing = \"0.2 mm\"", "spacing = \"1e-7 mm\"", "check spacing"),
        (
            JOB,
            "machine  = \"bench-laser\"",
            "machine  = \"bench-lazer\"",
            "did you mean \"bench-laser\"?",
        ),
        (
            "bench-laser.machine.toml",
            "width  = \"400 mm\"",
            "width = \"400\"",
            "bench-laser.machine.toml:10",
        ),
    ];
    for (file, from, to, words) in cases {
        let bench = Bench::new();
        bench.change(file, from, to);
        for command in [
            &["emit", JOB][..],
            &["draw", JOB, "-o", "a.png"],
            &["plan", JOB],
            &["check", JOB],
            &["run", JOB],
        ] {
            let err = bench.refused(1, command);
            let flat =
                err.replace(['\n', '│'], " ").split_whitespace().collect::<Vec<_>>().join(" ");
            assert!(flat.contains(words), "{to}: {command:?} says\n{err}");
            assert!(flat.contains("help:"), "{to} has no cure:\n{err}");
        }
    }
}

#[test]
fn an_error_shows_file_line_text_and_cure() {
    let bench = Bench::new();
    bench.change(JOB, "power = \"15 %\"", "power = \"15\"");
    insta::assert_snapshot!(bench.refused(1, &["plan", JOB]), @r#"
    quantity
      × power in step 2 ("folds"): "15" has no unit, and a power needs one
       ╭ sail-panel.kite.toml:37:9
     37│ power = "15"
       │         ^^^^
      help: write it with a unit, for example "15 %" (units: %, mA, W)
    "#);
}

#[test]
fn a_refused_job_tells_what_is_doubtful_about_its_lines_as_well() {
    let step = |colour: &str| {
        format!(
            "[[step]]\nname = \"{colour}\"\ntake = {{ stroke = \"{colour}\" }}\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n"
        )
    };
    let square = r#"<rect x="10" y="10" width="20" height="20" stroke="red"/>"#;
    let crossed = r#"<path d="M50 10 L70 30 H50 L70 10 Z" stroke="red"/>"#;
    let body = format!("{square}{square}{crossed}");
    let doubts = ["double-line", "self-crossing"];
    let codes = Bench::drawn(&body, "", &step("red")).codes("a.kite.toml");
    assert_eq!(codes, doubts);
    let refused = Bench::drawn(&body, "", &(step("red") + &step("blue"))).codes("a.kite.toml");
    assert_eq!(refused, [doubts[0], doubts[1], "takes-nothing"]);
}

#[test]
fn bad_drawings_are_refused() {
    let bench = Bench::new();
    let page = r#"<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="50mm">"#;
    let cases: [(&str, Vec<u8>, &str); 8] = [
        ("empty.svg", Vec::new(), "the file is empty"),
        ("words.svg", b"just words".to_vec(), "unsupported file type"),
        ("photo.svg", b"\x89PNG\r\n\x1a\n".to_vec(), "PNG bitmap cannot be read"),
        ("bytes.svg", vec![0xff; 3000], "unsupported file type"),
        (
            "cut.svg",
            bench.read("sail-panel.svg").into_bytes()[..1500].to_vec(),
            "not well-formed XML",
        ),
        (
            "far.svg",
            format!("{page}<path d='M0 0 L1e30 0' stroke='red'/></svg>").into_bytes(),
            "far beyond any machine",
        ),
        (
            "nan.svg",
            format!("{page}<path d='M0 0 LNaN 0' stroke='red'/></svg>").into_bytes(),
            "cannot be read: d=",
        ),
        ("dot.svg", format!("{page}<path d='M5 5 L5 5' stroke='red'/></svg>").into_bytes(), ""),
    ];
    for (name, bytes, words) in cases {
        bench.write(name, bytes);
        let ran = bench.run(&["look", name]);
        assert!((ran.out + &ran.err).contains(words), "{name}: {}", ran.err);
        bench.write(JOB, bench.read(JOB).replace("sail-panel.svg", name));
        bench.refused(1, &["emit", JOB]);
        bench.write(JOB, bench.read(JOB).replace(name, "sail-panel.svg"));
    }
    assert!(bench.refused(1, &["look", "gone.svg"]).contains("check the name"));
    assert!(bench.refused(1, &["look", "."]).contains("cannot be read"));
}

#[test]
fn what_is_no_job_is_told_so() {
    let bench = Bench::new();
    let err = bench.refused(1, &["plan", "sail-panel.svg"]);
    assert!(err.contains("tinkite begin sail-panel.svg"), "{err}");
    bench.write("a.kite.toml", "tinkite = 1\nname = \"x\n");
    let err = bench.refused(1, &["plan", "a.kite.toml"]);
    assert!(err.contains("names no machine") && err.contains("a.kite.toml:2"), "{err}");
    bench.write("b.kite.toml", b"\xff\xfe");
    assert!(bench.refused(1, &["plan", "b.kite.toml"]).contains("not text in UTF-8"));
    if std::path::Path::new("/dev/full").exists() {
        assert!(
            bench.refused(2, &["emit", JOB, "-o", "/dev/full", "--force"]).contains("ordinary")
        );
        assert!(bench.refused(1, &["look", "/dev/zero"]).contains("256 MB"));
    }
}

#[test]
fn codes_have_stories() {
    let bench = Bench::new();
    assert!(bench.ok(&["check", "--explain", "open-shape"]).contains("closed"));
    assert!(
        bench.refused(2, &["check", "--explain", "open-shap"]).contains("did you mean open-shape?")
    );
}

#[test]
fn what_is_doubtful_is_said_and_runs_all_the_same() {
    let bench = Bench::new();
    let demo = bench.read(JOB);
    // The engraving moved to the end, and the folds forgotten.
    let parts: Vec<&str> = demo.split("[[step]]").collect();
    bench.write(JOB, format!("{}[[step]]{}[[step]]{}", parts[0], parts[3], parts[1]));
    let check = bench.json(&["check", JOB]);
    let codes: Vec<_> =
        check["problems"].as_array().unwrap().iter().map(|p| p["code"].as_str().unwrap()).collect();
    assert_eq!(codes, ["leftover", "cut-first"]);
    let plan = bench.json(&["plan", JOB]);
    assert_eq!(plan["leftovers"].as_array().unwrap().len(), 3);
    let left = &plan["leftovers"][0];
    assert_eq!(
        left,
        &json!({"name": "pocket", "file": "sail-panel.svg", "line": left["line"], "copy": 1, "paint": "stroke #0000ff"})
    );
    let drawn = bench.read("sail-panel.svg");
    let line = left["line"].as_u64().unwrap() as usize;
    assert!(drawn.lines().nth(line - 1).unwrap().contains("id=\"pocket\""));
}

#[test]
fn gaps_are_joined_and_doubles_dropped_when_asked_and_said() {
    let bench = Bench::new();
    bench.write("loose.svg", r##"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="60mm" viewBox="0 0 60 60" fill="none">
<path id="a" d="M10 10H40" stroke="red"/><path id="b" d="M40.02 10V40" stroke="red"/><path id="c" d="M10 40H40" stroke="red"/><path id="d" d="M10 39.99V10" stroke="red"/>
<path id="again" d="M30 10H10" stroke="red"/></svg>"##);
    let job = |artwork: &str, make: &str| {
        bench.write(JOB, format!("tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"loose.svg\"\n{artwork}\n[[step]]\nname = \"s\"\ntake = {{ stroke = \"red\" }}\nspeed = \"20 mm/s\"\npower = \"40 %\"\n{make}\n"));
    };
    let codes = |plan: &Value| -> Vec<String> {
        plan["problems"]
            .as_array()
            .unwrap()
            .iter()
            .map(|p| p["code"].as_str().unwrap().into())
            .collect()
    };
    job("", "make = \"cut\"");
    let plan = bench.json(&["plan", JOB]);
    assert_eq!(codes(&plan), ["double-line"]);
    assert!((plan["burn_mm"].as_f64().unwrap() - 139.99).abs() < 0.01);
    job("drop-doubles = true", "make = \"cut\"");
    let plan = bench.json(&["plan", JOB]);
    assert_eq!(codes(&plan), ["dropped-doubles"]);
    assert!((plan["burn_mm"].as_f64().unwrap() - 119.99).abs() < 0.01);
    assert_eq!(plan["leftovers"], json!([]));
    // Loose lines can be engraved once they are one closed shape.
    let engrave = "make = \"engrave\"\nlines = { spacing = \"0.5 mm\" }";
    job("drop-doubles = true", engrave);
    assert!(bench.refused(1, &["plan", JOB]).contains("ends 30 mm apart"));
    job("join-gaps = \"0.05 mm\"\nleave-out = [{ id = \"again\" }]", engrave);
    let plan = bench.json(&["plan", JOB]);
    assert_eq!(codes(&plan), ["joined-gaps"]);
    assert!((plan["burn_mm"].as_f64().unwrap() - 30.0 * 60.0).abs() < 5.0, "{plan}");
    job("join-gaps = \"9 mm\"", engrave);
    assert!(bench.refused(1, &["plan", JOB]).contains("at most 5 mm"));
    assert!(bench.run(&["look", "loose.svg"]).err.contains("double-line"));
}

/// A job on a drawing of one open red line of 30 x 20 mm; `artwork` and `rest` are put in.
fn corner_job(bench: &Bench, page: &str, artwork: &str, rest: &str) {
    bench.write("corner.svg", format!(r##"<svg xmlns="http://www.w3.org/2000/svg" {page} fill="none"><path id="l" d="M10 10H40V30" stroke="red"/></svg>"##));
    bench.write(JOB, format!("tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"corner.svg\"\n{artwork}\n{rest}\n[[step]]\nname = \"s\"\ntake = {{ colour = \"red\" }}\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"40 %\"\n"));
}

const PAGE: &str = r#"width="60mm" height="60mm" viewBox="0 0 60 60""#;

#[test]
fn shapes_are_drawn_round_and_on_the_artwork() {
    let bench = Bench::new();
    let at = "[place]\nat = [\"50 mm\", \"50 mm\"]\n";
    corner_job(
        &bench,
        PAGE,
        "",
        &format!(
            "{at}[[shape]]\nkind = \"border\"\ndistance = \"4 mm\"\nradius = \"2 mm\"\ncolour = \"red\"\n[[shape]]\nkind = \"circle\"\nname = \"eye\"\ndiameter = \"6 mm\"\nat = [\"5 mm\", \"5 mm\"]\ncolour = \"#f00\""
        ),
    );
    let plan = bench.json(&["plan", JOB]);
    // The border is the outermost: its corner lies where the place says.
    assert_eq!(plan["extents_mm"], json!({ "min": [50.0, 50.0], "max": [88.0, 78.0] }));
    let pi = std::f64::consts::PI;
    let length = 50.0 + (2.0 * (34.0 + 24.0) + 4.0 * pi) + 6.0 * pi;
    assert!((plan["burn_mm"].as_f64().unwrap() - length).abs() < 0.01, "{plan}");
    let program = bench.ok(&["emit", JOB, "-o", "-"]);
    // The eye is cut before the border that contains it, and the line too.
    let part = |name: &str| program.find(&format!(": {name}")).unwrap_or_else(|| panic!("{name}"));
    assert!(part("eye") < part("border") && part("l") < part("border"));
    assert!(program.contains("G2") || program.contains("G3"), "arcs stay arcs");

    for (wrong, words) in [
        ("kind = \"border\"\ncolour = \"red\"", "no distance"),
        ("kind = \"circle\"\ndiameter = \"6 mm\"", "no colour"),
        (
            "kind = \"rectangle\"\nwidth = \"6 mm\"\ndepth = \"4 mm\"\nradius = \"3 mm\"\ncolour = \"red\"",
            "half of the shorter side",
        ),
        ("kind = \"text\"\ncolour = \"red\"", "has no text"),
        ("kind = \"sphere\"\ncolour = \"red\"", "cannot be"),
        (
            "kind = \"circle\"\ndiameter = \"6 mm\"\ncolour = \"red\"\nwidth = \"2 mm\"",
            "no key called width",
        ),
        (
            "kind = \"circle\"\ndiameter = \"6 mm\"\ncolour = \"red\"\nat = [\"2 mm\"]",
            "takes two lengths",
        ),
    ] {
        corner_job(&bench, PAGE, "", &format!("[[shape]]\n{wrong}"));
        let err = bench.refused(1, &["plan", JOB]);
        assert!(err.contains(words), "{wrong}: {err}");
    }
}

#[test]
fn copies_stand_in_rows_and_columns() {
    let bench = Bench::new();
    let grid = |anchor: &str, columns: u32, rows: u32| {
        format!(
            "[place]\nanchor = \"{anchor}\"\nat = [\"200 mm\", \"150 mm\"]\ncopies = {{ columns = {columns}, rows = {rows}, gap = \"2 mm\" }}"
        )
    };
    corner_job(&bench, PAGE, "", &grid("centre", 3, 2));
    let plan = bench.json(&["plan", JOB]);
    // 3 x 30 + 2 gaps, 2 x 20 + 1 gap, about the anchor.
    assert_eq!(plan["extents_mm"], json!({ "min": [153.0, 129.0], "max": [247.0, 171.0] }));
    assert_eq!(plan["burn_mm"], json!(300.0));
    assert_eq!(plan["steps"][0]["shapes"], 6);
    assert!(bench.ok(&["emit", JOB, "-o", "-"]).contains("l, copy 6"));
    corner_job(&bench, PAGE, "", &grid("bottom-left", 9, 1));
    assert!(bench.refused(1, &["plan", JOB]).contains("beyond the right edge"));
    corner_job(&bench, PAGE, "", &grid("centre", 0, 1));
    assert!(bench.refused(1, &["plan", JOB]).contains("from 1 to 500"));
}

#[test]
fn units_decide_what_a_pixel_is() {
    let bench = Bench::new();
    let pixels = r#"width="60" height="60""#;
    let width = |plan: &Value| {
        plan["extents_mm"]["max"][0].as_f64().unwrap()
            - plan["extents_mm"]["min"][0].as_f64().unwrap()
    };
    corner_job(&bench, pixels, "", "");
    let doubted = bench.json(&["plan", JOB]);
    assert_eq!(doubted["problems"][0]["code"], "unit-doubt");
    assert!((width(&doubted) - 30.0 * 25.4 / 96.0).abs() < 0.001);
    for (units, mm) in [("90/in", 25.4 / 90.0), ("72/in", 25.4 / 72.0), ("1/mm", 1.0)] {
        corner_job(&bench, pixels, &format!("units = \"{units}\""), "");
        let plan = bench.json(&["plan", JOB]);
        assert_eq!(plan["problems"], json!([]));
        assert!((width(&plan) - 30.0 * mm).abs() < 0.002, "{units}");
    }
    for bad in ["90", "x/in", "0/in", "90/parsec"] {
        corner_job(&bench, pixels, &format!("units = \"{bad}\""), "");
        assert!(bench.refused(1, &["plan", JOB]).contains("90/in"), "{bad}");
    }
    corner_job(&bench, PAGE, "units = \"90/in\"", "");
    assert!(bench.refused(1, &["plan", JOB]).contains("contradict"));
}

/// A job of two drawings that share a colour, with more said of the first one and of the cut.
fn two(more: &str, take: &str) -> String {
    format!(
        "tinkite = 1\nname = \"a\"\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"a.svg\"\nname = \"frame\"\n{more}\n[[artwork]]\nfile = \"b.svg\"\n[place]\nat = [\"20 mm\", \"20 mm\"]\n[[step]]\nname = \"c\"\ntake = {take}\nmake = \"cut\"\nspeed = \"10 mm/s\"\npower = \"50 %\"\n"
    )
}

fn two_drawings() -> Bench {
    let bench = Bench::new();
    for (name, length) in [("a.svg", 30), ("b.svg", 20)] {
        bench.write(name, format!(r##"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40" fill="none" stroke="red"><path id="spar" d="M10 10h{length}"/><path id="hub-1" d="M10 20h1" stroke="blue"/></svg>"##));
    }
    bench
}

#[test]
fn a_step_takes_one_of_several_drawings_by_file_or_name() {
    let bench = two_drawings();
    for (take, length) in [
        ("{ stroke = \"red\" }", 50.0),
        ("{ stroke = \"red\", file = \"a.svg\" }", 30.0),
        ("{ file = \"b.svg\", stroke = \"red\" }", 20.0),
        ("{ artwork = \"frame\", stroke = \"red\" }", 30.0),
        ("{ stroke = \"red\", not = { artwork = \"frame\" } }", 20.0),
    ] {
        bench.write("a.kite.toml", two("", take));
        let plan = bench.json(&["plan", "a.kite.toml"]);
        assert!((plan["steps"][0]["burn_mm"].as_f64().unwrap() - length).abs() < 0.01, "{take}");
    }
    bench.write("a.kite.toml", two("", "{ file = \"c.svg\" }"));
    assert!(bench.refused(1, &["plan", "a.kite.toml"]).contains("file \"c.svg\""));
}

#[test]
fn selectors_that_find_nothing_are_told_with_the_nearest_name() {
    let bench = two_drawings();
    for (more, take, told) in [
        (
            "leave-out = [{ id = \"hub-2\" }]",
            "{ stroke = \"red\" }",
            "leave-out finds nothing in a.svg",
        ),
        ("leave-out = [{ id = \"hub-2\" }]", "{ stroke = \"red\" }", "did you mean \"hub-1\"?"),
        (
            "paint = [{ take = { stroke = \"#0000fe\" }, stroke = \"red\" }]",
            "{ stroke = \"red\" }",
            "paint finds nothing",
        ),
        ("", "{ stroke = \"red\", not = { id = \"spat\" } }", "did you mean \"spar\"?"),
        (
            "leave-out = [{ group = \"a layer that is not there\" }]",
            "{ stroke = \"red\" }",
            "the drawing has stroke #",
        ),
    ] {
        bench.write("a.kite.toml", two(more, take));
        let said = bench.run(&["check", "a.kite.toml"]);
        assert_eq!(said.status, 0);
        assert!(
            said.err.contains("takes-nothing") && said.err.contains(told),
            "{more}: {}",
            said.err
        );
    }
    bench.write(
        "a.kite.toml",
        two(
            "leave-out = [{ id = \"hub-1\" }, { kind = \"open\", stroke = \"blue\" }]",
            "{ stroke = \"red\", not = { id = \"hub-1\" } }",
        ),
    );
    let said = bench.run(&["check", "a.kite.toml"]);
    assert!(!said.err.contains("takes-nothing"), "{}", said.err);
}

#[test]
fn warnings_that_somebody_has_judged_are_one_line() {
    let bench = two_drawings();
    let accepting = |codes: &str| {
        let text =
            two("leave-out = [{ id = \"hub-2\" }, { id = \"hub-3\" }]", "{ stroke = \"red\" }");
        bench.write(
            "a.kite.toml",
            text.replace("name = \"a\"", &format!("name = \"a\"\naccept = [{codes}]")),
        );
        bench.run(&["check", "a.kite.toml"])
    };
    let told = accepting("");
    assert_eq!(told.err.matches("finds nothing").count(), 2, "{}", told.err);
    let told = accepting("\"takes-nothing\"");
    assert!(!told.err.contains("finds nothing"), "{}", told.err);
    assert!(told.err.contains("2 warnings accepted by the job: takes-nothing"), "{}", told.err);
    let told = accepting("\"takes-noting\"");
    assert!(
        told.status == 1 && told.err.contains("did you mean \"takes-nothing\"?"),
        "{}",
        told.err
    );
    // What refuses a job is never accepted.
    bench.write(
        "a.kite.toml",
        two("", "{ stroke = \"green\" }")
            .replace("name = \"a\"\n", "name = \"a\"\naccept = [\"takes-nothing\"]\n"),
    );
    bench.refused(1, &["check", "a.kite.toml"]);
}

#[test]
fn what_would_save_time_is_tried_and_only_told() {
    let bench = Bench::new();
    // Two far apart, walked together and only one way: three keys could save something.
    bench.write(
        "f.svg",
        "<svg xmlns='http://www.w3.org/2000/svg' width='200mm' height='60mm' viewBox='0 0 200 60'><rect x='5' y='20' width='6' height='20'/><rect x='180' y='20' width='6' height='20'/></svg>",
    );
    let job = "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"f.svg\"\n[place]\nat = [\"30 mm\", \"30 mm\"]\n[[step]]\nname = \"two \\\"marks\\\"\"\ntake = { fill = \"black\" }\nmake = \"engrave\"\nspeed = \"60 mm/s\"\npower = \"30 %\"\nlines = { spacing = \"0.05 mm\", islands = \"together\", directions = \"one\" }\n";
    bench.write("f.kite.toml", job);
    let told = bench.json(&["plan", "f.kite.toml", "--faster"]);
    assert_eq!(bench.read("f.kite.toml"), job);
    let faster = told["faster"].as_array().unwrap();
    let keys: Vec<&str> = faster.iter().map(|one| one["set"].as_str().unwrap()).collect();
    for key in
        ["islands=\"quickest\"", "directions=\"both\"", "spacing=\"0.08 mm\"", "angle=\"quickest\""]
    {
        assert!(keys.iter().any(|set| set.ends_with(key)), "{key} in {keys:?}");
    }
    let saved: Vec<f64> = faster.iter().map(|one| one["seconds_saved"].as_f64().unwrap()).collect();
    assert!(saved.windows(2).all(|pair| pair[0] >= pair[1]), "{saved:?}");
    // Each does what was said of it.
    for one in faster {
        let set = one["set"].as_str().unwrap();
        let then = bench.json(&["plan", "f.kite.toml", "--set", set])["seconds"].as_f64().unwrap();
        assert!((then - one["seconds"].as_f64().unwrap()).abs() < 2e-3, "{set}: {then}");
        let before = told["seconds"].as_f64().unwrap();
        assert!((before - then - one["seconds_saved"].as_f64().unwrap()).abs() < 2e-3, "{set}");
        assert!(!one["costs"].as_str().unwrap().is_empty());
    }
    let text = bench.ok(&["plan", "f.kite.toml", "--faster"]);
    assert!(text.contains("what it costs") && text.contains("--set"), "{text}");
    bench.refused(2, &["plan", "f.kite.toml", "f.kite.toml", "--faster"]);
    // Travel at a feed, and a link that starves the head, are the machine's.
    bench.change(
        "bench-laser.machine.toml",
        "as = \"rapid\"",
        "as = \"feed\"\nspeed = \"20 mm/s\"",
    );
    let told = bench.json(&["plan", "f.kite.toml", "--faster"]);
    let of_machine = told["faster"].as_array().unwrap().iter().find(|one| one["of"] == "machine");
    assert!(of_machine.unwrap()["set"].as_str().unwrap().contains("rapid"), "{told}");
}

#[test]
fn lines_may_run_whichever_way_is_quickest() {
    let bench = Bench::new();
    let job = |angle: &str, more: &str| {
        bench.write("q.kite.toml", format!("tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"q.svg\"\n[place]\nat = [\"40 mm\", \"40 mm\"]\n[[step]]\ntake = {{ fill = \"black\" }}\nmake = \"engrave\"\nspeed = \"60 mm/s\"\npower = \"30 %\"\nlines = {{ spacing = \"0.2 mm\", angle = \"{angle}\"{more} }}\n"));
    };
    let seconds = |angle: &str| {
        job(angle, "");
        bench.json(&["plan", "q.kite.toml"])["seconds"].as_f64().unwrap()
    };
    // A strip that leans: along it is by far the quickest, and neither axis is.
    bench.write("q.svg", "<svg xmlns='http://www.w3.org/2000/svg' width='100mm' height='100mm' viewBox='0 0 100 100'><path d='M10 10l60 34.64l-3 5.196l-60-34.64z'/></svg>");
    let quickest = seconds("quickest");
    let tried = ["0 deg", "90 deg", "45 deg", "135 deg", "150 deg", "60 deg"].map(seconds);
    let least = tried.iter().copied().fold(f64::MAX, f64::min);
    assert!(quickest <= 1.01 * least, "{quickest} s; {tried:?}");
    assert!(quickest < 0.75 * tried[0].min(tried[1]), "{quickest} s; {tried:?}");
    job("quickest", "");
    assert!(bench.codes("q.kite.toml").contains(&"quickest-angle".to_string()));
    assert!(bench.ok(&["check", "q.kite.toml", "--json"]).contains("150 deg"));
    for more in [", cross = \"45 deg\"", ", advance = \"upwards\""] {
        job("quickest", more);
        assert!(bench.codes("q.kite.toml").contains(&"contradiction".to_string()), "{more}");
    }
    job("quick", "");
    assert!(bench.codes("q.kite.toml").contains(&"quantity".to_string()));
}

#[test]
fn steps_that_differ_in_nothing_but_what_they_take_may_be_one() {
    let bench = Bench::new();
    // Red and blue take turns along a row, so that two steps walk it twice.
    let square = |n: u32| {
        let colour = if n.is_multiple_of(2) { "red" } else { "blue" };
        format!("<rect x='{}' y='10' width='4' height='4' stroke='{colour}'/>", 5 + 12 * n)
    };
    let squares: String = (0..24).map(square).collect();
    bench.write("m.svg", format!("<svg xmlns='http://www.w3.org/2000/svg' width='300mm' height='30mm' viewBox='0 0 300 30' fill='none'>{squares}</svg>"));
    let step = |take: &str, power: &str| {
        format!(
            "[[step]]\nname = \"{take}\"\ntake = {{ stroke = \"{take}\" }}\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"{power} %\"\n"
        )
    };
    let job = |steps: &str| {
        bench.write(
            "m.kite.toml",
            format!(
                "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"m.svg\"\n{steps}"
            ),
        );
    };
    job(&(step("red", "50") + &step("blue", "50")));
    let told = bench.json(&["plan", "m.kite.toml", "--faster"]);
    let one =
        told["faster"].as_array().unwrap().iter().find(|one| one["of"] == "steps").unwrap().clone();
    assert!(one["set"].as_str().unwrap().contains("steps.red and steps.blue"), "{one}");
    // The job that is meant takes as long as was said.
    job(&step("red", "50")
        .replace("{ stroke = \"red\" }", "[{ stroke = \"red\" }, { stroke = \"blue\" }]"));
    let then = bench.json(&["plan", "m.kite.toml"])["seconds"].as_f64().unwrap();
    assert!((then - one["seconds"].as_f64().unwrap()).abs() < 2e-3, "{one}, {then}");
    // Another power is another step.
    job(&(step("red", "50") + &step("blue", "51")));
    let told = bench.json(&["plan", "m.kite.toml", "--faster"]);
    assert!(told["faster"].as_array().unwrap().iter().all(|one| one["of"] != "steps"), "{told}");
}

#[test]
fn letters_of_one_stroke_are_scored_without_any_font() {
    let bench = Bench::new();
    let write = |text: &str, more: &str| {
        bench.write("word.kite.toml", format!("tinkite = 1\nmachine = \"bench-laser\"\n[place]\nat = [\"40 mm\", \"40 mm\"]\n[[shape]]\nkind = \"text\"\nname = \"word\"\ntext = \"{text}\"\nheight = \"7 mm\"\nfont = \"single-line\"\ncolour = \"black\"\n{more}\n[[step]]\nname = \"word\"\ntake = {{ stroke = \"black\" }}\nmake = \"score\"\nspeed = \"50 mm/s\"\npower = \"30 %\"\n"));
    };
    // H is two uprights of 14 units and a bar of 9.5; I is one upright; 14 units are 7 mm.
    write("HIH", "");
    let plan = bench.json(&["plan", "word.kite.toml"]);
    let burnt = plan["steps"][0]["burn_mm"].as_f64().unwrap();
    assert!((burnt - (2.0 * 37.5 + 14.0) / 2.0).abs() < 2e-3, "{burnt}");
    let told = |text: &str, more: &str| {
        write(text, more);
        let err = bench.refused(1, &["check", "word.kite.toml"]);
        err.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ")
    };
    let missing = told("Kite ж", "");
    assert!(missing.contains("single-line has no letters \"ж\""), "{missing}");
    let filled = told("Kite", "filled = true");
    assert!(filled.contains("letters of one stroke have no inside"), "{filled}");
}
