//! Commands that take drawings.

use super::values::{length, place, setting, words, zero};
use super::writing::Writing;
use crate::completing::machines;
use clap::Args as ClapArgs;
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;
use tinkite_core::job::Zero;

#[derive(Debug, ClapArgs)]
pub(crate) struct Look {
    /// Drawings, bitmaps, solids (SVG, DXF, PDF, PNG, JPEG, BMP, GIF, TIFF, WebP, STL, OBJ); - is standard input
    #[arg(required = true, value_name = "ART")]
    pub(crate) files: Vec<PathBuf>,
    /// Measure one shape: its id, or a point near its line like "20 mm, 35 mm"
    #[arg(long, value_name = "ID|POINT", allow_hyphen_values = true)]
    pub(crate) measure: Option<String>,
    /// List every shape: the name by which take finds it, its size, length and paint
    #[arg(long, conflicts_with = "measure")]
    pub(crate) shapes: bool,
    /// Which page of a PDF, from 1
    #[arg(long, value_name = "PAGE", default_value = "1")]
    pub(crate) page: u32,
}

#[derive(Debug, Default, ClapArgs)]
pub(crate) struct Begin {
    /// The drawings or bitmaps (SVG, DXF, PDF, PNG, JPEG, BMP, GIF, TIFF, WebP), laid side by side
    #[arg(required = true, value_name = "ART")]
    pub(crate) files: Vec<PathBuf>,
    /// Where to write the job [default: beside the drawing, as NAME.kite.toml]
    #[arg(long, short, value_name = "JOB")]
    pub(crate) output: Option<PathBuf>,
    /// Cut these: a colour, a layer's or shape's name, outermost, hairlines, text, fills, lines or rest
    #[arg(long, value_name = "WHAT")]
    pub(crate) cut: Vec<String>,
    /// Score these
    #[arg(long, value_name = "WHAT")]
    pub(crate) score: Vec<String>,
    /// Engrave these; also bitmaps
    #[arg(long, value_name = "WHAT")]
    pub(crate) engrave: Vec<String>,
    /// Burn nothing of these
    #[arg(long, value_name = "WHAT")]
    pub(crate) leave_out: Vec<String>,
    /// How fast, of all or of one make or step: cut="40 %" is of top speed
    #[arg(long, value_name = "[MAKE=]SPEED", value_parser = setting)]
    pub(crate) speed: Vec<(Option<String>, String)>,
    /// How strong: cut="60 %", "8 mA", "S600"
    #[arg(long, value_name = "[MAKE=]POWER", value_parser = setting)]
    pub(crate) power: Vec<(Option<String>, String)>,
    /// How many times: cut=2
    #[arg(long, value_name = "[MAKE=]N", value_parser = setting)]
    pub(crate) passes: Vec<(Option<String>, String)>,
    /// By which recipe of a book
    #[arg(long, value_name = "[MAKE=]RECIPE", value_parser = setting)]
    pub(crate) recipe: Vec<(Option<String>, String)>,
    /// The machine it is for: a profile's name or path
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines), default_value = "bench-laser")]
    pub(crate) machine: String,
    /// What the job counts from
    #[arg(long, value_name = "ZERO", value_parser = zero(), default_value = "bed")]
    pub(crate) zero: Zero,
    /// How wide the drawing is made [default: as it was drawn; one in pixels as it fits the bed]
    #[arg(long, value_name = "LENGTH", value_parser = length, conflicts_with = "height")]
    pub(crate) width: Option<f64>,
    /// How high it is made
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) height: Option<f64>,
    /// Make what is too large for the bed as large as fits it
    #[arg(long, conflicts_with_all = ["width", "height"])]
    pub(crate) fit: bool,
    /// Where its lower left corner lies, from the front left corner of the bed, or from the zero
    #[arg(long, value_name = "X,Y", value_parser = place, allow_hyphen_values = true)]
    pub(crate) at: Option<[f64; 2]>,
    /// Merge similar colours until there are at most this many steps
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1000))]
    pub(crate) steps: Option<u16>,
    /// The material, also with its thickness ("card 0.3 mm"); recipes for it are used where a book has them
    #[arg(long, value_name = "TEXT", value_parser = words)]
    pub(crate) material: Option<String>,
    /// How thick it is
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}
