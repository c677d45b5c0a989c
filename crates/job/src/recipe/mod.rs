//! Recipes: settings that were found for a material, kept in books, and what a step takes from them.
//!
//! A recipe is a step without its artwork: what it says is laid under what the step says itself, before the
//! step is read, so that one reader and one set of checks is all there is.

mod book;
mod edit;
mod fit;
mod laid_under;
mod of_step;
mod scaled;

pub use crate::make::Make;
pub use crate::used::{Kept, RecipeUse};
pub use book::{Book, read_book};
pub use edit::{EditError, NewRecipe, count_use, keep, remove};
pub use fit::{
    Difference, FoundRecipe, Near, Shelf, Wanted, calls_material, material_key, same_material,
};
pub(super) use laid_under::{lay_under, recipe_of_step};
pub use of_step::settings_of;
pub use scaled::{Change, Scaled, scale};

use std::fmt;
use tinkite_base::quantity::plain;

/// Settings that worked, and for what.
#[derive(Debug, Clone, PartialEq)]
pub struct Recipe {
    /// Its own name, where a material has several for the same make.
    pub name: Option<String>,
    /// What it is for.
    pub make: Make,
    /// Of what the stock is.
    pub material: String,
    /// How thick that is, mm; none: as it may be.
    pub thickness: Option<f64>,
    /// The machine it was found on, by its profile's name; none: any.
    pub machine: Option<String>,
    /// The lens that was in; none: any.
    pub lens: Option<String>,
    /// The source's power at 100 %, W, for which it is meant; none: any.
    pub watts: Option<(f64, f64)>,
    /// Where it comes from, in words.
    pub from: Option<String>,
    /// Whether it was worked out and not tried.
    pub guess: bool,
    /// Runs that used it unchanged.
    pub tried: u32,
    /// Those of them that were good.
    pub good: u32,
    /// For people.
    pub note: Option<String>,
    /// Keys of a step and their values as TOML writes them, in the order of the book.
    pub settings: Vec<(String, String)>,
    /// Line in its book, from 1.
    pub line: u32,
    /// Which `[[recipe]]` of its book it is, from 0.
    pub number: usize,
}

impl Recipe {
    /// What a step calls it by: its name, else its make.
    #[must_use]
    pub fn word(&self) -> &str {
        self.name.as_deref().unwrap_or(self.make.name())
    }

    /// A setting as it is written in the book, without the quotes.
    #[must_use]
    pub fn setting(&self, key: &str) -> Option<&str> {
        let (_, value) = self.settings.iter().find(|(name, _)| name == key)?;
        Some(value.trim_matches('"'))
    }
}

impl fmt::Display for Recipe {
    /// `"cut" for poplar plywood 3 mm on tube-laser with lens f50`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "\"{}\" for {}", self.word(), self.material)?;
        if let Some(mm) = self.thickness {
            write!(f, " {} mm", plain(mm, 3))?;
        }
        if let Some(machine) = &self.machine {
            write!(f, " on {machine}")?;
        }
        if let Some((least, most)) = self.watts {
            let (least, most) = (plain(least, 1), plain(most, 1));
            match least == most {
                true => write!(f, " at {least} W")?,
                false => write!(f, " at {least} to {most} W")?,
            }
        }
        if let Some(lens) = &self.lens {
            write!(f, " with lens {lens}")?;
        }
        Ok(())
    }
}
