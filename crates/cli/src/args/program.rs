//! Commands that take machine programs.

use super::values::{length, place};
use crate::completing::machines;
use clap::Args as ClapArgs;
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

#[derive(Debug, ClapArgs)]
pub(crate) struct Read {
    /// The program; - is standard input
    pub(crate) program: PathBuf,
    /// Check it against this machine: a profile's name or path
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: Option<String>,
    /// Where the program's zero lies on the bed, from the machine's own: "100 mm, 50 mm"
    #[arg(long, value_name = "X,Y", value_parser = place, allow_hyphen_values = true, requires = "machine")]
    pub(crate) zero: Option<[f64; 2]>,
    /// Diameter of the object in the rotary, so that turning is measured as length
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) diameter: Option<f64>,
    /// Print every line with what it does, in plain words
    #[arg(long, conflicts_with = "json")]
    pub(crate) explain: bool,
}
