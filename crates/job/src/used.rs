//! What a step took from a recipe.

use std::fmt;

/// Where a book is kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Kept {
    /// Beside the job.
    Beside,
    /// In the user's own folder.
    Own,
    /// It ships with the program: values to start from, which nobody has tried on this machine.
    Shipped,
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
