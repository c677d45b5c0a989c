//! Laying a recipe under the steps that name one.

use super::{FoundRecipe, Near, RecipeUse, Shelf, Wanted};
use crate::toml_text::shift;
use crate::toml_text::toml_key;
use std::borrow::Cow;
use tinkite_base::problem::{Code, Problem, Remedy, few, nearest};
use tinkite_base::quantity::{Length, parse};
use tinkite_machine::section::SourceText;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// What a job says beside its steps that decides which recipe fits.
pub(crate) fn recipe_of_step(top: &DeTable<'_>, machine: &str, watts: Option<f64>) -> Wanted {
    let text =
        |table: &DeTable<'_>, key: &str| Some(table.get(key)?.get_ref().as_str()?.to_string());
    let stock = top.get("stock").and_then(|stock| stock.get_ref().as_table());
    let thickness = stock.and_then(|stock| text(stock, "thickness"));
    Wanted {
        material: text(top, "material").unwrap_or_default(),
        thickness: thickness.and_then(|text| parse::<Length>(&text).ok()).map(|mm| mm.0),
        machine: machine.into(),
        lens: text(top, "lens"),
        watts,
    }
}

/// Lays recipes under the tables of steps that name one; says for each step what it took. What is wrong is
/// told in `source`, and makes the whole `None`.
pub(crate) fn lay_under<'t>(
    top: &mut DeTable<'t>,
    source: &SourceText<'t>,
    shelf: &'t Shelf,
    wanted: &Wanted,
) -> Option<Vec<Option<RecipeUse>>> {
    let steps = match top.get_mut("step").map(Spanned::get_mut) {
        Some(DeValue::Array(steps)) => steps.iter_mut().map(|step| step.get_mut()).collect(),
        Some(step @ DeValue::Table(_)) => vec![step],
        _ => Vec::new(),
    };
    let lay = |step: &mut DeValue<'t>| match step {
        DeValue::Table(step) => lay_one(step, source, shelf, wanted),
        _ => Ok(None),
    };
    let all: Vec<Result<_, ()>> = steps.into_iter().map(lay).collect();
    all.into_iter().collect::<Result<Vec<_>, ()>>().ok()
}

/// Lays the recipe that a table names under it, if it names one.
pub(crate) fn lay_one<'t>(
    step: &mut DeTable<'t>,
    source: &SourceText<'t>,
    shelf: &'t Shelf,
    wanted: &Wanted,
) -> Result<Option<RecipeUse>, ()> {
    let Some(value) = step.get("recipe") else { return Ok(None) };
    let span = value.span();
    let Some(word) = value.get_ref().as_str() else {
        let help = "write recipe = \"cut\", or a recipe's own name";
        let what = "recipe should be text in quotes";
        source.report(Problem::error(Code::WrongType, what, help), span);
        return Err(());
    };
    let found = match find(word, shelf, wanted) {
        Ok(found) => found,
        Err(problem) => {
            source.report(problem, span);
            return Err(());
        }
    };
    let recipe = found.recipe;
    let make = recipe.make.name();
    if let Some(own) = step.get("make").and_then(|own| own.get_ref().as_str())
        && own != make
    {
        let what = format!("the recipe is for {make}, and the step says make = \"{own}\"");
        let help = "take make out, or name a recipe of that make";
        source.report(Problem::error(Code::Contradiction, what, help), span);
        return Err(());
    }
    let mut used = RecipeUse {
        title: recipe.to_string(),
        place: found.place(),
        kept: found.book.kept,
        guess: recipe.guess,
        on_this_machine: recipe.machine.is_some(),
        taken: Vec::new(),
        own: Vec::new(),
    };
    source.explain(span.clone(), format!("it comes from the recipe {found}"));
    let key = |key: &'t str| Spanned::new(span.clone(), Cow::Borrowed(key));
    if !step.contains_key("make") {
        step.insert(key("make"), Spanned::new(span.clone(), DeValue::String(Cow::Borrowed(make))));
    }
    for (name, text) in &recipe.settings {
        // Read once already, when the book was.
        let Ok(mut value) = DeValue::parse(text) else { continue };
        shift(&mut value, &span);
        lay_value(step, name, value, &mut used, "");
    }
    Ok(Some(used))
}

/// Lays a value under a table: the table's own wins; two tables are laid into each other.
fn lay_value<'t>(
    table: &mut DeTable<'t>,
    name: &'t str,
    value: Spanned<DeValue<'t>>,
    used: &mut RecipeUse,
    path: &str,
) {
    let path = format!("{path}{}", toml_key(name));
    let span = value.span();
    match table.get_mut(name).map(Spanned::get_mut) {
        None => {
            table.insert(Spanned::new(span, Cow::Borrowed(name)), value);
            used.taken.push(path);
        }
        Some(DeValue::Table(own)) if value.get_ref().is_table() => {
            let DeValue::Table(theirs) = value.into_inner() else { return };
            for (key, value) in theirs {
                // Keys with escapes are their own text, and no key of a step has one.
                if let Cow::Borrowed(name) = key.into_inner() {
                    lay_value(own, name, value, used, &format!("{path}."));
                }
            }
        }
        Some(_) => used.own.push(path),
    }
}

fn find<'s>(word: &str, shelf: &'s Shelf, wanted: &Wanted) -> Result<FoundRecipe<'s>, Problem> {
    if wanted.material.trim().is_empty() {
        let what = format!("recipe \"{word}\" is asked for, and the job does not say its material");
        let help = "write material = \"poplar plywood\" at the top of the job";
        return Err(Problem::error(Code::NoRecipe, what, help));
    }
    let near = match shelf.find(word, wanted) {
        Ok(found) => return Ok(found),
        Err(near) => near,
    };
    let thickness =
        wanted.thickness.map(|mm| format!(" {} mm", tinkite_base::quantity::plain(mm, 3)));
    let stock = format!("{}{}", wanted.material, thickness.unwrap_or_default());
    match near {
        Near::Several(several) => {
            let names: Vec<String> = several.iter().map(ToString::to_string).collect();
            let what = format!(
                "{} recipes fit \"{word}\" for {stock} equally well: {}",
                names.len(),
                few(&names, 4)
            );
            let help = "give one of them a name and ask for that, or drop one";
            let problem = Problem::error(Code::SeveralRecipes, what, help).naming(names);
            Err(problem.with_remedy(Remedy::DropRecipe))
        }
        Near::None(near) => {
            let what = format!("there is no recipe \"{word}\" for {stock} on {}", wanted.machine);
            let (help, remedy) = other_recipes(word, &near, shelf, wanted);
            Err(Problem { remedy, ..Problem::error(Code::NoRecipe, what, help) })
        }
    }
}

/// What to do where no recipe fits: the nearest ones, by name; never taken silently.
fn other_recipes(
    word: &str,
    near: &[(FoundRecipe<'_>, Vec<super::Difference>)],
    shelf: &Shelf,
    wanted: &Wanted,
) -> (String, Option<Remedy>) {
    if !near.is_empty() {
        let one = |(found, differences): &(FoundRecipe<'_>, Vec<super::Difference>)| {
            let all: Vec<String> = differences.iter().map(ToString::to_string).collect();
            format!("{found}, which is {}", all.join(" and "))
        };
        let names: Vec<String> = near.iter().map(one).collect();
        let help = format!(
            "near it: {}. Copy one and try it on scrap, or say the settings in the step",
            few(&names, 3)
        );
        return (help, Some(Remedy::CopyRecipe));
    }
    let words: Vec<String> = shelf
        .all()
        .filter(|found| super::same_material(&found.recipe.material, &wanted.material))
        .map(|found| found.recipe.word().to_string())
        .collect();
    if let Some(near) = nearest(word, words.iter().map(String::as_str)) {
        return (format!("did you mean \"{near}\"?"), None);
    }
    if !words.is_empty() {
        return (format!("this material has {}", few(&words, 6)), None);
    }
    let materials = shelf.materials();
    match nearest(&wanted.material, materials.iter().copied()) {
        Some(near) => (format!("no book knows this material; did you mean \"{near}\"?"), None),
        None => {
            let help = "no book knows this material: find settings, and keep them";
            (help.into(), Some(Remedy::TestSheet))
        }
    }
}
