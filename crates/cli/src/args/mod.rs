//! What can be typed.

mod artwork;
mod examples;
mod head;
mod job;
mod log;
mod machine;
mod picture;
mod program;
mod recipe;
mod rig;
mod run;
mod sheets;
mod swatch;
mod values;
mod writing;

pub(crate) use artwork::{Begin, Look};
pub(crate) use examples::with_examples;
pub(crate) use head::{
    Edge, EdgeShape, HeadAxis, HeadCall, HeadCommand, HeadFocus, HeadFrom, HeadGo, HeadMark,
    HeadMove, HeadPanel, HeadPointer, HeadZero,
};
pub(crate) use job::{Check, Emit, JobArgs, Plan};
pub(crate) use log::{LogCommand, LogExport, LogFile, LogFind, LogImport, LogNote};
pub(crate) use machine::{MachineCheck, MachineCommand, MachineMeasure, MachineNew, Whereto};
pub(crate) use picture::{Bundle, Draw, Photo, ShowArg};
pub(crate) use program::Read;
pub(crate) use recipe::{
    RecipeCommand, RecipeCopy, RecipeDrop, RecipeFilter, RecipeKeep, RecipeKept, RecipeList,
    RecipePrint, RecipeShow,
};
pub(crate) use rig::Rig;
pub(crate) use run::{Danger, From, Run};
pub(crate) use sheets::Sheets;
pub(crate) use swatch::{SwatchCommand, SwatchKeep, SwatchMake, SwatchRead};
pub(crate) use writing::Writing;

use clap::{Args as ClapArgs, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;
use tinkite_files::config::{Units, When};

/// From colour-layered artwork to a finished run on the laser.
///
/// A job file says what each colour of a drawing is: cut, score, engrave. `tinkite begin
/// drawing.svg` writes one to start from; `tinkite demo` shows everything once.
#[derive(Debug, Parser)]
#[command(name = "tinkite", version, max_term_width = 100)]
pub(crate) struct Args {
    #[command(subcommand)]
    pub(crate) command: Command,
    #[command(flatten)]
    pub(crate) common: Common,
}

/// Options of every command.
#[derive(Debug, Clone, ClapArgs)]
#[command(next_help_heading = "Options of every command")]
pub(crate) struct Common {
    /// Report as JSON on standard output
    #[arg(long, global = true)]
    pub(crate) json: bool,
    /// Say nothing but results and problems
    #[arg(long, short, global = true)]
    pub(crate) quiet: bool,
    /// Also say what was read, found and decided, and list every item of a problem
    #[arg(long, global = true, conflicts_with = "quiet")]
    pub(crate) verbose: bool,
    /// Colours on the terminal
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto", value_parser = values::when())]
    pub(crate) colour: When,
    /// Lengths and speeds in reports for people; JSON and problems are in mm
    #[arg(long, global = true, value_name = "UNIT", default_value = "mm", value_parser = values::units())]
    pub(crate) units: Units,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Go through everything once with the workshop's sail panel: look, plan, draw, emit, run
    Demo(Demo),
    /// What is in a drawing: true size, layers by colour, trouble
    Look(Look),
    /// Write a job file to start from, one step per colour
    Begin(Begin),
    /// List the errors and warnings of a job
    Check(Check),
    /// What a job will do: steps, lengths, times, extents, warnings
    Plan(Plan),
    /// Draw a job or a machine program on its bed (.svg or .png), or play a job (.gif)
    Draw(Draw),
    /// A photo of the bed, made flat and true to size, with rulers to read places from
    Photo(Photo),
    /// Pack a job and everything it needs into one file, which every command takes as the job
    Bundle(Bundle),
    /// Write the machine program
    Emit(Emit),
    /// Explain and measure a machine program from anywhere
    Read(Read),
    /// Stream a job or program to the controller
    Run(Run),
    /// Machine profiles: list, show, new, check, measure
    Machine {
        #[command(subcommand)]
        command: MachineCommand,
    },
    /// Trace round a job with the head before anything burns, beam off or pointer lit
    Edge(Edge),
    /// Move the head by hand: a panel in the terminal, or single commands
    #[command(args_conflicts_with_subcommands = true)]
    Head {
        #[command(subcommand)]
        command: Option<HeadCommand>,
        #[command(flatten)]
        panel: HeadPanel,
    },
    /// Past runs: list, show, note, find, export, import
    Log {
        #[command(subcommand)]
        command: LogCommand,
    },
    /// The book of settings by material: list, show, keep, copy, drop, print
    Recipe {
        #[command(subcommand)]
        command: RecipeCommand,
    },
    /// Test sheets: make one, keep its best square as a recipe
    Swatch {
        #[command(subcommand)]
        command: SwatchCommand,
    },
    /// A simulated controller, on TCP or a pseudo-terminal
    Rig(Rig),
    /// JSON Schema of job files, machine profiles and books of recipes, for editors
    Schema(Schema),
    /// Shell completions
    Completions(Completions),
    /// Manual pages
    Man(Man),
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Demo {
    /// Folder for the demo's files [default: tinkite-demo, or the next free number]
    pub(crate) dir: Option<PathBuf>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Schema {
    /// Of which files
    pub(crate) of: Described,
}

/// Files that have a schema.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Described {
    /// NAME.kite.toml
    Job,
    /// NAME.machine.toml
    Machine,
    /// NAME.recipes.toml
    Recipes,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Completions {
    /// The shell
    pub(crate) shell: clap_complete::Shell,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Man {
    /// Write the pages of all commands into this folder; otherwise the first one goes to standard output
    #[arg(long, value_name = "DIR")]
    pub(crate) into: Option<PathBuf>,
}
