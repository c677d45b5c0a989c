//! The light on a sheet: how bright its bare stock is, place by place.

use super::{refuse, value};
use tinkite_artwork::Bitmap;
use tinkite_base::geometry::perspective::Perspective;
use tinkite_base::geometry::{Point, Rect};
use tinkite_base::problem::Problem;
use tinkite_job::swatch::Swatch;

/// Between places that are looked at, mm.
const STEP: f64 = 1.0;

/// How far these stay away from everything that is burnt, mm.
const CLEAR: f64 = 0.9;

/// Terms of a surface of second degree.
const TERMS: usize = 6;

/// Light that falls to less than this share of its most is told apart from dirt no more.
const LEAST: f64 = 0.3;

/// The surface may miss the bare stock by this share of its brightness, in the mean.
const MISSES: f64 = 0.12;

/// Brightness of bare stock over the sheet: a surface of second degree, fitted to places where nothing is burnt.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Light {
    terms: [f64; TERMS],
    size: (f64, f64),
}

impl Light {
    pub(super) fn of(
        swatch: &Swatch,
        picture: &Bitmap,
        to_picture: &Perspective,
    ) -> Result<Self, Problem> {
        let (width, depth) = swatch.size;
        let burnt: Vec<Rect> = swatch
            .cells
            .iter()
            .filter(|cell| cell.blank.is_none())
            .map(|cell| cell.rect)
            .chain(swatch.marks)
            .chain([swatch.key])
            .map(|rect| rect.inflate(CLEAR, CLEAR))
            .collect();
        let mut looks: Vec<(Point, f64)> = Vec::new();
        for row in 0..=(depth / STEP) as usize {
            for column in 0..=(width / STEP) as usize {
                let at = Point::new(column as f64 * STEP, row as f64 * STEP);
                if !burnt.iter().any(|rect| rect.contains(at)) {
                    looks.push((at, value(picture, to_picture.at(at))));
                }
            }
        }
        let mut light = Self { terms: [0.0; TERMS], size: swatch.size };
        let mut kept: Vec<(Point, f64)> = looks;
        // Letters, smoke and dirt are darker than what is round them: they are left out, turn by turn.
        for _ in 0..6 {
            light.terms = fit(&kept, |at| light.powers(at)).ok_or_else(|| {
                refuse(
                    "there is too little bare stock to tell the light by",
                    "take the picture again, with the whole sheet on it",
                )
            })?;
            let miss = spread_of(&kept, &light);
            let before = kept.len();
            kept.retain(|(at, value)| {
                let off = value - light.at(*at);
                off > -1.5 * miss && off < 3.0 * miss
            });
            if kept.len() == before {
                break;
            }
        }
        let brightest = kept.iter().map(|(at, _)| light.at(*at)).fold(0.0, f64::max);
        let evenness = light.evenness(swatch);
        let again = "take the picture again: flat on the scanner, or in even light from all sides";
        if brightest < 40.0 {
            return Err(refuse("the picture is too dark: bare stock is nearly black on it", again));
        }
        if evenness < LEAST {
            let what = format!(
                "the light is too uneven: the sheet's darkest corner gets {:.0} % of what its brightest gets",
                evenness * 100.0
            );
            return Err(refuse(what, again));
        }
        let miss = spread_of(&kept, &light) / brightest;
        if miss > MISSES {
            let what = format!(
                "the bare stock differs by {:.0} % from place to place: grain, dirt or hard shadows",
                miss * 100.0
            );
            return Err(refuse(what, again));
        }
        Ok(light)
    }

    /// The terms of the surface at a place.
    fn powers(&self, at: Point) -> [f64; TERMS] {
        let (x, y) = (at.x / self.size.0 * 2.0 - 1.0, at.y / self.size.1 * 2.0 - 1.0);
        [1.0, x, y, x * x, x * y, y * y]
    }

    /// Brightness of bare stock there, in the picture's values.
    pub(super) fn at(&self, at: Point) -> f64 {
        let sum: f64 = self.powers(at).iter().zip(self.terms).map(|(p, t)| p * t).sum();
        sum.max(1.0)
    }

    /// The darkest of the bare sheet as a share of its brightest.
    pub(super) fn evenness(&self, swatch: &Swatch) -> f64 {
        let (width, depth) = swatch.size;
        let all = (0..=8).flat_map(|row| (0..=8).map(move |column| (column, row)));
        let all = all.map(|(column, row)| {
            self.at(Point::new(width * f64::from(column) / 8.0, depth * f64::from(row) / 8.0))
        });
        let (least, most) = all.fold((f64::MAX, 0.0f64), |(a, b), v| (a.min(v), b.max(v)));
        least / most
    }
}

/// How far places are off the surface, in the mean.
fn spread_of(looks: &[(Point, f64)], light: &Light) -> f64 {
    let sum: f64 = looks.iter().map(|(at, value)| (value - light.at(*at)).powi(2)).sum();
    (sum / looks.len().max(1) as f64).sqrt().max(0.5)
}

/// The least squares fit, by its normal equations and elimination with pivots.
fn fit(looks: &[(Point, f64)], powers: impl Fn(Point) -> [f64; TERMS]) -> Option<[f64; TERMS]> {
    if looks.len() < 4 * TERMS {
        return None;
    }
    let mut rows = [[0.0; TERMS + 1]; TERMS];
    for (at, value) in looks {
        let p = powers(*at);
        for (row, own) in rows.iter_mut().zip(p) {
            for (cell, other) in row.iter_mut().zip(p) {
                *cell += own * other;
            }
            row[TERMS] += own * value;
        }
    }
    for n in 0..TERMS {
        let best = (n..TERMS).max_by(|a, b| rows[*a][n].abs().total_cmp(&rows[*b][n].abs()))?;
        rows.swap(n, best);
        let pivot = rows[n];
        if pivot[n].abs() < 1e-9 {
            return None;
        }
        for (other, row) in rows.iter_mut().enumerate() {
            if other != n {
                let share = row[n] / pivot[n];
                row.iter_mut().zip(pivot).for_each(|(cell, p)| *cell -= share * p);
            }
        }
    }
    let mut terms = [0.0; TERMS];
    for (n, term) in terms.iter_mut().enumerate() {
        *term = rows[n][TERMS] / rows[n][n];
    }
    Some(terms)
}
