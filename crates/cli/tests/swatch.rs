//! Test sheets: made, burnt as any job, read off a picture, and kept.

use crate::common::Bench;

fn bench() -> Bench {
    let bench = Bench::new();
    for name in
        ["hub-swatch.kite.toml", "hub-swatch-scan.png", "hub-wedge.kite.toml", "hub-wedge-scan.png"]
    {
        bench.demo(name);
    }
    bench
}

const BOOK: &str = "--book=own.recipes.toml";

#[test]
fn a_sheet_is_made_and_goes_through_every_command() {
    let bench = bench();
    bench.ok(&[
        "swatch",
        "make",
        "--power",
        "10..60 %",
        "--speed",
        "60..180 mm/s",
        "--material",
        "card",
        "-o",
        "s.kite.toml",
    ]);
    let plan = bench.json(&["plan", "s.kite.toml"]);
    let steps = plan["steps"].as_array().unwrap();
    assert_eq!(steps.len(), 32, "marks, labels and 30 squares");
    let of = |name: &str| steps.iter().find(|s| s["name"] == name).unwrap();
    // The second of six powers, the third of five speeds.
    assert_eq!(
        (of("B3")["speed_mm_s"].as_f64(), of("B3")["s"][1].as_f64()),
        (Some(120.0), Some(200.0))
    );
    // An 8 mm square with lines 0.1 mm apart: 80 rows of 8 mm.
    let burn = of("B3")["burn_mm"].as_f64().unwrap();
    assert!((burn - 640.0).abs() < 10.0, "{burn}");
    bench.ok(&["check", "s.kite.toml"]);
    bench.ok(&["emit", "s.kite.toml", "-o", "s.nc"]);
    bench.ok(&["draw", "s.kite.toml", "-o", "s.svg"]);
    bench.ok(&["emit", "s.kite.toml", "--only", "C4", "-o", "c4.nc"]);
    for (kind, cells) in [("greys", 16), ("kerf", 1), ("offset", 9)] {
        let file = format!("{kind}.kite.toml");
        bench.ok(&["swatch", "make", "--kind", kind, "-o", &file]);
        let plan = bench.json(&["plan", &file]);
        assert_eq!(plan["steps"].as_array().unwrap().len(), cells + 2, "{kind}");
    }
    // A comb is cut along its lines: 11 lines of 20 mm, and both long sides of 100 mm.
    let comb = bench.json(&["plan", "kerf.kite.toml"]);
    let burn =
        comb["steps"].as_array().unwrap().iter().find(|s| s["name"] == "A1").unwrap()["burn_mm"]
            .as_f64();
    assert!((burn.unwrap() - 420.0).abs() < 0.1, "{burn:?}");
    bench.demo("tube-laser.machine.toml");
    bench.ok(&[
        "swatch",
        "make",
        "--kind",
        "focus",
        "--machine",
        "tube-laser",
        "-o",
        "f.kite.toml",
    ]);
    bench.ok(&["check", "f.kite.toml"]);
}

#[test]
fn what_cannot_be_a_sheet_is_refused_in_words() {
    let bench = bench();
    let told = |change: (&str, &str)| {
        bench.demo("hub-swatch.kite.toml");
        bench.change("hub-swatch.kite.toml", change.0, change.1);
        let ran = bench.run(&["check", "hub-swatch.kite.toml"]);
        (ran.status, (ran.out + &ran.err).split_whitespace().collect::<Vec<_>>().join(" "))
    };
    let refused = |change| {
        let (status, text) = told(change);
        assert_eq!(status, 1, "{text}");
        text
    };
    assert!(
        refused(("cell    = \"8 mm\"", "cell    = \"120 mm\"")).contains("has no room for that")
    );
    let text = refused(("count = 6", "count = 1000000"));
    assert!(text.contains("count") && text.contains("100"), "{text}");
    assert!(refused(("{ power =", "{ powr =")).contains("did you mean power?"));
    assert!(
        refused((
            "across  = { power = [\"10 %\", \"60 %\"], count = 6 }",
            "across = { power = [\"95 %\", \"99 %\"], count = 3 }"
        ))
        .contains("no square of the sheet can be burnt")
    );
    assert!(refused(("make    = \"engrave\"", "make    = \"cut\"")).contains("lines"));
    assert!(refused(("\"10 %\", \"60 %\"", "\"10 %\", \"60 W\"")).contains("different units"));
    assert!(refused(("[swatch]", "[[step]]\nname = \"x\"\n[swatch]")).contains("draws itself"));
    assert!(
        refused((
            "\"60 mm/s\", \"180 mm/s\"], count = 5",
            "\"0 mm/s\", \"180 mm/s\"], count = 5, even = \"ratio\""
        ))
        .contains("above zero")
    );
    assert!(
        refused((r#"label   = { speed"#, r#"label = { sped = "1 mm/s", speed"#))
            .contains("no key called sped")
    );
    // Squares that the machine cannot do are left blank; the others are burnt.
    let (status, text) = told(("\"180 mm/s\"", "\"260 mm/s\""));
    assert!(
        status == 0 && text.contains("12 squares left blank: A4") && text.contains("200 mm/s"),
        "{text}"
    );
    // One square is a sheet.
    let (status, text) = told(("[\"10 %\", \"60 %\"], count = 6", "[\"30 %\"]"));
    assert_eq!(status, 0, "{text}");
}

#[test]
fn a_picture_of_the_sheet_is_read_and_its_best_square_kept() {
    let bench = bench();
    let read = bench.json(&[
        "swatch",
        "read",
        "hub-swatch.kite.toml",
        "hub-swatch-scan.png",
        "--darkness",
        "60 %",
    ]);
    assert_eq!(read["nearest"], "E2");
    let squares = read["squares"].as_array().unwrap();
    let dark = |name: &str| {
        squares.iter().find(|s| s["name"] == name).unwrap()["darkness_percent"].as_f64().unwrap()
    };
    // More power is darker, more speed lighter.
    for row in 1..=5 {
        for pair in ["AB", "BC", "CD", "DE", "EF"] {
            let [a, b] = [&pair[..1], &pair[1..]].map(|c| dark(&format!("{c}{row}")));
            assert!(a < b, "{pair}{row}: {a} {b}");
        }
    }
    assert!(dark("A1") > dark("A5") && dark("F1") > 75.0);
    let text = bench.ok(&[
        "swatch",
        "read",
        "hub-swatch.kite.toml",
        "hub-swatch-scan.png",
        "-o",
        "chart.svg",
    ]);
    assert!(text.contains("30 squares read") && bench.read("chart.svg").contains("E2"), "{text}");
    bench.ok(&["swatch", "keep", "hub-swatch.kite.toml", "e2", BOOK]);
    let book = bench.read("own.recipes.toml");
    assert!(book.contains("speed = \"90 mm/s\"") && book.contains("power = \"50 %\""), "{book}");
    assert!(book.contains("from = \"swatch hub-swatch, square E2, 2026-11-20\""), "{book}");
    let err = bench.refused(2, &["swatch", "keep", "hub-swatch.kite.toml", "G9", BOOK]);
    assert!(err.contains("they are A1 to F5"), "{err}");
    // Something else, and the other sheet's picture.
    bench.demo("kite-sky.png");
    for other in ["kite-sky.png", "hub-wedge-scan.png"] {
        let err = bench.refused(1, &["swatch", "read", "hub-swatch.kite.toml", other]);
        assert!(err.contains("marks"), "{err}");
    }
    bench.refused(1, &["swatch", "read", "hub-swatch.kite.toml", "sail-panel.svg"]);
    bench.refused(2, &["swatch", "read", "sail-panel.kite.toml", "hub-swatch-scan.png"]);
}

#[test]
fn a_wedge_gives_a_tone_curve_that_pictures_are_engraved_by() {
    let bench = bench();
    let read = bench.json(&["swatch", "read", "hub-wedge.kite.toml", "hub-wedge-scan.png"]);
    assert_eq!(read["turned_deg"], 180);
    let curve = read["tone_percent"].as_array().unwrap();
    assert!(curve.len() >= 12, "{curve:?}");
    bench.ok(&[
        "swatch",
        "keep",
        "hub-wedge.kite.toml",
        "--scan",
        "hub-wedge-scan.png",
        "--name",
        "picture",
        BOOK,
    ]);
    assert!(bench.read("own.recipes.toml").contains("grey = true, tone = [["));
    // A bitmap's step takes it; black is as strong as the wedge's last square.
    bench.demo("kite-sky.png");
    bench.write("sky.kite.toml", "tinkite = 1\nmachine = \"bench-laser\"\nmaterial = \"poplar plywood\"\n[stock]\nthickness = \"3 mm\"\n[[artwork]]\nfile = \"kite-sky.png\"\nwidth = \"40 mm\"\n[place]\nat = [\"20 mm\", \"20 mm\"]\n[[step]]\nname = \"sky\"\ntake = { kind = \"bitmap\" }\nrecipe = \"picture\"\n");
    let plan = bench.json(&["plan", "sky.kite.toml"]);
    let s = &plan["steps"][0]["s"];
    assert!(s[1].as_f64().unwrap() <= 700.0 && s[1].as_f64().unwrap() > 300.0, "{s}");
    assert!(s[0].as_f64().unwrap() >= 50.0, "{s}");
}

#[test]
fn a_comb_gives_its_kerf_with_its_error() {
    let bench = bench();
    bench.ok(&[
        "swatch",
        "make",
        "--kind",
        "kerf",
        "--material",
        "birch",
        "--thickness",
        "3 mm",
        "-o",
        "k.kite.toml",
    ]);
    let ran = bench.run(&["swatch", "keep", "k.kite.toml", "--measured", "98.4 mm", BOOK]);
    assert!(ran.status == 0 && ran.err.contains("kerf 0.16 mm, within 0.005 mm"), "{}", ran.err);
    let book = bench.read("own.recipes.toml");
    assert!(book.contains("kerf = \"0.16 mm\"") && !book.contains("on-line"), "{book}");
    assert!(
        bench
            .refused(2, &["swatch", "keep", "k.kite.toml", "--measured", "101 mm", BOOK])
            .contains("measure again")
    );
}

#[test]
fn squares_can_be_pictures_and_the_stock_can_lean_for_the_focus() {
    let bench = bench();
    bench.demo("bow-photo.jpg");
    let make = ["swatch", "make", "--power", "10..40 %", "--speed", "60..150 mm/s"];
    let pictures =
        ["--across", "4", "--down", "3", "--picture", "bow-photo.jpg", "-o", "p.kite.toml"];
    bench.ok(&[&make[..], &pictures].concat());
    let plan = bench.json(&["plan", "p.kite.toml"]);
    let steps = plan["steps"].as_array().unwrap();
    let of = |name: &str| steps.iter().find(|s| s["name"] == name).unwrap();
    // The same picture in each, at its own power: greys up to that.
    let burn: Vec<f64> = ["A1", "D3"].map(|name| of(name)["burn_mm"].as_f64().unwrap()).into();
    assert!((burn[0] - burn[1]).abs() < 0.01 * burn[0], "{burn:?}");
    assert_eq!(of("D3")["s"][1], 400.0);
    // What goes for many squares is said once.
    let slow = bench.codes("p.kite.toml").into_iter().filter(|code| code == "slow-rows").count();
    assert!(slow <= 2, "{slow} times");
    bench.change("p.kite.toml", "image ", "# ");
    assert!(bench.told("p.kite.toml").contains("nothing says how it is engraved"));

    let ramp = [
        "swatch",
        "make",
        "--kind",
        "focus",
        "--make",
        "score",
        "--ramp",
        "120 mm",
        "-o",
        "r.kite.toml",
    ];
    bench.ok(&ramp);
    let program = bench.ok(&["emit", "r.kite.toml", "-o", "-"]);
    // The bench laser moves no focus, and need not: the stock leans.
    assert!(!program.lines().any(|line| line.contains('Z') && !line.starts_with(';')));
    let plan = bench.json(&["plan", "r.kite.toml"]);
    let names: Vec<&str> =
        plan["steps"].as_array().unwrap().iter().map(|s| s["name"].as_str().unwrap()).collect();
    assert_eq!(names.len(), 13, "marks, labels and 11 squares");
    let kept = bench.run(&["swatch", "keep", "r.kite.toml", "C1", BOOK]);
    assert!(kept.err.contains("focus at -3 mm"), "{}", kept.err);
    bench.change("r.kite.toml", "\"120 mm\"", "\"60 mm\"");
    assert!(
        bench
            .told("r.kite.toml")
            .contains("11 squares of this width take 100 mm, and the ramp is 60 mm long")
    );
    bench.change("r.kite.toml", "kind    = \"focus\"", "kind    = \"grid\"");
    assert!(
        bench.told("r.kite.toml").contains("a ramp is for a sheet that varies the focus alone")
    );
    bench.demo("tube-laser.machine.toml");
    bench.ok(&[&ramp[..9], &["q.kite.toml", "--machine", "tube-laser"]].concat());
    bench.ok(&["swatch", "keep", "q.kite.toml", "C1", BOOK]);
    assert!(bench.read("own.recipes.toml").contains("focus = \"-3 mm\""));
}

#[test]
fn the_hint_behind_a_kept_square_can_be_pasted() {
    let bench = bench();
    let kept =
        bench.run(&["swatch", "keep", "hub-swatch.kite.toml", "E2", "--as", "a \"b\" c", BOOK]);
    assert!(kept.err.contains(r#"material = "a \"b\" c""#), "{}", kept.err);
}
