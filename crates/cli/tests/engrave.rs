//! Areas filled with lines and rings, through the built program: each key is read back from what is
//! emitted.

use crate::common::Bench;
use crate::common::moves::{Move, Program};

const JOB: &str = "a.kite.toml";

/// A plate of 20 × 10 mm at (30, 40) and, 30 mm to the right, one of 10 × 10.
const PLATES: &str = r#"<rect id="left" x="30" y="30" width="20" height="10" fill="black"/><rect id="right" x="80" y="30" width="10" height="10" fill="black"/>"#;
const LEFT: &str = r#"<rect id="left" x="30" y="30" width="20" height="10" fill="black"/>"#;

fn step(more: &str) -> String {
    format!(
        "[[step]]\nname = \"fill\"\ntake = {{ fill = \"black\" }}\nmake = \"engrave\"\nspeed = \"60 mm/s\"\npower = \"50 %\"\n{more}\n"
    )
}

fn bench(body: &str, more: &str) -> Bench {
    Bench::drawn(body, "", &step(more))
}

fn program(body: &str, more: &str) -> Program {
    Program::emitted(&bench(body, more), JOB)
}

fn lines(more: &str) -> String {
    format!("lines = {{ spacing = \"0.5 mm\"{more} }}")
}

#[track_caller]
fn near(got: f64, want: f64, slack: f64) {
    assert!((got - want).abs() <= slack, "{got} instead of {want}");
}

/// Burnt area in mm², by spacing.
fn area(program: &Program, spacing: f64) -> f64 {
    program.burnt() * spacing
}

#[test]
fn run_up_is_worked_out_from_speed_and_acceleration() {
    let run_up = |made: &Program| -> f64 {
        let dark = |m: &&Move| m.s == 0.0 && m.speed.is_some();
        made.moves.iter().find(dark).unwrap().length()
    };
    // 60² / (2 · 1500) = 1.2 mm along X, a tenth more, rounded up.
    near(run_up(&program(LEFT, &lines(""))), 1.4, 1e-6);
    // Y accelerates with 1200 mm/s² only: 1.5 mm, and a tenth more.
    near(run_up(&program(LEFT, &lines(", angle = \"90 deg\""))), 1.7, 1e-6);
    near(run_up(&program(LEFT, &lines(", run-up = \"5 mm\""))), 5.0, 1e-6);
    let plan = bench(LEFT, &lines("")).json(&["plan", JOB]);
    near(plan["steps"][0]["burn_mm"].as_f64().unwrap(), 400.0, 1e-6);
}

#[test]
fn spacing_may_be_dpi_and_lines_may_cross() {
    near(program(LEFT, "lines = { spacing = \"50.8 dpi\" }").burnt(), 400.0, 1e-6);
    let crossed = program(LEFT, &lines(", cross = [\"90 deg\", \"45 deg\"]"));
    let along = |angle: f64| -> f64 {
        let turned = |m: &&Move| {
            let d = (m.to[1] - m.from[1]).atan2(m.to[0] - m.from[0]).to_degrees();
            (d - angle).rem_euclid(180.0).min((angle - d).rem_euclid(180.0)) < 0.1
        };
        crossed.burns().filter(turned).map(Move::length).sum()
    };
    for angle in [0.0, 90.0, 45.0] {
        near(along(angle) * 0.5, 200.0, 2.5);
    }
}

#[test]
fn lines_advance_from_the_edge_that_is_asked_for_in_one_direction_or_both() {
    let first = |more: &str| program(LEFT, &lines(more)).burns().next().unwrap().from;
    assert_eq!(first("")[1], 40.25);
    assert_eq!(first(", advance = \"downwards\"")[1], 49.75);
    assert_eq!(first(", angle = \"90 deg\"")[0], 30.25);
    assert_eq!(first(", angle = \"90 deg\", advance = \"leftwards\"")[0], 49.75);
    let rightwards =
        |more: &str| program(LEFT, &lines(more)).burns().filter(|m| m.to[0] > m.from[0]).count();
    assert_eq!((rightwards(""), rightwards(", directions = \"one\"")), (10, 20));
}

#[test]
fn lines_walked_backwards_are_moved_by_what_was_measured() {
    let made = program(LEFT, &lines(", offset = \"0.2 mm\""));
    for m in made.burns() {
        let left = m.from[0].min(m.to[0]);
        near(left, if m.to[0] > m.from[0] { 30.0 } else { 30.2 }, 1e-6);
    }
    let told = bench(LEFT, &lines(", offset = \"0.2 mm\", directions = \"one\"")).told(JOB);
    assert!(told.contains("directions = \"one\" has none"), "{told}");
}

#[test]
fn insets_keep_away_from_the_edge() {
    let made = program(LEFT, &lines(", inset = \"1 mm\""));
    near(area(&made, 0.5), 18.0 * 8.0, 0.1);
    assert_eq!(made.extents()[0], 31.0);
    let told = bench(LEFT, &lines(", inset = \"5.1 mm\"")).told(JOB);
    assert!(told.contains("an inset of 5.1 mm leaves no area"), "{told}");
}

#[test]
fn islands_are_walked_together_or_one_by_one() {
    let rows = |more: &str| -> Vec<bool> {
        // Whether each stretch lies in the left plate.
        program(PLATES, &lines(more)).burns().map(|m| m.from[0] < 60.0).collect()
    };
    let together = rows(", islands = \"together\"");
    assert_eq!(together.len(), 40);
    assert!(together.windows(2).filter(|w| w[0] != w[1]).count() >= 20);
    let one_by_one = rows(", islands = \"one-by-one\"");
    assert_eq!(one_by_one.windows(2).filter(|w| w[0] != w[1]).count(), 1);
    // The long gap is crossed as travel, a short one at speed.
    let gaps = |body: &str| {
        let made = program(body, &lines(", islands = \"together\""));
        made.moves
            .iter()
            .filter(|m| m.speed.is_none() && (m.from[1] - m.to[1]).abs() < 1e-9)
            .count()
    };
    assert_eq!(gaps(PLATES), 20);
    assert_eq!(gaps(&PLATES.replace("x=\"80\"", "x=\"51\"")), 0);
}

/// Rectangles, each as x, y, width and height in mm.
fn rectangles(all: &[[f64; 4]]) -> String {
    let one = |[x, y, w, h]: &[f64; 4]| {
        format!(r#"<rect x="{x}" y="{y}" width="{w}" height="{h}" fill="black"/>"#)
    };
    all.iter().map(one).collect()
}

/// What a drawing takes and burns in each of the ways to walk islands.
fn ways(body: &str, speed: u32) -> Vec<(f64, f64)> {
    ["quickest", "together", "one-by-one"]
        .map(|way| {
            let steps = format!(
                "[[step]]\ntake = {{ fill = \"black\" }}\nmake = \"engrave\"\nspeed = \"{speed} mm/s\"\npower = \"30 %\"\nlines = {{ spacing = \"0.25 mm\", islands = \"{way}\" }}\n"
            );
            let place = "[place]\nat = [\"20 mm\", \"20 mm\"]\nanchor = \"bottom-left\"";
            let plan = Bench::drawn(body, place, &steps).json(&["plan", "a.kite.toml"]);
            (plan["seconds"].as_f64().unwrap(), plan["burn_mm"].as_f64().unwrap())
        })
        .to_vec()
}

#[test]
fn the_quickest_groups_are_never_slower_than_all_together_or_all_apart() {
    let marks = |n: usize| [(n * 37 % 93) as f64, (n * 53 % 71) as f64, 4.0, 4.0];
    let tiles = |n: usize| [(n % 8 * 11) as f64, (n / 8 * 11) as f64, 10.0, 10.0];
    let bars =
        |n: usize| [(n % 3 * 30) as f64, (n * 7 % 50) as f64, 20.0 / (n % 4 + 1) as f64, 12.0];
    // A frame with something in it: rows of both lie inside each other.
    let inside = vec![
        [0.0, 0.0, 90.0, 4.0],
        [0.0, 66.0, 90.0, 4.0],
        [0.0, 4.0, 4.0, 62.0],
        [86.0, 4.0, 4.0, 62.0],
        [40.0, 30.0, 8.0, 8.0],
    ];
    let scenes: [Vec<[f64; 4]>; 5] = [
        (0..14).map(marks).collect(),
        (0..32).map(tiles).collect(),
        vec![[0.0, 30.0, 12.0, 12.0], [84.0, 30.0, 12.0, 12.0]],
        (0..9).map(bars).collect(),
        inside,
    ];
    for (n, scene) in scenes.iter().enumerate() {
        for speed in [40, 120] {
            let told = ways(&rectangles(scene), speed);
            let (quickest, burnt) = told[0];
            let better = told[1].0.min(told[2].0);
            assert!(quickest <= 1.01 * better, "scene {n} at {speed} mm/s: {told:?}");
            // Whatever the way, the same is burnt.
            assert!(told.iter().all(|(_, other)| (other - burnt).abs() < 0.01 * burnt), "{told:?}");
        }
    }
    // Where both ways are wrong, groups are much better: two blocks of tiles that are far apart.
    let block = |n: usize, at: f64| [at + (n % 3 * 4) as f64, (n / 3 * 4) as f64, 3.0, 3.0];
    let two: Vec<_> = (0..9).map(|n| block(n, 0.0)).chain((0..9).map(|n| block(n, 85.0))).collect();
    let told = ways(&rectangles(&two), 120);
    assert!(told[0].0 < 0.9 * told[1].0.min(told[2].0), "{told:?}");
}

#[test]
fn a_picture_is_engraved_in_parts_where_it_is_blank_between_them() {
    let bench = Bench::new();
    let made = |gap: u32| {
        let wide = 40 + gap + 40;
        let picture = image::GrayImage::from_fn(wide, 60, |x, y| {
            let part = x < 40 || x >= 40 + gap;
            image::Luma([if part { (x * 7 + y * 3) as u8 / 2 } else { 255 }])
        });
        picture.save(bench.path("p.png")).unwrap();
        let job = "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"p.png\"\ndpi = \"254 dpi\"\n[place]\nat = [\"20 mm\", \"20 mm\"]\n[[step]]\ntake = { kind = \"bitmap\" }\nmake = \"engrave\"\nspeed = \"60 mm/s\"\npower = \"40 %\"\nimage = { spacing = \"0.1 mm\", grey = true }\n";
        bench.write("p.kite.toml", job);
        let plan = bench.json(&["plan", "p.kite.toml"]);
        bench.ok(&["emit", "p.kite.toml", "-o", "p.nc", "--force"]);
        (plan["seconds"].as_f64().unwrap(), plan["burn_mm"].as_f64().unwrap())
    };
    let (near, burnt) = made(20);
    let (far, same) = made(1600);
    // 160 mm of nothing cost one way across, not sixty.
    assert!((same - burnt).abs() < 1e-6 * burnt, "{same} and {burnt} mm");
    assert!(far < near + 8.0, "{near} s near each other, {far} s far apart");
}

#[test]
fn the_outside_reaches_to_a_boundary_or_the_stock() {
    let ring = r#"<circle id="border" cx="40" cy="35" r="20" stroke="red"/>"#;
    let both = format!("{LEFT}{ring}");
    let round = std::f64::consts::PI * 400.0;
    let outside = "area = \"outside\"\nboundary = { id = \"border\" }\n";
    let made = program(&both, &format!("{outside}{}", lines("")));
    near(area(&made, 0.5), round - 200.0, 0.01 * round);
    // The boundary is no leftover, although no step takes it.
    assert!(bench(&both, &format!("{outside}{}", lines(""))).codes(JOB).is_empty());
    let inside = program(
        &format!("{LEFT}<circle id=\"border\" cx=\"30\" cy=\"35\" r=\"20\" stroke=\"red\"/>"),
        &format!("boundary = {{ id = \"border\" }}\n{}", lines("")),
    );
    assert!(area(&inside, 0.5) < 200.0 && area(&inside, 0.5) > 150.0);
    let stock = bench(LEFT, &format!("area = \"outside\"\n{}", lines("")));
    assert!(stock.told(JOB).contains("nothing says how far"));
    stock.change(JOB, "[[step]]", "[stock]\nmargin = \"5 mm\"\n[[step]]");
    near(area(&Program::emitted(&stock, JOB), 0.5), 30.0 * 20.0 - 200.0, 3.0);
    let open = format!("{LEFT}<path id=\"border\" d=\"M0 0H80V70\" stroke=\"red\"/>");
    assert!(
        bench(&open, &format!("{outside}{}", lines(""))).told(JOB).contains("not closed: border")
    );
}

#[test]
fn the_drawing_may_grow_and_overlaps_may_cancel() {
    let grown = program(LEFT, &format!("grow = \"1 mm\"\n{}", lines("")));
    near(area(&grown, 0.5), 200.0 + 60.0 + std::f64::consts::PI, 1.5);
    let shrunk = program(LEFT, &format!("grow = \"-1 mm\"\n{}", lines("")));
    near(area(&shrunk, 0.5), 18.0 * 8.0, 0.1);
    assert!(
        bench(LEFT, &format!("grow = \"-6 mm\"\n{}", lines("")))
            .told(JOB)
            .contains("after shrinking by 6 mm")
    );
    let two = format!("{LEFT}<rect x=\"40\" y=\"30\" width=\"20\" height=\"10\" fill=\"black\"/>");
    near(area(&program(&two, &lines("")), 0.5), 300.0, 0.1);
    near(area(&program(&two, &format!("overlaps = \"even-odd\"\n{}", lines(""))), 0.5), 200.0, 0.1);
}

/// Distance of a point from the edge of the left plate, outside it.
fn beyond(p: [f64; 2]) -> f64 {
    let dx = (30.0 - p[0]).max(p[0] - 50.0).max(0.0);
    let dy = (40.0 - p[1]).max(p[1] - 50.0).max(0.0);
    dx.hypot(dy)
}

#[test]
fn shoulders_rise_with_the_distance_from_the_edge() {
    let border = r#"<rect id="border" x="20" y="20" width="40" height="30" stroke="red"/>"#;
    let more = format!(
        "area = \"outside\"\nboundary = {{ id = \"border\" }}\nshoulder = {{ over = \"2 mm\", from = \"10 %\" }}\n{}",
        lines("")
    );
    let made = program(&format!("{LEFT}{border}"), &more);
    near(area(&made, 0.5), 1200.0 - 200.0, 3.0);
    for m in made.burns() {
        let middle = [(m.from[0] + m.to[0]) / 2.0, (m.from[1] + m.to[1]) / 2.0];
        let (from, to) = (beyond(m.from), beyond(m.to));
        let (low, high) = (from.min(to).min(beyond(middle)), from.max(to).max(beyond(middle)));
        let wanted = |d: f64| 100.0 + 400.0 * (d / 2.0).min(1.0);
        // A band of the shoulder is one S value.
        let band = 400.0 / 40.0;
        assert!(m.s >= wanted(low) - band && m.s <= wanted(high) + band, "{m:?}: {low} to {high}");
    }
    let wide = more.replace("2 mm", "30 mm");
    assert_eq!(bench(&format!("{LEFT}{border}"), &wide).codes(JOB)[0], "shoulder-wide");
    // Inside, it counts from the edge inwards.
    let inside =
        program(LEFT, &format!("shoulder = {{ over = \"2 mm\", from = \"10 %\" }}\n{}", lines("")));
    let strongest = inside.burns().max_by(|a, b| a.s.total_cmp(&b.s)).unwrap();
    assert!(strongest.s == 500.0 && strongest.from[1] > 42.0 && strongest.from[1] < 48.0);
    let first = inside.burns().next().unwrap();
    assert!(first.s < 150.0, "{first:?}");
    let told = bench(
        LEFT,
        "shoulder = { over = \"2 mm\", from = \"95 %\" }\nlines = { spacing = \"1 mm\" }",
    )
    .told(JOB);
    assert!(told.contains("from in shoulder: 95 % (S950) is above"), "{told}");
}

#[test]
fn rings_follow_the_outline_until_nothing_is_left() {
    let made = program(LEFT, "rings = { spacing = \"1 mm\" }");
    let lengths: Vec<f64> = made.runs().iter().map(|run| run.length).collect();
    assert_eq!(lengths.len(), 5);
    // 0.5 mm inside the outline, then a millimetre further each time.
    for (n, length) in lengths.iter().enumerate() {
        near(*length, 60.0 - 8.0 * (0.5 + n as f64), 0.02);
    }
    let outwards =
        program(LEFT, "rings = { spacing = \"1 mm\", towards = \"outline\", inset = \"1 mm\" }");
    let lengths: Vec<f64> = outwards.runs().iter().map(|run| run.length).collect();
    // Where the fifth ring would have no width there is one line of 10 mm along its middle.
    assert_eq!(lengths.len(), 5, "{lengths:?}");
    near(lengths[0], 10.0, 0.7);
    assert!(lengths[1..].is_sorted(), "{lengths:?}");
    near(area(&made, 1.0), 200.0, 3.0);
    assert!(
        bench(LEFT, "rings = { spacing = \"1 mm\", inset = \"6 mm\" }")
            .told(JOB)
            .contains("too narrow for a ring")
    );
}

/// How far a point lies from the nearest burnt chord, mm.
fn from_burns(program: &Program, p: [f64; 2]) -> f64 {
    let distance = |m: &Move| {
        let (dx, dy) = (m.to[0] - m.from[0], m.to[1] - m.from[1]);
        let along = ((p[0] - m.from[0]) * dx + (p[1] - m.from[1]) * dy) / (dx * dx + dy * dy);
        let share = along.clamp(0.0, 1.0);
        (m.from[0] + share * dx - p[0]).hypot(m.from[1] + share * dy - p[1])
    };
    program.burns().map(distance).fold(f64::INFINITY, f64::min)
}

#[test]
fn rings_leave_no_strip_whatever_the_width() {
    // Bars of every width from half a spacing to ten, 4 mm apart; a wedge of 12 degrees beside them.
    let widths: Vec<f64> = (0..18).map(|n| 0.11 + 0.113 * f64::from(n)).collect();
    let bar = |(n, width): (usize, &f64)| {
        format!(r#"<rect x="{}" y="10" width="{width}" height="12" fill="black"/>"#, 5 + 4 * n)
    };
    let body: String = widths.iter().enumerate().map(bar).collect();
    let wedge = r#"<path d="M80 10 V50 L88.5 10 Z" fill="black"/>"#;
    let made = program(&(body + wedge), "rings = { spacing = \"0.2 mm\" }");
    let spacing = 0.2;
    for (n, width) in widths.iter().enumerate() {
        for (across, along) in (1..40).flat_map(|a| (1..60).map(move |b| (a, b))) {
            let (dx, dy) = (width * f64::from(across) / 40.0, 12.0 * f64::from(along) / 60.0);
            let p = [5.0 + 4.0 * n as f64 + dx, 70.0 - dy];
            let left = from_burns(&made, p);
            // A corner of 90 degrees keeps a spot 0.586 of a spacing from the lines.
            let corner = dx.min(width - dx).hypot(dy.min(12.0 - dy)) < 10.0 * spacing;
            let most = if corner { 0.68 } else { 0.53 } * spacing;
            assert!(left < most, "{width} wide: {p:?} is {left} mm from a line");
        }
    }
    for along in 1..200 {
        let y = 30.0 + f64::from(along) * 0.2;
        let width = 8.5 * (y - 30.0) / 40.0;
        for share in [0.1, 0.3, 0.5, 0.7, 0.9] {
            let left = from_burns(&made, [80.0 + width * share, y]);
            assert!(left < 0.75 * spacing || y > 69.0, "wedge at {y}, {share}: {left}");
        }
    }
}

#[test]
fn rings_of_a_circle_are_circles() {
    let disc = r#"<circle cx="40" cy="40" r="6" fill="black"/>"#;
    let made = program(disc, "rings = { spacing = \"1 mm\" }");
    let arcs: Vec<(f64, f64)> = made.burns().filter_map(|m| m.arc).collect();
    for n in 0..6 {
        let radius = 5.5 - f64::from(n);
        let of_ring = arcs.iter().filter(|(r, _)| (r - radius).abs() < 0.01);
        let turned: f64 = of_ring.map(|(_, sweep)| sweep.abs()).sum();
        near(turned, std::f64::consts::TAU, 0.01);
    }
    assert!(made.burns().count() < 30, "{}", made.text);
}

#[test]
fn passes_of_an_engraving_keep_their_powers() {
    let weak = step(&lines("")).replace("power = \"50 %\"", "power = [\"50 %\", \"25 %\"]");
    let made = Program::emitted(&Bench::drawn(LEFT, "", &weak), JOB);
    let s: Vec<f64> = made.burns().map(|m| m.s).collect();
    assert_eq!((s.len(), s[0], s[39]), (40, 500.0, 250.0));
}

#[test]
fn keys_that_contradict_each_other_are_refused() {
    for (more, words) in [
        ("", "has no lines"),
        ("lines = { spacing = \"0 mm\" }", "must be above zero"),
        ("lines = { spacing = \"1e-9 mm\" }", "million lines"),
        ("rings = { spacing = \"1e-6 mm\" }", "rings one inside the other"),
        ("rings = { spacing = \"1 mm\" }\nlines = { spacing = \"1 mm\" }", "has lines and rings"),
        (
            "rings = { spacing = \"1 mm\" }\nshoulder = { over = \"1 mm\", from = \"10 %\" }",
            "made of parallel lines",
        ),
        ("kerf = \"1 mm\"\nlines = { spacing = \"1 mm\" }", "fills areas, so kerf has no meaning"),
        ("image = { spacing = \"1 mm\" }", "engraves bitmaps, and left is none"),
    ] {
        let told = bench(LEFT, more).told(JOB);
        assert!(told.contains(words), "{more}: {told}");
    }
}

/// Two squares that a white disc, a white line and a disc of the first colour lie over.
const PAGE: &str = r#"<path d="M5 5H45V45H5z" fill="black"/><circle cx="25" cy="25" r="12" fill="white"/><path d="M5 40H45" stroke="white" stroke-width="2"/><circle cx="25" cy="25" r="5" fill="black"/><path d="M50 5H60V15H50z" fill="black" opacity="0"/><path d="M50 5H90V45H50z" fill="black" fill-opacity="0.5"/>"#;

fn filled(colour: &str) -> String {
    format!(
        "[[step]]\nname = \"{colour}\"\ntake = {{ fill = \"{colour}\" }}\nmake = \"engrave\"\nspeed = \"100 mm/s\"\npower = \"20 %\"\nlines = {{ spacing = \"0.1 mm\" }}\n"
    )
}

#[test]
fn what_lies_under_other_paint_is_not_engraved() {
    let steps = [filled("#000000"), filled("#808080")].concat();
    let burnt = |more: &str| {
        let bench = Bench::drawn(PAGE, more, &steps);
        let plan = bench.json(&["plan", "a.kite.toml"]);
        let of = |n: usize| plan["steps"][n]["burn_mm"].as_f64().unwrap() * 0.1;
        (of(0), of(1), plan["problems"].to_string())
    };
    let disc = |r: f64| std::f64::consts::PI * r * r;
    let (black, grey, told) = burnt("");
    // The line takes 2 mm of 40; the inner disc is black again.
    let wanted = 1600.0 - disc(12.0) - 80.0 + disc(5.0);
    assert!((black - wanted).abs() < 3.0, "{black} of {wanted}");
    assert!((grey - 1600.0).abs() < 3.0, "{grey}");
    for part in ["mm² of 1 shape lie under", "half transparent", "of no opacity", "bare stock"] {
        assert!(told.contains(part), "{part}: {told}");
    }
    let (black, _, told) = burnt("under = \"keep\"\n");
    assert!((black - 1600.0).abs() < 3.0 && !told.contains("lie under"), "{black} {told}");
    let refused =
        Bench::drawn(PAGE, "under = \"sell\"\n", &steps).refused(1, &["plan", "a.kite.toml"]);
    assert!(refused.contains("under") && refused.contains("keep"), "{refused}");
}
