//! What can be typed behind `run`.

use super::job::PartArgs;
use super::log::LogFile;
use super::values::{length, place};
use super::writing::Writing;
use crate::completing::{machines, runs};
use clap::{Args as ClapArgs, ValueEnum};
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

#[derive(Debug, Clone, ClapArgs)]
pub(crate) struct Run {
    /// A job file (.toml) or a machine program
    #[arg(value_name = "JOB|PROGRAM", required_unless_present_any = ["go_on", "again"])]
    pub(crate) file: Option<PathBuf>,
    /// Finish a run that broke off: nothing twice, nothing left out [default: the last run]
    #[arg(long, value_name = "RUN", add = ArgValueCandidates::new(runs), num_args = 0..=1, conflicts_with_all = ["again", "from_line", "only", "skip", "sheet", "set", "machine", "diameter"])]
    pub(crate) go_on: Option<Option<i64>>,
    /// With --go-on, if the position is uncertain: where to resume
    #[arg(long, value_name = "WHERE", requires = "go_on")]
    pub(crate) from: Option<From>,
    /// With --go-on, or a try on the same spot: the machine's position is right, though the controller cannot
    /// know it
    #[arg(long)]
    pub(crate) in_place: bool,
    /// The same program once more, as it was sent then [default: the last run]; with --only, --skip or --set
    /// its job on the same spot, a try of the same series
    #[arg(long, value_name = "RUN", add = ArgValueCandidates::new(runs), num_args = 0..=1, conflicts_with_all = ["file", "from_line", "sheet", "machine", "diameter"])]
    pub(crate) again: Option<Option<i64>>,
    /// The same on so many pieces, one after the other: the checklist once, then a key for each next piece; serial numbers
    /// go on. With --go-on: the broken one is finished first, and counts
    #[arg(long, value_name = "COUNT", value_parser = clap::value_parser!(u32).range(1..=10_000), conflicts_with_all = ["again", "from_line", "card", "picture"])]
    pub(crate) pieces: Option<u32>,
    /// Start at this line of the program, with everything before it set up
    #[arg(long, value_name = "LINE", value_parser = clap::value_parser!(u32).range(1..))]
    pub(crate) from_line: Option<u32>,
    /// With rig:, where the simulated head stands, mm from the front left corner of the bed [default: so that a job that
    /// counts from it lies on the bed]
    #[arg(long, value_name = "X,Y", value_parser = place, conflicts_with_all = ["go_on", "card"])]
    pub(crate) head: Option<[f64; 2]>,
    /// With rig:, where its zero on the stock is set, mm from the same corner [default: so too]
    #[arg(long, value_name = "X,Y", value_parser = place, conflicts_with_all = ["go_on", "card"])]
    pub(crate) zero: Option<[f64; 2]>,
    /// Accept a risk that the machine's profile does not accept
    #[arg(long, value_name = "DANGER")]
    pub(crate) accept: Vec<Danger>,
    /// A note to keep with this run
    #[arg(long, value_name = "TEXT")]
    pub(crate) note: Option<String>,
    /// Confirm everything on the machine's checklist
    #[arg(long)]
    pub(crate) confirmed: bool,
    /// Print a line every few seconds instead of the screen with its keys
    #[arg(long)]
    pub(crate) plain: bool,
    #[command(flatten)]
    pub(crate) log: LogFile,
    /// Copy the program to a card instead of running it; it is read back and checked
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["to", "go_on", "again", "from_line", "note", "picture", "plain", "confirmed", "accept"])]
    pub(crate) card: Option<PathBuf>,
    /// Where the controller is: rig:, tcp:HOST:PORT, serial:PORT@BAUD [default: the machine's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
    /// Use this machine instead of the job's; a program needs one to be checked against
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: Option<String>,
    #[command(flatten)]
    pub(crate) part: PartArgs,
    /// Diameter of the object in the rotary, for a program that turns it
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) diameter: Option<f64>,
    /// Draw what was burnt and what is left (.svg or .png); with rig:, what its beam did
    #[arg(long, value_name = "FILE")]
    pub(crate) picture: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

impl Run {
    /// The call that finishes a run which this call began, or which was found unfinished: what was said of the job is what
    /// was said then.
    pub(crate) fn finishing(&self, run: i64) -> Self {
        let Self { accept, note, confirmed, plain, log, writing, .. } = self.clone();
        let of = Self::of(None, self.to.clone());
        Self { go_on: Some(Some(run)), accept, note, confirmed, plain, log, writing, ..of }
    }

    /// Of a job or program, without options.
    pub(crate) fn of(file: Option<PathBuf>, to: Option<String>) -> Self {
        Self {
            file,
            go_on: None,
            from: None,
            in_place: false,
            again: None,
            pieces: None,
            from_line: None,
            head: None,
            zero: None,
            accept: Vec::new(),
            note: None,
            confirmed: false,
            plain: false,
            card: None,
            log: LogFile { path: None },
            to,
            machine: None,
            part: PartArgs::default(),
            diameter: None,
            picture: None,
            writing: Writing::default(),
        }
    }
}

/// What can be accepted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Danger {
    /// A beam that burns on where the head stands, when lines stop coming
    ConstantPower,
}

/// Where an uncertain rest begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum From {
    /// Where the head was seen last: the stretch may be burnt twice
    LastSeen,
    /// Behind the last line that was sent: the stretch may be left out
    LastSent,
}
