//! What can be typed behind `swatch`.

use super::recipe::RecipeKept;
use super::values::{length, words};
use super::writing::Writing;
use crate::completing::machines;
use clap::{Args as ClapArgs, Subcommand};
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

#[derive(Debug, Subcommand)]
pub(crate) enum SwatchCommand {
    /// Write a job that is a test sheet
    Make(SwatchMake),
    /// Measure a scan or photo of the burnt sheet: how dark each square is
    Read(SwatchRead),
    /// Keep a square as a recipe, the kerf of a comb, or the tone curve of a wedge
    Keep(SwatchKeep),
}

#[derive(Debug, ClapArgs)]
pub(crate) struct SwatchRead {
    /// The test sheet's job
    pub(crate) job: PathBuf,
    /// The scan or photo: any way up, in even light, with all four corner marks
    pub(crate) picture: PathBuf,
    /// Name the square nearest to this darkness, like "60 %"
    #[arg(long, value_name = "PERCENT")]
    pub(crate) darkness: Option<String>,
    /// Draw the chart (.svg or .png)
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct SwatchMake {
    /// What for: grid, greys (a wedge for pictures), focus, offset (rows that are walked back), kerf (a comb)
    #[arg(long, value_name = "KIND", default_value = "grid", value_parser = ["grid", "greys", "focus", "offset", "kerf"])]
    pub(crate) kind: String,
    /// What the squares are: cut, score or engrave
    #[arg(long, value_name = "MAKE")]
    pub(crate) make: Option<String>,
    /// One power, or a first and a last: "10..60 %"
    #[arg(long, value_name = "POWER")]
    pub(crate) power: Option<String>,
    /// One speed, or "50..300 mm/s"
    #[arg(long, value_name = "SPEED")]
    pub(crate) speed: Option<String>,
    /// One height of the focus, or "-2..2 mm"
    #[arg(long, value_name = "LENGTH", allow_hyphen_values = true)]
    pub(crate) focus: Option<String>,
    /// With --kind focus: the stock leans over this length, so that the head stays at one height
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) ramp: Option<f64>,
    /// A picture in each square, engraved in greys
    #[arg(long, value_name = "PICTURE")]
    pub(crate) picture: Option<PathBuf>,
    /// One spacing of engraved lines, or "0.05..0.2 mm"
    #[arg(long, value_name = "LENGTH")]
    pub(crate) spacing: Option<String>,
    /// One offset of lines that are walked back, or "-0.2..0.2 mm"
    #[arg(long, value_name = "LENGTH", allow_hyphen_values = true)]
    pub(crate) offset: Option<String>,
    /// How many squares across
    #[arg(long, value_name = "COUNT", default_value_t = 6, value_parser = clap::value_parser!(u16).range(1..=100))]
    pub(crate) across: u16,
    /// How many down
    #[arg(long, value_name = "COUNT", default_value_t = 5, value_parser = clap::value_parser!(u16).range(1..=100))]
    pub(crate) down: u16,
    /// What the stock is
    #[arg(long, value_name = "TEXT", default_value = "scrap", value_parser = words)]
    pub(crate) material: String,
    /// How thick it is
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    /// The machine it is for: a profile's name or path
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines), default_value = "bench-laser")]
    pub(crate) machine: String,
    /// The date on it [default: today]
    #[arg(long, value_name = "TEXT")]
    pub(crate) date: Option<String>,
    /// Where to write the job [default: swatch.kite.toml]
    #[arg(long, short, value_name = "JOB")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct SwatchKeep {
    /// The test sheet's job
    pub(crate) job: PathBuf,
    /// Its square, like C4; a comb has none
    pub(crate) cell: Option<String>,
    /// The material [default: the job's]
    #[arg(long = "as", value_name = "MATERIAL", value_parser = words)]
    pub(crate) material: Option<String>,
    /// The thickness [default: that of the job's stock]
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    /// For every machine, not only the job's
    #[arg(long)]
    pub(crate) any_machine: bool,
    /// For a comb: the measured width of all parts pushed together
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) measured: Option<f64>,
    /// How far that measurement may be off
    #[arg(long, value_name = "LENGTH", value_parser = length, default_value = "0.05 mm")]
    pub(crate) within: f64,
    /// For a wedge of greys: its scan, from which the recipe's tone curve is computed
    #[arg(long, value_name = "PICTURE")]
    pub(crate) scan: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) kept: RecipeKept,
}
