//! From a photo to the bed: which place of the picture is which place of the bed, and how truly.

use super::{Lens, Pixels};
use rayon::prelude::*;
use std::sync::Arc;
use tinkite_base::geometry::perspective::Perspective;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::plain;

/// How true a flat photo is.
#[derive(Debug, Clone, PartialEq)]
pub struct Trueness {
    /// How far each of the known places lies from where the flat photo shows it, mm; empty where there are only
    /// four, which fit whatever they are.
    pub off: Vec<f64>,
    /// How many mm a pixel of the photo is where it is coarsest between the known places.
    pub coarsest: f64,
}

impl Trueness {
    /// The greatest of the distances, mm.
    #[must_use]
    pub fn worst(&self) -> Option<f64> {
        self.off.iter().copied().reduce(f64::max)
    }
}

/// A photo that can be looked at flat.
#[derive(Debug, Clone)]
pub struct FlatPhoto {
    /// What people call it.
    pub name: String,
    /// Its pixels.
    pixels: Arc<Pixels>,
    /// From mm of the field to the picture without its lens.
    to_picture: Perspective,
    /// The sign of what is seen.
    ahead: f64,
    /// What its lens bends.
    pub lens: Lens,
    /// How true it is.
    pub trueness: Trueness,
}

/// Places are read this truly by eye, pixels.
const READ: f64 = 0.2;

/// A lens is reckoned with where the squares of what places are off become less than this share of what they were.
const BETTER: f64 = 0.5;

/// The coefficient of distortion is looked for between these.
const MOST_BENT: f64 = 0.4;

/// Makes a photo flat by places that are known: on the picture (pixels) and in the field (mm).
///
/// # Errors
/// Fewer than four places, places beside the picture, and such that lie on a line.
pub fn flat(
    name: &str,
    pixels: Pixels,
    on_picture: &[Point],
    in_field: &[Point],
) -> Result<FlatPhoto, Problem> {
    let refuse =
        |message: String, help: &str| Err(Problem::error(Code::PhotoPlaces, message, help));
    let n = on_picture.len();
    if n < 4 || n != in_field.len() {
        let message =
            format!("{n} places on the photo and {} on the bed are known", in_field.len());
        return refuse(message, "say at least four places, each on the photo and on the bed");
    }
    let (width, height) = (f64::from(pixels.width), f64::from(pixels.height));
    let beside = |p: &&Point| !(p.x >= 0.0 && p.y >= 0.0 && p.x <= width && p.y <= height);
    if let Some(p) = on_picture.iter().find(beside) {
        let message = format!(
            "the place {}, {} lies beside the photo, which has {} x {} pixels",
            plain(p.x, 1),
            plain(p.y, 1),
            pixels.width,
            pixels.height
        );
        return refuse(message, "count pixels from the upper left corner of the photo");
    }
    let size = (pixels.width, pixels.height);
    let straight = |k: f64| -> Option<(Lens, Vec<Point>, Perspective)> {
        let lens = Lens::of(size, k);
        let places: Vec<Point> = on_picture.iter().map(|p| lens.straight(*p)).collect();
        let map = Perspective::through(&places, in_field)?;
        Some((lens, places, map))
    };
    let misses = |k: f64| {
        straight(k).map_or(f64::INFINITY, |(_, places, map)| {
            places.iter().zip(in_field).map(|(p, to)| (map.at(*p) - *to).hypot2()).sum()
        })
    };
    // Four places say nothing of the lens, nor do places that fit without one: a bend that makes them no better by
    // a good part of what they were off is chance.
    let plain_misses = misses(0.0);
    let coarse = |places: &[Point], map: &Perspective| {
        let step = |p: &Point, x: f64, y: f64| map.at(*p + Vec2::new(x, y)).distance(map.at(*p));
        places.iter().map(|p| step(p, 1.0, 0.0).max(step(p, 0.0, 1.0))).fold(0.0, f64::max)
    };
    let pixel = straight(0.0).map_or(0.0, |(_, places, map)| coarse(&places, &map));
    let is_off = (plain_misses / n as f64).sqrt() > READ * pixel;
    let k = if n > 4 && is_off { least(misses) } else { 0.0 };
    let k = if misses(k) < BETTER * plain_misses { k } else { 0.0 };
    let line = "four of the places must not lie on one line, nor three of four";
    let Some((lens, places, map)) =
        straight(k).filter(|_| lie_apart(on_picture) && lie_apart(in_field))
    else {
        return refuse("the known places lie on a line, or nearly".into(), line);
    };
    let Some(to_picture) = map.inverse() else {
        return refuse("the known places lie on a line, or nearly".into(), line);
    };
    // Whatever lies between the known places must lie before the camera.
    let side = |p: &Point| map.depth(*p) > 0.0;
    if places.iter().any(|p| side(p) != side(&places[0])) {
        let message = "the known places cannot all be seen from one side of the bed".into();
        return refuse(
            message,
            "check their order: the first on the photo is the first on the bed",
        );
    }
    let off = if n > 4 {
        places.iter().zip(in_field).map(|(p, to)| map.at(*p).distance(*to)).collect()
    } else {
        Vec::new()
    };
    let trueness = Trueness { off, coarsest: coarse(&places, &map) };
    let ahead = to_picture.depth(in_field[0]).signum();
    Ok(FlatPhoto { name: name.into(), pixels: Arc::new(pixels), to_picture, ahead, lens, trueness })
}

/// Whether the triangles between places are no slivers.
fn lie_apart(places: &[Point]) -> bool {
    let bounds = places.iter().fold(Rect::from_points(places[0], places[0]), |r, p| r.union_pt(*p));
    let all = bounds.width().max(bounds.height()).powi(2);
    let area = |a: Point, b: Point, c: Point| (b - a).cross(c - a).abs() / 2.0;
    let n = places.len();
    // Some four of which no three lie on a line: with four that is all of them.
    let wide = |a: usize, b: usize, c: usize| area(places[a], places[b], places[c]) > all * 1e-3;
    let four = |i: [usize; 4]| {
        wide(i[0], i[1], i[2])
            && wide(i[0], i[1], i[3])
            && wide(i[0], i[2], i[3])
            && wide(i[1], i[2], i[3])
    };
    (0..n).any(|a| (a + 1..n).any(|b| (b + 1..n).any(|c| (c + 1..n).any(|d| four([a, b, c, d])))))
}

/// Where a function of the coefficient is least: looked for coarsely, then by golden sections.
fn least(of: impl Fn(f64) -> f64) -> f64 {
    const STEPS: i32 = 40;
    let at = |n: i32| MOST_BENT * f64::from(n) / f64::from(STEPS);
    let best = (-STEPS..=STEPS).min_by(|a, b| of(at(*a)).total_cmp(&of(at(*b)))).unwrap_or(0);
    let (mut low, mut high) = (at((best - 1).max(-STEPS)), at((best + 1).min(STEPS)));
    let golden = (5.0_f64.sqrt() - 1.0) / 2.0;
    for _ in 0..50 {
        let (a, b) = (high - golden * (high - low), low + golden * (high - low));
        if of(a) < of(b) { high = b } else { low = a }
    }
    (low + high) / 2.0
}

impl FlatPhoto {
    /// The colour of a place of the field, mm; `None` where the photo does not show it.
    #[must_use]
    pub fn at(&self, p: Point) -> Option<[u8; 3]> {
        if self.to_picture.depth(p) * self.ahead <= 0.0 {
            return None;
        }
        self.pixels.at(self.lens.bent(self.to_picture.at(p))?)
    }

    /// A rectangle of the field as so many pixels across and down, row by row from the top: red, green, blue and
    /// whether it is seen.
    #[must_use]
    pub fn cut_out(&self, rect: Rect, size: (u32, u32)) -> Vec<u8> {
        let (columns, rows) = (size.0 as usize, size.1 as usize);
        let mut rgba = vec![0; columns * rows * 4];
        rgba.par_chunks_mut(columns.max(1) * 4).enumerate().for_each(|(row, line)| {
            let y = rect.y1 - (row as f64 + 0.5) / rows as f64 * rect.height();
            for (column, pixel) in line.chunks_mut(4).enumerate() {
                let x = rect.x0 + (column as f64 + 0.5) / columns as f64 * rect.width();
                if let Some([r, g, b]) = self.at(Point::new(x, y)) {
                    pixel.copy_from_slice(&[r, g, b, u8::MAX]);
                }
            }
        });
        rgba
    }

    /// How true it is, in words.
    #[must_use]
    pub fn words(&self) -> String {
        let coarse = format!("a pixel is up to {} mm", plain(self.trueness.coarsest, 2));
        match self.trueness.worst() {
            Some(worst) => format!(
                "its {} known places lie within {} mm of where it shows them; {coarse}",
                self.trueness.off.len(),
                plain(worst, 2)
            ),
            None => format!(
                "four known places fit whatever they are: a fifth would say how true it is; {coarse}"
            ),
        }
    }

    /// What is doubtful of it.
    #[must_use]
    pub fn problem(&self) -> Problem {
        let message = format!("photo {}: {}", self.name, self.words());
        let help = "what is read off it is no truer than that; add places, spread over the bed";
        match self.trueness.worst() {
            Some(worst) if worst > UNTRUE => Problem::warning(Code::PhotoTrue, message, help),
            _ => Problem::note(Code::PhotoTrue, message, help),
        }
    }
}

/// A photo that is farther off than this is warned of, mm.
const UNTRUE: f64 = 1.0;
