//! `tinkite recipe keep` and `drop`: writing into a book.

use super::chosen::{one, shelf};
use crate::args::{RecipeDrop, RecipeKeep, RecipeKept};
use crate::console::Console;
use serde::Serialize;
use std::path::Path;
use tinkite_core::job::Request;
use tinkite_core::job::recipe::{Kept, NewRecipe, keep, remove, same_material, settings_of};
use tinkite_core::machine::profile_name;
use tinkite_core::problem::nearest;
use tinkite_core::quantity::plain;
use tinkite_files::books;
use tinkite_files::load;
use tinkite_files::refusal::Refusal;
use tinkite_files::source;

#[derive(Debug, Serialize)]
struct KeptJson {
    book: String,
    recipe: String,
    material: String,
}

pub(super) fn run(args: &RecipeKeep, console: &Console) -> Result<(), Refusal> {
    let loaded = load::job(&args.job, None, &[])?;
    let job = &loaded.job;
    let Some(step) = job.steps.iter().find(|step| step.name == args.step) else {
        let names = || job.steps.iter().map(|step| step.name.as_str());
        let help = match nearest(&args.step, names()) {
            Some(near) => format!("did you mean \"{near}\"?"),
            None => format!("its steps are {}", names().collect::<Vec<_>>().join(", ")),
        };
        return Err(Refusal::Usage(format!(
            "the job has no step called \"{}\"; {help}",
            args.step
        )));
    };
    let Some(material) = args.material.clone().or_else(|| job.material.clone()) else {
        return Err(Refusal::Usage("of what? say --as \"poplar plywood\"".into()));
    };
    let text = source::text(&args.job)?;
    let machine = Request::of(&text).machine.unwrap_or_default();
    let shelf = books::shelf(&load::folder_of(&args.job))?;
    let thickness = args.thickness.or_else(|| job.stock.as_ref().and_then(|stock| stock.thickness));
    let settings = settings_of(&text, &step.name, profile_name(&machine), &job.machine, &shelf)
        .ok_or_else(|| Refusal::Usage("the step has no settings of its own".into()))?;
    let from = args.from.clone().unwrap_or_else(|| {
        let file = args.job.file_name().map_or_else(String::new, |n| n.to_string_lossy().into());
        format!("step {} of {file}", step.name)
    });
    let about = About {
        material,
        thickness,
        machine: (!args.any_machine).then(|| profile_name(&machine).to_string()),
        lens: job.lens.clone(),
        make: step.operation.name(),
        from,
    };
    write(about, settings, false, &args.kept, console)
}

/// What a recipe is for.
pub(in crate::commands) struct About {
    pub(in crate::commands) material: String,
    pub(in crate::commands) thickness: Option<f64>,
    pub(in crate::commands) machine: Option<String>,
    pub(in crate::commands) lens: Option<String>,
    pub(in crate::commands) make: &'static str,
    pub(in crate::commands) from: String,
}

/// Writes a recipe into the book that was asked for, and says so.
pub(in crate::commands) fn write(
    about: About,
    settings: Vec<(String, String)>,
    guess: bool,
    how: &RecipeKept,
    console: &Console,
) -> Result<(), Refusal> {
    let path = books::target(how.book.as_deref())?;
    let mut all = vec![("material", about.material.trim().to_string())];
    all.extend(about.thickness.map(|mm| ("thickness", format!("{} mm", plain(mm, 3)))));
    all.extend(about.machine.map(|machine| ("machine", machine)));
    all.extend(about.lens.map(|lens| ("lens", lens)));
    all.extend(how.name.clone().map(|name| ("name", name)));
    all.push(("make", about.make.to_string()));
    let mut behind = vec![("from".to_string(), about.from)];
    behind.extend(how.note.clone().map(|note| ("note".to_string(), note)));
    let recipe = NewRecipe { about: all, settings, behind, guess };
    books::change(&path, |text| keep(text, &recipe, how.replace))?;
    let word = how.name.as_deref().unwrap_or(about.make);
    let material = about.material;
    if console.json {
        let book = path.display().to_string();
        return console.json(&KeptJson { book, recipe: word.into(), material });
    }
    console.result(&format!("{}: \"{word}\" for {material}", path.display()))?;
    // What stands in a basic string of JSON stands in one of TOML.
    let quoted = serde_json::Value::from(material.as_str());
    console
        .say(&format!("a job with material = {quoted} takes it by recipe = \"{word}\" in a step"));
    Ok(())
}

pub(super) fn drop(args: &RecipeDrop, console: &Console) -> Result<(), Refusal> {
    let shelf = shelf(console)?;
    let found = one(&shelf, &args.recipe, &args.filter, args.book.as_deref(), None)?;
    if found.book.kept == Kept::Shipped {
        return Err(Refusal::Usage(format!(
            "{} ships with the tool and stays; a recipe of your own for the same comes before it",
            found.recipe
        )));
    }
    // Half a name finds; what is taken away is named in full.
    let in_part = |said: &String| !same_material(said, &found.recipe.material);
    let for_any = args.filter.thickness.is_some() && found.recipe.thickness.is_none();
    if for_any || args.filter.material.as_ref().is_some_and(in_part) {
        return Err(Refusal::Usage(format!(
            "what is nearest to that is {found}: nothing was taken out; say --material \"{}\"{}",
            found.recipe.material,
            if for_any { ", without --thickness: it is for any" } else { "" }
        )));
    }
    let (number, title) = (found.recipe.number, found.recipe.to_string());
    // The book may have changed meanwhile: the recipe is dropped only where it still stands.
    let unchanged = |text: &str| {
        let now = tinkite_core::job::recipe::read_book(&found.book.name, text, found.book.kept);
        now.recipes.iter().any(|recipe| recipe.number == number && recipe == found.recipe)
    };
    books::change(Path::new(&found.book.name), |text| match unchanged(text) {
        true => remove(text, number),
        false => Err(tinkite_core::job::recipe::EditError::NoSuch(number + 1)),
    })?;
    console.result(&format!("{}: {title} is taken out", found.book.name))
}
