//! Which recipe is meant: one that fits in everything it says, the nearest book first.

use super::{Book, Kept, Make, Recipe};
use std::cmp::Reverse;
use std::fmt;
use tinkite_base::quantity::plain;

/// Thicknesses that differ by less are one, mm.
const SAME_THICKNESS: f64 = 0.005;

/// Books in the order in which they are looked into.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Shelf {
    /// The books.
    pub books: Vec<Book>,
}

/// What a recipe is looked for.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Wanted {
    /// Of what the stock is.
    pub material: String,
    /// How thick it is, mm, where that is known.
    pub thickness: Option<f64>,
    /// The machine, by its profile's name.
    pub machine: String,
    /// The lens, where the job says one.
    pub lens: Option<String>,
    /// The source's power at 100 %, W, where that is known.
    pub watts: Option<f64>,
}

/// In what a recipe is for something else than what is wanted.
#[derive(Debug, Clone, PartialEq)]
pub enum Difference {
    /// Another thickness, mm.
    Thickness(f64),
    /// The recipe is for a thickness, mm, and the job does not say one.
    ThicknessUnsaid(f64),
    /// Another machine.
    Machine(String),
    /// Another lens, or one where the job says none.
    Lens(String),
    /// A source of another power.
    Watts(f64, f64),
}

impl fmt::Display for Difference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Thickness(mm) => write!(f, "for {} mm", plain(*mm, 3)),
            Self::ThicknessUnsaid(mm) => {
                write!(f, "for {} mm, and the job has no [stock] thickness", plain(*mm, 3))
            }
            Self::Machine(name) => write!(f, "found on {name}"),
            Self::Lens(name) => write!(f, "with lens {name}"),
            Self::Watts(least, most) if least == most => {
                write!(f, "for a source of {} W", plain(*least, 1))
            }
            Self::Watts(least, most) => {
                write!(f, "for a source of {} to {} W", plain(*least, 1), plain(*most, 1))
            }
        }
    }
}

/// A material however it is spelt: capitals and spaces do not count.
#[must_use]
pub fn material_key(material: &str) -> String {
    material.to_lowercase().split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Whether two materials are the same, however they are spelt.
#[must_use]
pub fn same_material(a: &str, b: &str) -> bool {
    material_key(a) == material_key(b)
}

/// Whether a material is called by these words, or by parts of them: "plywood" calls birch and poplar plywood.
#[must_use]
pub fn calls_material(words: &str, material: &str) -> bool {
    let material = material_key(material);
    material_key(words).split(' ').all(|word| material.contains(word))
}

impl Wanted {
    /// In what a recipe differs; nothing where it fits.
    #[must_use]
    pub fn differences(&self, recipe: &Recipe) -> Vec<Difference> {
        let mut all = Vec::new();
        match (recipe.thickness, self.thickness) {
            (Some(mm), None) => all.push(Difference::ThicknessUnsaid(mm)),
            (Some(mm), Some(wanted)) if (mm - wanted).abs() > SAME_THICKNESS => {
                all.push(Difference::Thickness(mm));
            }
            _ => {}
        }
        all.extend(
            recipe.machine.clone().filter(|name| *name != self.machine).map(Difference::Machine),
        );
        all.extend(
            recipe
                .lens
                .clone()
                .filter(|lens| Some(lens) != self.lens.as_ref())
                .map(Difference::Lens),
        );
        if let Some((least, most)) = recipe.watts
            && self.watts.is_none_or(|watts| !(least..=most).contains(&watts))
        {
            all.push(Difference::Watts(least, most));
        }
        all
    }

    /// How far away a recipe is: the number of differences first, then how much thicker or thinner.
    fn distance(&self, recipe: &Recipe) -> (usize, u64) {
        let ratio = match (recipe.thickness, self.thickness) {
            (Some(a), Some(b)) => (a / b).ln().abs(),
            _ => 0.0,
        };
        (self.differences(recipe).len(), (ratio * 1e6) as u64)
    }
}

/// A recipe with its book.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FoundRecipe<'s> {
    /// The book.
    pub book: &'s Book,
    /// The recipe.
    pub recipe: &'s Recipe,
}

impl fmt::Display for FoundRecipe<'_> {
    /// `"cut" for poplar plywood 3 mm (workshop.recipes.toml:12)`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} ({})", self.recipe, self.place())
    }
}

impl FoundRecipe<'_> {
    /// The recipe and the bare name of its book.
    #[must_use]
    pub fn in_its_book(&self) -> String {
        let book = self.book.name.rsplit(['/', '\\']).next().unwrap_or_default();
        format!("{}, {book}", self.recipe)
    }

    /// Book and line.
    #[must_use]
    pub fn place(&self) -> String {
        match self.book.kept {
            Kept::Shipped => self.book.name.clone(),
            _ => format!("{}:{}", self.book.name, self.recipe.line),
        }
    }
}

/// Why there is not one recipe.
#[derive(Debug, Clone, PartialEq)]
pub enum Near<'s> {
    /// None fits; those that are nearest, with in what they differ, nearest first.
    None(Vec<(FoundRecipe<'s>, Vec<Difference>)>),
    /// Several fit equally well.
    Several(Vec<FoundRecipe<'s>>),
}

impl Shelf {
    /// All recipes, book by book.
    pub fn all(&self) -> impl Iterator<Item = FoundRecipe<'_>> {
        self.books
            .iter()
            .flat_map(|book| book.recipes.iter().map(move |recipe| FoundRecipe { book, recipe }))
    }

    /// The recipe of this word (a name, or a make) that fits: of the first book that has one, the one that
    /// says most.
    ///
    /// # Errors
    /// The nearest ones where none fits, or those that fit equally well.
    pub fn find(&self, word: &str, wanted: &Wanted) -> Result<FoundRecipe<'_>, Near<'_>> {
        let called = |recipe: &Recipe| recipe.name.as_deref() == Some(word);
        let plain = |recipe: &Recipe| recipe.name.is_none() && Make::of(word) == Some(recipe.make);
        let meant = |found: &FoundRecipe<'_>| {
            same_material(&found.recipe.material, &wanted.material)
                && (called(found.recipe) || plain(found.recipe))
        };
        for book in &self.books {
            let mut fitting: Vec<FoundRecipe<'_>> = book
                .recipes
                .iter()
                .map(|recipe| FoundRecipe { book, recipe })
                .filter(|found| meant(found) && wanted.differences(found.recipe).is_empty())
                .collect();
            let says = |found: &FoundRecipe<'_>| {
                let Recipe { thickness, machine, lens, watts, .. } = found.recipe;
                usize::from(thickness.is_some())
                    + usize::from(machine.is_some())
                    + usize::from(lens.is_some())
                    + usize::from(watts.is_some())
            };
            fitting.sort_by_key(|found| Reverse(says(found)));
            let best = fitting.first().map_or(0, says);
            fitting.retain(|found| says(found) == best);
            match fitting[..] {
                [] => {}
                [found] => return Ok(found),
                _ => return Err(Near::Several(fitting)),
            }
        }
        let mut near: Vec<FoundRecipe<'_>> = self.all().filter(meant).collect();
        near.sort_by_key(|found| wanted.distance(found.recipe));
        Err(Near::None(
            near.into_iter().map(|found| (found, wanted.differences(found.recipe))).collect(),
        ))
    }

    /// Materials that recipes are for, each once.
    #[must_use]
    pub fn materials(&self) -> Vec<&str> {
        let mut all: Vec<&str> = Vec::new();
        for found in self.all() {
            let material = found.recipe.material.as_str();
            if !all.iter().any(|known| same_material(known, material)) {
                all.push(material);
            }
        }
        all
    }
}
