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

fn colours(svg: &str) -> usize {
    let mut all: Vec<&str> = svg.split("stroke=\"#").skip(1).map(|part| &part[..6]).collect();
    all.sort_unstable();
    all.dedup();
    all.len()
}

#[test]
fn colours_stand_for_power_speed_order_or_time() {
    let bench = Bench::new();
    for name in ["kite-stamp.kite.toml", "kite-stamp.svg"] {
        bench.demo(name);
    }
    bench.ok(&["draw", "kite-stamp.kite.toml", "-o", "steps.svg"]);
    let steps = colours(&bench.read("steps.svg"));
    for (show, words) in [
        ("power", ["power along the line", "S850 (85 %)"]),
        ("speed", ["speed along the line", "70 mm/s"]),
        ("order", ["order of the paths", "path 1"]),
        ("time", ["time from the start", "4 min"]),
    ] {
        let file = format!("{show}.svg");
        bench.ok(&["draw", "kite-stamp.kite.toml", "-o", &file, "--show", show]);
        let svg = bench.read(&file);
        assert!(words.iter().all(|word| svg.contains(word)), "{show}");
        assert!(show == "order" || colours(&svg) > steps + 4, "{show}: {}", colours(&svg));
    }
    bench.refused(2, &["draw", JOB, "-o", "a.svg", "--show", "smoke"]);
}

#[test]
fn signs_of_kerf_bridges_leads_and_pierces_are_explained() {
    let bench = Bench::new();
    for name in ["hubs.kite.toml", "spar-hub.dxf", "tube-laser.machine.toml"] {
        bench.demo(name);
    }
    bench.ok(&["draw", "hubs.kite.toml", "-o", "a.svg", "--window", "10,-590,76,-526"]);
    let svg = bench.read("a.svg");
    for words in [
        "as drawn; the beam runs beside it",
        "bridge: stays attached",
        "way in or out, thinner",
        "start with a pierce",
    ] {
        assert!(svg.contains(words), "{words}");
    }
    for bad in ["1,2,3", "5,5,1,1", "a,b,c,d"] {
        bench.refused(2, &["draw", "hubs.kite.toml", "-o", "b.svg", "--window", bad]);
    }
}

#[test]
fn playback_has_frames_and_a_clock() {
    let bench = Bench::new();
    bench.ok(&["draw", JOB, "-o", "a.gif", "--play", "2", "--size", "640x480"]);
    let gif = std::fs::read(bench.path("a.gif")).expect("the playback");
    assert_eq!(&gif[..6], b"GIF89a");
    assert_eq!((gif[6], gif[7], gif[8], gif[9]), (128, 2, 224, 1));
    // An image descriptor follows each graphic control block of four bytes.
    let frames = gif.windows(8).filter(|w| w[..3] == [0x21, 0xf9, 4] && w[7] == 0).count();
    assert_eq!(frames, 25);
    bench.refused(2, &["draw", JOB, "-o", "b.gif", "--play", "0"]);
    bench.refused(2, &["draw", JOB, "-o", "b.gif", "--show", "time"]);
    bench.refused(2, &["run", JOB, "--to", "rig:", "--picture", "c.gif"]);
}
