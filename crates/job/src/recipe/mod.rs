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

pub(super) use book::toml_text;
pub use book::{Book, Kept, read_book};
pub use edit::{EditError, NewRecipe, counted, dropped, kept};
pub use fit::{Difference, Found, Near, Shelf, Wanted, material_key, same_material};
pub(super) use laid_under::{lay_under, moved, wanted};
pub use of_step::settings_of;
pub use scaled::{Change, Scaled, scaled};

use std::fmt;
use tinkite_base::quantity::plain;

/// What a recipe is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Make {
    /// Going through.
    Cut,
    /// Marking lines.
    Score,
    /// Filling areas.
    Engrave,
}

impl Make {
    /// All of them with their words.
    pub const WORDS: [(&'static str, Self); 3] =
        [("cut", Self::Cut), ("score", Self::Score), ("engrave", Self::Engrave)];

    /// The word for it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Cut => "cut",
            Self::Score => "score",
            Self::Engrave => "engrave",
        }
    }

    /// What a word means.
    #[must_use]
    pub fn of(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(name, _)| *name == word).map(|(_, make)| *make)
    }
}

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

/// What a step took from a recipe.
#[derive(Debug, Clone, PartialEq)]
pub struct RecipeUse {
    /// The recipe, in words.
    pub title: String,
    /// Its book and line.
    pub place: String,
    /// Whose book that is.
    pub kept: Kept,
    /// Whether it was worked out and not tried.
    pub guess: bool,
    /// Whether it names the machine that it was found on.
    pub on_this_machine: bool,
    /// Keys that came from it.
    pub taken: Vec<String>,
    /// Keys of the recipe that the step says otherwise.
    pub own: Vec<String>,
}

impl RecipeUse {
    /// What its book is called.
    #[must_use]
    pub fn book(&self) -> &str {
        self.place.rsplit_once(':').map_or(&self.place, |(book, _)| book)
    }

    /// The same for a program, in lines that fit a comment; without the folder, so that two computers write
    /// the same.
    #[must_use]
    pub fn in_program(&self) -> [String; 2] {
        let place = self.place.rsplit(['/', '\\']).next().unwrap_or_default();
        let own = match self.own.is_empty() {
            true => String::new(),
            false => format!("; its own {}", self.own.join(" ")),
        };
        let place = place.replace(':', " line ");
        [self.title.clone(), format!("of {place}, {}{own}", self.taken.join(" "))]
    }
}

impl fmt::Display for RecipeUse {
    /// `"cut" for poplar plywood 3 mm (workshop.recipes.toml:12): speed, power; its own: kerf`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} ({})", self.title, self.place)?;
        if !self.taken.is_empty() {
            write!(f, ": {}", self.taken.join(", "))?;
        }
        if !self.own.is_empty() {
            write!(f, "; the step's own: {}", self.own.join(", "))?;
        }
        Ok(())
    }
}
