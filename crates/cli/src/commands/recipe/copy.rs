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
    let found = one(&shelf, &args.recipe, &args.filter, None)?;
    let recipe = found.recipe;
    let read = |name: &str| load::machine(name, Path::new(""), &mut Sources::new());
    let machines = match (&args.to_machine, &recipe.machine) {
        (Some(to), Some(from)) => Some((read(from)?, read(to)?)),
        (Some(to), None) if recipe.watts.is_some() => {
            // Values to start from say percent of a source of that power.
            let wanted = read(to)?.full_watts();
            let (least, most) = recipe.watts.unwrap_or_default();
            if !wanted.is_some_and(|watts| (least..=most).contains(&watts)) {
                return Err(Refusal::Usage(format!(
                    "{recipe} is for other sources than that of {to}; copy one that is for its watts"
                )));
            }
            None
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
