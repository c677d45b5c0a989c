//! What can be typed behind `machine`.

use super::log::LogFile;
use super::writing::Writing;
use crate::completing::machines;
use clap::{Args as ClapArgs, Subcommand, ValueEnum};
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

#[derive(Debug, Subcommand)]
pub(crate) enum MachineCommand {
    /// Every profile that can be named from here
    List,
    /// What a profile says, and where it was found
    Show(MachineShow),
    /// Write a profile to start from, like a shipped one; asks when nothing is said
    New(Box<MachineNew>),
    /// Compare a profile with the connected controller
    Check(MachineCheck),
    /// Put meter readings, or times from the log, into a profile
    Measure(MachineMeasure),
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MachineShow {
    /// A profile's name or path
    #[arg(add = ArgValueCandidates::new(machines))]
    pub(crate) name: String,
    /// From percent to S, level, duty, volts, mA and W
    #[arg(long)]
    pub(crate) power: bool,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MachineNew {
    /// The name that jobs use; NAME.machine.toml is written
    pub(crate) name: String,
    /// The profile to start from [default: bench-laser; printer-laser for the reprap dialect]
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines))]
    pub(crate) like: Option<String>,
    /// Read speeds, accelerations, travel, S and laser mode from the controller there
    #[arg(long, value_name = "LINK")]
    pub(crate) from: Option<String>,
    /// What people call it
    #[arg(long, value_name = "TEXT")]
    pub(crate) title: Option<String>,
    /// Width of the bed
    #[arg(long, value_name = "LENGTH")]
    pub(crate) width: Option<String>,
    /// Depth of the bed
    #[arg(long, value_name = "LENGTH")]
    pub(crate) depth: Option<String>,
    /// Where its zero is: a corner, or centre
    #[arg(long, value_name = "CORNER")]
    pub(crate) origin: Option<String>,
    /// Which way X increases, seen from the front
    #[arg(long, value_name = "WHERETO")]
    pub(crate) x: Option<Whereto>,
    /// Which way Y increases
    #[arg(long, value_name = "WHERETO")]
    pub(crate) y: Option<Whereto>,
    /// Top speed of X and Y
    #[arg(long, value_name = "SPEED")]
    pub(crate) speed: Option<String>,
    /// Acceleration of X and Y
    #[arg(long, value_name = "ACCELERATION")]
    pub(crate) acceleration: Option<String>,
    /// The S value that means 100 %
    #[arg(long, value_name = "S")]
    pub(crate) full: Option<f64>,
    /// Highest power allowed: in %, or in mA or W where the source was measured
    #[arg(long, value_name = "POWER")]
    pub(crate) ceiling: Option<String>,
    /// Where its controller is: tcp:HOST:PORT, serial:PORT@BAUD
    #[arg(long, value_name = "LINK")]
    pub(crate) link: Option<String>,
    /// Its dialect: grbl, ngc or reprap
    #[arg(long, value_name = "DIALECT")]
    pub(crate) dialect: Option<String>,
    /// Write it into your own folder, where every job finds it
    #[arg(long)]
    pub(crate) own: bool,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

/// Where an axis counts to, seen from the front.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Whereto {
    Right,
    Left,
    /// From you
    Away,
    /// To you
    Towards,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MachineCheck {
    /// A profile's name or path
    #[arg(add = ArgValueCandidates::new(machines))]
    pub(crate) name: String,
    /// Where the controller is [default: the profile's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MachineMeasure {
    /// A profile's name or path
    #[arg(add = ArgValueCandidates::new(machines))]
    pub(crate) name: String,
    /// Power that was asked for and what the meter read, weakest first: "10 % = 2.1 mA, 4 W"
    #[arg(required_unless_present = "times", value_name = "READING")]
    pub(crate) readings: Vec<String>,
    /// Fit acceleration and junction deviation (corner) to the times of logged runs
    #[arg(long, conflicts_with_all = ["readings", "draw"])]
    pub(crate) times: bool,
    /// With --times: only runs from this one on
    #[arg(long, value_name = "RUN", requires = "times")]
    pub(crate) since: Option<i64>,
    #[command(flatten)]
    pub(crate) log: LogFile,
    /// Write the measurements into the profile itself
    #[arg(long, conflicts_with = "output")]
    pub(crate) keep: bool,
    /// Write the profile with what was measured here
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Draw the curve (.svg or .png)
    #[arg(long, value_name = "FILE")]
    pub(crate) draw: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}
