//! Stock of any outline: parts lie on it, nothing is burnt beside it, and nothing burns its edge.

use crate::common::Bench;
use crate::common::moves::Program;

/// An L of 200 x 150 mm with arms of 80 mm, and a round hole in its corner.
const OFFCUT: &str = r#"<path id="edge" stroke="blue" d="M0 0 H80 V70 H200 V150 H0 Z"/><circle id="bite" stroke="blue" cx="40" cy="110" r="15"/>"#;

const STEP: &str = "[[step]]\nname = \"cut\"\ntake = { stroke = \"red\" }\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n";

fn page(body: &str) -> String {
    format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="150mm" viewBox="0 0 200 150" fill="none">{body}</svg>"#
    )
}

/// How far a place lies within the offcut, mm from its edges, from the bed's corner; less than zero outside.
fn within([x, y]: [f64; 2]) -> f64 {
    let arms = [[0.0, 0.0, 200.0, 80.0], [0.0, 0.0, 80.0, 150.0]];
    let to = |[x0, y0, x1, y1]: [f64; 4]| (x - x0).min(x1 - x).min(y - y0).min(y1 - y);
    let arm = arms.map(to).into_iter().fold(f64::NEG_INFINITY, f64::max);
    // Behind the inner corner it is nearer to that than to an edge of either arm.
    let corner = if x < 80.0 && y < 80.0 { (80.0 - x).hypot(80.0 - y) } else { f64::INFINITY };
    let edges = if x < 80.0 && y < 80.0 { x.min(y).min(corner) } else { arm };
    edges.min((x - 40.0).hypot(y - 40.0) - 15.0)
}

#[test]
fn parts_are_packed_within_the_outline_and_clear_of_its_holes() {
    let bench = Bench::new();
    bench.write("offcut.svg", page(OFFCUT));
    bench.write("disc.svg", page(r#"<circle cx="30" cy="30" r="14" stroke="red"/>"#));
    bench.write("wedge.svg", page(r#"<path d="M5 50 H45 L25 20 Z" stroke="red"/>"#));
    for (pack, margin) in [
        ("gap = \"2 mm\", turn = \"180 deg\"", 2.0),
        ("gap = \"3 mm\", margin = \"0 mm\"", 0.0),
        ("gap = \"1 mm\", margin = \"6 mm\", turn = \"90 deg\"", 6.0),
    ] {
        bench.write(
            "a.kite.toml",
            format!(
                "tinkite = 1\nmachine = \"bench-laser\"\n[stock]\noutline = {{ artwork = \"offcut\" }}\n[place]\npack = {{ {pack} }}\n\
                 [[artwork]]\nfile = \"offcut.svg\"\nname = \"offcut\"\n[[artwork]]\nfile = \"disc.svg\"\ncount = 6\n[[artwork]]\nfile = \"wedge.svg\"\ncount = 5\n{STEP}"
            ),
        );
        let program = Program::emitted(&bench, "a.kite.toml");
        let places: Vec<[f64; 2]> = program.burns().flat_map(|burn| burn.points(0.3)).collect();
        let length: f64 = program.burns().map(|burn| burn.length()).sum();
        let all = 6.0 * 28.0 * std::f64::consts::PI + 5.0 * (40.0 + 2.0 * 1300f64.sqrt());
        assert!((length - all).abs() < 0.1, "{pack}: {length} of {all} mm");
        let nearest = places.iter().map(|place| within(*place)).fold(f64::INFINITY, f64::min);
        assert!(nearest >= margin - 0.002, "{pack}: {nearest} mm from the edge");
        assert!(nearest < margin + 1.0, "{pack}: as near as it may, not {nearest} mm");
    }
    let told = bench.run(&["plan", "a.kite.toml"]).err;
    assert!(told.contains("11 parts laid by outline"), "{told}");
    bench.change("a.kite.toml", "margin = \"6 mm\"", "margin = \"26 mm\"");
    assert!(bench.told("a.kite.toml").contains("too large for what is free of the stock"));
}

/// A drawing with the offcut round its parts, as it lies on the bed.
fn drawn(parts: &str, more: &str) -> Bench {
    let bench = Bench::new();
    bench.write("a.svg", page(&format!("{OFFCUT}{parts}")));
    bench.write(
        "a.kite.toml",
        format!(
            "tinkite = 1\nmachine = \"bench-laser\"\n[stock]\noutline = {{ stroke = \"blue\" }}\n{more}[[artwork]]\nfile = \"a.svg\"\n{STEP}"
        ),
    );
    bench
}

#[test]
fn what_is_burnt_beside_the_outline_is_refused() {
    // Stock that reaches beyond the bed is told, and held all the same.
    let large = drawn(r#"<path d="M70 20 H90" stroke="red"/>"#, "");
    large.write("a.svg", large.read("a.svg").replace("H200 V150", "H500 V150"));
    let told = large.refused(1, &["emit", "a.kite.toml"]);
    assert!(told.contains("large-stock") && told.contains("leaves the stock's outline"), "{told}");
    // In the corner below the arm, across the bite, in the bite, and on the edge itself.
    for (part, places) in [
        (r#"<rect x="90" y="20" width="20" height="20" stroke="red"/>"#, 1),
        (r#"<path d="M10 110 H75" stroke="red"/>"#, 1),
        (r#"<circle cx="40" cy="110" r="5" stroke="red"/>"#, 1),
        (r#"<path d="M70 20 H90" stroke="red"/>"#, 1),
    ] {
        let bench = drawn(part, "");
        let refused = bench.refused(1, &["emit", "a.kite.toml"]);
        let words = format!("leaves the stock's outline in {places} place");
        assert!(refused.contains(&words), "{part}: {refused}");
    }
    for part in [
        r#"<rect x="90" y="80" width="20" height="20" stroke="red"/>"#,
        r#"<path d="M0 150 V0 H80" stroke="red"/>"#,
        r#"<path d="M20 90 H60 V130 H20 Z" stroke="red"/>"#,
    ] {
        let bench = drawn(part, "");
        let program = Program::emitted(&bench, "a.kite.toml");
        assert!(program.burns().count() > 0, "{part}");
        // The stock is no artwork: the same drawing without it gives the same moves.
        bench.write("a.svg", page(part));
        bench.change(
            "a.kite.toml",
            "outline = { stroke = \"blue\" }",
            "width = \"300 mm\"\ndepth = \"200 mm\"",
        );
        assert_eq!(program.moves, Program::emitted(&bench, "a.kite.toml").moves, "{part}");
    }
}

#[test]
fn the_outline_goes_where_its_drawing_goes() {
    let part = r#"<rect x="90" y="80" width="20" height="20" stroke="red"/>"#;
    // The square lies 10 mm right of the inner corner and 10 mm below the arm's upper edge.
    let at = |x: &str| drawn(part, &format!("[place]\nat = [\"{x}\", \"90 mm\"]\n"));
    assert!(Program::emitted(&at("150 mm"), "a.kite.toml").extents()[0] > 149.9);
    let rest = "[[step]]\nname = \"rest\"\ntake = { rest = true }\nmake = \"score\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n";
    let bench = at("150 mm");
    bench.write("a.kite.toml", bench.read("a.kite.toml") + rest);
    assert!(bench.told("a.kite.toml").contains("takes nothing"), "its edge is not left over");
    let copies = drawn(part, "[place]\ncopies = { columns = 6, gap = \"0 mm\" }\n");
    let told = copies.told("a.kite.toml");
    assert!(told.contains("leaves the stock"), "the sixth lies beside it: {told}");
    copies.change("a.kite.toml", "columns = 6", "columns = 5");
    assert_eq!(Program::emitted(&copies, "a.kite.toml").extents()[2], 190.0);
}

#[test]
fn an_outline_that_says_no_place_is_refused() {
    let square = r#"<rect x="90" y="80" width="20" height="20" stroke="red"/>"#;
    let told = |change: (&str, &str), file: &str| {
        let bench = drawn(square, "");
        bench.change(file, change.0, change.1);
        bench.told("a.kite.toml")
    };
    let job = |from: &str, to: &str| told((from, to), "a.kite.toml");
    let drawing = |from: &str, to: &str| told((from, to), "a.svg");
    assert!(job("stroke = \"blue\"", "id = \"none\"").contains("finds no closed shape"));
    assert!(
        job("{ stroke = \"blue\" }", "{ stroke = \"blue\" }\nmargin = \"2 mm\"")
            .contains("said in two ways")
    );
    assert!(job("{ stroke = \"blue\" }", "\"blue\"").contains("outline"));
    assert!(drawing("H0 Z", "H0").contains("is not closed"));
    let over = drawing(
        r#"stroke="red"/>"#,
        r#"stroke="red"/><rect id="lid" x="1" y="71" width="198" height="78" fill="white" stroke="blue"/>"#,
    );
    assert!(over.contains("is painted over artwork and hides it"), "{over}");
}
