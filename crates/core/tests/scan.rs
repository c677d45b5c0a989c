//! Pictures of burnt sheets are made from the plan itself: known darkness, any turn, perspective, shadow, blur,
//! noise and JPEG. What is read off them is held against what was drawn.
#![allow(clippy::disallowed_methods, clippy::disallowed_macros)] // how many seeds, and what they gave

use rayon::prelude::*;
use tinkite_core::artwork::{self, Bitmap};
use tinkite_core::geometry::perspective::Perspective;
use tinkite_core::geometry::{Point, Rect, Vec2};
use tinkite_core::job;
use tinkite_core::job::swatch::Swatch;
use tinkite_core::machine;
use tinkite_core::scan;

const SHEET: &str = r#"tinkite = 1
machine = "bench-laser"
material = "poplar plywood"
[swatch]
make = "engrave"
lines = { spacing = "0.1 mm" }
across = { power = ["10 %", "60 %"], count = 6 }
down = { speed = ["50 mm/s", "150 mm/s"], count = 5 }
label = { speed = "100 mm/s", power = "25 %" }
"#;

fn swatch() -> Swatch {
    let profile = include_str!("../../../demo/bench-laser.machine.toml");
    let machine = machine::read("bench", profile).unwrap();
    job::read("sheet", SHEET, machine).unwrap().swatch.unwrap()
}

/// Numbers that look random and are the same every time.
struct Dice(u64);

impl Dice {
    fn next(&mut self) -> f64 {
        // SplitMix64, by G. Steele and others, 2014.
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
    }

    fn between(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * self.next()
    }
}

/// What was drawn.
struct Drawn {
    picture: Bitmap,
    darkness: Vec<f64>,
    mirrored: bool,
    upside_down: bool,
}

/// How the sheet lies: upright and upside down for some, any way for others.
fn drawn(swatch: &Swatch, seed: u64) -> Drawn {
    let mut dice = Dice(seed);
    let count = swatch.cells.len();
    // Evenly apart, in any order.
    let mut darkness: Vec<f64> =
        (0..count).map(|n| 0.05 + 0.8 * n as f64 / (count - 1) as f64).collect();
    for n in (1..count).rev() {
        darkness.swap(n, (dice.next() * (n + 1) as f64) as usize);
    }
    let mirrored = seed % 5 == 3;
    let upside_down = seed % 5 == 4;
    let angle = match seed % 5 {
        4 => std::f64::consts::PI + dice.between(-0.1, 0.1),
        0 => dice.between(-0.1, 0.1),
        _ => dice.between(0.0, std::f64::consts::TAU),
    };
    let (w, h) = (900u32, 860u32);
    let scale = dice.between(6.0, 7.0);
    let (sx, sy) = swatch.size;
    let middle = Vec2::new(f64::from(w) / 2.0, f64::from(h) / 2.0);
    // Corners of the sheet, from the upper left clockwise; y is down on the picture.
    let corners = [(0.0, sy), (sx, sy), (sx, 0.0), (0.0, 0.0)].map(Point::from);
    let on_picture = corners.map(|corner| {
        let mut from_middle = Vec2::new(corner.x - sx / 2.0, sy / 2.0 - corner.y) * scale;
        if mirrored {
            from_middle.x = -from_middle.x;
        }
        let (sin, cos) = angle.sin_cos();
        let turned = Vec2::new(
            from_middle.x * cos - from_middle.y * sin,
            from_middle.x * sin + from_middle.y * cos,
        );
        let off = Vec2::new(dice.between(-28.0, 28.0), dice.between(-28.0, 28.0));
        (middle + turned + off).to_point()
    });
    let to_sheet = Perspective::between(on_picture, corners).unwrap();
    let lid = dice.between(60.0, 250.0);
    let (gx, gy) = (dice.between(-0.18, 0.18), dice.between(-0.18, 0.18));
    let stock = Rect::new(0.0, 0.0, sx, sy).inflate(7.0, 7.0);
    let bare = dice.between(170.0, 225.0);
    // Letters: strokes here and there in the margin on the left and over the squares.
    let strokes: Vec<Rect> = (0..30)
        .map(|n| {
            let at = if n % 2 == 0 {
                Point::new(dice.between(7.0, 14.0), dice.between(8.0, sy - 14.0))
            } else {
                Point::new(dice.between(12.0, sx - 10.0), dice.between(sy - 18.0, sy - 8.0))
            };
            Rect::from_origin_size(at, (dice.between(0.2, 1.2), dice.between(0.2, 1.6)))
        })
        .collect();
    let burnt = |at: Point| -> f64 {
        if let Some(n) = swatch.cells.iter().position(|cell| cell.rect.contains(at)) {
            return darkness[n];
        }
        let marked = swatch.marks.iter().chain([&swatch.key]).any(|mark| mark.contains(at));
        if marked || strokes.iter().any(|stroke| stroke.contains(at)) { 0.6 } else { 0.0 }
    };
    let mut values = vec![0.0; (w * h) as usize];
    for y in 0..h {
        for x in 0..w {
            let mut sum = 0.0;
            for (ox, oy) in [(0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75)] {
                let at = to_sheet.at(Point::new(f64::from(x) + ox, f64::from(y) + oy));
                sum += if stock.contains(at) { bare * (1.0 - burnt(at)) } else { lid };
            }
            let (u, v) = (f64::from(x) / f64::from(w) - 0.5, f64::from(y) / f64::from(h) - 0.5);
            values[(y * w + x) as usize] =
                sum / 4.0 * (0.85 + gx * u * 2.0 + gy * v * 2.0 - 0.1 * (u * u + v * v));
        }
    }
    let blurred = blurred(&values, w as usize, h as usize);
    let mut grey: Vec<u8> = blurred
        .into_iter()
        .map(|value| (value + dice.between(-7.0, 7.0)).clamp(0.0, 255.0).round() as u8)
        .collect();
    if seed.is_multiple_of(2) {
        grey = through_jpeg(&grey, w, h);
    }
    Drawn { picture: Bitmap { width: w, height: h, grey }, darkness, mirrored, upside_down }
}

fn blurred(values: &[f64], w: usize, h: usize) -> Vec<f64> {
    let mut out = values.to_vec();
    for y in 1..h - 1 {
        for x in 1..w - 1 {
            let sum: f64 = (0..9).map(|n| values[(y + n / 3 - 1) * w + x + n % 3 - 1]).sum();
            out[y * w + x] = sum / 9.0;
        }
    }
    out
}

fn through_jpeg(grey: &[u8], w: u32, h: u32) -> Vec<u8> {
    let mut bytes = Vec::new();
    let encoder = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut bytes, 75);
    image::ImageEncoder::write_image(encoder, grey, w, h, image::ExtendedColorType::L8).unwrap();
    let art = artwork::read("scan.jpg", &bytes, &Default::default()).unwrap();
    art.images[0].bitmap.as_ref().unwrap().grey.clone()
}

/// How far the worst square is off, and whether the square of a darkness that was asked for is named.
fn held(swatch: &Swatch, seed: u64) -> (f64, bool) {
    let Drawn { picture, darkness, mirrored, upside_down } = drawn(swatch, seed);
    let scan =
        scan::read(swatch, &picture).unwrap_or_else(|p| panic!("seed {seed}: {}", p.message));
    assert_eq!(scan.mirrored, mirrored, "seed {seed}");
    if upside_down {
        assert_eq!(scan.quarters, 2, "seed {seed}");
    }
    let read: Vec<f64> = scan.cells.iter().map(|cell| cell.unwrap().mean).collect();
    let worst = read.iter().zip(&darkness).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
    // A darkness that one square has, a little beside it.
    let wanted = darkness[(seed % 30) as usize] + 0.004;
    let nearest = |all: &[f64]| {
        (0..all.len())
            .min_by(|a, b| (all[*a] - wanted).abs().total_cmp(&(all[*b] - wanted).abs()))
            .unwrap()
    };
    (worst, nearest(&read) == nearest(&darkness))
}

#[test]
fn every_square_of_a_hundred_pictures_is_read_as_dark_as_it_is() {
    let swatch = swatch();
    // SCAN_SEEDS=1000 reads more of them.
    let seeds: u64 = std::env::var("SCAN_SEEDS").ok().and_then(|n| n.parse().ok()).unwrap_or(100);
    let all: Vec<(f64, bool)> =
        (0..seeds).into_par_iter().map(|seed| held(&swatch, seed)).collect();
    let (mut worst, mut right) = (0.0f64, 0);
    for (seed, (off, named)) in all.into_iter().enumerate() {
        assert!(off < 0.03, "seed {seed}: a square is off by {off:.4}");
        worst = worst.max(off);
        right += u64::from(named);
    }
    println!("{seeds} pictures: at worst off by {worst:.4}, the right square in {right}");
    assert!(right * 100 >= seeds * 99, "{right} of {seeds}");
}

#[test]
fn what_is_no_sheet_is_refused() {
    let swatch = swatch();
    let told = |picture: &Bitmap| scan::read(&swatch, picture).unwrap_err().message;
    let plain = |width: u32, height: u32, grey: u8| Bitmap {
        width,
        height,
        grey: vec![grey; (width * height) as usize],
    };
    assert!(told(&plain(1, 1, 0)).contains("too few"));
    for grey in [0, 128, 255] {
        assert!(
            told(&plain(400, 300, grey)).contains("no marks"),
            "{}",
            told(&plain(400, 300, grey))
        );
    }
    let mut dice = Dice(7);
    let mut noise = plain(500, 500, 0);
    noise.grey.iter_mut().for_each(|v| *v = (dice.next() * 255.0) as u8);
    assert!(told(&noise).contains("mark"), "{}", told(&noise));
    // A sheet without its key could lie any way.
    let mut other = swatch.clone();
    other.key = Rect::new(40.0, -20.0, 42.4, -17.6);
    let Drawn { picture, .. } = drawn(&other, 10);
    assert!(told(&picture).contains("marks of this sheet"), "{}", told(&picture));
    // A hard shadow over half of it is no light to tell by.
    let Drawn { mut picture, .. } = drawn(&swatch, 10);
    let width = picture.width as usize;
    for (n, value) in picture.grey.iter_mut().enumerate() {
        if n % width > width / 2 {
            *value /= 4;
        }
    }
    let told = scan::read(&swatch, &picture).map(|_| ()).unwrap_err().message;
    assert!(
        told.contains("uneven") || told.contains("differs") || told.contains("marks"),
        "{told}"
    );
}
