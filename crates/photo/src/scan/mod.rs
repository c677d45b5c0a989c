//! Reading a scan or a photo of a burnt test sheet: its marks are found, and how dark each square is.
//!
//! Darkness counts from bare stock (0 %) to no light at all (100 %), in the values of the picture, which follow
//! what the eye sees; the light is taken from the bare stock round about, so that a shadow is no darkness.

mod light;
mod marks;

use light::Light;
use rayon::prelude::*;
use tinkite_artwork::Bitmap;
use tinkite_base::geometry::Point;
use tinkite_base::geometry::perspective::Perspective;
use tinkite_base::problem::{Code, Problem, Remedy};
use tinkite_job::swatch::{Cell, Swatch};

/// More pixels than this are no scan of a sheet that anybody needs.
pub const MOST_PIXELS: u64 = 60_000_000;

/// How dark one square is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Darkness {
    /// In the mean: 0 bare stock, 1 no light.
    pub mean: f64,
    /// How much it differs within the square (standard deviation).
    pub uneven: f64,
    /// Just outside of its edge: smoke and char.
    pub edge: f64,
}

/// A sheet that was read.
#[derive(Debug, Clone, PartialEq)]
pub struct Scan {
    /// How dark each square of the sheet is, in its order; none of those that were left blank.
    pub cells: Vec<Option<Darkness>>,
    /// By how many quarters the picture is turned clockwise.
    pub quarters: u32,
    /// Whether the picture is mirrored.
    pub mirrored: bool,
    /// Pixels of the picture to a mm of the sheet.
    pub pixels_per_mm: f64,
    /// Brightness of the bare stock where it is darkest, to where it is brightest.
    pub evenness: f64,
}

/// Reads the picture of a sheet.
///
/// # Errors
/// Marks that are not to be found, a picture too small to tell squares apart, and light too uneven.
pub fn read(swatch: &Swatch, picture: &Bitmap) -> Result<Scan, Problem> {
    if swatch.comb.is_some() {
        let what = "a comb is measured with a caliper, not on a picture";
        return Err(refuse(what, "say what was measured").with_remedy(Remedy::SayMeasured));
    }
    let found = marks::find(swatch, picture)?;
    let to_picture = found.map;
    let light = Light::of(swatch, picture, &to_picture)?;
    let cells = swatch
        .cells
        .par_iter()
        .map(|cell| cell.blank.is_none().then(|| darkness(cell, picture, &to_picture, &light)))
        .collect();
    Ok(Scan {
        cells,
        quarters: found.quarters,
        mirrored: found.mirrored,
        pixels_per_mm: found.pixels_per_mm,
        evenness: light.evenness(swatch),
    })
}

fn refuse(what: impl Into<String>, help: &str) -> Problem {
    Problem::error(Code::Scan, what, help)
}

/// Places across and down a square that are looked at.
const LOOKS: usize = 32;

/// Share of a square's side that is looked at: its edges are burnt twice, or blurred.
const INNER: f64 = 0.76;

/// How far outside of a square its edge is looked at, mm.
const OUTSIDE: f64 = 0.6;

fn darkness(cell: &Cell, picture: &Bitmap, to_picture: &Perspective, light: &Light) -> Darkness {
    let rect = cell.rect;
    let dark = |at: Point| 1.0 - value(picture, to_picture.at(at)) / light.at(at);
    let mut inside = Vec::with_capacity(LOOKS * LOOKS);
    for row in 0..LOOKS {
        for column in 0..LOOKS {
            let place = |n: usize| 0.5 + INNER * ((n as f64 + 0.5) / LOOKS as f64 - 0.5);
            inside.push(dark(Point::new(
                rect.x0 + rect.width() * place(column),
                rect.y0 + rect.height() * place(row),
            )));
        }
    }
    let count = inside.len() as f64;
    let mean = inside.iter().sum::<f64>() / count;
    let uneven = (inside.iter().map(|d| (d - mean).powi(2)).sum::<f64>() / count).sqrt();
    let outer = rect.inflate(OUTSIDE, OUTSIDE);
    let edge: Vec<f64> = (0..LOOKS)
        .flat_map(|n| {
            let share = (n as f64 + 0.5) / LOOKS as f64;
            let (x, y) = (outer.x0 + outer.width() * share, outer.y0 + outer.height() * share);
            [
                Point::new(x, outer.y0),
                Point::new(x, outer.y1),
                Point::new(outer.x0, y),
                Point::new(outer.x1, y),
            ]
        })
        .map(dark)
        .collect();
    let edge = edge.iter().sum::<f64>() / edge.len() as f64;
    Darkness { mean, uneven, edge }
}

/// The picture's value at a place in pixels, from 0 to 255, between pixels in proportion; beyond its edge that
/// of the edge.
fn value(picture: &Bitmap, at: Point) -> f64 {
    let (w, h) = (picture.width as usize, picture.height as usize);
    let x = (at.x - 0.5).clamp(0.0, (w - 1) as f64);
    let y = (at.y - 0.5).clamp(0.0, (h - 1) as f64);
    let (x0, y0) = (x as usize, y as usize);
    let (x1, y1) = ((x0 + 1).min(w - 1), (y0 + 1).min(h - 1));
    let (fx, fy) = (x - x0 as f64, y - y0 as f64);
    let pixel = |x: usize, y: usize| f64::from(picture.grey[y * w + x]);
    let upper = pixel(x0, y0) * (1.0 - fx) + pixel(x1, y0) * fx;
    let lower = pixel(x0, y1) * (1.0 - fx) + pixel(x1, y1) * fx;
    upper * (1.0 - fy) + lower * fy
}
