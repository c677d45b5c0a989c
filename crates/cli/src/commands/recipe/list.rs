//! `tinkite recipe list`.

use super::chosen::{holds, shelf};
use crate::args::{RecipeFilter, RecipeList};
use crate::console::Console;
use serde::Serialize;
use std::collections::BTreeMap;
use tinkite_core::job::recipe::{FoundRecipe, Kept, Shelf};
use tinkite_core::problem::few;
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_report::table::table;

#[derive(Debug, Serialize)]
struct ListJson {
    recipes: Vec<RecipeJson>,
}

/// A recipe, as other programs may rely on it.
#[derive(Debug, Serialize)]
pub(super) struct RecipeJson {
    recipe: String,
    make: &'static str,
    material: String,
    thickness_mm: Option<f64>,
    machine: Option<String>,
    lens: Option<String>,
    source_watts: Option<[f64; 2]>,
    /// Keys of a step, as TOML writes their values.
    settings: BTreeMap<String, String>,
    from: Option<String>,
    guess: bool,
    starting_value: bool,
    tried: u32,
    good: u32,
    note: Option<String>,
    book: String,
    line: u32,
}

impl From<FoundRecipe<'_>> for RecipeJson {
    fn from(found: FoundRecipe<'_>) -> Self {
        let recipe = found.recipe;
        Self {
            recipe: recipe.word().into(),
            make: recipe.make.name(),
            material: recipe.material.clone(),
            thickness_mm: recipe.thickness,
            machine: recipe.machine.clone(),
            lens: recipe.lens.clone(),
            source_watts: recipe.watts.map(|(least, most)| [least, most]),
            settings: recipe.settings.iter().cloned().collect(),
            from: recipe.from.clone(),
            guess: recipe.guess,
            starting_value: found.book.kept == Kept::Shipped,
            tried: recipe.tried,
            good: recipe.good,
            note: recipe.note.clone(),
            book: found.book.name.clone(),
            line: recipe.line,
        }
    }
}

pub(super) fn run(args: &RecipeList, console: &Console) -> Result<(), Refusal> {
    let shelf = shelf(console)?;
    let mut found: Vec<FoundRecipe<'_>> =
        shelf.all().filter(|found| holds(&args.filter, found.recipe)).collect();
    // By material and thickness; of those alike the nearest book first.
    let by = |found: &FoundRecipe<'_>| {
        let thickness = found.recipe.thickness.map_or(0, |mm| (mm * 1000.0) as u64);
        (found.recipe.material.to_lowercase(), thickness, found.recipe.make)
    };
    found.sort_by_key(by);
    if console.json {
        let recipes = found.into_iter().map(RecipeJson::from).collect();
        return console.json(&ListJson { recipes });
    }
    if found.is_empty() {
        return console.result(&missing(args, &shelf));
    }
    let rows: Vec<Vec<String>> = found.iter().map(row).collect();
    let header = [
        "material",
        "mm",
        "recipe",
        "machine",
        "speed",
        "power",
        "other settings",
        "worked",
        "book",
    ];
    console.result(&table(&header, rows, &[1]))?;
    if found.iter().any(|found| found.book.kept == Kept::Shipped) {
        console.say("what is marked start ships with the tool: values to start from, tried by nobody on your machine");
    }
    Ok(())
}

/// What there is in place of what was asked for.
fn missing(args: &RecipeList, shelf: &Shelf) -> String {
    let of_material = RecipeFilter { material: args.filter.material.clone(), ..Default::default() };
    let of_it: Vec<FoundRecipe<'_>> =
        shelf.all().filter(|found| holds(&of_material, found.recipe)).collect();
    let mut thick: Vec<f64> = of_it.iter().filter_map(|found| found.recipe.thickness).collect();
    thick.sort_by(f64::total_cmp);
    thick.dedup();
    let thick: Vec<String> = thick.iter().map(|mm| format!("{} mm", plain(*mm, 3))).collect();
    let materials: Vec<String> = shelf.materials().into_iter().map(String::from).collect();
    match (&args.filter.material, &args.filter.thickness) {
        (Some(material), Some(_)) if !thick.is_empty() => {
            format!("no recipe of that kind; of {material} there are {}", few(&thick, 8))
        }
        (Some(material), _) if of_it.is_empty() => {
            format!("no recipe for {material}; there are {}", few(&materials, 20))
        }
        _ => "no recipe of that kind; tinkite recipe list tells all".into(),
    }
}

fn row(found: &FoundRecipe<'_>) -> Vec<String> {
    let recipe = found.recipe;
    let other = |(key, value): &(String, String)| match key.as_str() {
        "speed" | "power" => None,
        _ => Some(format!("{key} {}", value.replace('"', ""))),
    };
    let lens = recipe.lens.as_ref().map_or(String::new(), |lens| format!(", {lens}"));
    let machine = match (&recipe.machine, recipe.watts) {
        (Some(machine), _) => machine.clone(),
        (None, Some((least, most))) => format!("{} to {} W", plain(least, 1), plain(most, 1)),
        (None, None) => "any".into(),
    };
    vec![
        recipe.material.clone(),
        recipe.thickness.map_or("any".into(), |mm| plain(mm, 3)),
        recipe.word().into(),
        format!("{machine}{lens}"),
        recipe.setting("speed").unwrap_or_default().replace('"', ""),
        recipe.setting("power").unwrap_or_default().replace('"', ""),
        recipe.settings.iter().filter_map(other).collect::<Vec<_>>().join(", "),
        describe_success(found),
        match found.book.kept {
            Kept::Shipped => String::new(),
            _ => found.place(),
        },
    ]
}

/// How often it worked, or why nobody knows.
pub(super) fn describe_success(found: &FoundRecipe<'_>) -> String {
    let recipe = found.recipe;
    match (recipe.tried, recipe.guess) {
        (0, _) if found.book.kept == Kept::Shipped => "start".into(),
        (0, true) => "guess".into(),
        (0, false) => "not noted".into(),
        (tried, _) => format!("{} of {tried}", recipe.good),
    }
}
