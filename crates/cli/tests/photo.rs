//! Photos of the bed, through the built program.

use crate::common::Bench;

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

type V3 = [f64; 3];

fn dot(a: V3, b: V3) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

fn cross(a: V3, b: V3) -> V3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

fn unit(a: V3) -> V3 {
    a.map(|v| v / dot(a, a).sqrt())
}

/// A pinhole camera over the bed.
struct Camera {
    eye: V3,
    forward: V3,
    right: V3,
    up: V3,
}

/// Pixels across, down, and for a slope of one.
const PICTURE: (u32, u32) = (1400, 1000);
const FOCAL: f64 = 1050.0;

impl Camera {
    /// From here it looks at the middle of the bed; `roll` turns it about where it looks.
    fn at(eye: V3, roll: f64) -> Self {
        let forward = unit([200.0 - eye[0], 150.0 - eye[1], -eye[2]]);
        let right = unit(cross(forward, [0.0, 0.0, 1.0]));
        let up = cross(right, forward);
        let (c, s) = (roll.cos(), roll.sin());
        let turned = |a: V3, b: V3, s: f64| [0, 1, 2].map(|n| a[n] * c + b[n] * s);
        Self { eye, forward, right: turned(right, up, s), up: turned(up, right, -s) }
    }

    /// Where a place of the bed is on the picture.
    fn px(&self, x: f64, y: f64) -> [f64; 2] {
        let d = [x - self.eye[0], y - self.eye[1], -self.eye[2]];
        let depth = dot(d, self.forward);
        let slope = |axis: V3| FOCAL * dot(d, axis) / depth;
        let middle = (f64::from(PICTURE.0) / 2.0, f64::from(PICTURE.1) / 2.0);
        [middle.0 + slope(self.right), middle.1 - slope(self.up)]
    }

    /// The bed with dark squares of 12 mm, and other things that lie about.
    fn photo(&self, marks: &[[f64; 2]]) -> image::RgbImage {
        let dark = |x: f64, y: f64| {
            let mark = marks.iter().any(|[mx, my]| (x - mx).abs() < 6.0 && (y - my).abs() < 6.0);
            let plank = (120.0..290.0).contains(&x) && (60.0..75.0).contains(&y);
            let ring = (30.0..38.0).contains(&(x - 250.0).hypot(y - 180.0));
            mark || plank || ring
        };
        image::RgbImage::from_fn(PICTURE.0, PICTURE.1, |u, v| {
            let mut sum = 0.0;
            for (du, dv) in [(0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75)] {
                let a = (f64::from(u) + du - f64::from(PICTURE.0) / 2.0) / FOCAL;
                let b = -(f64::from(v) + dv - f64::from(PICTURE.1) / 2.0) / FOCAL;
                let way = [0, 1, 2].map(|n| self.forward[n] + a * self.right[n] + b * self.up[n]);
                let t = -self.eye[2] / way[2];
                let (x, y) = (self.eye[0] + t * way[0], self.eye[1] + t * way[1]);
                sum += if dark(x, y) { 45.0 } else { 205.0 - 0.1 * x };
            }
            image::Rgb([(sum / 4.0) as u8; 3])
        })
    }
}

fn marks_of(marks: &[[f64; 2]]) -> Vec<String> {
    marks.iter().flat_map(|[x, y]| ["--mark".to_string(), format!("{x},{y}")]).collect()
}

#[test]
fn marks_on_the_bed_are_found_by_themselves_however_the_camera_hangs() {
    let marks = [[20.0, 20.0], [380.0, 20.0], [380.0, 280.0], [20.0, 280.0], [90.0, 230.0]];
    for (eye, roll) in [
        ([200.0, -60.0, 520.0], 0.0),
        ([290.0, 40.0, 560.0], 0.25),
        ([150.0, 420.0, 470.0], std::f64::consts::PI),
    ] {
        let bench = Bench::new();
        let camera = Camera::at(eye, roll);
        camera.photo(&marks).save(bench.path("bed.png")).unwrap();
        let words = marks_of(&marks);
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let told =
            bench.json(&[&["photo", "bed.png", "--machine", "bench-laser"], &words[..]].concat());
        for (n, [x, y]) in marks.iter().enumerate() {
            let at: Vec<f64> = told["places"][n]["photo_px"]
                .as_array()
                .unwrap()
                .iter()
                .map(|v| v.as_f64().unwrap())
                .collect();
            let truly = camera.px(*x, *y);
            let off = (at[0] - truly[0]).hypot(at[1] - truly[1]);
            // The middle of a square is not the middle of its picture: that is a third of a pixel here.
            assert!(off < 0.8, "{eye:?}: mark {n} at {at:?}, truly at {truly:?}");
        }
        assert!(told["worst_mm"].as_f64().unwrap() < 0.4, "{told}");
        // The same in a job that says only where the marks are.
        let job = bench.read("sail-panel.kite.toml");
        let found: Vec<String> =
            marks.iter().map(|[x, y]| format!("[\"{x} mm\", \"{y} mm\"]")).collect();
        bench.write(
            "sail-panel.kite.toml",
            format!("{job}\n[photo]\nfile = \"bed.png\"\nfound = [{}]\n", found.join(", ")),
        );
        let by_job = bench.json(&["photo", "sail-panel.kite.toml"]);
        assert_eq!(by_job["places"], told["places"]);
        bench.ok(&["draw", "sail-panel.kite.toml", "-o", "a.svg"]);
    }
}

#[test]
fn marks_that_could_be_others_are_refused() {
    let camera = Camera::at([200.0, -60.0, 520.0], 0.0);
    let corners = [[20.0, 20.0], [380.0, 20.0], [380.0, 280.0], [20.0, 280.0]];
    let fifth = |x: f64, y: f64| [&corners[..], &[[x, y]]].concat();
    let told = |on_bed: &[[f64; 2]], said: &[[f64; 2]]| {
        let bench = Bench::new();
        camera.photo(on_bed).save(bench.path("bed.png")).unwrap();
        let words = marks_of(said);
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let call = [&["photo", "bed.png", "--machine", "bench-laser"], &words[..]].concat();
        let said = bench.refused(1, &call);
        said.split_whitespace().filter(|word| *word != "│").collect::<Vec<_>>().join(" ")
    };
    assert!(told(&corners, &corners).contains("fewer than five"));
    // Four at the corners and one in the middle look the same from both sides.
    let even = fifth(200.0, 150.0);
    assert!(told(&even, &even).contains("more than one way"));
    // One that is not where it was said to be, and one that is not there at all.
    assert!(told(&fifth(90.0, 230.0), &fifth(140.0, 200.0)).contains("not found"));
    assert!(told(&corners, &fifth(90.0, 230.0)).contains("not found"));
}
