//! Which recipes a call means.

use crate::args::RecipeFilter;
use crate::console::Console;
use crate::door;
use std::path::Path;
use tinkite_core::job::recipe::{FoundRecipe, Kept, Recipe, Shelf, calls_material, same_material};
use tinkite_core::machine::profile_name;
use tinkite_core::problem::{Problems, few, nearest};
use tinkite_files::refusal::{Refusal, Sources};

/// The books that are to be had here. What is wrong in one is told; the others serve.
pub(super) fn shelf(console: &Console) -> Result<Shelf, Refusal> {
    let shelf = tinkite_files::books::shelf(Path::new(""))?;
    let mut problems = Problems::new();
    shelf.books.iter().flat_map(|book| &book.problems).for_each(|p| problems.push(p.clone()));
    door::show(&problems, &Sources::new(), console);
    Ok(shelf)
}

/// Whether a recipe is one of those that a call asks for: half a material's name is enough, and a recipe for
/// any thickness is for each.
pub(super) fn holds(filter: &RecipeFilter, recipe: &Recipe) -> bool {
    let same = |wanted: &Option<String>, own: &Option<String>| {
        wanted.as_ref().is_none_or(|wanted| {
            own.as_ref().is_some_and(|own| own == profile_name(wanted) || own == wanted)
        })
    };
    filter.material.as_ref().is_none_or(|words| calls_material(words, &recipe.material))
        && filter
            .thickness
            .is_none_or(|wanted| recipe.thickness.is_none_or(|own| (own - wanted).abs() < 0.005))
        && same(&filter.machine, &recipe.machine)
        && same(&filter.lens, &recipe.lens)
}

/// The one recipe that is meant; of those for sources of some power the one that is for so many W, where that is said. What ships is meant only where no book of one's own has it.
pub(super) fn one<'s>(
    shelf: &'s Shelf,
    word: &str,
    filter: &RecipeFilter,
    book: Option<&Path>,
    watts: Option<f64>,
) -> Result<FoundRecipe<'s>, Refusal> {
    let book = book.map(|book| book.display().to_string());
    let in_book =
        |found: &FoundRecipe<'_>| book.as_ref().is_none_or(|book| found.book.name == *book);
    let called = |found: &FoundRecipe<'_>| found.recipe.word() == word;
    let all: Vec<FoundRecipe<'_>> =
        shelf.all().filter(|found| holds(filter, found.recipe) && in_book(found)).collect();
    let mut meant: Vec<FoundRecipe<'_>> = all.iter().copied().filter(called).collect();
    // What was said in full goes before what has it as a part, or holds for all.
    let whole = |found: &FoundRecipe<'_>| {
        filter.material.as_ref().is_some_and(|said| same_material(said, &found.recipe.material))
    };
    let own_thickness =
        |found: &FoundRecipe<'_>| filter.thickness.is_some() && found.recipe.thickness.is_some();
    if meant.iter().any(whole) {
        meant.retain(whole);
    }
    if meant.iter().any(own_thickness) {
        meant.retain(own_thickness);
    }
    if meant.iter().any(|found| found.book.kept != Kept::Shipped) {
        meant.retain(|found| found.book.kept != Kept::Shipped);
    }
    let for_watts = |found: &FoundRecipe<'_>| {
        let fits = |(least, most): (f64, f64)| watts.is_some_and(|w| (least..=most).contains(&w));
        found.recipe.watts.is_some_and(fits)
    };
    if meant.iter().any(for_watts) {
        meant.retain(for_watts);
    }
    match meant[..] {
        [found] => Ok(found),
        [] => {
            let elsewhere: Vec<String> = shelf
                .all()
                .filter(|found| called(found) && in_book(found) && !holds(filter, found.recipe))
                .map(|found| found.to_string())
                .collect();
            if !elsewhere.is_empty() {
                return Err(Refusal::Usage(format!(
                    "no recipe \"{word}\" is for the material, thickness, machine or lens that was said; there is {}",
                    few(&elsewhere, 6)
                )));
            }
            let words = all.iter().map(|found| found.recipe.word());
            let near = nearest(word, words).map(|near| format!("; did you mean {near}?"));
            Err(Refusal::Usage(format!(
                "no book has such a recipe \"{word}\"{}",
                near.unwrap_or_else(|| "; tinkite recipe list tells what there is".into())
            )))
        }
        _ => {
            let names: Vec<String> = meant.iter().map(ToString::to_string).collect();
            let by_source = meant.iter().any(|found| found.recipe.watts.is_some());
            Err(Refusal::Usage(format!(
                "{} recipes are called so: {}; say --material, --thickness, --machine or --lens{}",
                names.len(),
                few(&names, 6),
                if by_source {
                    "; tinkite recipe copy --to-machine NAME takes that of its source"
                } else {
                    ""
                }
            )))
        }
    }
}
