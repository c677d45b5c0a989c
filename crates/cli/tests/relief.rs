//! Reliefs from solids and depth pictures: what a program takes away, against closed forms.

use crate::common::Bench;
use std::f64::consts::{PI, TAU};

/// A solid that turns about its axis, as STL text: rings of radius and height from the foot to the top.
fn turned(profile: &[(f64, f64)]) -> String {
    const SIDES: usize = 180;
    let mut text = String::from("solid form\n");
    let mut face = |corners: [[f64; 3]; 3]| {
        text += "facet normal 0 0 0\nouter loop\n";
        corners.iter().for_each(|[x, y, z]| text += &format!("vertex {x} {y} {z}\n"));
        text += "endloop\nendfacet\n";
    };
    let at = |(r, z): (f64, f64), n: usize| {
        let angle = TAU * (n % SIDES) as f64 / SIDES as f64;
        [r * angle.cos(), r * angle.sin(), z]
    };
    let (first, last) = (profile[0], profile[profile.len() - 1]);
    for n in 0..SIDES {
        face([[0.0, 0.0, first.1], at(first, n + 1), at(first, n)]);
        face([[0.0, 0.0, last.1], at(last, n), at(last, n + 1)]);
        for pair in profile.windows(2) {
            face([at(pair[0], n), at(pair[0], n + 1), at(pair[1], n)]);
            face([at(pair[0], n + 1), at(pair[1], n + 1), at(pair[1], n)]);
        }
    }
    text + "endsolid form\n"
}

fn job(bench: &Bench, file: &str, relief: &str) {
    bench.write(
        "a.kite.toml",
        format!(
            "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"{file}\"\n[place]\nanchor = \"bottom-left\"\nat = [\"60 mm\", \"60 mm\"]\n[[step]]\nname = \"form\"\ntake = [{{ kind = \"solid\" }}, {{ kind = \"bitmap\" }}]\nmake = \"engrave\"\nspeed = \"100 mm/s\"\npower = \"20 %\"\nlines = {{ spacing = \"0.1 mm\" }}\nrelief = {{ {relief} }}\n"
        ),
    );
}

/// What the program takes away, mm³: lines as wide as they are apart, layers as thick as they are.
fn taken_away(bench: &Bench, thickness: f64) -> f64 {
    let plan = bench.json(&["plan", "a.kite.toml"]);
    plan["steps"][0]["burn_mm"].as_f64().unwrap() * 0.1 * thickness
}

fn near(found: f64, wanted: f64) {
    assert!((found / wanted - 1.0).abs() < 0.01, "{found:.2} mm3, and {wanted:.2} by the form");
}

#[test]
fn what_is_taken_away_is_what_the_form_says() {
    let bench = Bench::new();
    // A cone, 20 mm wide and 4 mm high; its relief is 2 mm deep.
    bench.write("form.stl", turned(&[(10.0, 0.0), (0.0, 4.0)]));
    let cone = PI * 100.0 * 2.0 / 3.0;
    job(&bench, "form.stl", "depth = \"2 mm\", layers = 20, turn = \"37 deg\"");
    near(taken_away(&bench, 0.1), 400.0 * 2.0 - cone);
    job(&bench, "form.stl", "depth = \"2 mm\", layers = 40, raised = false");
    near(taken_away(&bench, 0.05), cone);
    // Its lower half is its foot.
    job(&bench, "form.stl", "depth = \"1 mm\", layers = 20, raised = false, base = \"2 mm\"");
    near(taken_away(&bench, 0.05), PI * 25.0 / 3.0);
    // Half a ball of 8 mm.
    let ball: Vec<(f64, f64)> = (0..=60)
        .map(|n| PI / 120.0 * f64::from(n))
        .map(|a| (8.0 * a.cos(), 8.0 * a.sin()))
        .collect();
    bench.write("form.stl", turned(&ball));
    job(&bench, "form.stl", "depth = \"1.6 mm\", layers = 32, raised = false");
    near(taken_away(&bench, 0.05), 2.0 / 3.0 * PI * 512.0 / 5.0);
    // Three steps, each 1 mm high; the walls of the form are upright.
    bench.write(
        "form.stl",
        turned(&[(9.0, 0.0), (9.0, 1.0), (6.0, 1.0), (6.0, 2.0), (3.0, 2.0), (3.0, 3.0)]),
    );
    job(&bench, "form.stl", "depth = \"0.6 mm\", layers = 6, raised = false");
    near(taken_away(&bench, 0.1), PI * (81.0 + 36.0 + 9.0) * 0.2);
}

/// A form or a ground that is no multiple of the spacing: rows end where it ends, so that only their number is whole.
#[test]
fn what_is_no_multiple_of_the_spacing_takes_away_as_much() {
    let bench = Bench::new();
    for radius in [5.07, 6.04, 7.11, 8.13] {
        bench.write("form.stl", turned(&[(radius, 0.0), (0.0, 4.0)]));
        let (ground, cone) = (4.0 * radius * radius * 2.0, PI * radius * radius * 2.0 / 3.0);
        for (spacing, more) in [(0.1, ""), (0.17, ""), (0.17, ", turn = \"90 deg\"")] {
            job(&bench, "form.stl", &format!("depth = \"2 mm\", layers = 20{more}"));
            bench.change(
                "a.kite.toml",
                "spacing = \"0.1 mm\"",
                &format!("spacing = \"{spacing} mm\""),
            );
            let plan = bench.json(&["plan", "a.kite.toml"]);
            let found = plan["steps"][0]["burn_mm"].as_f64().unwrap() * spacing * 0.1;
            near(found, ground - cone);
        }
    }
}

#[test]
fn a_depth_picture_of_sixteen_bits_gives_the_same_form() {
    let bench = Bench::new();
    // A cone as a picture, 10 pixels to the mm: dark is deep.
    let pixels: Vec<u8> = (0..200 * 200)
        .flat_map(|n| {
            let (x, y) = (f64::from(n % 200) - 99.5, f64::from(n / 200) - 99.5);
            let deep = (1.0 - x.hypot(y) / 100.0).max(0.0);
            (((1.0 - deep) * 65_535.0).round() as u16).to_ne_bytes()
        })
        .collect();
    let write = |name: &str, pixels: &[u8], colour| {
        let file = std::fs::File::create(bench.path(name)).unwrap();
        let encoder = image::codecs::png::PngEncoder::new(file);
        image::ImageEncoder::write_image(encoder, pixels, 200, 200, colour).unwrap();
    };
    write("deep.png", &pixels, image::ExtendedColorType::L16);
    let eight: Vec<u8> =
        pixels.chunks(2).map(|p| (u16::from_ne_bytes([p[0], p[1]]) >> 8) as u8).collect();
    write("eight.png", &eight, image::ExtendedColorType::L8);
    let cone = PI * 100.0 * 2.0 / 3.0;
    for (file, how) in [
        ("deep.png\"\nwidth = \"20 mm", "depth = \"2 mm\", layers = 40"),
        (
            "deep.png\"\nwidth = \"20 mm",
            "depth = \"2 mm\", layers = 40, from = \"dark\", turn = \"61 deg\"",
        ),
        ("eight.png\"\nwidth = \"20 mm", "depth = \"2 mm\", layers = 40"),
    ] {
        job(&bench, file, how);
        near(taken_away(&bench, 0.05), cone);
    }
    job(&bench, "deep.png\"\nwidth = \"20 mm", "depth = \"2 mm\", layers = 40, from = \"light\"");
    near(taken_away(&bench, 0.05), 800.0 - cone);
}

#[test]
fn layers_passes_and_ground_are_as_the_job_says() {
    let bench = Bench::new();
    bench.demo("tube-laser.machine.toml");
    bench.write("form.stl", turned(&[(5.0, 0.0), (5.0, 2.0), (4.0, 2.0), (4.0, 3.0)]));
    job(
        &bench,
        "form.stl",
        "depth = \"1 mm\", layer = \"0.25 mm\", finish = { speed = \"200 mm/s\", power = \"12 %\" }",
    );
    bench.change("a.kite.toml", "relief = {", "per-pass = \"0.1 mm\"\nrelief = {");
    bench.change("a.kite.toml", "bench-laser", "tube-laser");
    bench.change("a.kite.toml", "[\"60 mm\", \"60 mm\"]", "[\"60 mm\", \"-300 mm\"]");
    let plan = bench.json(&["plan", "a.kite.toml"]);
    let steps = plan["steps"].as_array().unwrap();
    // 0.25 mm at 0.1 mm a pass: three.
    assert_eq!((&steps[0]["passes"], &steps[1]["name"]), (&3.into(), &"form finish".into()));
    let told = bench.run(&["check", "a.kite.toml"]).err;
    let told = told.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ");
    assert!(told.contains("4 layers of 0.25 mm, 3 passes each, 1 mm deep"), "{told}");
    assert!(told.contains("form.stl is 3 mm high and lies 10 x 10 mm large; its relief is 1 mm deep, 33.3 % of its own height"), "{told}");
    // The focus goes down with the layers, and back.
    let program = bench.ok(&["emit", "a.kite.toml", "-o", "-"]);
    let heights: Vec<&str> = program.lines().filter(|line| line.contains('Z')).collect();
    for z in ["Z-0.25", "Z-0.5", "Z-0.75"] {
        assert!(heights.iter().any(|line| line.contains(z)), "{z} in {heights:?}");
    }
    // What its focus axis does not reach is refused, from the heights that would be sent.
    bench.change(
        "a.kite.toml",
        "depth = \"1 mm\", layer = \"0.25 mm\"",
        "depth = \"20 mm\", layers = 4",
    );
    assert!(
        bench.told("a.kite.toml").contains("the focus goes from -15 mm to"),
        "{}",
        bench.told("a.kite.toml")
    );
    // A ground that a circle bounds: the square's corners stand.
    job(&bench, "form.stl", "depth = \"1 mm\", layers = 10");
    bench.change("a.kite.toml", "[place]", "[[shape]]\nkind = \"circle\"\nname = \"rim\"\ndiameter = \"16 mm\"\ncolour = \"red\"\nat = [\"5 mm\", \"5 mm\"]\n[place]");
    bench.change("a.kite.toml", "relief = {", "boundary = { id = \"rim\" }\nrelief = {");
    near(taken_away(&bench, 0.1), PI * (64.0 - 25.0) + PI * (25.0 - 16.0) / 3.0);
}

#[test]
fn what_cannot_be_cut_is_refused_in_words() {
    let bench = Bench::new();
    bench.write("form.stl", turned(&[(5.0, 0.0), (5.0, 2.0)]));
    let told = |relief: &str| {
        job(&bench, "form.stl", relief);
        bench.told("a.kite.toml")
    };
    assert!(told("layers = 4").contains("depth"));
    assert!(told("depth = \"1 mm\"").contains("layers = 20"));
    assert!(told("depth = \"1 mm\", layers = 4, layer = \"1 mm\"").contains("keep one of them"));
    assert!(
        told("depth = \"1 mm\", layer = \"0.0001 mm\"")
            .contains("are 10000, and 1000 are the most")
    );
    assert!(told("depth = \"1 mm\", layers = 4, base = \"2 mm\"").contains("base leaves out 2 mm"));
    assert!(
        told("depth = \"1 mm\", layers = 4, from = \"dark\"")
            .contains("is a solid, and has no darkness")
    );
    job(&bench, "form.stl", "depth = \"1 mm\", layers = 4");
    bench.change("a.kite.toml", "[place]", "[stock]\nthickness = \"0.8 mm\"\n[place]");
    assert!(bench.told("a.kite.toml").contains("1 mm deep, and the stock is 0.8 mm thick"));
    job(&bench, "form.stl", "depth = \"1 mm\", layers = 4");
    bench.change(
        "a.kite.toml",
        "lines = { spacing = \"0.1 mm\" }\nrelief = { depth = \"1 mm\", layers = 4 }",
        "image = { spacing = \"0.1 mm\", grey = true }",
    );
    assert!(bench.told("a.kite.toml").contains("which is a solid"));
    for (key, why) in
        [("passes-by = \"sheet\"", "all its passes"), ("order = \"upwards\"", "under each other")]
    {
        job(&bench, "form.stl", "depth = \"1 mm\", layers = 4");
        bench.change("a.kite.toml", "relief = {", &format!("{key}\nrelief = {{"));
        assert!(bench.told("a.kite.toml").contains(why), "{key}");
    }
    bench.write("flat.stl", turned(&[(5.0, 1.0), (4.0, 1.0)]));
    job(&bench, "flat.stl", "depth = \"1 mm\", layers = 4");
    assert!(bench.told("a.kite.toml").contains("has no height"));
}

#[test]
fn what_is_finer_than_the_spot_is_told() {
    let bench = Bench::new();
    // Grooves as wide as the walls between them, as a picture and as a solid.
    let stripes = |pixels: usize| {
        let grey: Vec<u8> = (0..200 * 200)
            .map(|n| if (n % 200 / pixels).is_multiple_of(2) { 0 } else { 255 })
            .collect();
        let file = std::fs::File::create(bench.path("grooves.png")).unwrap();
        let encoder = image::codecs::png::PngEncoder::new(file);
        let kind = image::ExtendedColorType::L8;
        image::ImageEncoder::write_image(encoder, &grey, 200, 200, kind).unwrap();
    };
    bench.change("bench-laser.machine.toml", "\"0.08 mm\"", "\"0.3 mm\"");
    job(&bench, "grooves.png\"\nwidth = \"20 mm", "depth = \"1 mm\", layers = 2");
    let fine = |bench: &Bench| bench.codes("a.kite.toml").contains(&"fine-detail".to_string());
    stripes(2);
    assert!(fine(&bench), "grooves of 0.2 mm under a spot of 0.3 mm");
    stripes(4);
    assert!(!fine(&bench), "grooves of 0.4 mm");
    // `look` says it of a solid: a box of 40 mm on which a wall of 2 mm stands.
    let mut text = String::from("solid wall\n");
    for ([x0, x1], high) in [([0.0, 40.0], 2.0), ([10.0, 12.0], 4.0)] {
        let corners = [[x0, 0.0, high], [x1, 0.0, high], [x1, 40.0, high], [x0, 40.0, high]];
        for triangle in [[0, 1, 2], [0, 2, 3]] {
            text += "facet normal 0 0 1\nouter loop\n";
            for [x, y, z] in triangle.map(|n| corners[n]) {
                text += &format!("vertex {x} {y} {z}\n");
            }
            text += "endloop\nendfacet\n";
        }
    }
    text += "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 40 0 0\nvertex 40 40 0\nendloop\nendfacet\nendsolid wall\n";
    bench.write("wall.stl", text);
    let solid = bench.json(&["look", "wall.stl"])["files"][0]["solid"].clone();
    let detail = solid["detail_mm"].as_f64().unwrap();
    assert!((1.5..=2.05).contains(&detail), "a wall of 2 mm, in steps of a quarter: {detail}");
}

#[test]
fn the_picture_of_depths_counts_as_the_machine_does() {
    let bench = Bench::new();
    bench.write("cone.stl", turned(&[(5.0, 0.0), (5.0, 1.0), (1.0, 3.0)]));
    job(&bench, "cone.stl", "depth = \"1 mm\", layers = 4");
    let mut middles = Vec::new();
    for (origin, from, to) in [
        ("bottom-left", "60 mm", "60 mm"),
        ("top-right", "60 mm", "-70 mm"),
        ("centre", "-70 mm", "20 mm"),
    ] {
        let before = bench.read("bench-laser.machine.toml");
        let lines = before.lines().map(|line| match line.starts_with("origin") {
            true => format!("origin = \"{origin}\""),
            false => line.to_string(),
        });
        bench.write("bench-laser.machine.toml", lines.collect::<Vec<_>>().join("\n"));
        let place = |at: &str| format!("at = [\"{at}\", \"{at}\"]");
        bench.change("a.kite.toml", &place(from), &place(to));
        bench.ok(&["draw", "a.kite.toml", "--show", "depth", "-o", "d.svg", "--force"]);
        let plan = bench.json(&["plan", "a.kite.toml"]);
        let middle = |n: usize| {
            let end = |end: &str| plan["extents_mm"][end][n].as_f64().unwrap();
            f64::midpoint(end("min"), end("max"))
        };
        let drawn = bench.read("d.svg");
        let said = drawn.split("a section at Y ").nth(1).unwrap().split(' ').next().unwrap();
        assert!((said.parse::<f64>().unwrap() - middle(1)).abs() < 0.11, "{origin}: {said} {plan}");
        // The ruler has round numbers about the middle: the nearest is less than a step away.
        let numbers = drawn.split("text-anchor=\"middle\"").skip(1);
        let numbers: Vec<f64> = numbers
            .filter_map(|rest| rest.split('>').nth(1)?.split('<').next()?.parse().ok())
            .collect();
        let (low, high) = (
            numbers.iter().copied().fold(f64::MAX, f64::min),
            numbers.iter().copied().fold(f64::MIN, f64::max),
        );
        assert!(
            low < middle(0) && middle(0) < high && high - low < 12.0,
            "{origin}: {numbers:?} {plan}"
        );
        middles.push(middle(1));
    }
    assert!(middles[0] != middles[2], "{middles:?}");
}
