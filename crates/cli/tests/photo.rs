//! Photos of the bed, through the built program.
#![allow(clippy::unwrap_used)] // helpers of tests

mod common;
use common::Bench;

/// A photo of the bench laser's bed of 400 x 300 mm, 2 pixels to a mm, the bed's corner at pixel 100, 700; all of it
/// is dark but a light square at X 200 to 220, Y 100 to 120.
fn photo(bench: &Bench) {
    let picture = image::RgbImage::from_fn(1000, 800, |x, y| {
        let (bx, by) = ((f64::from(x) + 0.5 - 100.0) / 2.0, (700.0 - f64::from(y) - 0.5) / 2.0);
        let light = (200.0..220.0).contains(&bx) && (100.0..120.0).contains(&by);
        image::Rgb(if light { [250, 240, 230] } else { [60, 50, 40] })
    });
    picture.save(bench.path("bed.png")).unwrap();
}

const PLACES: [&str; 10] = [
    "--place",
    "100,700 = 0,0",
    "--place",
    "900,700 = 400 mm, 0 mm",
    "--place",
    "900,100 = 400,300",
    "--place",
    "100,100=0,300",
    "--place",
    "500,400 = 200,150",
];

#[test]
fn a_photo_alone_is_measured_and_drawn_with_rulers() {
    let bench = Bench::new();
    photo(&bench);
    let call = [&["photo", "bed.png", "--machine", "bench-laser"][..], &PLACES].concat();
    let said = bench.json(&call);
    assert!(said["worst_mm"].as_f64().unwrap() < 1e-3, "{said}");
    assert_eq!(said["coarsest_mm_per_pixel"], 0.5);
    let text = bench.ok(&[&call[..], &["-o", "flat.png", "--window", "150,50,250,150"]].concat());
    assert!(
        text.contains("corners = [[100, 700], [900, 700]")
            && text.contains("[\"0 mm\", \"300 mm\"]")
    );
    // The light square is the light part of the picture: a fifth of what is shown each way.
    let picture = image::open(bench.path("flat.png")).unwrap().into_rgb8();
    let light = picture
        .enumerate_pixels()
        .filter(|(_, _, p)| p.0[1] > 225 && p.0[2] < 235 && p.0[0] > p.0[2].saturating_add(12));
    let (xs, ys): (Vec<u32>, Vec<u32>) = light.map(|(x, y, _)| (x, y)).unzip();
    let (wide, high) = (
        xs.iter().max().unwrap() - xs.iter().min().unwrap(),
        ys.iter().max().unwrap() - ys.iter().min().unwrap(),
    );
    assert!(wide > 100 && wide.abs_diff(high) <= 6, "a square is square: {wide} x {high}");
}

#[test]
fn it_lies_under_a_job_and_says_how_true_it_is() {
    let bench = Bench::new();
    bench.demo("sail-panel.kite.toml");
    bench.demo("sail-panel.svg");
    photo(&bench);
    let job = bench.read("sail-panel.kite.toml");
    let with = |corners: &str, found: &str| {
        let text =
            format!("{job}\n[photo]\nfile = \"bed.png\"\ncorners = {corners}\nfound = {found}\n");
        bench.write("sail-panel.kite.toml", text);
    };
    let found = "[[\"0 mm\", \"0 mm\"], [\"400 mm\", \"0 mm\"], [\"400 mm\", \"300 mm\"], [\"0 mm\", \"300 mm\"]]";
    with("[[100, 700], [900, 700], [900, 100], [100, 100]]", found);
    bench.ok(&["draw", "sail-panel.kite.toml", "-o", "a.svg"]);
    assert!(bench.read("a.svg").contains("data:image/jpeg;base64,"));
    let told = bench.json(&["photo", "sail-panel.kite.toml"]);
    assert_eq!(told["worst_mm"], serde_json::Value::Null);
    assert_eq!(told["problems"][0]["code"], "photo-true");
    // The program knows nothing of it.
    bench.ok(&["emit", "sail-panel.kite.toml", "-o", "with.nc"]);
    bench.write("sail-panel.kite.toml", &job);
    bench.ok(&["emit", "sail-panel.kite.toml", "-o", "without.nc"]);
    assert_eq!(bench.read("with.nc"), bench.read("without.nc"));
    for (corners, found) in [
        ("[[100, 700], [900, 700], [900, 100]]", found),
        ("[[100, 700], [900, 700], [900, 100], \"a\"]", found),
        ("[[100, 700], [300, 700], [500, 700], [900, 700]]", found),
        ("[[100, 700], [9000, 700], [900, 100], [100, 100]]", found),
        ("[[100, 700], [900, 700], [900, 100], [100, 100]]", "[[\"0 mm\", \"0 V\"]]"),
    ] {
        with(corners, found);
        bench.refused(1, &["draw", "sail-panel.kite.toml", "-o", "b.svg"]);
    }
    assert!(!bench.path("b.svg").exists());
}

#[test]
fn bad_calls_and_pictures_are_refused_in_words() {
    let bench = Bench::new();
    photo(&bench);
    image::RgbImage::new(1, 1).save(bench.path("one.png")).unwrap();
    bench.write("text.png", "no picture");
    let call = |file: &str, more: &[&str]| {
        let all = [&["photo", file, "--machine", "bench-laser"][..], more].concat();
        bench.run(&all)
    };
    assert_eq!(call("bed.png", &PLACES[..6]).status, 2);
    assert_eq!(call("bed.png", &["--place", "1,2"]).status, 2);
    assert_eq!(call("one.png", &PLACES).status, 1);
    assert_eq!(call("text.png", &PLACES).status, 1);
    assert_eq!(call("none.png", &PLACES).status, 1);
    assert_eq!(bench.run(&[&["photo", "bed.png"][..], &PLACES].concat()).status, 2);
}
