//! Every format from the file to a finished run, and every format broken.

use crate::common::Bench;
use serde_json::{Value, json};

/// The demo file of each format that can be burnt.
const BURNT: [&str; 10] = [
    "sail-panel.svg",
    "name-tag.svg",
    "spar-hub.dxf",
    "reel-cheek.pdf",
    "stamp.png",
    "bow-photo.jpg",
    "label.bmp",
    "tail.gif",
    "spool.tif",
    "pennant.webp",
];

fn bench() -> Bench {
    let bench = Bench::new();
    for name in BURNT.iter().chain(&["medal.stl", "toggle.obj", "rough-panel.svg"]) {
        bench.demo(name);
    }
    bench
}

fn codes(value: &Value) -> Vec<&str> {
    value["problems"].as_array().unwrap().iter().map(|p| p["code"].as_str().unwrap()).collect()
}

#[test]
fn each_goes_from_begin_to_a_finished_run_unedited() {
    let bench = bench();
    for name in BURNT {
        let job = format!("{name}.kite.toml");
        bench.ok(&["begin", name, "-o", &job]);
        let plan = bench.json(&["plan", &job]);
        assert_eq!(plan["leftovers"], json!([]), "{name}");
        let out = bench.ok(&["run", &job, "--to", "rig:", "--json"]);
        let end: Value = serde_json::from_str(out.lines().last().unwrap()).unwrap();
        assert_eq!(end["how"], "done", "{name}: {end}");
        let (planned, took) = (plan["seconds"].as_f64().unwrap(), end["seconds"].as_f64().unwrap());
        assert!((took / planned - 1.0).abs() < 0.01, "{name}: {planned} {took}");
    }
}

#[test]
fn look_says_what_each_is() {
    let bench = bench();
    let look = bench.json(&[&["look"][..], &BURNT[..], &["medal.stl", "toggle.obj"]].concat());
    let told: Vec<String> = look["files"]
        .as_array()
        .unwrap()
        .iter()
        .map(|file| {
            format!(
                "{} {} {} mm, {} layers, {} images, {:?}",
                file["file"].as_str().unwrap(),
                file["format"].as_str().unwrap(),
                file["size_mm"],
                file["layers"].as_array().unwrap().len(),
                file["images"].as_array().unwrap().len(),
                codes(file)
            )
        })
        .collect();
    insta::assert_snapshot!(told.join("\n"));
    assert_eq!(look["files"][10]["solid"]["triangles"], 288);
}

#[test]
fn the_content_decides_and_a_wrong_name_is_said() {
    let bench = bench();
    std::fs::rename(bench.path("spar-hub.dxf"), bench.path("hub.svg")).unwrap();
    let look = bench.json(&["look", "hub.svg"]);
    assert_eq!(look["files"][0]["format"], "DXF");
    assert!(codes(&look["files"][0]).contains(&"misnamed"));
}

#[test]
fn a_page_of_a_pdf_is_named_and_others_are_refused() {
    let bench = bench();
    assert!(bench.refused(1, &["look", "reel-cheek.pdf", "--page", "2"]).contains("1 page"));
    assert!(bench.refused(1, &["look", "spar-hub.dxf", "--page", "2"]).contains("only one"));
    assert!(bench.ok(&["begin", "medal.stl", "-o", "-"]).contains("relief = { depth"));
}

#[test]
fn a_known_hole_can_be_measured() {
    let bench = bench();
    let hole = &bench.json(&["look", "name-tag.svg", "--measure", "ring-hole"])["measures"][0];
    assert_eq!(hole["size_mm"], json!([5.0, 5.0]));
    assert_eq!(hole["diameters_mm"], json!([5.0]));
    let by_place =
        &bench.json(&["look", "spar-hub.dxf", "--measure", "30 mm, 36 mm"])["measures"][0];
    // The bore of 10 mm round the middle at 30, 30 passes 1 mm from there.
    assert_eq!((&by_place["diameters_mm"], &by_place["away_mm"]), (&json!([10.0]), &json!(1.0)));
    assert!(
        bench.refused(2, &["look", "name-tag.svg", "--measure", "ring-hol"]).contains("ring-hole")
    );
    insta::assert_snapshot!(bench.ok(&["look", "spar-hub.dxf", "--measure", "30mm,36mm"]));
}

#[test]
fn trouble_is_rung_for_drawings_and_for_refused_jobs() {
    let bench = bench();
    bench.ok(&["draw", "rough-panel.svg", "--trouble", "-o", "rough.svg"]);
    let picture = bench.read("rough.svg");
    // Two open fills; one ring each for stray, double line, both crossings, the fine detail and
    // what leaves the page.
    assert_eq!(picture.matches("r=\"11\"").count(), 8);
    for code in ["self-crossing", "crossing-cuts", "double-line", "open-fill", "off-page"] {
        assert!(picture.contains(&format!(">{code}</text>")), "{code}");
    }
    bench.ok(&["begin", "rough-panel.svg"]);
    // An open line has no inside, however small the gap.
    let engrave = "\n[[step]]\nname = \"badge\"\ntake = { stroke = \"red\", kind = \"open\" }\nmake = \"engrave\"\nspeed = \"90 mm/s\"\npower = \"20 %\"\nlines = { spacing = \"0.2 mm\" }\n";
    bench.write("rough-panel.kite.toml", bench.read("rough-panel.kite.toml") + engrave);
    let ran = bench.run(&["draw", "rough-panel.kite.toml", "--trouble", "-o", "job.png"]);
    assert_eq!(ran.status, 1, "{}", ran.err);
    assert!(ran.err.contains("open-shape") && bench.path("job.png").exists());
    // Without --trouble a refused job leaves no picture.
    bench.refused(1, &["draw", "rough-panel.kite.toml", "-o", "plain.png"]);
}

#[test]
fn things_nested_without_end_are_refused_or_read() {
    const DEEP: usize = 100_000;
    let bench = Bench::new();
    let nested = |open: &str, close: &str| open.repeat(DEEP) + &close.repeat(DEEP);
    bench.write(
        "deep.svg",
        format!(
            "<svg xmlns='http://www.w3.org/2000/svg' width='9mm' height='9mm'>{}</svg>",
            nested("<g>", "</g>")
        ),
    );
    assert!(bench.refused(1, &["look", "deep.svg"]).contains("nested more than"));
    let blocks: String = (0..DEEP)
        .map(|n| format!("0\nBLOCK\n2\nB{n}\n0\nINSERT\n2\nB{}\n0\nENDBLK\n", n + 1))
        .collect();
    bench.write("deep.dxf", format!("0\nSECTION\n2\nBLOCKS\n{blocks}0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nINSERT\n2\nB0\n0\nENDSEC\n0\nEOF\n"));
    let look = bench.json(&["look", "deep.dxf"]);
    assert!(codes(&look["files"][0]).contains(&"lost-block"));
    let array = nested("[", "]");
    bench.write("deep.pdf", format!("%PDF-1.7\n1 0 obj\n<</Type/Catalog/X {array}>>\nendobj\ntrailer\n<</Root 1 0 R>>\n%%EOF\n"));
    bench.refused(1, &["look", "deep.pdf"]);
    bench.write("deep.kite.toml", format!("tinkite = 1\nx = {array}"));
    bench.refused(1, &["check", "deep.kite.toml"]);
}

#[test]
fn broken_files_of_every_format_end_in_a_message() {
    let bench = bench();
    for name in BURNT.iter().chain(&["medal.stl"]) {
        let whole = std::fs::read(bench.path(name)).unwrap();
        for (n, cut) in [(0, 0), (1, 1), (2, whole.len() / 3), (3, whole.len() - 30)] {
            bench.write("cut", &whole[..cut]);
            let ran = bench.run(&["look", "cut"]);
            assert!(ran.status <= 1 && !ran.err.contains("panicked"), "{name} {n}: {}", ran.err);
            assert!(ran.status == 0 || ran.err.contains('×'), "{name} {n}: {}", ran.err);
        }
    }
}
