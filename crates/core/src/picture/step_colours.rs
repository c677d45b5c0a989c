//! In which colour each step is drawn: in turn, by what a test sheet varies, or as its shapes are in the drawing.

use super::palette::{INK, contrast_with_bed, ramp, step_colour};
use crate::compile::Compiled;
use crate::paints::ColourBy;
use tinkite_base::colour::Colour;
use tinkite_base::problem::few;
use tinkite_job::{Job, Step};

/// The colour of each step of a job, as `#rrggbb`.
#[derive(Debug, Clone, PartialEq)]
pub struct StepColours {
    colours: Vec<String>,
    /// Which steps are squares of a test sheet, and what the colours from little to much mean, in words.
    pub(super) squares: Option<Squares>,
}

/// Squares of a test sheet.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Squares {
    pub(super) steps: Vec<usize>,
    pub(super) title: String,
    pub(super) low: String,
    pub(super) high: String,
}

impl StepColours {
    /// Of a job's steps.
    #[must_use]
    pub fn of(compiled: &Compiled, job: &Job) -> Self {
        let in_turn = (0..job.steps.len()).map(|n| step_colour(n).to_string());
        let mut colours: Vec<String> = in_turn.collect();
        if compiled.colour_by == ColourBy::Drawing {
            for (colour, paint) in colours.iter_mut().zip(&compiled.paints) {
                // A bitmap has no colour of its own.
                *colour = paint.drawn.map_or_else(|| INK.to_string(), standing_out);
            }
            return Self { colours, squares: None };
        }
        let squares = squares(job);
        if let Some(squares) = &squares {
            let last = squares.steps.len().saturating_sub(1).max(1) as f64;
            for (n, step) in squares.steps.iter().enumerate() {
                colours[*step] = ramp(n as f64 / last);
            }
        }
        Self { colours, squares }
    }

    /// What a picture in the colours of the drawing does not show: steps of one colour, and colours of which a step has
    /// more; by the numbers of steps that are shown.
    pub(super) fn unseen(&self, compiled: &Compiled) -> Vec<String> {
        if compiled.colour_by != ColourBy::Drawing {
            return Vec::new();
        }
        let list = |steps: Vec<usize>| {
            let numbers: Vec<String> = steps.iter().map(|n| (n + 1).to_string()).collect();
            few(&numbers, 6)
        };
        let shown = &compiled.steps;
        let same = |a: &usize| shown.iter().any(|b| a != b && self.step(*a) == self.step(*b));
        let several = |n: &usize| compiled.paints.get(*n).is_some_and(|paint| paint.colours > 1);
        let alike: Vec<usize> = shown.iter().copied().filter(same).collect();
        let mixed: Vec<usize> = shown.iter().copied().filter(several).collect();
        let mut told = Vec::new();
        if !alike.is_empty() {
            told.push(format!("steps {} look alike", list(alike)));
        }
        if !mixed.is_empty() {
            told.push(format!("drawn in several colours: step {}", list(mixed)));
        }
        told
    }

    /// Of a step.
    #[must_use]
    pub fn step(&self, number: usize) -> &str {
        self.colours.get(number).map_or_else(|| step_colour(number), String::as_str)
    }
}

/// The squares of a test sheet, from the weakest to the strongest.
fn squares(job: &Job) -> Option<Squares> {
    let swatch = job.swatch.as_ref()?;
    let square = |step: &Step| swatch.cell(&step.name);
    let strength = |n: usize| {
        let step = &job.steps[n];
        step.power().0 * step.passes.len() as f64 / step.speed().0.max(1e-9)
    };
    let mut steps: Vec<usize> =
        (0..job.steps.len()).filter(|n| square(&job.steps[*n]).is_some()).collect();
    let (first, last) = (*steps.first()?, *steps.last()?);
    // Where nothing is stronger than anything else, they differ by their place.
    let vary = steps.iter().any(|n| (strength(*n) / strength(first) - 1.0).abs() > 1e-6);
    if vary {
        steps.sort_by(|a, b| strength(*a).total_cmp(&strength(*b)));
    }
    let (least, most) = if vary { (*steps.first()?, *steps.last()?) } else { (first, last) };
    let name = |n: usize| &job.steps[n].name;
    let (low, high) = match vary {
        true => (format!("{}, weakest", name(least)), format!("{}, strongest", name(most))),
        false => (name(least).clone(), name(most).clone()),
    };
    let many = tinkite_base::problem::count(steps.len(), "square");
    let title = if vary {
        format!("{many}, by power over speed")
    } else {
        format!("{many}, in their order")
    };
    Some(Squares { steps, title, low, high })
}

/// Least contrast with the bed at which a line is seen well.
const LEAST_CONTRAST: f64 = 1.6;

/// A drawn colour, darkened where it would not be seen on the bed.
fn standing_out(drawn: Colour) -> String {
    let mut rgb = drawn.rgb.map(f64::from);
    let hex = |rgb: [f64; 3]| {
        let [r, g, b] = rgb.map(|part| part.round() as u8);
        format!("#{r:02x}{g:02x}{b:02x}")
    };
    while contrast_with_bed(&hex(rgb)) < LEAST_CONTRAST {
        rgb = rgb.map(|part| part * 0.94);
    }
    hex(rgb)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn drawn_colours_are_kept_where_they_are_seen() {
        let of = |r, g, b| standing_out(Colour::new(r, g, b));
        assert_eq!((of(255, 0, 0), of(0, 0, 0)), ("#ff0000".into(), "#000000".into()));
        // Yellow and white would vanish on the bed.
        for pale in [of(255, 255, 0), of(255, 255, 255)] {
            assert!(contrast_with_bed(&pale) >= LEAST_CONTRAST, "{pale}");
        }
    }
}
