//! Commands that take drawings.

use super::values::{length, place};
use super::writing::Writing;
use crate::completing::machines;
use clap::Args as ClapArgs;
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

#[derive(Debug, ClapArgs)]
pub(crate) struct Look {
    /// Drawings, bitmaps, solids (SVG, DXF, PDF, PNG, JPEG, BMP, GIF, TIFF, WebP, STL, OBJ); - is standard input
    #[arg(required = true, value_name = "ART")]
    pub(crate) files: Vec<PathBuf>,
    /// Measure one shape: its id, or a point near its line like "20 mm, 35 mm"
    #[arg(long, value_name = "ID|POINT", allow_hyphen_values = true)]
    pub(crate) measure: Option<String>,
    /// Which page of a PDF, from 1
    #[arg(long, value_name = "PAGE", default_value = "1")]
    pub(crate) page: u32,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Begin {
    /// The drawings or bitmaps (SVG, DXF, PDF, PNG, JPEG, BMP, GIF, TIFF, WebP), laid side by side
    #[arg(required = true, value_name = "ART")]
    pub(crate) files: Vec<PathBuf>,
    /// Where to write the job [default: beside the drawing, as NAME.kite.toml]
    #[arg(long, short, value_name = "JOB")]
    pub(crate) output: Option<PathBuf>,
    /// The machine it is for: a profile's name or path
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines), default_value = "bench-laser")]
    pub(crate) machine: String,
    /// How wide the drawing is made [default: as it was drawn; one in pixels as it fits the bed]
    #[arg(long, value_name = "LENGTH", value_parser = length, conflicts_with = "height")]
    pub(crate) width: Option<f64>,
    /// How high it is made
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) height: Option<f64>,
    /// Make what is too large for the bed as large as fits it
    #[arg(long, conflicts_with_all = ["width", "height"])]
    pub(crate) fit: bool,
    /// Where its lower left corner lies, from the front left corner of the bed
    #[arg(long, value_name = "X,Y", value_parser = place, allow_hyphen_values = true)]
    pub(crate) at: Option<[f64; 2]>,
    /// Merge similar colours until there are at most this many steps
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1000))]
    pub(crate) steps: Option<u16>,
    /// The material; recipes for it are used where a book has them
    #[arg(long, value_name = "TEXT")]
    pub(crate) material: Option<String>,
    /// How thick it is
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}
