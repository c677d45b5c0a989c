//! What can be typed behind `recipe`.

use super::values::{length, words};
use super::writing::Writing;
use crate::completing::{machines, recipes, steps};
use clap::{Args as ClapArgs, Subcommand};
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;

#[derive(Debug, Subcommand)]
pub(crate) enum RecipeCommand {
    /// Recipes that are to be had here
    List(RecipeList),
    /// One recipe: its settings, its book, how often it worked
    Show(RecipeShow),
    /// Keep the settings of a job's step as a recipe
    Keep(RecipeKeep),
    /// Estimate a recipe for another thickness, machine or material
    Copy(RecipeCopy),
    /// Remove a recipe from its book
    Drop(RecipeDrop),
    /// A sheet to hang at the machine (.html, .svg or .png)
    Print(RecipePrint),
}

/// Which recipes are meant.
#[derive(Debug, Clone, Default, ClapArgs)]
pub(crate) struct RecipeFilter {
    /// For this material; part of its name is enough
    #[arg(long, value_name = "TEXT", value_parser = words)]
    pub(crate) material: Option<String>,
    /// For this thickness
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    /// Found on this machine
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines))]
    pub(crate) machine: Option<String>,
    /// With this lens
    #[arg(long, value_name = "LENS")]
    pub(crate) lens: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipeList {
    #[command(flatten)]
    pub(crate) filter: RecipeFilter,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipeShow {
    /// cut, score, engrave, or its own name
    #[arg(add = ArgValueCandidates::new(recipes))]
    pub(crate) recipe: String,
    #[command(flatten)]
    pub(crate) filter: RecipeFilter,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipeDrop {
    /// cut, score, engrave, or its own name
    #[arg(add = ArgValueCandidates::new(recipes))]
    pub(crate) recipe: String,
    #[command(flatten)]
    pub(crate) filter: RecipeFilter,
    /// Of this book [default: wherever there is only one]
    #[arg(long, value_name = "FILE")]
    pub(crate) book: Option<PathBuf>,
}

/// Where a recipe is kept, and as what.
#[derive(Debug, Clone, Default, ClapArgs)]
pub(crate) struct RecipeKept {
    /// Its name, needed for a second recipe of the same make
    #[arg(long, value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// For people
    #[arg(long, value_name = "TEXT")]
    pub(crate) note: Option<String>,
    /// The book of recipes [default: TINKITE_BOOK, config.toml, or my.recipes.toml in your own folder]
    #[arg(long, value_name = "FILE")]
    pub(crate) book: Option<PathBuf>,
    /// Replace a recipe for the same material, thickness and machine
    #[arg(long)]
    pub(crate) replace: bool,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipeKeep {
    /// The job
    pub(crate) job: PathBuf,
    /// Its step
    #[arg(add = ArgValueCandidates::new(steps))]
    pub(crate) step: String,
    /// The material [default: the job's]
    #[arg(long = "as", value_name = "MATERIAL", value_parser = words)]
    pub(crate) material: Option<String>,
    /// The thickness [default: that of the job's stock]
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    /// For every machine, not only the job's
    #[arg(long)]
    pub(crate) any_machine: bool,
    /// Where it comes from, in words [default: job and step]
    #[arg(long, value_name = "TEXT")]
    pub(crate) from: Option<String>,
    #[command(flatten)]
    pub(crate) kept: RecipeKept,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipeCopy {
    /// cut, score, engrave, or its own name
    #[arg(add = ArgValueCandidates::new(recipes))]
    pub(crate) recipe: String,
    #[command(flatten)]
    pub(crate) filter: RecipeFilter,
    /// For this thickness
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) to_thickness: Option<f64>,
    /// For this machine
    #[arg(long, value_name = "MACHINE", add = ArgValueCandidates::new(machines))]
    pub(crate) to_machine: Option<String>,
    /// For this material, with the same energy
    #[arg(long, value_name = "TEXT", value_parser = words)]
    pub(crate) to_material: Option<String>,
    #[command(flatten)]
    pub(crate) kept: RecipeKept,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipePrint {
    #[command(flatten)]
    pub(crate) filter: RecipeFilter,
    /// Where to (.html, .svg or .png)
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// Also the values to start from that ship with the tool
    #[arg(long)]
    pub(crate) start: bool,
    #[command(flatten)]
    pub(crate) writing: Writing,
}
