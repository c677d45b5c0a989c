//! `tinkite recipe copy`: a recipe worked out for something else, which is a guess.

use super::chosen::{one, shelf};
use super::keep::{About, write};
use crate::args::RecipeCopy;
use crate::console::Console;
use std::path::Path;
use tinkite_core::job::recipe::{Change, scale};
use tinkite_core::machine::profile_name;
use tinkite_files::load;
use tinkite_files::refusal::{Refusal, Sources};

pub(super) fn run(args: &RecipeCopy, console: &Console) -> Result<(), Refusal> {
    if args.to_thickness.is_none() && args.to_machine.is_none() && args.to_material.is_none() {
        return Err(Refusal::Usage(
            "copied for what? say --to-thickness \"4 mm\", --to-machine NAME or --to-material TEXT"
                .into(),
        ));
    }
    let shelf = shelf(console)?;
    let read = |name: &str| load::machine(name, Path::new(""), &mut Sources::new());
    let to = args.to_machine.as_deref().map(read).transpose()?;
    let watts = to.as_ref().and_then(|machine| machine.full_watts());
    let found = one(&shelf, &args.recipe, &args.filter, None, watts)?;
    let recipe = found.recipe;
    let machines = match (to, &recipe.machine) {
        (Some(to), Some(from)) => Some((read(from)?, to)),
        // Values to start from say percent of a source of that power.
        (Some(to), None)
            if recipe.watts.is_some_and(|(least, most)| {
                !watts.is_some_and(|w| (least..=most).contains(&w))
            }) =>
        {
            return Err(Refusal::Usage(format!(
                "{recipe} is for other sources than that of {}; copy one that is for its watts",
                to.name
            )));
        }
        _ => None,
    };
    let change = Change {
        thickness: args.to_thickness,
        machines: machines.as_ref().map(|(from, to)| (from, to)),
    };
    let made = scale(recipe, change)
        .map_err(|problem| Refusal::Problems(problem.into(), Sources::new()))?;
    let how = if made.how.is_empty() { String::new() } else { format!("; {}", made.how) };
    let about = About {
        material: args.to_material.clone().unwrap_or_else(|| recipe.material.clone()),
        thickness: args.to_thickness.or(recipe.thickness),
        machine: args
            .to_machine
            .as_deref()
            .map(profile_name)
            .map(str::to_string)
            .or_else(|| recipe.machine.clone()),
        lens: recipe.lens.clone(),
        make: recipe.make.name(),
        from: format!("worked out from {found}{how}"),
    };
    write(about, made.settings, true, &args.kept, console)?;
    console.say("it is a guess: try it on scrap, and note how it went");
    Ok(())
}
