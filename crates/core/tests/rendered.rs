//! What has no plain colour is drawn as the page shows it: what all steps together burn of random pages
//! with gradients, patterns, masks, filters, blends and bitmaps, against a raster of the same page. A place that is
//! burnt twice is as wrong as one that is left out.

use crate::dice::Dice;
use resvg::tiny_skia::{self, Pixmap, Transform};
use std::fmt::Write as _;
use tinkite_core::artwork::{Artwork, Reading, Render, read};
use tinkite_core::geometry::{Point, region};
use tinkite_core::job::{self, Job};
use tinkite_core::layout::{Given, Sheet, lay_out};
use tinkite_core::machine;

const MACHINE: &str = include_str!("../../../demo/bench-laser.machine.toml");
/// The page, mm, and how many pixels there are to each: 254 dpi.
const PAGE: (u32, u32) = (60, 40);
const PIXELS: u32 = 10;

const ODD: &str = r##"<defs><linearGradient id="sky"><stop offset="0" stop-color="#203040"/><stop offset="1" stop-color="#e0f0ff"/></linearGradient>
<radialGradient id="sun"><stop offset="0" stop-color="#ffffff"/><stop offset="1" stop-color="#604000" stop-opacity="0.6"/></radialGradient>
<pattern id="weave" width="3" height="3" patternUnits="userSpaceOnUse"><rect width="1.5" height="3" fill="#333333"/></pattern>
<mask id="fade" maskContentUnits="objectBoundingBox"><rect width="1" height="1" fill="url(#sky)"/></mask>
<clipPath id="hole"><path d="M0 0H60V40H0Z M20 10H40V30H20Z" clip-rule="evenodd"/></clipPath>
<filter id="blur"><feGaussianBlur stdDeviation="0.8"/></filter></defs>"##;

/// A bitmap of 160 x 120 pixels without transparency, dark at its upper left.
fn photo() -> String {
    use base64::Engine as _;
    let picture = image::GrayImage::from_fn(160, 120, |x, y| image::Luma([(20 + x + y / 2) as u8]));
    let mut png = std::io::Cursor::new(Vec::new());
    picture.write_to(&mut png, image::ImageFormat::Png).unwrap();
    let data = base64::engine::general_purpose::STANDARD.encode(png.into_inner());
    format!("data:image/png;base64,{data}")
}

fn page(dice: &mut Dice) -> String {
    let mut out = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="{0}mm" height="{1}mm" viewBox="0 0 {0} {1}">{ODD}"#,
        PAGE.0, PAGE.1
    );
    let shapes = 3 + dice.below(9);
    for n in 0..shapes {
        let (w, h) = (dice.between(4.0, 18.0), dice.between(4.0, 14.0));
        let (x, y) = (dice.between(3.0, 57.0 - w), dice.between(3.0, 37.0 - h));
        // The first has no plain colour, so that there is something to draw.
        let paint = match if n == 0 { 0 } else { dice.below(12) } {
            0 => r#"fill="url(#sky)""#,
            1 => r#"fill="url(#sun)""#,
            2 => r#"fill="url(#weave)""#,
            3 => r##"fill="#804020" mask="url(#fade)""##,
            4 => r##"fill="#102030" filter="url(#blur)""##,
            5 => r##"fill="#3070c0" style="mix-blend-mode:difference""##,
            6 => r##"fill="none" stroke="url(#sky)" stroke-width="2""##,
            7 => r##"fill="#ffffff""##,
            8 | 9 => r##"fill="#804020""##,
            _ => r##"fill="#000000""##,
        };
        let _ = match dice.below(3) {
            2 if n > 0 => {
                let turned =
                    format!(r#"transform="rotate(8 {:.3} {:.3})""#, x + w / 2.0, y + h / 2.0);
                let how = [r##"clip-path="url(#hole)""##, &*turned, ""][dice.below(3) as usize];
                write!(
                    out,
                    r#"<g {how}><image x="{x:.3}" y="{y:.3}" width="{w:.3}" height="{h:.3}" preserveAspectRatio="none" style="image-rendering:pixelated" href="{}"/></g>"#,
                    photo()
                )
            }
            0 => write!(
                out,
                r#"<rect x="{x:.3}" y="{y:.3}" width="{w:.3}" height="{h:.3}" {paint}/>"#
            ),
            _ => write!(
                out,
                r#"<ellipse cx="{:.3}" cy="{:.3}" rx="{:.3}" ry="{:.3}" {paint}/>"#,
                x + w / 2.0,
                y + h / 2.0,
                w / 2.0,
                h / 2.0
            ),
        };
    }
    // A corner that fixes the place of the drawing.
    out + r##"<rect x="0" y="39.5" width="0.5" height="0.5" fill="#000000"/></svg>"##
}

fn job() -> Job {
    let machine = machine::read("bench-laser", MACHINE).unwrap();
    let text = "tinkite = 1\nname = \"a\"\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"a.svg\"\n[place]\nat = [\"0 mm\", \"0 mm\"]\n[[step]]\nname = \"e\"\ntake = { fill = \"#000000\" }\nmake = \"engrave\"\nspeed = \"100 mm/s\"\npower = \"20 %\"\nlines = { spacing = \"0.1 mm\" }\n";
    job::read("a.kite.toml", text, machine).unwrap()
}

fn rendered(svg: &str) -> Artwork {
    let render = Some(Render { dpi: 254.0, takes: None });
    let how = Reading { render, ..Reading::default() };
    read("a.svg", svg.as_bytes(), &how).unwrap()
}

fn grey(r: u8, g: u8, b: u8) -> f64 {
    0.2126 * f64::from(r) + 0.7152 * f64::from(g) + 0.0722 * f64::from(b)
}

/// How dark each pixel of the page is burnt, the sum of all that burns there, 0 to 255.
fn burnt(sheet: &Sheet) -> Vec<f64> {
    let (width, height) = (PAGE.0 * PIXELS, PAGE.1 * PIXELS);
    let mut dark = vec![0.0; (width * height) as usize];
    let scale = f64::from(PIXELS);
    for laid in &sheet.shapes {
        let Some(fill) = laid.shape.fill else { continue };
        let rings: Vec<Vec<Point>> = match &laid.shown {
            Some(rings) => rings.to_vec(),
            None => laid.contours.iter().map(|c| c.flatten(0.005)).collect(),
        };
        let mut path = tiny_skia::PathBuilder::new();
        for ring in &rings {
            for (n, p) in ring.iter().enumerate() {
                let (x, y) = ((p.x * scale) as f32, ((40.0 - p.y) * scale) as f32);
                if n == 0 { path.move_to(x, y) } else { path.line_to(x, y) }
            }
            path.close();
        }
        let Some(path) = path.finish() else { continue };
        let mut area = tiny_skia::Mask::new(width, height).unwrap();
        area.fill_path(&path, tiny_skia::FillRule::EvenOdd, true, Transform::identity());
        let [r, g, b] = fill.colour.rgb;
        let own = 255.0 - grey(r, g, b);
        for (dark, share) in dark.iter_mut().zip(area.data()) {
            *dark += own * f64::from(*share) / 255.0;
        }
    }
    for image in &sheet.images {
        let back = image.to_bed.inverse();
        for (n, dark) in dark.iter_mut().enumerate() {
            let (x, y) = (n as u32 % width, n as u32 / width);
            let at = Point::new((f64::from(x) + 0.5) / scale, 40.0 - (f64::from(y) + 0.5) / scale);
            let at = back * at;
            let (x, y) = (at.x.floor(), at.y.floor());
            let within = x >= 0.0
                && y >= 0.0
                && x < f64::from(image.bitmap.width)
                && y < f64::from(image.bitmap.height);
            if within {
                let at = y as usize * image.bitmap.width as usize + x as usize;
                *dark += 255.0 - f64::from(image.bitmap.grey[at]);
            }
        }
    }
    dark
}

fn seen(svg: &str) -> Vec<f64> {
    let tree = resvg::usvg::Tree::from_str(svg, &resvg::usvg::Options::default()).unwrap();
    let mut picture = Pixmap::new(PAGE.0 * PIXELS, PAGE.1 * PIXELS).unwrap();
    picture.fill(tiny_skia::Color::WHITE);
    let scale = PIXELS as f32 * 25.4 / 96.0;
    resvg::render(&tree, Transform::from_scale(scale, scale), &mut picture.as_mut());
    picture.pixels().iter().map(|p| 255.0 - grey(p.red(), p.green(), p.blue())).collect()
}

#[test]
fn what_is_burnt_of_a_page_is_what_shows_of_it() {
    let job = job();
    for seed in 0..100 {
        let svg = page(&mut Dice(seed));
        let (sheet, _) = lay_out(Given::from(rendered(&svg)), &job)
            .unwrap_or_else(|problems| panic!("{problems:?}\n{svg}"));
        let (burnt, seen) = (burnt(&sheet), seen(&svg));
        let away: f64 = burnt.iter().zip(&seen).map(|(a, b)| (a - b).abs()).sum();
        let share = away / seen.iter().sum::<f64>();
        assert!(share < 0.04, "seed {seed}: {:.2} % of what shows\n{svg}", share * 100.0);
    }
}

#[test]
fn what_is_traced_lies_where_its_bitmap_was_painted() {
    let svg = format!(
        r##"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">
<rect width="60" height="40" fill="#804020"/>
<image x="10" y="10" width="16" height="12" href="{}"/>
<rect x="12" y="12" width="4" height="6" fill="#ffffff"/></svg>"##,
        photo()
    );
    let artwork = read("a.svg", svg.as_bytes(), &Reading::default()).unwrap();
    let mut job = job();
    // All of the picture is darker than this.
    let trace = tinkite_core::artwork::Trace { threshold: 0.99, ..Default::default() };
    job.artworks[0].trace = Some((trace, tinkite_core::colour::Colour::new(0, 0, 0)));
    let (sheet, _) = lay_out(Given::from(artwork), &job).unwrap();
    let area_of = |colour: &str| -> f64 {
        let of = |fill: tinkite_core::artwork::Fill| fill.colour.to_string() == colour;
        let shapes = sheet.shapes.iter().filter(|laid| laid.shape.fill.is_some_and(of));
        shapes.map(|laid| region::area(laid.shown.as_deref().expect("covered in part"))).sum()
    };
    // The picture less the white in it; the page less the picture.
    assert!((area_of("#000000") - (192.0 - 24.0)).abs() < 1.0, "{}", area_of("#000000"));
    assert!((area_of("#804020") - (2400.0 - 192.0)).abs() < 1.0, "{}", area_of("#804020"));
}

#[test]
fn an_outline_stays_a_line_and_a_plain_area_stays_an_area() {
    let svg = format!(
        r##"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">{ODD}
<rect x="0" y="0" width="60" height="40" fill="#000000"/>
<rect x="10" y="10" width="20" height="20" fill="url(#sky)" stroke="#ff0000" stroke-width="1"/>
<rect x="15" y="15" width="10" height="10" fill="#804020"/></svg>"##
    );
    let (sheet, problems) = lay_out(Given::from(rendered(&svg)), &job()).unwrap();
    let areas: Vec<f64> = sheet
        .shapes
        .iter()
        .filter(|s| s.shape.fill.is_some())
        .map(|s| {
            let rings = s.shown.as_ref().map_or_else(
                || s.contours.iter().map(|c| c.flatten(0.005)).collect(),
                |rings| rings.to_vec(),
            );
            tinkite_core::geometry::region::area(&rings)
        })
        .collect();
    // The black page without the sky; the plain kite whole.
    assert!((areas[0] - 2000.0).abs() < 0.5 && (areas[1] - 100.0).abs() < 0.1, "{areas:?}");
    let lines: Vec<_> = sheet.shapes.iter().filter_map(|s| s.shape.stroke).collect();
    assert_eq!(lines.len(), 1);
    assert_eq!(lines[0].colour.to_string(), "#ff0000");
    let picture = &sheet.images[0];
    let at = |x: f64, y: f64| {
        let p = picture.to_bed.inverse() * Point::new(x, y);
        picture.bitmap.grey[p.y as usize * picture.bitmap.width as usize + p.x as usize]
    };
    // Neither the line nor the kite is in it.
    assert_eq!((at(20.0, 20.0), at(10.2, 20.0)), (255, 255));
    assert!(at(12.0, 20.0) < 100 && at(28.0, 20.0) > 200);
    let told: Vec<_> = problems.iter().map(|p| (p.code.text(), p.message.clone())).collect();
    assert!(
        told.contains(&(
            "rendered",
            "1 shape drawn as the page shows it, 200 x 200 pixels of 0.1 mm".into()
        )),
        "{told:?}"
    );
}
