//! A job that was begun, as JSON.

use crate::{ProblemJson, problems_json};
use serde::Serialize;
use std::path::Path;
use tinkite_core::problem::Problems;
use tinkite_core::{BegunSize, SizeBy};

/// A job that was begun: where it lies, and how large each drawing is made.
#[derive(Debug, Serialize)]
pub struct BegunJson {
    file: String,
    artworks: Vec<BegunSizeJson>,
    problems: Vec<ProblemJson>,
}

/// How large a drawing is drawn, and made.
#[derive(Debug, Serialize)]
struct BegunSizeJson {
    file: String,
    drawn_mm: [f64; 2],
    made_mm: [f64; 2],
    /// `drawing`, `wish` or `bed`.
    size_by: &'static str,
}

impl BegunJson {
    /// Of a job that was written to `file`.
    #[must_use]
    pub fn of(file: &Path, sizes: &[BegunSize], problems: &Problems) -> Self {
        let round =
            |(width, height): (f64, f64)| [width, height].map(|mm| (mm * 1e3).round() / 1e3);
        let artworks = sizes.iter().map(|size| BegunSizeJson {
            file: size.file.clone(),
            drawn_mm: round(size.drawn),
            made_mm: round(size.made),
            size_by: match size.by {
                SizeBy::Drawing => "drawing",
                SizeBy::Wish => "wish",
                SizeBy::Bed => "bed",
            },
        });
        Self {
            file: file.display().to_string(),
            artworks: artworks.collect(),
            problems: problems_json(problems),
        }
    }
}
