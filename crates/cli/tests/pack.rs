//! Parts laid by their outlines, read back from the program: each as often as it was wanted, all on the stock, none
//! nearer to another than the gap.

use crate::common::Bench;
use crate::common::moves::Program;

const STEP: &str = "[[step]]\nname = \"cut\"\ntake = { stroke = \"red\" }\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\norder = \"part-by-part\"\n";

/// A ring with a wide hole, a disc that fits into it, and triangles.
fn job(pack: &str, more: &str) -> Bench {
    let bench = Bench::new();
    let page = |name: &str, body: &str| {
        bench.write(
            name,
            format!(
                r#"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="60mm" viewBox="0 0 60 60" fill="none">{body}</svg>"#
            ),
        );
    };
    page(
        "ring.svg",
        r#"<circle cx="30" cy="30" r="25" stroke="red"/><circle cx="30" cy="30" r="18" stroke="red"/>"#,
    );
    page("disc.svg", r#"<circle cx="30" cy="30" r="15" stroke="red"/>"#);
    page("flag.svg", r#"<path d="M5 50 H45 L25 20 Z" stroke="red"/>"#);
    bench.write(
        "a.kite.toml",
        format!(
            "tinkite = 1\nmachine = \"bench-laser\"\n[stock]\nwidth = \"160 mm\"\ndepth = \"120 mm\"\n[place]\npack = {{ {pack} }}\n{more}\n\
             [[artwork]]\nfile = \"ring.svg\"\ncount = 2\n[[artwork]]\nfile = \"disc.svg\"\ncount = 2\n[[artwork]]\nfile = \"flag.svg\"\ncount = 5\n{STEP}"
        ),
    );
    bench
}

/// Every outline that a program cuts, as points less than a millimetre apart.
fn outlines(program: &Program) -> Vec<Vec<[f64; 2]>> {
    let mut all: Vec<Vec<[f64; 2]>> = Vec::new();
    let mut last = None;
    for burn in program.burns() {
        if last != Some(burn.from) {
            all.push(Vec::new());
        }
        last = Some(burn.to);
        all.last_mut().unwrap().extend(burn.points(0.5));
    }
    all
}

fn least(one: &[[f64; 2]], other: &[[f64; 2]]) -> f64 {
    let apart = |a: &[f64; 2], b: &[f64; 2]| (a[0] - b[0]).hypot(a[1] - b[1]);
    one.iter().flat_map(|a| other.iter().map(move |b| apart(a, b))).fold(f64::INFINITY, f64::min)
}

#[test]
fn parts_keep_their_gap_use_holes_and_stay_on_the_stock() {
    let bench = job("gap = \"2 mm\", turn = \"180 deg\"", "");
    let program = Program::emitted(&bench, "a.kite.toml");
    let outlines = outlines(&program);
    assert_eq!(outlines.len(), 2 * 2 + 2 + 5, "every outline once");
    let [left, low, right, high] = program.extents();
    assert!(left >= 2.0 - 1e-3 && low >= 2.0 - 1e-3 && right <= 158.001 && high <= 118.001);
    // Two circles of a ring are 7 mm apart; points at most 0.5 mm apart find a gap to within 0.07 mm.
    let pairs = (0..outlines.len()).flat_map(|a| (0..a).map(move |b| (a, b)));
    let nearest =
        pairs.map(|(a, b)| least(&outlines[a], &outlines[b])).fold(f64::INFINITY, f64::min);
    assert!(nearest >= 1.99, "{nearest} mm apart");
    // The discs lie in the rings: what is used is no larger than rings and flags take.
    let plain = job("gap = \"2 mm\", turn = \"180 deg\"", "");
    plain.change("a.kite.toml", "[[artwork]]\nfile = \"disc.svg\"\ncount = 2\n", "");
    let without = Program::emitted(&plain, "a.kite.toml").extents();
    assert!(high <= without[3] + 1.0, "{high} with discs, {} without", without[3]);
    assert_eq!(
        bench.ok(&["emit", "a.kite.toml", "-o", "-"]),
        bench.ok(&["emit", "a.kite.toml", "-o", "-"])
    );
}

#[test]
fn what_does_not_fit_comes_on_other_sheets() {
    let bench = job("gap = \"2 mm\"", "copies = { count = 3 }");
    let words =
        |text: String| text.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ");
    let told = words(bench.run(&["check", "a.kite.toml"]).err);
    let sheets: u32 = told
        .split(" sheets, and this is sheet 1")
        .next()
        .unwrap()
        .rsplit(' ')
        .next()
        .unwrap()
        .parse()
        .unwrap();
    assert!(told.contains("27 parts take"), "{told}");
    let all = (1..=sheets).map(|sheet| {
        let sheet = sheet.to_string();
        let program = bench.ok(&["emit", "a.kite.toml", "-o", "-", "--sheet", &sheet]);
        outlines(&Program::of(&program)).len()
    });
    assert_eq!(all.sum::<usize>(), 3 * (2 * 2 + 2 + 5), "{sheets} sheets");
    let beyond = (sheets + 1).to_string();
    assert!(
        bench
            .refused(1, &["plan", "a.kite.toml", "--sheet", &beyond])
            .contains("there is no sheet")
    );
}

#[test]
fn artworks_that_are_counted_take_sheets_as_well() {
    let bench = job("gap = \"2 mm\"", "");
    bench.change("a.kite.toml", "depth = \"120 mm\"", "depth = \"60 mm\"");
    let (mut sheets, mut all) = (0, 0);
    loop {
        let sheet = (sheets + 1).to_string();
        let ran = bench.run(&["emit", "a.kite.toml", "-o", "-", "--sheet", &sheet]);
        if ran.status != 0 {
            assert!(ran.err.contains(&format!("there is no sheet {sheet}")), "{}", ran.err);
            break;
        }
        if sheets == 1 {
            // The job itself says which sheet, just as well.
            let said = job("gap = \"2 mm\"", "copies = { sheet = 2 }");
            said.change("a.kite.toml", "depth = \"120 mm\"", "depth = \"60 mm\"");
            let moves = |text: &str| {
                text.lines().filter(|l| l.starts_with('G')).collect::<Vec<_>>().join("\n")
            };
            assert_eq!(moves(&said.ok(&["emit", "a.kite.toml", "-o", "-"])), moves(&ran.out));
        }
        all += outlines(&Program::of(&ran.out)).len();
        sheets += 1;
    }
    assert!(sheets > 1, "one sheet of 60 mm does not take them all");
    assert_eq!(all, 2 * 2 + 2 + 5);
}

#[test]
fn edges_that_packed_parts_share_are_cut_once() {
    let bench = Bench::new();
    let sizes = [(40.0, 25.0), (20.0, 25.0)];
    for (n, (wide, high)) in sizes.into_iter().enumerate() {
        let page = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="60mm" viewBox="0 0 60 60" fill="none"><rect x="5" y="5" width="{wide}" height="{high}" stroke="red"/></svg>"#
        );
        bench.write(&format!("{n}.svg"), page);
    }
    let artworks =
        "[[artwork]]\nfile = \"0.svg\"\ncount = 4\n[[artwork]]\nfile = \"1.svg\"\ncount = 4\n";
    let head = "tinkite = 1\nmachine = \"bench-laser\"\n[stock]\nwidth = \"130 mm\"\ndepth = \"120 mm\"\n[place]\npack = { gap = \"0 mm\" }\n";
    let burnt = |more: &str| {
        bench.write("a.kite.toml", format!("{head}{artworks}{STEP}{more}"));
        let program = Program::emitted(&bench, "a.kite.toml");
        (program.burnt(), program.extents())
    };
    let outlines: f64 = sizes.iter().map(|(w, h)| 4.0 * 2.0 * (w + h)).sum();
    let (apart, extents) = burnt("");
    assert!((apart - outlines).abs() < 0.5, "{apart} mm of {outlines}");
    // Two parts that touch share no more than half of what bounds them, and the whole is bounded by its own outline.
    let (shared, same) = burnt("shared-edges = true\n");
    let around = 2.0 * (extents[2] - extents[0] + extents[3] - extents[1]);
    assert!(shared >= (outlines + around) / 2.0 - 0.5, "{shared} mm, {around} mm around");
    assert!(shared < 0.85 * outlines, "{shared} mm of {outlines}");
    assert!((0..4).all(|n| (same[n] - extents[n]).abs() < 0.05), "{same:?} {extents:?}");
}

#[test]
fn what_cannot_be_packed_is_refused() {
    let told = |pack: &str, more: &str| job(pack, more).told("a.kite.toml");
    assert!(told("turn = \"90 deg\"", "").contains("gap"));
    assert!(told("gap = \"2 mm\", turn = \"50 deg\"", "").contains("cannot be turned in steps of"));
    assert!(told("gap = \"-1 mm\"", "").contains("zero or more"));
    assert!(told("gap = \"2 mm\"", "at = [\"5 mm\", \"5 mm\"]").contains("at would contradict it"));
    assert!(
        told("gap = \"2 mm\"", "copies = { columns = 2 }")
            .contains("copies.columns would contradict it")
    );
    let large = told("gap = \"2 mm\", margin = \"40 mm\"", "");
    assert!(large.contains("too large for the 80 x 40 mm that are free"), "{large}");
    let own = told(
        "gap = \"2 mm\"",
        "[[shape]]\nkind = \"circle\"\ndiameter = \"5 mm\"\ncolour = \"red\"",
    );
    assert!(own.contains("have no place among them"), "{own}");
    let alone = job("gap = \"2 mm\"", "");
    alone.change("a.kite.toml", "pack = { gap = \"2 mm\" }", "");
    assert!(alone.told("a.kite.toml").contains("count"), "count is for pack");
}
