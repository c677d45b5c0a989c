//! What shows is what is engraved: random pages with overlaps, holes, both fill rules, white lines and
//! things of no opacity, against a raster of the same page by a renderer that is not ours.

use crate::dice::Dice;
use resvg::tiny_skia::{Pixmap, Transform};
use std::collections::BTreeSet;
use std::fmt::Write as _;
use tinkite_core::artwork::{Reading, Render, read};
use tinkite_core::geometry::Point;
use tinkite_core::geometry::region::{FillRule, area, unite};
use tinkite_core::job::{self, Job};
use tinkite_core::layout::{Given, Sheet, lay_out};
use tinkite_core::machine;

const MACHINE: &str = include_str!("../../../demo/bench-laser.machine.toml");
/// The page, mm, and how many pixels there are to each.
const PAGE: (u32, u32) = (60, 40);
const PIXELS: u32 = 20;

const COLOURS: [&str; 4] = ["#000000", "#804020", "#3070c0", "#ffffff"];

/// A page of some shapes in few colours.
fn page(dice: &mut Dice) -> String {
    let (width, height) = (f64::from(PAGE.0), f64::from(PAGE.1));
    let mut out = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="{0}mm" height="{1}mm" viewBox="0 0 {0} {1}" shape-rendering="crispEdges" fill="none">"#,
        PAGE.0, PAGE.1
    );
    for _ in 0..2 + dice.below(30) {
        // What lies beyond the page is drawn all the same, and a picture of the page has none of it.
        let size = dice.between(1.0, 15.0);
        let within = |most: f64| (size + 2.5, most - size - 2.5);
        let ((left, right), (low, high)) = (within(width), within(height));
        let (x, y) = (dice.between(left, right), dice.between(low, high));
        let colour = COLOURS[dice.below(4) as usize];
        let rule = if dice.below(2) == 0 { "evenodd" } else { "nonzero" };
        let gone = match dice.below(12) {
            0 => r#" opacity="0""#,
            1 => r#" fill-opacity="0""#,
            _ => "",
        };
        let paint = match dice.below(8) {
            0 => format!(r##"stroke="#ffffff" stroke-width="{:.2}""##, dice.between(0.3, 3.0)),
            1 => format!(r##"fill="{colour}" stroke="#ffffff" stroke-width="0.8""##),
            _ => format!(r#"fill="{colour}""#),
        };
        let drawn = match dice.below(4) {
            0 => format!(
                r#"<rect x="{:.3}" y="{:.3}" width="{size:.3}" height="{:.3}""#,
                x - size / 2.0,
                y - size / 2.0,
                size * dice.between(0.2, 1.0)
            ),
            1 => format!(r#"<circle cx="{x:.3}" cy="{y:.3}" r="{:.3}""#, size / 2.0),
            2 => {
                // A ring, or a disc: by the rule.
                let (r, inner) = (size / 2.0, size / 4.0);
                format!(
                    r#"<path d="M{0:.3} {y:.3}a{r:.3} {r:.3} 0 1 0 {1:.3} 0a{r:.3} {r:.3} 0 1 0 -{1:.3} 0z M{2:.3} {y:.3}a{inner:.3} {inner:.3} 0 1 0 {r:.3} 0a{inner:.3} {inner:.3} 0 1 0 -{r:.3} 0z""#,
                    x - r,
                    2.0 * r,
                    x - inner
                )
            }
            _ => {
                let mut d = String::new();
                for n in 0..3 + dice.below(6) {
                    let (dx, dy) = (dice.between(-size, size), dice.between(-size, size));
                    let letter = if n == 0 { 'M' } else { 'L' };
                    let _ = write!(d, "{letter}{:.3} {:.3}", x + dx, y + dy);
                }
                format!(r#"<path d="{d}z""#)
            }
        };
        let _ = write!(out, r#"{drawn} fill-rule="{rule}" {paint}{gone}/>"#);
    }
    // Nothing is on the page is no page.
    out + r##"<rect x="0" y="0" width="0.5" height="0.5" fill="#000000"/></svg>"##
}

fn job() -> Job {
    let machine = machine::read("bench-laser", MACHINE).unwrap();
    let text = "tinkite = 1\nname = \"a\"\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"a.svg\"\n[place]\nat = [\"0 mm\", \"0 mm\"]\n[[step]]\nname = \"e\"\ntake = { fill = \"#000000\" }\nmake = \"engrave\"\nspeed = \"100 mm/s\"\npower = \"20 %\"\nlines = { spacing = \"0.1 mm\" }\n";
    job::read("a.kite.toml", text, machine).unwrap()
}

/// What shows of a colour on a sheet, mm².
fn area_of(sheet: &Sheet, colour: &str) -> f64 {
    let painted = sheet
        .shapes
        .iter()
        .filter(|laid| laid.shape.fill.is_some_and(|fill| fill.colour.to_string() == colour));
    let rings: Vec<Vec<Point>> = painted
        .flat_map(|laid| match &laid.shown {
            Some(rings) => rings.to_vec(),
            None => {
                let flat: Vec<_> = laid.contours.iter().map(|c| c.flatten(0.005)).collect();
                unite(&flat, laid.shape.fill.unwrap().rule)
            }
        })
        .collect();
    area(&unite(&rings, FillRule::NonZero))
}

/// What shows of it in a picture of the page, mm².
fn area_in(pixels: &Pixmap, colour: &str) -> f64 {
    let of = |at| u8::from_str_radix(&colour[at..at + 2], 16).unwrap();
    let wanted = [of(1), of(3), of(5), 255];
    let count = pixels.data().chunks_exact(4).filter(|pixel| **pixel == wanted).count();
    count as f64 / f64::from(PIXELS * PIXELS)
}

/// The area of each colour that is engraved, mm².
fn engraved(svg: &str, job: &Job) -> Vec<f64> {
    let artwork = read("a.svg", svg.as_bytes(), &Reading::default()).unwrap();
    let (sheet, _) = lay_out(Given::from(artwork), job).unwrap();
    let of = |colour: &&str| area_of(&sheet, colour);
    COLOURS[..3].iter().map(of).collect()
}

/// The same in a picture of the page.
fn seen(svg: &str) -> Vec<f64> {
    let tree = resvg::usvg::Tree::from_str(svg, &resvg::usvg::Options::default()).unwrap();
    let mut pixels = Pixmap::new(PAGE.0 * PIXELS, PAGE.1 * PIXELS).unwrap();
    let scale = (PAGE.0 * PIXELS) as f32 / tree.size().width();
    resvg::render(&tree, Transform::from_scale(scale, scale), &mut pixels.as_mut());
    let counted = |colour: &&str| area_in(&pixels, colour);
    COLOURS[..3].iter().map(counted).collect()
}

#[test]
fn every_colour_is_engraved_where_it_shows_and_nowhere_else() {
    let job = job();
    for seed in 0..500 {
        let svg = page(&mut Dice(seed));
        let (engraved, seen) = (engraved(&svg, &job), seen(&svg));
        let differs: f64 = engraved.iter().zip(&seen).map(|(a, b)| (a - b).abs()).sum();
        let share = differs / f64::from(PAGE.0 * PAGE.1);
        // A pixel more or less along each border is what a raster cannot tell.
        assert!(share < 0.001, "page {seed}: {engraved:?} mm2 engraved, {seen:?} seen\n{svg}");
    }
}

/// A drawing without its lines in a colour, which are nothing to engrave, and with hard edges.
fn without_lines(svg: &str) -> String {
    let mut out = String::new();
    let mut rest = svg;
    while let Some((before, behind)) = rest.split_once("stroke=\"") {
        let (colour, behind) = behind.split_once('"').unwrap();
        let kept = if matches!(colour, "white" | "#fff" | "#ffffff") { colour } else { "none" };
        let _ = write!(out, "{before}stroke=\"{kept}\"");
        rest = behind;
    }
    out.push_str(rest);
    out.replacen("<svg ", "<svg shape-rendering=\"crispEdges\" ", 1)
}

#[test]
fn of_the_workshops_drawings_what_shows_is_engraved() {
    let job = job();
    let mut compared = 0;
    for (name, svg) in [
        ("kite-stamp", include_str!("../../../demo/kite-stamp.svg")),
        ("line-reel", include_str!("../../../demo/line-reel.svg")),
        ("reel-label", include_str!("../../../demo/reel-label.svg")),
        ("rough-panel", include_str!("../../../demo/rough-panel.svg")),
        ("sail-panel", include_str!("../../../demo/sail-panel.svg")),
        ("sky-panel", include_str!("../../../demo/sky-panel.svg")),
    ] {
        let svg = without_lines(svg);
        let render = Some(Render { dpi: 127.0, takes: None });
        let how = Reading { render, ..Reading::default() };
        let artwork = read(name, svg.as_bytes(), &how).unwrap();
        let page = artwork.page.unwrap();
        let colours: BTreeSet<String> = artwork
            .shapes
            .iter()
            .filter_map(|shape| shape.fill)
            .map(|fill| fill.colour.to_string())
            .filter(|colour| colour != "#ffffff")
            .collect();
        let (sheet, _) = lay_out(Given::from(artwork), &job).unwrap();
        let tree = resvg::usvg::Tree::from_str(&svg, &resvg::usvg::Options::default()).unwrap();
        let side = |mm: f64| (mm * f64::from(PIXELS)).round() as u32;
        let mut pixels = Pixmap::new(side(page.0), side(page.1)).unwrap();
        let scale = pixels.width() as f32 / tree.size().width();
        resvg::render(&tree, Transform::from_scale(scale, scale), &mut pixels.as_mut());
        for colour in &colours {
            let (engraved, seen) = (area_of(&sheet, colour), area_in(&pixels, colour));
            let share = (engraved - seen).abs() / (page.0 * page.1);
            assert!(share < 0.002, "{name}, {colour}: {engraved} mm² engraved, {seen} seen");
            compared += 1;
        }
    }
    assert!(compared >= 7, "{compared} colours");
}
