//! Pictures: the kinds, the sizes, and how detail falls away.

mod common;
use common::Bench;

const JOB: &str = "sail-panel.kite.toml";

#[test]
fn a_png_has_the_size_that_was_asked_for() {
    let bench = Bench::new();
    for (size, width, height) in [(None, 1280, 800), (Some("640x480"), 640, 480)] {
        let mut args = vec!["draw", JOB, "-o", "a.png", "--force"];
        args.extend(size.iter().flat_map(|s| ["--size", *s]));
        bench.ok(&args);
        let png = std::fs::read(bench.path("a.png")).unwrap();
        assert_eq!(&png[1..4], b"PNG");
        let side = |at: usize| u32::from_be_bytes(png[at..at + 4].try_into().unwrap());
        assert_eq!((side(16), side(20)), (width, height));
    }
    for bad in ["a.bmp", "a", "a.html"] {
        bench.refused(2, &["draw", JOB, "-o", bad]);
    }
    bench.refused(2, &["draw", JOB, "-o", "b.png", "--size", "9x9"]);
}

#[test]
fn an_svg_shows_bed_stock_steps_extents_and_travel() {
    let bench = Bench::new();
    bench.change(JOB, "\"Sail panel\"", "\"<b>&\\\"panel\"");
    bench.ok(&["draw", JOB, "-o", "a.svg"]);
    let svg = bench.read("a.svg");
    for words in [
        "&lt;b&gt;&amp;&quot;panel",
        "1 emblem",
        "2 folds",
        "3 outline",
        "25 mm/s, 55 % = S550",
        "travel, beam off",
        "the machine's zero",
        "172.97 mm",
        "116.39 mm",
    ] {
        assert!(svg.contains(words), "{words}");
    }
    // It is SVG that our own reader takes.
    bench.ok(&["look", "a.svg"]);
}

#[test]
fn five_thousand_shapes_lose_their_numbers_and_arrows() {
    let bench = Bench::new();
    let mut art = String::from(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="300mm" height="250mm" viewBox="0 0 300 250" fill="none" stroke="red">"#,
    );
    for n in 0..5000 {
        art.push_str(&format!("<circle cx='{}' cy='{}' r='1'/>", 10 + n % 80 * 3, 10 + n / 80 * 3));
    }
    bench.write("many.svg", art + "</svg>");
    bench.ok(&["begin", "many.svg"]);
    bench.ok(&["draw", "many.kite.toml", "-o", "many.svg.svg"]);
    let svg = bench.read("many.svg.svg");
    assert!(svg.contains("travel between 5000 paths not drawn"));
    assert!(svg.matches("<circle").count() < 5 && svg.matches("<text").count() < 60);
    assert_eq!(
        svg.matches("A1.").count() + svg.matches("A2.").count() + svg.matches("A3.").count(),
        20_000
    );
}
