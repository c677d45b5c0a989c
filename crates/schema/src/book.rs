//! A book of recipes.

use super::quantity::{Length, Watts};
use super::step::Settings;
use schemars::JsonSchema;

/// A book of recipes: settings by material
#[derive(JsonSchema)]
#[schemars(title = "NAME.recipes.toml", rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct RecipesFile {
    /// The format: 1
    #[schemars(range(min = 1, max = 1), example = 1)]
    tinkite: u32,
    recipe: Option<Vec<Recipe>>,
}

/// Settings for a material
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Recipe {
    /// Capitals and blanks do not matter
    #[schemars(example = "poplar plywood")]
    material: String,
    /// Left out: any
    thickness: Option<Length>,
    /// The profile's name; left out: any, and that is told
    machine: Option<String>,
    /// Left out: any
    lens: Option<String>,
    /// The source's light at 100 %, from and to; left out: any
    #[schemars(example = ["40 W", "70 W"])]
    watts: Option<[Watts; 2]>,
    /// Of its own, for a second one of the same make
    name: Option<String>,
    /// Where it comes from
    from: Option<String>,
    /// Runs that used it unchanged
    #[schemars(example = 3)]
    tried: Option<u32>,
    /// How many of them were good
    #[schemars(example = 2)]
    good: Option<u32>,
    note: Option<String>,
    #[schemars(flatten)]
    settings: Settings,
}
