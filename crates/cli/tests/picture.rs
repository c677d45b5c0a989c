//! Pictures: the kinds, the sizes, and how detail falls away.

use crate::common::{Bench, Ran};

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
    for bad in ["a.bmp", "a", "a.htm"] {
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
fn of_five_thousand_shapes_those_with_room_keep_their_numbers() {
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
    assert!(svg.matches("<circle").count() < 5, "start points would hide circles of this size");
    let numbers = numbers(&svg);
    assert!(numbers.len() < 400, "only at the edge is there room: {}", numbers.len());
    assert!(svg.contains(&format!("5000 paths: {} numbers hidden", 5000 - numbers.len())));
    apart(&numbers);
    assert_eq!(
        svg.matches("A1.").count() + svg.matches("A2.").count() + svg.matches("A3.").count(),
        20_000
    );
}

/// Numbers of paths: what they say, and the rectangle that they cover, px.
fn numbers(svg: &str) -> Vec<(u32, [f64; 4])> {
    let mark = "font-size=\"11\" fill=\"#2b2d33\" stroke=\"#ffffff\"";
    let lines = svg.lines().filter(|line| line.starts_with("<text") && line.contains(mark));
    lines
        .map(|line| {
            let part = |key: &str| {
                let from = line.find(key).unwrap() + key.len();
                line[from..].split(['"', '<']).next().unwrap().to_string()
            };
            let at = |key: &str| part(key).parse::<f64>().unwrap();
            let words = part("paint-order=\"stroke\">");
            let (x, y, wide) = (at("x=\""), at("y=\""), 7.0 * words.len() as f64);
            (words.parse().unwrap(), [x, y - 9.0, x + wide, y + 1.0])
        })
        .collect()
}

#[track_caller]
fn apart(numbers: &[(u32, [f64; 4])]) {
    for (n, (a, r)) in numbers.iter().enumerate() {
        for (b, s) in &numbers[..n] {
            let beside = r[2] <= s[0] || s[2] <= r[0] || r[3] <= s[1] || s[3] <= r[1];
            assert!(beside, "{a} lies on {b}");
        }
    }
}

#[test]
fn numbers_lie_on_nothing() {
    let bench = Bench::new();
    bench.ok(&["draw", JOB, "-o", "a.svg"]);
    let numbers = numbers(&bench.read("a.svg"));
    assert!(numbers.len() >= 20, "{numbers:?}");
    apart(&numbers);
    // Without its words the picture has nothing burnt where they stand: lines are as dark as their step's colour.
    let bare: String = bench
        .read("a.svg")
        .lines()
        .filter(|line| !line.starts_with("<text"))
        .collect::<Vec<_>>()
        .join("\n");
    bench.write("bare.svg", bare);
    let tree = resvg::usvg::Tree::from_str(&bench.read("bare.svg"), &Default::default()).unwrap();
    let mut pixels = resvg::tiny_skia::Pixmap::new(1280, 800).unwrap();
    resvg::render(&tree, Default::default(), &mut pixels.as_mut());
    for (number, [x0, y0, x1, y1]) in numbers {
        for y in (y0.ceil() as u32 + 1)..(y1 as u32) {
            for x in (x0.ceil() as u32)..(x1 as u32) {
                let p = pixels.pixel(x, y).unwrap();
                let rgb = [p.red(), p.green(), p.blue()];
                let steps = [[0x0b, 0x4f, 0x6c], [0xe0, 0x7a, 0x1f], [0x3f, 0x8f, 0x5b]];
                let near =
                    |step: &[i32; 3]| (0..3).all(|n| (i32::from(rgb[n]) - step[n]).abs() < 40);
                assert!(!steps.iter().any(near), "{number} lies on a line at {x}, {y}");
            }
        }
    }
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

/// How often a passage stands in a text.
fn times(text: &str, passage: &str) -> usize {
    text.matches(passage).count()
}

const CUT: &str = "[[step]]\ntake = { colour = \"black\" }\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n";

#[test]
fn every_long_line_says_which_way_it_runs() {
    let bench = Bench::drawn(
        r#"<path d="M10 10H90V70H10Z" stroke="black"/>"#,
        "",
        &format!("{CUT}kerf = \"0 mm\"\n"),
    );
    bench.ok(&["draw", "a.kite.toml", "-o", "a.svg"]);
    let svg = bench.read("a.svg");
    // Heads of arrows are closed triangles: one on each side, and one in the legend.
    let heads = svg.lines().filter(|line| {
        line.starts_with("<path d=\"M") && line.contains("Z\" fill=\"#") && line.len() < 90
    });
    assert_eq!(heads.count(), 5);
}

#[test]
fn what_lies_off_the_bed_is_hatched_and_nothing_else() {
    let bench = Bench::new();
    bench.ok(&["draw", JOB, "-o", "a.svg"]);
    assert!(!bench.read("a.svg").contains("off-bed"));
    let beyond = ["--set", "place.at=[\"300 mm\", \"20 mm\"]"];
    let ran = bench.run(&[&["draw", JOB, "--trouble", "-o", "b.svg"], &beyond[..]].concat());
    assert_eq!(ran.status, 1, "{}", ran.err);
    let svg = bench.read("b.svg");
    assert!(svg.contains(">off the bed<"));
    // The hatched part begins where the bed ends: at X 400 on the ruler.
    let hatched = svg.lines().find(|line| line.contains("url(#off-bed)")).unwrap();
    let numbers: Vec<f64> = hatched
        .split(|c: char| !(c.is_ascii_digit() || c == '.'))
        .filter_map(|word| word.parse().ok())
        .collect();
    // Two boxes, each as M x y H x V y H x: the plot, and what of it is the bed.
    let edge = numbers[7];
    let tick = svg.lines().find(|line| line.ends_with(">400</text>")).unwrap();
    let at: f64 = tick.split('"').nth(1).unwrap().parse().unwrap();
    assert!((edge - at).abs() < 0.2, "the bed ends at {at} and the hatch begins at {edge}");
    // A program that leaves the bed is drawn so as well.
    bench.write("off.nc", "G21 G90\nM5\nG0 X390 Y10\nM3 S500\nG1 X420 Y10 F600\nM5\n");
    bench.run(&["draw", "off.nc", "--machine", "bench-laser", "-o", "c.svg"]);
    assert!(bench.read("c.svg").contains(">off the bed<"));
}

#[test]
fn pierces_are_seen_among_the_powers() {
    let pierced = format!("{CUT}pierce = {{ power = \"80 %\", dwell = \"0.2 s\" }}\n");
    let body: String = (0..4)
        .map(|n| format!(r#"<circle cx="{}" cy="40" r="6" stroke="black"/>"#, 14 + n * 22))
        .collect();
    let bench = Bench::drawn(&body, "", &pierced);
    bench.ok(&["draw", "a.kite.toml", "--show", "power", "-o", "a.svg"]);
    let svg = bench.read("a.svg");
    // One at each circle and one in the legend; the scale reaches up to their power.
    assert_eq!(times(&svg, r#"r="3.6""#), 5);
    assert!(svg.contains("S800 (80 %)") && svg.contains("start with a pierce"));
    bench.change("a.kite.toml", "pierce", "#");
    bench.ok(&["draw", "a.kite.toml", "--show", "power", "-o", "b.svg"]);
    assert_eq!(times(&bench.read("b.svg"), r#"r="3.6""#), 0);
}

#[test]
fn lines_that_are_too_many_to_be_seen_are_a_tint_with_a_sample_of_them() {
    let step = |spacing: &str| {
        format!(
            "[[step]]\nname = \"fill\"\ntake = {{ colour = \"black\" }}\nmake = \"engrave\"\nspeed = \"90 mm/s\"\npower = \"30 %\"\nlines = {{ spacing = \"{spacing}\" }}\n"
        )
    };
    let body = r#"<path d="M10 10H90V70H10Z" fill="black"/>"#;
    let drawn = |spacing: &str| {
        let bench = Bench::drawn(body, "", &step(spacing));
        bench.ok(&["draw", "a.kite.toml", "-o", "a.svg"]);
        bench.read("a.svg")
    };
    // 1,200 lines.
    let svg = drawn("0.05 mm");
    assert!(svg.contains("lines as wide as the spot") && svg.contains("url(#sample)"));
    assert!(!svg.contains("1 line in"));
    // In the sample they are 11 px apart, and as wide as 0.08 mm is there.
    let sample = &svg[svg.find("url(#sample)").unwrap()..];
    let sample = &sample[..sample.find("</g>").unwrap()];
    let lines: Vec<f64> = sample
        .lines()
        .filter(|line| line.starts_with("<line"))
        .map(|line| {
            assert!(line.contains("stroke-width=\"17.60\""), "{line}");
            line.split('"').nth(3).unwrap().parse().unwrap()
        })
        .collect();
    assert!(lines.len() >= 10, "{} lines", lines.len());
    assert!(lines.windows(2).all(|pair| ((pair[0] - pair[1]).abs() - 11.0).abs() < 0.05));
    // Few lines are drawn one by one.
    assert!(!drawn("0.5 mm").contains("url(#sample)"));
}

#[test]
fn a_step_has_the_colour_of_the_drawing_where_somebody_wants_it() {
    let bench = Bench::new();
    let drawn = |more: &[&str], set: &[(&str, &str)]| {
        let mut call = bench
            .command(&[&["draw", "sail-panel.kite.toml", "-o", "a.svg", "--force"], more].concat());
        let ran = Ran::from(call.envs(set.iter().copied()).output().unwrap());
        assert_eq!(ran.status, 0, "{}", ran.err);
        bench.read("a.svg")
    };
    let strokes = |svg: &str, colour: &str| svg.matches(&format!("stroke=\"{colour}\"")).count();
    // In turn; the drawing's own stand beside them.
    let svg = drawn(&[], &[]);
    assert!(strokes(&svg, "#3f8f5b") > 0 && strokes(&svg, "#ff0000") == 0);
    assert!(
        svg.contains("fill=\"#ff0000\"") && svg.contains("its colour in the drawing"),
        "no chip"
    );
    for svg in
        [drawn(&["--colour-by", "drawing"], &[]), drawn(&[], &[("TINKITE_COLOUR_BY", "drawing")])]
    {
        assert!(strokes(&svg, "#ff0000") > 0 && strokes(&svg, "#3f8f5b") == 0);
        assert!(!svg.contains("its colour in the drawing"));
    }
    // Where the drawing does not tell steps apart, the picture says so.
    let begin = ["begin", "sail-panel.svg", "-o", "red.kite.toml", "--cut", "outermost"];
    bench.ok(&[&begin[..], &["--score", "rest", "--leave-out", "fills"]].concat());
    bench.ok(&["draw", "red.kite.toml", "--colour-by", "drawing", "-o", "red.svg"]);
    let svg = bench.read("red.svg");
    assert!(
        svg.contains("steps 1, 2 look alike") || svg.contains("steps 1 and 2 look alike"),
        "{svg}"
    );
    assert!(svg.contains("drawn in several colours: step 1<"));
    // What is said counts more than what was set.
    let svg = drawn(&["--colour-by", "steps"], &[("TINKITE_COLOUR_BY", "drawing")]);
    assert!(strokes(&svg, "#3f8f5b") > 0);
    bench.refused(2, &["draw", "sail-panel.kite.toml", "-o", "b.svg", "--colour-by", "mood"]);
    // The page for the machine as well.
    bench.ok(&["draw", "sail-panel.kite.toml", "-o", "a.html", "--colour-by", "drawing"]);
    assert!(bench.read("a.html").contains("background:#ff0000"));
}

#[test]
fn rows_stand_for_all_of_an_area_where_colours_are_powers() {
    let bench = Bench::new();
    for name in ["kite-stamp.kite.toml", "kite-stamp.svg"] {
        bench.demo(name);
    }
    bench.ok(&[
        "draw",
        "kite-stamp.kite.toml",
        "--show",
        "power",
        "-o",
        "a.png",
        "--size",
        "1280x800",
    ]);
    let picture = image::open(bench.path("a.png")).unwrap().to_rgb8();
    // Right of the kite the ground is burnt with one power: no stripe of bare bed is between its rows.
    let column: Vec<_> = (240..560).map(|y| picture.get_pixel(660, y).0).collect();
    let ground = column[0];
    let far = |p: &[u8; 3]| p.iter().zip(ground).any(|(a, b)| a.abs_diff(b) > 24);
    assert!(column.iter().filter(|p| far(p)).count() < 4, "{column:?}");
    assert!(ground[0] > ground[2] + 60, "the ground is not red: {ground:?}");
}
