//! `tinkite swatch keep`: a square becomes a recipe.

use super::read;
use crate::args::SwatchKeep;
use crate::commands::recipe::{About, write};
use crate::console::Console;
use tinkite_core::job::Request;
use tinkite_core::job::recipe::settings_of;
use tinkite_core::job::swatch::{Measured, kerf_of};
use tinkite_core::machine::profile_name;
use tinkite_core::problem::nearest;
use tinkite_core::quantity::plain;
use tinkite_files::books;
use tinkite_files::load;
use tinkite_files::refusal::Refusal;
use tinkite_files::source;

pub(super) fn run(args: &SwatchKeep, console: &Console) -> Result<(), Refusal> {
    let loaded = load::job(&args.job, None, &[])?;
    let job = &loaded.job;
    let shown = args.job.display();
    let Some(swatch) = &job.swatch else {
        return Err(Refusal::Usage(format!(
            "{shown} is no test sheet: it has no [swatch]; tinkite recipe keep keeps the settings of a step"
        )));
    };
    let tone =
        args.scan.as_ref().map(|scan| read::tone_of(&args.job, scan, console)).transpose()?;
    let cell = match (&args.cell, swatch.comb) {
        (Some(name), _) => swatch.cell(name).ok_or_else(|| {
            let names = || swatch.cells.iter().map(|cell| cell.name.as_str());
            let first = names().next().unwrap_or_default().to_string();
            let last = names().next_back().unwrap_or_default().to_string();
            let near = nearest(&name.to_uppercase(), names())
                .map_or(String::new(), |near| format!("; did you mean {near}?"));
            Refusal::Usage(format!(
                "the sheet has no square {name}: they are {first} to {last}{near}"
            ))
        })?,
        (None, Some(_)) => &swatch.cells[0],
        // The strongest of a wedge is the power of black.
        (None, None) if tone.is_some() => {
            swatch.cells.iter().rfind(|cell| cell.blank.is_none()).unwrap_or(&swatch.cells[0])
        }
        (None, None) => {
            return Err(Refusal::Usage("which square? say its name, like C4".into()));
        }
    };
    if let Some(why) = &cell.blank {
        return Err(Refusal::Usage(format!("square {} was left blank: {why}", cell.name)));
    }
    let text = source::text(&args.job)?;
    let machine = Request::of(&text).machine.unwrap_or_default();
    let shelf = books::shelf(&load::folder_of(&args.job))?;
    let mut settings = settings_of(&text, &cell.name, profile_name(&machine), &job.machine, &shelf)
        .ok_or_else(|| Refusal::Usage(format!("the sheet has no square {}", cell.name)))?;
    let file = args.job.file_name().map_or_else(String::new, |n| n.to_string_lossy().into());
    if swatch.leans
        && let Some(height) = cell.values.first()
    {
        // The stock leant in place of the head: where nothing moves the focus, a hand sets it.
        if job.machine.z.is_some() {
            settings.push(("focus".into(), height.clone()));
        } else {
            console.say(&format!(
                "focus at {} above the surface (below zero is in it): nothing moves it on this machine, so set the head by hand, so much higher than for 0 mm",
                height.trim_matches('"')
            ));
        }
    }
    let mut from = format!("swatch {}, square {}", file.trim_end_matches(".kite.toml"), cell.name);
    if let Some((parts, width)) = swatch.comb {
        let Some(together) = args.measured else {
            return Err(Refusal::Usage(format!(
                "how wide are the {parts} parts together? say --measured \"98.4 mm\""
            )));
        };
        let measured = Measured { together, within: args.within };
        let (kerf, error) =
            kerf_of(parts, width, measured).map_err(|error| Refusal::Usage(error.to_string()))?;
        console.say(&format!("kerf {} mm, within {} mm", plain(kerf, 3), plain(error, 3)));
        // The comb was cut on its lines; whoever uses the recipe wants parts that keep their size.
        settings.retain(|(key, _)| !["kerf", "side", "shared-edges"].contains(&key.as_str()));
        settings.push(("kerf".into(), format!("\"{} mm\"", plain(kerf, 3))));
        from = format!(
            "swatch {}, {parts} parts of {} mm measured as {} mm",
            file.trim_end_matches(".kite.toml"),
            plain(width, 3),
            plain(together, 3)
        );
    } else if args.measured.is_some() {
        return Err(Refusal::Usage("--measured is for sheets of kind = \"kerf\"".into()));
    }
    if let Some(tone) = tone {
        let lines = settings.iter().position(|(key, _)| key == "lines");
        let spacing = job.steps.iter().find(|step| step.name == cell.name);
        let spacing =
            spacing.and_then(|step| step.operation.engrave()).map_or(0.1, |e| e.spacing());
        // A picture is engraved with what the wedge was: as many rows to a mm.
        if let Some(lines) = lines {
            settings.remove(lines);
        }
        settings.push((
            "image".into(),
            format!("{{ spacing = \"{} mm\", grey = true, tone = {tone} }}", plain(spacing, 3)),
        ));
        from = format!("wedge {} as scanned", file.trim_end_matches(".kite.toml"));
    }
    if let Some(date) = &swatch.date {
        from = format!("{from}, {date}");
    }
    let Some(material) = args.material.clone().or_else(|| job.material.clone()) else {
        return Err(Refusal::Usage("of what? say --as \"poplar plywood\"".into()));
    };
    let make = job
        .steps
        .iter()
        .find(|step| step.name == cell.name)
        .map_or("engrave", |step| step.operation.name());
    let about = About {
        material,
        thickness: args.thickness.or_else(|| job.stock.as_ref().and_then(|stock| stock.thickness)),
        machine: (!args.any_machine).then(|| profile_name(&machine).to_string()),
        lens: job.lens.clone(),
        make,
        from,
    };
    write(about, settings, false, &args.kept, console)
}
