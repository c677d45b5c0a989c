//! What can be typed behind `log`.

use super::values::{length, words};
use super::writing::Writing;
use crate::completing::{machines, runs};
use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use clap::{Args as ClapArgs, Subcommand};
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;
use tinkite_log::Verdict;

/// Where runs are written down.
#[derive(Debug, Clone, ClapArgs)]
pub(crate) struct LogFile {
    /// The log of runs [default: TINKITE_LOG, config.toml, or runs.sqlite in your data folder]
    #[arg(long = "log", value_name = "FILE")]
    pub(crate) path: Option<PathBuf>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum LogCommand {
    /// The last runs, the latest first
    List(LogList),
    /// One run: how it went, where it stands
    Show(LogShow),
    /// Add a note to a run, or say how one of its steps went
    Note(LogNote),
    /// What was tried on a material and how it went
    Find(LogFind),
    /// Write all runs as JSON lines, to carry them to another computer at the same machine
    Export(LogExport),
    /// Add the runs that export wrote; runs that are already here are skipped
    Import(LogImport),
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogExport {
    /// Where to write them; - is standard output
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// With the programs, so that runs can be repeated and gone on with there
    #[arg(long)]
    pub(crate) programs: bool,
    #[command(flatten)]
    pub(crate) writing: Writing,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogImport {
    /// What export wrote; - is standard input
    pub(crate) file: PathBuf,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogFind {
    /// On this material
    #[arg(long, value_name = "TEXT", value_parser = words)]
    pub(crate) material: String,
    /// Of this thickness: what is nearest to it comes first
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    /// Only cut, score or engrave
    #[arg(long, value_name = "MAKE", value_parser = ["cut", "score", "engrave"])]
    pub(crate) make: Option<String>,
    /// Only on this machine, as log list names it
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: Option<String>,
    /// How many are listed; --draw and --json have all
    #[arg(long, value_name = "COUNT", default_value_t = 40)]
    pub(crate) first: usize,
    /// Draw power against speed with how each went (.svg or .png)
    #[arg(long, value_name = "FILE")]
    pub(crate) draw: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogList {
    /// How many
    #[arg(long, value_name = "COUNT", default_value_t = 20)]
    pub(crate) last: u32,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogShow {
    /// Its number [default: the last]
    #[arg(value_name = "RUN", add = ArgValueCandidates::new(runs))]
    pub(crate) run: Option<i64>,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogNote {
    /// Its number
    #[arg(value_name = "RUN", add = ArgValueCandidates::new(runs))]
    pub(crate) run: i64,
    /// What to remember
    pub(crate) text: Option<String>,
    /// The step that it is about [default: the only one]
    #[arg(long, value_name = "STEP")]
    pub(crate) step: Option<String>,
    /// How it went; counted for the recipe if that was used unchanged
    #[arg(long, value_name = "RESULT", value_parser = outcome())]
    pub(crate) result: Option<Verdict>,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

/// The words for how a step went.
fn outcome() -> impl TypedValueParser<Value = Verdict> {
    let about = [
        "As it was meant",
        "Cut through",
        "Not cut through",
        "Burnt too much",
        "Too light",
        "Something else: the text says what",
    ];
    let known = Verdict::ALL.iter().zip(about);
    let values = known.map(|((_, word), about)| PossibleValue::new(*word).help(about));
    PossibleValuesParser::new(values).map(|word: String| Verdict::of(&word))
}
