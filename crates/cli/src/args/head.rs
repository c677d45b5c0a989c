//! What can be typed behind `edge` and `head`.

use super::job::JobArgs;
use super::values::{signed_length, speed};
use crate::completing::machines;
use clap::{Args as ClapArgs, Subcommand, ValueEnum};
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

#[derive(Debug, ClapArgs)]
pub(crate) struct Edge {
    #[command(flatten)]
    pub(crate) job: JobArgs,
    /// The shape that the head follows
    #[arg(long, value_name = "SHAPE", default_value = "box")]
    pub(crate) shape: EdgeShape,
    /// How many times [default: until a key is pressed; once where there is no terminal]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100))]
    pub(crate) times: Option<u32>,
    /// With the pointer lit ([beam] pointer), which goes out where the head stands
    #[arg(long)]
    pub(crate) pointer: bool,
    /// mm/s, at most [default: 100, or what the axes can]
    #[arg(long, value_name = "SPEED", value_parser = speed)]
    pub(crate) speed: Option<f64>,
    /// Where the controller is [default: the machine's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

/// A shape round everything that a job burns.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum EdgeShape {
    /// The rectangle
    Box,
    /// The convex hull
    Hull,
    /// The outermost lines themselves
    Outline,
}

#[derive(Debug, Subcommand)]
pub(crate) enum HeadCommand {
    /// Position of the head, zero of the stock, and state of the controller
    Where(HeadCall),
    /// Home the machine: the controller finds its zero
    Home(HeadCall),
    /// Unlock a controller that an alarm has locked; its position may be lost
    Unlock(HeadCall),
    /// Set the zero of the stock where the head stands
    Zero(HeadZero),
    /// Go to a place on the bed, or from the zero of the stock, beam off
    Go(HeadGo),
    /// Move by a distance, beam off
    Move(HeadMove),
    /// Release the motors so that the head can be pushed by hand; its position is lost
    Free(HeadCall),
    /// Focus on the surface of the stock
    Focus(HeadFocus),
    /// Write the head's position into a job as the place of a registration mark
    Mark(HeadMark),
    /// Light the pointer where the head stands; it switches off by itself or with Ctrl-C
    Pointer(HeadPointer),
    /// Switch off a beam that was left on, and say whether it was seen to go off
    Dark(HeadCall),
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadCall {
    /// The machine: a profile's name or path
    #[arg(long, value_name = "NAME", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: String,
    /// Where the controller is [default: the profile's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadPointer {
    /// For how many seconds [default: pointer-for of the profile, which is also the most]
    #[arg(long = "for", value_name = "SECONDS", value_parser = seconds)]
    pub(crate) seconds: Option<f64>,
    #[command(flatten)]
    pub(crate) call: HeadCall,
}

/// A time above zero; a number alone is seconds.
fn seconds(text: &str) -> Result<f64, String> {
    match text.trim_end_matches('s').trim().parse::<f64>() {
        Ok(seconds) if (0.1..=120.0).contains(&seconds) => Ok(seconds),
        _ => Err("write seconds from 0.1 to 120".into()),
    }
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadFocus {
    /// Thickness of the stock, mm or with a unit; or the job that says it
    #[arg(value_name = "THICKNESS|JOB", required_unless_present_any = ["block", "probe"])]
    pub(crate) stock: Option<String>,
    /// The gauge block lies on the surface and the head touches it: here is the focus
    #[arg(long, conflicts_with = "stock")]
    pub(crate) block: bool,
    /// Let the probe on the head find the surface, from where the head stands downwards
    #[arg(long, conflicts_with_all = ["stock", "block"])]
    pub(crate) probe: bool,
    /// The machine: a profile's name or path [default: the job's]
    #[arg(long, value_name = "NAME", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: Option<String>,
    /// Where the controller is [default: the profile's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadMark {
    /// The job, with [[place.mark]] for each mark
    pub(crate) job: PathBuf,
    /// Which mark, from 1 [default: all of them, one after the other, in a panel]
    pub(crate) mark: Option<u32>,
    /// Use this machine instead of the job's
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: Option<String>,
    /// Where the controller is [default: the machine's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadPanel {
    /// A job: its machine is used, and the panel drives to its corners
    #[arg(value_name = "JOB")]
    pub(crate) job: Option<PathBuf>,
    /// The machine: a profile's name or path
    #[arg(long, value_name = "NAME", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: Option<String>,
    /// Where the controller is [default: the profile's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadZero {
    /// Of which axes [default: x y]
    #[arg(value_name = "AXIS")]
    pub(crate) axes: Vec<HeadAxis>,
    /// Take it back instead: programs count from the machine's own zero again (G54 and G92)
    #[arg(long)]
    pub(crate) clear: bool,
    #[command(flatten)]
    pub(crate) call: HeadCall,
}

/// An axis that has a zero on the stock.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum HeadAxis {
    X,
    Y,
    Z,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadGo {
    /// To the right, mm or with a unit
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) x: f64,
    /// Away from you, mm or with a unit
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) y: f64,
    /// Height of the focus axis, mm or with a unit: on the machine's axis, or from the zero on the stock
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) z: Option<f64>,
    /// From where that counts
    #[arg(long, value_name = "WHERE", default_value = "bed")]
    pub(crate) from: HeadFrom,
    /// mm/s, at most [default: 100, or what the axes can]
    #[arg(long, value_name = "SPEED", value_parser = speed)]
    pub(crate) speed: Option<f64>,
    #[command(flatten)]
    pub(crate) call: HeadCall,
}

/// From where a place counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum HeadFrom {
    /// The front left corner of the bed
    Bed,
    /// The zero that is set on the stock
    Stock,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadMove {
    /// To the right, mm or with a unit; less than zero is to the left
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) dx: f64,
    /// Away from you, mm or with a unit; less than zero is towards you
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) dy: f64,
    /// Up, mm or with a unit; less than zero is down
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) dz: Option<f64>,
    /// mm/s, at most [default: 100, or what the axes can]
    #[arg(long, value_name = "SPEED", value_parser = speed)]
    pub(crate) speed: Option<f64>,
    #[command(flatten)]
    pub(crate) call: HeadCall,
}
