//! Layout through the built program: size, parts, copies, areas, marks. Each is read back from the
//! program that it makes.

use crate::common::Bench;
use serde_json::Value;

/// A page of 100 × 80 mm with a red 40 × 20 rectangle, a hole in it and a blue line off the page.
const ART: &str = r##"<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="80mm" viewBox="0 0 100 80" fill="none">
<rect id="plate" x="10" y="40" width="40" height="20" stroke="#ff0000"/>
<circle id="hole" cx="20" cy="50" r="4" stroke="#ff0000"/>
<circle id="mark-a" cx="15" cy="55" r="1" stroke="#00ff00"/>
<circle id="mark-b" cx="45" cy="45" r="1" stroke="#00ff00"/>
<path id="long" d="M60 10 H120" stroke="#0000ff"/>
</svg>"##;

const STEP: &str = "[[step]]\nname = \"all\"\ntake = { rest = true }\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n";

/// A bench with a job whose artwork, and whatever follows it, have these keys.
fn job(artwork: &str, rest: &str) -> Bench {
    let bench = Bench::new();
    bench.write("art.svg", ART);
    bench.write(
        "a.kite.toml",
        format!("tinkite = 1\nname = \"a\"\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"art.svg\"\n{artwork}\n{rest}\n{STEP}"),
    );
    bench
}

/// What the emitted program burns: `[x0, y0, x1, y1]` and length in mm.
fn burnt(bench: &Bench) -> ([f64; 4], f64) {
    bench.ok(&["emit", "a.kite.toml", "-o", "a.gcode", "--force"]);
    let read = bench.json(&["read", "a.gcode"]);
    let at = |key: &str, n: usize| read["burn_extents_mm"][key][n].as_f64().unwrap();
    ([at("min", 0), at("min", 1), at("max", 0), at("max", 1)], read["burn_mm"].as_f64().unwrap())
}

#[track_caller]
fn near(got: [f64; 4], want: [f64; 4]) {
    assert!(got.iter().zip(want).all(|(a, b)| (a - b).abs() < 0.01), "{got:?} instead of {want:?}");
}

const ROUND: f64 = std::f64::consts::PI;
const NO_MARKS: &str = "leave-out = [{ stroke = \"#00ff00\" }]";
const PLATE: &str = "leave-out = [{ stroke = \"#00ff00\" }, { id = \"long\" }]";

fn codes(bench: &Bench, args: &[&str]) -> Vec<String> {
    let ran = bench.run(&[args, &["--json"]].concat());
    let value: Value = serde_json::from_str(&ran.out).unwrap();
    let problems = value["problems"].as_array().unwrap();
    problems.iter().map(|p| p["code"].as_str().unwrap().to_string()).collect()
}

#[test]
fn crop_cuts_at_the_page_and_says_so() {
    let bench = job(&format!("crop = \"page\"\n{NO_MARKS}"), "");
    let (extents, length) = burnt(&bench);
    near(extents, [10.0, 20.0, 100.0, 70.0]);
    assert!((length - (120.0 + 8.0 * ROUND + 40.0)).abs() < 0.01, "{length}");
    assert_eq!(codes(&bench, &["check", "a.kite.toml"]), ["cropped"]);
}

#[test]
fn stretch_gives_up_proportions_only_when_asked() {
    let bench = job(
        &format!("{PLATE}\nwidth = \"80 mm\"\nheight = \"10 mm\"\nstretch = true"),
        "[place]\nat = [\"5 mm\", \"5 mm\"]",
    );
    near(burnt(&bench).0, [5.0, 5.0, 85.0, 15.0]);
    bench.change("a.kite.toml", "stretch = true", "");
    assert!(bench.refused(1, &["plan", "a.kite.toml"]).contains("stretch"));
}

#[test]
fn only_one_kind_of_content_and_colours_gathered() {
    let bench = job(&format!("only = \"vectors\"\ncolour-tolerance = 8\n{PLATE}"), "");
    bench.write(
        "art.svg",
        ART.replace(
            "id=\"hole\" cx=\"20\" cy=\"50\" r=\"4\" stroke=\"#ff0000\"",
            "id=\"hole\" cx=\"20\" cy=\"50\" r=\"4\" stroke=\"#fb0402\"",
        ),
    );
    bench.change("a.kite.toml", "{ rest = true }", "{ stroke = \"red\" }");
    let plan = bench.json(&["plan", "a.kite.toml"]);
    assert_eq!(plan["steps"][0]["shapes"], 2);
    assert_eq!(codes(&bench, &["check", "a.kite.toml"]), ["gathered-colours"]);
    bench.change("a.kite.toml", "only = \"vectors\"", "only = \"bitmaps\"");
    assert!(bench.refused(1, &["plan", "a.kite.toml"]).contains("no shapes"));
}

#[test]
fn several_artworks_lie_where_each_is_put() {
    let second = "[[artwork]]\nfile = \"art.svg\"\nleave-out = [{ not = { id = \"hole\" } }]\nat = [\"200 mm\", \"100 mm\"]\nanchor = \"centre\"";
    let bench = job(PLATE, second);
    let (extents, length) = burnt(&bench);
    near(extents, [10.0, 20.0, 204.0, 104.0]);
    assert!((length - (120.0 + 16.0 * ROUND)).abs() < 0.01);
    // [place] moves all of them together.
    let placed = job(PLATE, &format!("{second}\n[place]\nat = [\"0 mm\", \"0 mm\"]"));
    near(burnt(&placed).0, [0.0, 0.0, 194.0, 84.0]);
}

#[test]
fn areas_are_combined_and_grown() {
    let area = |more: &str| {
        let shape =
            format!("[[shape]]\nkind = \"area\"\nname = \"made\"\ncolour = \"red\"\n{more}");
        burnt(&job(PLATE, &shape))
    };
    let (extents, length) =
        area("of = { id = \"plate\" }\ncombine = \"minus\"\nwith = { id = \"hole\" }");
    near(extents, [10.0, 20.0, 50.0, 40.0]);
    assert!((length - (120.0 + 8.0 * ROUND)).abs() < 0.02, "{length}");
    let (extents, _) = area("of = { id = \"plate\" }\ngrow = \"3 mm\"");
    near(extents, [7.0, 17.0, 53.0, 43.0]);
    let (_, length) =
        area("of = { id = \"plate\" }\ncombine = \"overlap\"\nwith = { id = \"hole\" }");
    assert!((length - 8.0 * ROUND).abs() < 0.02, "{length}");
    // Kept shapes are burnt as well.
    let (_, length) = area("of = { id = \"hole\" }\ngrow = \"1 mm\"\nkeep = true");
    assert!((length - (120.0 + 18.0 * ROUND)).abs() < 0.02, "{length}");
    let gone = job(
        PLATE,
        "[[shape]]\nkind = \"area\"\ncolour = \"red\"\nof = { id = \"hole\" }\ngrow = \"-5 mm\"",
    );
    assert!(gone.refused(1, &["plan", "a.kite.toml"]).contains("nothing is left"));
    let open =
        job(NO_MARKS, "[[shape]]\nkind = \"area\"\ncolour = \"red\"\nof = { id = \"long\" }");
    assert!(open.refused(1, &["plan", "a.kite.toml"]).contains("not closed"));
}

#[test]
fn text_is_drawn_at_the_height_of_its_capitals() {
    let bench = job(
        PLATE,
        "[[shape]]\nkind = \"text\"\ntext = \"HEH\"\nheight = \"8 mm\"\ncolour = \"black\"\nat = [\"60 mm\", \"10 mm\"]\nname = \"word\"",
    );
    bench.change("a.kite.toml", "{ rest = true }", "{ id = \"word\" }");
    let ([x0, y0, x1, y1], _) = burnt(&bench);
    // Its middle lies at 60, 10 from the drawing's corner at 10, 20.
    assert!((y1 - y0 - 8.0).abs() < 0.01 && ((y0 + y1) / 2.0 - 30.0).abs() < 0.01, "{y0} {y1}");
    assert!(((x0 + x1) / 2.0 - 70.0).abs() < 0.01 && x1 - x0 > 15.0, "{x0} {x1}");
}

#[test]
fn stock_lies_round_the_artwork_with_a_margin() {
    let bench = job(PLATE, "[stock]\nmargin = \"6 mm\"\n[place]\nat = [\"2 mm\", \"50 mm\"]");
    // The margin reaches over the bed's edge: said, and the job still runs.
    assert_eq!(codes(&bench, &["check", "a.kite.toml"]), ["large-stock"]);
    bench.change("a.kite.toml", "margin = \"6 mm\"", "margin = \"6 mm\"\nwidth = \"50 mm\"");
    assert!(bench.refused(1, &["plan", "a.kite.toml"]).contains("size is said in two ways"));
}

#[test]
fn copies_fill_sheets_and_say_how_many_fit() {
    let copies = |copies: &str| {
        job(
            PLATE,
            &format!(
                "[stock]\nwidth = \"150 mm\"\ndepth = \"100 mm\"\n[place]\nat = [\"5 mm\", \"5 mm\"]\ncopies = {copies}"
            ),
        )
    };
    let bench = copies("{ count = 20, gap = \"2 mm\" }");
    // 145 / 42 and 95 / 22: three across, four away; the second sheet has eight.
    let told = bench.run(&["check", "a.kite.toml"]).err;
    assert!(told.contains("12 copies fit (3 columns × 4 rows); 20 take 2 sheets"), "{told}");
    near(burnt(&bench).0, [5.0, 5.0, 5.0 + 40.0 + 84.0, 5.0 + 20.0 + 66.0]);
    let second = bench.json(&["plan", "a.kite.toml", "--sheet", "2"]);
    assert_eq!(second["steps"][0]["shapes"], 2 * 8);
    assert!(bench.refused(1, &["plan", "a.kite.toml", "--sheet", "3"]).contains("no sheet 3"));
    // A job without a count has one sheet.
    assert!(
        bench.refused(2, &["plan", "sail-panel.kite.toml", "--sheet", "7"]).contains("no sheet 7")
    );
    bench.ok(&["plan", "sail-panel.kite.toml", "--sheet", "1"]);
    let pitch = copies("{ columns = 2, rows = 2, pitch = [\"50 mm\", \"30 mm\"] }");
    near(burnt(&pitch).0, [5.0, 5.0, 95.0, 55.0]);
    let none = copies("{ count = 2, gap = \"2 mm\" }");
    none.change("a.kite.toml", "width = \"150 mm\"", "width = \"30 mm\"");
    assert!(none.refused(1, &["plan", "a.kite.toml"]).contains("not one copy"));
}

#[test]
fn alternate_rows_are_turned_half_round() {
    let bench = job(
        PLATE,
        "[place]\nat = [\"0 mm\", \"0 mm\"]\ncopies = { rows = 2, gap = \"0 mm\", turn = \"alternate-rows\" }",
    );
    bench.change("a.kite.toml", "{ rest = true }", "{ id = \"hole\" }");
    // Holes at 10, 10 and, turned, at 30, 30 of two plates of 40 × 20.
    near(burnt(&bench).0, [6.0, 6.0, 34.0, 34.0]);
}

#[test]
fn marks_lay_the_drawing_on_what_was_found() {
    let marks = |marks: &str| job("", &format!("[place]\n{marks}"));
    let two = marks(
        "mark = [{ shape = \"mark-a\", found = [\"100 mm\", \"100 mm\"] }, { drawn = [\"45 mm\", \"35 mm\"], found = [\"90 mm\", \"130 mm\"] }]",
    );
    two.change("a.kite.toml", "{ rest = true }", "{ id = \"plate\" }");
    // A quarter turn: (x, y) from mark a becomes (−y, x).
    near(burnt(&two).0, [85.0, 95.0, 105.0, 135.0]);
    let told = two.run(&["check", "a.kite.toml"]).err;
    assert!(told.contains("turned 90 deg"), "{told}");
    let four = marks(
        "mark = [{ drawn = [\"0 mm\", \"0 mm\"], found = [\"20 mm\", \"20 mm\"] }, { drawn = [\"100 mm\", \"0 mm\"], found = [\"121 mm\", \"20 mm\"] }, { drawn = [\"100 mm\", \"80 mm\"], found = [\"121 mm\", \"100 mm\"] }, { drawn = [\"0 mm\", \"80 mm\"], found = [\"20 mm\", \"100.8 mm\"] }]",
    );
    let told = four.run(&["check", "a.kite.toml"]).err;
    assert!(told.contains("miss by at most 0.2 mm"), "{told}");
    let one = marks("mark = [{ drawn = [\"0 mm\", \"0 mm\"], found = [\"20 mm\", \"20 mm\"] }]");
    assert!(one.refused(1, &["plan", "a.kite.toml"]).contains("one mark"));
    let same = marks(
        "mark = [{ drawn = [\"0 mm\", \"0 mm\"], found = [\"20 mm\", \"20 mm\"] }, { drawn = [\"0 mm\", \"0 mm\"], found = [\"20 mm\", \"20 mm\"] }]",
    );
    assert!(same.refused(1, &["plan", "a.kite.toml"]).contains("one point"));
    let unknown = marks(
        "mark = [{ shape = \"nobody\", found = [\"20 mm\", \"20 mm\"] }, { shape = \"mark-b\", found = [\"20 mm\", \"20 mm\"] }]",
    );
    assert!(unknown.refused(1, &["plan", "a.kite.toml"]).contains("nobody"));
}

#[test]
fn bitmaps_are_traced_at_the_size_that_the_job_says() {
    let bench = Bench::new();
    bench.demo("stamp.png");
    bench.ok(&["begin", "stamp.png", "-o", "a.kite.toml"]);
    let width = |bench: &Bench| {
        let ([x0, _, x1, _], _) = burnt(bench);
        x1 - x0
    };
    let plain = width(&bench);
    assert!((plain - 36.9).abs() < 0.2, "{plain}");
    bench.change("a.kite.toml", "file = \"stamp.png\"", "file = \"stamp.png\"\ndpi = \"600 dpi\"");
    assert!((width(&bench) - plain / 2.0).abs() < 0.1);
    // With a width, what was traced has it, without the bitmap's blank margins.
    bench.change("a.kite.toml", "dpi = \"600 dpi\"", "width = \"80 mm\"");
    assert!((width(&bench) - 80.0).abs() < 0.01);
    bench.ok(&["draw", "a.kite.toml", "-o", "a.svg"]);
    assert!(bench.read("a.svg").contains("opacity=\"0.3\" href=\"data:image/png;base64,"));
    // Engraving it as it is has to wait, and is refused meanwhile.
    bench.write(
        "a.kite.toml",
        bench
            .read("a.kite.toml")
            .lines()
            .filter(|l| !l.starts_with("trace"))
            .collect::<Vec<_>>()
            .join("\n"),
    );
    assert!(bench.refused(1, &["plan", "a.kite.toml"]).contains("trace"));
}

/// A drawing of one rectangle of this size, in mm.
fn block(bench: &Bench, name: &str, width: f64, height: f64) {
    bench.write(
        name,
        format!(
            "<svg xmlns='http://www.w3.org/2000/svg' width='200mm' height='200mm' viewBox='0 0 200 200'><rect x='90' y='70' width='{width}' height='{height}' fill='none' stroke='black' stroke-width='0.1'/></svg>"
        ),
    );
}

/// Extents of what one step of a job burns: least X and Y, greatest X and Y.
fn burnt_by(bench: &Bench, step: &str) -> [f64; 4] {
    let plan = bench.json(&["plan", "b.kite.toml", "--only", step]);
    let at = |which: &str, n: usize| plan["extents_mm"][which][n].as_f64().unwrap();
    [at("min", 0), at("min", 1), at("max", 0), at("max", 1)]
}

#[test]
fn a_drawing_lies_beside_another_one() {
    let bench = Bench::new();
    block(&bench, "large.svg", 60.0, 40.0);
    block(&bench, "small.svg", 20.0, 10.0);
    let job = |beside: &str| {
        let step = |name: &str, of: &str| {
            format!(
                "[[step]]\nname = \"{name}\"\ntake = {{ artwork = \"{of}\" }}\nmake = \"score\"\nspeed = \"60 mm/s\"\npower = \"20 %\"\n"
            )
        };
        bench.write(
            "b.kite.toml",
            format!(
                "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"large.svg\"\n[[artwork]]\nfile = \"small.svg\"\n{beside}\n[place]\nat = [\"30 mm\", \"30 mm\"]\n{}{}",
                step("a", "large.svg"),
                step("b", "small.svg")
            ),
        );
    };
    // Small, by large: from where to where.
    for (beside, x, y) in [
        ("side = \"right\", gap = \"2 mm\"", 62.0, 15.0),
        ("side = \"right\", gap = \"2 mm\", align = \"bottom\"", 62.0, 0.0),
        ("side = \"right\", align = \"top\"", 60.0, 30.0),
        ("side = \"left\", gap = \"3 mm\"", -23.0, 15.0),
        ("side = \"above\", gap = \"1 mm\"", 20.0, 41.0),
        ("side = \"above\", gap = \"1 mm\", align = \"left\"", 0.0, 41.0),
        ("side = \"below\", gap = \"1 mm\", align = \"right\"", 40.0, -11.0),
        ("gap = \"0.25 in\"", 66.35, 15.0),
    ] {
        job(&format!("beside = {{ of = \"large.svg\", {beside} }}"));
        let (large, small) = (burnt_by(&bench, "a"), burnt_by(&bench, "b"));
        let found = (small[0] - large[0], small[1] - large[1]);
        assert!((found.0 - x).abs() < 2e-3 && (found.1 - y).abs() < 2e-3, "{beside}: {found:?}");
    }
    for (beside, code) in [
        ("beside = { of = \"larg.svg\" }", "unknown-word"),
        ("beside = { of = \"small.svg\" }", "unknown-word"),
        ("beside = { of = \"large.svg\", side = \"right\", align = \"left\" }", "unknown-word"),
        ("beside = { of = \"large.svg\", gap = \"-1 mm\" }", "out-of-range"),
        ("beside = { of = \"large.svg\" }\nat = [\"1 mm\", \"1 mm\"]", "contradiction"),
        ("beside = { side = \"right\" }", "missing-key"),
        ("beside = \"large.svg\"", "wrong-type"),
    ] {
        job(beside);
        assert!(bench.codes("b.kite.toml").contains(&code.to_string()), "{beside}");
    }
}
