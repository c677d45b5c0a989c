//! What can be typed behind `rig`.

use super::values::{length, place, signed_length};
use super::writing::Writing;
use crate::completing::machines;
use clap::Args as ClapArgs;
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

#[derive(Debug, ClapArgs)]
pub(crate) struct Rig {
    /// Listen on this address
    #[arg(
        long,
        value_name = "HOST:PORT",
        default_value = "127.0.0.1:2323",
        conflicts_with = "pty"
    )]
    pub(crate) tcp: String,
    /// Open a pseudo-terminal instead, which programs use like a serial port
    #[arg(long)]
    pub(crate) pty: bool,
    /// Speed of the serial line that the pseudo-terminal stands for; left out: no limit
    #[arg(long, value_name = "BAUD", requires = "pty", value_parser = clap::value_parser!(u32).range(300..=4_000_000))]
    pub(crate) baud: Option<u32>,
    /// How simulated time goes: real, a number of times as fast, or max
    #[arg(long, value_name = "real|N|max", default_value = "real")]
    pub(crate) pace: String,
    /// The machine to simulate
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines), default_value = "bench-laser")]
    pub(crate) machine: String,
    /// Simulate a round object of this diameter in its rotary
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) diameter: Option<f64>,
    /// Where its head stands, mm from the front left corner of the bed
    #[arg(long, value_name = "X,Y", value_parser = place)]
    pub(crate) head: Option<[f64; 2]>,
    /// Where its zero on the stock is set, mm from the same corner
    #[arg(long, value_name = "X,Y", value_parser = place)]
    pub(crate) zero: Option<[f64; 2]>,
    /// Z at which a probe on its head touches the stock, mm on the machine's axis
    #[arg(long, value_name = "Z", allow_negative_numbers = true, value_parser = signed_length)]
    pub(crate) surface: Option<f64>,
    /// Locked by an alarm, until it is homed or unlocked
    #[arg(long)]
    pub(crate) locked: bool,
    /// Simulate faults: a seed, names of faults, or both (7,drop,reset)
    #[arg(long, value_name = "SEED|FAULTS")]
    pub(crate) trouble: Option<String>,
    /// End when the first client goes away
    #[arg(long)]
    pub(crate) once: bool,
    /// At the end, draw what was burnt (.svg or .png)
    #[arg(long, value_name = "FILE")]
    pub(crate) picture: Option<PathBuf>,
    /// At the end, write what the beam did as JSON
    #[arg(long, value_name = "FILE")]
    pub(crate) record: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}
