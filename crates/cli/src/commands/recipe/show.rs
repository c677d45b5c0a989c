//! `tinkite recipe show`.

use super::chosen::{one, shelf};
use super::list::{RecipeJson, describe_success};
use crate::args::RecipeShow;
use crate::console::Console;
use tinkite_files::refusal::Refusal;

pub(super) fn run(args: &RecipeShow, console: &Console) -> Result<(), Refusal> {
    let shelf = shelf(console)?;
    let found = one(&shelf, &args.recipe, &args.filter, None, None)?;
    if console.json {
        return console.json(&RecipeJson::from(found));
    }
    let recipe = found.recipe;
    let mut lines = vec![recipe.to_string(), format!("  book     {}", found.place())];
    let mut fact = |what: &str, words: &str| lines.push(format!("  {what:<8} {words}"));
    fact("make", recipe.make.name());
    for (key, value) in &recipe.settings {
        fact(key, value);
    }
    if let Some(from) = &recipe.from {
        fact("from", from);
    }
    fact("worked", &describe_success(&found));
    if let Some(note) = &recipe.note {
        fact("note", note);
    }
    console.result(&lines.join("\n"))
}
