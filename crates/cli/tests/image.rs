//! Bitmaps that are engraved, through the built program.

use crate::common::Bench;
use crate::common::moves::{Move, Program};

const JOB: &str = "a.kite.toml";

/// A bitmap in the plain PGM-like way of BMP: 24 bits, rows from below, 254 dpi.
fn bmp(width: usize, height: usize, grey: impl Fn(usize, usize) -> u8) -> Vec<u8> {
    let stride = (width * 3).div_ceil(4) * 4;
    let size = 54 + stride * height;
    let mut out = Vec::with_capacity(size);
    out.extend(b"BM");
    let word = |out: &mut Vec<u8>, value: u32| out.extend(value.to_le_bytes());
    for value in [size as u32, 0, 54, 40, width as u32, height as u32] {
        word(&mut out, value);
    }
    out.extend([1, 0, 24, 0]);
    for value in [0, (stride * height) as u32, 10_000, 10_000, 0, 0] {
        word(&mut out, value);
    }
    for y in (0..height).rev() {
        let row = out.len();
        (0..width).for_each(|x| out.extend([grey(x, y); 3]));
        out.resize(row + stride, 0);
    }
    out
}

fn bench(bitmap: &[u8], artwork: &str, image: &str) -> Bench {
    let bench = Bench::new();
    bench.write("a.bmp", bitmap);
    bench.write(
        JOB,
        format!("tinkite = 1\nname = \"a\"\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"a.bmp\"\n{artwork}\n[place]\nat = [\"50 mm\", \"60 mm\"]\n[[step]]\nname = \"picture\"\ntake = {{ kind = \"bitmap\" }}\nmake = \"engrave\"\nspeed = \"50 mm/s\"\npower = \"50 %\"\nimage = {{ spacing = \"0.1 mm\"{image} }}\n"),
    );
    bench
}

fn program(bitmap: &[u8], image: &str) -> Program {
    Program::emitted(&bench(bitmap, "", image), JOB)
}

/// From white on the left to black on the right, 64 × 20 pixels.
fn wedge() -> Vec<u8> {
    bmp(64, 20, |x, _| 255 - (x * 255 / 63) as u8)
}

#[track_caller]
fn near(got: f64, want: f64, slack: f64) {
    assert!((got - want).abs() <= slack, "{got} instead of {want}");
}

/// Burnt length with every S.
fn weight(made: &Program) -> f64 {
    made.burns().map(|m| m.s * m.length()).sum()
}

#[test]
fn black_pixels_are_burnt_where_they_lie_and_blank_ones_are_skipped() {
    // A black bar of 10 × 4 pixels in a white field of 40 × 20.
    let bar =
        bmp(40, 20, |x, y| if (20..30).contains(&x) && (5..9).contains(&y) { 0 } else { 255 });
    let made = program(&bar, "");
    assert_eq!(made.burns().count(), 4, "a row of equal pixels is one move");
    near(made.burnt(), 4.0, 1e-6);
    // The bar's pixels 20..30 from the left, 5..9 from the top of 20.
    let [x0, y0, x1, y1] = made.extents();
    near(x0, 52.0, 1e-6);
    near(x1, 53.0, 1e-6);
    near(y0, 60.0 + 1.1 + 0.05, 1e-6);
    near(y1, 60.0 + 1.4 + 0.05, 1e-6);
    assert!(made.burns().all(|m| m.s == 500.0));
    // Run-up before and after: 50² / 3000 · 1.1, rounded up.
    near(made.moves[1].length(), 1.0, 1e-6);
}

#[test]
fn grey_is_power_between_two_limits() {
    let made = program(&wedge(), ", grey = true, power-from = \"10 %\"");
    let s: Vec<f64> = made.burns().take(63).map(|m| m.s).collect();
    assert!(s.is_sorted() && s[0] >= 100.0 && s[0] < 110.0 && s[62] == 500.0, "{s:?}");
    let middle = s.iter().filter(|s| (280.0..320.0).contains(*s)).count();
    assert!((4..9).contains(&middle), "even steps: {middle}");
    let plan =
        bench(&wedge(), "", ", power-from = \"10 %\", power-to = \"80 %\"").json(&["plan", JOB]);
    assert_eq!(plan["steps"][0]["power_percent"][1], 80.0);
    let told = bench(&wedge(), "", ", power-from = \"60 %\", power-to = \"40 %\"").told(JOB);
    assert!(told.contains("power-from (light) is above power-to (dark)"), "{told}");
    let told = bench(&wedge(), "", ", power-to = \"95 %\"").told(JOB);
    assert!(told.contains("power-to in image: 95 % (S950) is above"), "{told}");
}

#[test]
fn measured_light_spaces_greys_evenly_in_watts() {
    let bench = bench(&wedge(), "", ", grey = true, power-from = \"10 %\"");
    bench.change(
        "bench-laser.machine.toml",
        "full    = 1000",
        "table = [[\"10 %\", \"1 W\"], [\"30 %\", \"9 W\"], [\"50 %\", \"11 W\"]]\nfull    = 1000",
    );
    let s: Vec<f64> = Program::emitted(&bench, JOB).burns().take(63).map(|m| m.s).collect();
    // Half way between 1 W and 11 W is 6 W, which this source gives below 30 %.
    let middle = s[31];
    assert!((180.0..240.0).contains(&middle), "{middle}");
}

#[test]
fn threshold_and_dithers_burn_with_one_power() {
    let black = program(&wedge(), ", threshold = \"50 %\"");
    near(black.burnt(), 3.2 * 20.0, 2.1);
    assert!(black.burns().all(|m| m.s == 500.0));
    let mut texts = Vec::new();
    for dither in [
        "floyd-steinberg",
        "jarvis-judice-ninke",
        "stucki",
        "burkes",
        "sierra",
        "sierra-two-row",
        "sierra-lite",
        "atkinson",
        "bayer-2",
        "bayer-4",
        "bayer-8",
    ] {
        let made = program(&wedge(), &format!(", dither = \"{dither}\""));
        assert!(made.burns().all(|m| m.s == 500.0), "{dither}");
        // Half of the wedge is black in the mean.
        near(made.burnt(), 6.4 * 20.0 / 2.0, 6.0);
        texts.push(made.text);
    }
    texts.sort();
    texts.dedup();
    assert_eq!(texts.len(), 11, "each dither is its own");
    assert!(bench(&wedge(), "", ", dither = \"noise\"").told(JOB).contains("cannot be \"noise\""));
    assert!(
        bench(&wedge(), "", ", dither = \"burkes\", grey = true")
            .told(JOB)
            .contains("grey or dither")
    );
}

#[test]
fn tones_are_changed_as_asked() {
    let plain = weight(&program(&wedge(), ""));
    for (more, stronger) in [
        (", brightness = \"20 %\"", false),
        (", brightness = \"-20 %\"", true),
        (", gamma = 2.0", true),
        (", gamma = 0.5", false),
    ] {
        let changed = weight(&program(&wedge(), more));
        assert_eq!(changed > plain, stronger, "{more}: {changed} {plain}");
    }
    // A negative burns what was blank.
    let negative = program(&wedge(), ", invert = true");
    let first = negative.burns().map(|m| m.from[0]).fold(f64::MAX, f64::min);
    near(first, 50.0, 1e-6);
    let flat = program(&wedge(), ", contrast = \"100 %\"");
    assert!(flat.burns().all(|m| m.s == 500.0));
    assert!(bench(&wedge(), "", ", gamma = 0").told(JOB).contains("from 0.1 to 10"));
    assert!(bench(&wedge(), "", ", contrast = \"200 %\"").told(JOB).contains("-100 % to 100 %"));
}

#[test]
fn rows_turn_advance_and_go_one_way() {
    let field = bmp(40, 20, |_, _| 0);
    let turned = program(&field, ", angle = \"30 deg\"");
    near(turned.burnt() * 0.1, 8.0, 0.15);
    let angle = |m: &Move| (m.to[1] - m.from[1]).atan2(m.to[0] - m.from[0]).to_degrees();
    assert!(turned.burns().all(|m| (angle(m).rem_euclid(180.0) - 30.0).abs() < 0.2));
    let first = |more: &str| program(&field, more).burns().next().unwrap().from;
    near(first("")[1], 60.05, 1e-6);
    near(first(", advance = \"downwards\"")[1], 61.95, 1e-6);
    let far = program(&field, ", run-up = \"4 mm\"");
    near(far.moves[1].length(), 4.0, 1e-6);
    let shifted = program(&field, ", offset = \"0.2 mm\"");
    assert!(shifted.burns().filter(|m| m.to[0] < m.from[0]).all(|m| (m.to[0] - 50.2).abs() < 1e-6));
    let one = program(&field, ", directions = \"one\"");
    assert!(one.burns().all(|m| m.to[0] > m.from[0]));
    // The picture itself may be turned, mirrored and sized.
    let art = bench(&wedge(), "width = \"32 mm\"\nmirror = \"left-right\"", "");
    let made = Program::emitted(&art, JOB);
    let strongest = made.burns().max_by(|a, b| a.s.total_cmp(&b.s)).unwrap();
    assert!(strongest.from[0] < 52.0 && made.extents()[2] > 80.0);
}

#[test]
fn copies_of_a_bitmap_lie_side_by_side() {
    let field = bmp(20, 10, |_, _| 0);
    let bench = bench(&field, "", "");
    bench.change(
        JOB,
        "at = [\"50 mm\", \"60 mm\"]",
        "at = [\"50 mm\", \"60 mm\"]\ncopies = { columns = 3, gap = \"1 mm\" }",
    );
    let made = Program::emitted(&bench, JOB);
    near(made.burnt(), 3.0 * 2.0 * 10.0, 1e-6);
    near(made.extents()[2], 50.0 + 3.0 * 2.0 + 2.0, 1e-6);
}

#[test]
fn tiny_huge_and_blank_bitmaps_are_handled_or_told() {
    let one = program(&bmp(1, 1, |_, _| 0), "");
    near(one.burnt(), 0.1, 1e-6);
    let blank = bench(&bmp(9, 9, |_, _| 255), "", "");
    assert!(blank.codes(JOB).contains(&"blank-bitmap".to_string()), "{:?}", blank.codes(JOB));
    let dense = bench(&wedge(), "width = \"300 mm\"", "");
    dense.change(JOB, "spacing = \"0.1 mm\"", "spacing = \"0.0001 mm\"");
    assert!(dense.told(JOB).contains("million pixels"));
    // The header of a bitmap of 20,000 × 20,000 pixels.
    let mut huge = bmp(1, 1, |_, _| 0);
    huge[18..22].copy_from_slice(&20_000_u32.to_le_bytes());
    huge[22..26].copy_from_slice(&20_000_u32.to_le_bytes());
    assert!(!bench(&huge, "", "").told(JOB).is_empty());
}

#[test]
fn a_bitmap_that_nobody_takes_is_named_and_one_is_not_followed() {
    let bench = bench(&wedge(), "", "");
    bench.change(JOB, "make = \"engrave\"", "make = \"score\"");
    bench.change(JOB, "image = { spacing = \"0.1 mm\" }", "");
    assert!(bench.told(JOB).contains("which is a bitmap"));
    bench.demo("name-tag.svg");
    bench.ok(&["begin", "name-tag.svg", "-o", "tag.kite.toml"]);
    let text = bench.read("tag.kite.toml");
    // Engraving comes first in what is begun; without its step nobody takes the bitmap.
    let from = text.find("[[step]]\nname  = \"bitmaps\"").unwrap();
    let to = from + 1 + text[from + 1..].find("[[step]]").unwrap();
    bench.write("tag.kite.toml", [&text[..from], &text[to..]].concat());
    let plan = bench.json(&["plan", "tag.kite.toml"]);
    let left = &plan["leftovers"][0];
    assert_eq!((&left["name"], &left["paint"]), (&"maker".into(), &"bitmap".into()));
}

#[test]
fn moves_too_short_for_the_controller_are_told_with_the_speed_that_is_left() {
    let checks = bmp(200, 20, |x, _| if x % 2 == 0 { 0 } else { 80 });
    let bench = bench(&checks, "", "");
    bench.change(JOB, "speed = \"50 mm/s\"", "speed = \"150 mm/s\"");
    assert!(bench.codes(JOB).contains(&"slow-rows".to_string()));
    // The speed that is said runs evenly: the mean is what is asked for, and burning takes what was said.
    let plan = bench.json(&["check", JOB]);
    let slow = plan["problems"].as_array().unwrap().iter().find(|p| p["code"] == "slow-rows");
    let told = slow.unwrap()["message"].as_str().unwrap();
    let number = |before: &str| -> f64 {
        let from = told.find(before).unwrap_or_else(|| panic!("{before} in {told}")) + before.len();
        told[from..].split_whitespace().next().unwrap().parse().unwrap()
    };
    let (even, mean) = (number("; at "), number("is engraved at "));
    assert!(even < mean && mean < 150.0, "{even} {mean}");
    let step = |bench: &Bench| bench.json(&["plan", JOB])["steps"][0].clone();
    let said = step(&bench)["even_speed_mm_s"].as_f64().unwrap();
    assert!((even..even * 1.1).contains(&said), "{said} is rounded down to {even}");
    bench.change(JOB, "speed = \"150 mm/s\"", &format!("speed = \"{even} mm/s\""));
    assert!(!bench.codes(JOB).contains(&"slow-rows".to_string()));
    // Half as much again runs unevenly.
    let (from, to) = (format!("\"{even} mm/s\""), format!("\"{} mm/s\"", even * 1.5));
    bench.change(JOB, &from, &to);
    assert!(bench.codes(JOB).contains(&"slow-rows".to_string()));
    bench.change(JOB, &to, "\"150 mm/s\"");
    // A controller that sees farther keeps the speed.
    bench.change(
        "bench-laser.machine.toml",
        "dialect = \"grbl\"",
        "dialect = \"grbl\"\nlook-ahead = 400",
    );
    assert!(!bench.codes(JOB).contains(&"slow-rows".to_string()), "{:?}", bench.codes(JOB));
}

/// A wedge of eight greys, 80 x 20 pixels.
fn greys(bench: &Bench) {
    let grey: Vec<u8> = (0..80 * 20).map(|n| (n % 80 / 10 * 255 / 7) as u8).collect();
    let file = std::fs::File::create(bench.path("wedge.png")).unwrap();
    let encoder = image::codecs::png::PngEncoder::new(file);
    image::ImageEncoder::write_image(encoder, &grey, 80, 20, image::ExtendedColorType::L8).unwrap();
}

/// The job of a wedge, 40 mm wide, engraved so.
fn wedge_job(bench: &Bench, how: &str) {
    bench.write(
        "w.kite.toml",
        format!(
            "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"wedge.png\"\nwidth = \"40 mm\"\n[place]\nanchor = \"bottom-left\"\nat = [\"60 mm\", \"60 mm\"]\n[[step]]\nname = \"wedge\"\ntake = {{ kind = \"bitmap\" }}\nmake = \"engrave\"\nspeed = \"60 mm/s\"\npower = \"20 %\"\nimage = {{ spacing = \"0.1 mm\", {how} }}\n"
        ),
    );
}

#[test]
fn screens_and_noise_burn_as_much_as_is_dark() {
    let bench = Bench::new();
    greys(&bench);
    for how in [
        "dither = \"dots\", ruling = \"30 lpi\"",
        "dither = \"rows\", ruling = \"1 mm\", screen-angle = \"20 deg\"",
        "dither = \"blue-noise\"",
        "dither = \"stucki\"",
    ] {
        wedge_job(&bench, how);
        let plan = bench.json(&["plan", "w.kite.toml"]);
        // Half of 40 x 10 mm is dark; rows are 0.1 mm apart.
        let burn = plan["steps"][0]["burn_mm"].as_f64().unwrap();
        assert!((burn / 2000.0 - 1.0).abs() < 0.02, "{how}: {burn}");
        bench.ok(&["emit", "w.kite.toml", "-o", "w.nc", "--force"]);
    }
    // What is no darker than the stock is not burnt.
    wedge_job(&bench, "dither = \"stucki\", stock = \"50 %\"");
    let burn = bench.json(&["plan", "w.kite.toml"])["steps"][0]["burn_mm"].as_f64().unwrap();
    // The four darker greys, from half to black: 1/7, 3/7, 5/7 and 7/7 of it.
    assert!((burn / (4000.0 / 8.0 * 16.0 / 7.0) - 1.0).abs() < 0.03, "{burn}");
    wedge_job(&bench, "dither = \"dots\", ruling = \"25 lpi\"");
    bench.ok(&["draw", "w.kite.toml", "-o", "w.png", "--show", "tones"]);
}

#[test]
fn pictures_that_cannot_be_so_are_refused_in_words() {
    let bench = Bench::new();
    greys(&bench);
    let told = |how: &str| {
        wedge_job(&bench, how);
        bench.told("w.kite.toml")
    };
    assert!(told("dither = \"dots\"").contains("ruling = \"60 lpi\""));
    assert!(told("dither = \"dots\", ruling = \"400 lpi\"").contains("finer than twice the spot"));
    assert!(
        told("dither = \"stucki\", ruling = \"60 lpi\"").contains("ruling is for dots and rows")
    );
    assert!(told("grey = true, spot = true").contains("dithers that hand on their error"));
    assert!(
        told("black = \"60 %\", white = \"50 %\"").contains("white in image is not above black")
    );
    assert!(told("sharpen = { radius = \"50 mm\" }").contains("up to 10 mm"));
    let without = ["draw", "sail-panel.kite.toml", "-o", "s.png", "--show", "tones"];
    assert!(bench.refused(2, &without).contains("jobs that engrave bitmaps by image"));
    let flat = ["draw", "sail-panel.kite.toml", "-o", "s.png", "--show", "depth"];
    assert!(bench.refused(2, &flat).contains("jobs with a relief"));
}

#[test]
fn a_window_is_what_is_left_of_a_picture_or_a_drawing() {
    // A wedge of eight greys of 8 mm each; its window is the third to the fifth, the middle of its height.
    let bars = bmp(64, 20, |x, _| 40 + (x / 8) as u8 * 20);
    let window = "window = { from = [\"25 %\", \"0.5 mm\"], to = [\"4 mm\", \"75 %\"] }";
    let whole = bench(&bars, "", "");
    let part = bench(&bars, window, "");
    let (whole, part) = (Program::emitted(&whole, JOB), Program::emitted(&part, JOB));
    let levels = |made: &Program| {
        let mut levels: Vec<i64> = made.burns().map(|m| m.s as i64).collect();
        levels.sort_unstable();
        levels.dedup();
        levels
    };
    assert_eq!(levels(&whole).len(), 8);
    assert_eq!(levels(&part), levels(&whole)[3..6], "the lighter, the weaker");
    near(part.burnt(), 2.4 * 10.0, 1e-6);
    // As large as is asked for: the window, and not the picture.
    let wide = bench(&bars, &format!("{window}\nwidth = \"12 mm\""), "");
    let [x0, y0, x1, y1] = Program::emitted(&wide, JOB).extents();
    near(x1 - x0, 12.0, 1e-6);
    near(y1 - y0, 5.0, 0.11);
    // Lengths are those of the job's resolution.
    let coarse = bench(&bars, &format!("{window}\ndpi = \"127 dpi\""), "");
    let [x0, _, x1, _] = Program::emitted(&coarse, JOB).extents();
    near(x1 - x0, 4.0 - 0.25 * 12.8, 0.1 + 1e-6);
    for wrong in [
        "window = { from = [\"60 %\", \"0 mm\"], to = [\"40 %\", \"2 mm\"] }",
        "window = { from = [\"90 %\", \"0 mm\"], to = [\"2 mm\", \"2 mm\"] }",
        "window = { from = [\"0 %\", \"0 mm\"], to = [\"140 %\", \"2 mm\"] }",
        "window = { from = [\"0 %\"], to = [\"40 %\", \"2 mm\"] }",
        "window = { from = [\"0 %\", \"0 mm\"] }",
    ] {
        bench(&bars, wrong, "").refused(1, &["plan", JOB]);
    }
    // Of a drawing the window cuts shapes and pictures alike, and crop = "page" does too.
    let drawing = Bench::new();
    let png = |bench: &Bench| {
        greys(bench);
        let bytes = std::fs::read(bench.path("wedge.png")).unwrap();
        base64::Engine::encode(&base64::engine::general_purpose::STANDARD, bytes)
    };
    let data = png(&drawing);
    drawing.write("d.svg", format!("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"60mm\" height=\"40mm\" viewBox=\"0 0 60 40\"><image x=\"40\" y=\"10\" width=\"40\" height=\"10\" preserveAspectRatio=\"none\" href=\"data:image/png;base64,{data}\"/></svg>"));
    let job = |keys: &str| {
        drawing.write(JOB, format!("tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"d.svg\"\n{keys}\n[place]\nat = [\"50 mm\", \"60 mm\"]\n[[step]]\nname = \"p\"\ntake = {{ kind = \"bitmap\" }}\nmake = \"engrave\"\nspeed = \"50 mm/s\"\npower = \"50 %\"\nimage = {{ spacing = \"0.1 mm\", threshold = \"99 %\" }}\n"));
        let [x0, _, x1, _] = Program::emitted(&drawing, JOB).extents();
        x1 - x0
    };
    near(job(""), 35.0, 0.51);
    near(job("crop = \"page\""), 20.0, 0.11);
    near(job("window = { from = [\"50 mm\", \"0 mm\"], to = [\"60 mm\", \"100 %\"] }"), 10.0, 0.11);
}

#[test]
fn greys_are_even_in_power_or_in_darkness() {
    let tone = ", tone = [[\"10 %\", \"5 %\"], [\"50 %\", \"10 %\"], [\"90 %\", \"45 %\"]]";
    let middle = |image: &str| {
        let made = program(&wedge(), image);
        let mut levels: Vec<f64> = made.burns().map(|m| m.s).collect();
        levels.sort_unstable_by(f64::total_cmp);
        levels.dedup();
        (levels[0], levels[levels.len() / 2], levels[levels.len() - 1])
    };
    let (_, dark, most) = middle(tone);
    assert!(dark < 110.0 && most == 450.0, "{dark} {most}");
    assert_eq!(middle(&format!("{tone}, linear = \"darkness\"")), middle(tone));
    let (least, even, most) = middle(&format!("{tone}, linear = \"power\""));
    assert!((least - 50.0).abs() < 8.0 && most == 450.0, "{least} {most}");
    assert!((even - 250.0).abs() < 12.0, "{even}");
    for wrong in [", linear = \"darkness\"", ", dither = \"stucki\", linear = \"power\""] {
        bench(&wedge(), "", wrong).refused(1, &["plan", JOB]);
    }
}
