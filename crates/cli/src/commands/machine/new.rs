//! `tinkite machine new`: a commented profile from a shipped one, with what the caller, a question
//! or the controller itself says.

use super::full_power::full_power;
use super::questions::{Questions, pointing};
use crate::args::MachineNew;
use crate::console::Console;
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};
use tinkite_core::machine;
use tinkite_core::machine::Machine;
use tinkite_core::machine::edit::{Change, changed};
use tinkite_core::quantity::plain;
use tinkite_files::machines::{find, own_folder};
use tinkite_files::output::{Output, Writing};
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_link as link;
use tinkite_link::{self, ask::ask};
use tinkite_wire::Connected;

pub(super) fn run(args: &MachineNew, console: &Console) -> Result<(), Refusal> {
    // A name that is taken is told before anybody answers a question.
    let path = path(args)?;
    let writing = args.writing.into();
    if writing != Writing::Numbered {
        Output::check(&path, writing)?;
    }
    let mut asked = asks(args).then(Questions::begin);
    let dialect = match (&mut asked, &args.dialect) {
        (_, Some(dialect)) => Some(dialect.clone()),
        (Some(questions), None) => Some(questions.dialect()?),
        (None, None) => None,
    };
    let usual = if dialect.as_deref() == Some("reprap") { "printer-laser" } else { "bench-laser" };
    let like = args.like.as_deref().unwrap_or(usual);
    let found = find(like, Path::new(""))?;
    let template = found.read(&mut Sources::new())?;
    let mut changes = vec![Change::text("", "name", args.title.as_deref().unwrap_or(&args.name))];
    changes.extend(dialect.map(|dialect| Change::text("link", "dialect", &dialect)));
    if let Some(name) = &args.from {
        let mut link = link::open(name, &template, None)?;
        let connected = ask(link.as_mut(), template.dialect)?;
        changes.extend(changes_from(&connected, &template));
        changes.push(Change::text("link", "to", name));
    }
    changes.extend(ask_in_terminal(args, &template)?);
    let mut text = changed(&found.text, &changes);
    if let Some(questions) = &mut asked {
        text = questions.ask(text, &template)?;
    }
    // What was typed must make a profile: every problem is told as it stands in the new text.
    let shown = path.display().to_string();
    let checked: Machine = machine::read(&shown, &text).map_err(|problems| {
        Refusal::Problems(problems, Sources::from([(shown.clone(), text.clone())]))
    })?;
    if let Some(folder) = path.parent().filter(|folder| Some(*folder) == own_folder().as_deref()) {
        std::fs::create_dir_all(folder)
            .map_err(|error| Refusal::output(folder.display().to_string(), error))?;
    }
    let written =
        Output::create(&path, args.writing.into())?.write(|out| out.write_all(text.as_bytes()))?;
    console.result(&format!(
        "{}: {}, {} x {} mm, like {}; read it through, its comments say what each line means",
        written.words(),
        checked.name,
        plain(checked.bed.width, 1),
        plain(checked.bed.depth, 1),
        like
    ))
}

/// Where it goes: beside the caller, or into the user's own folder.
fn path(args: &MachineNew) -> Result<PathBuf, Refusal> {
    let file = format!("{}.machine.toml", args.name);
    if args.name.contains(['/', '\\', '.']) || args.name.is_empty() {
        return Err(Refusal::Usage(format!(
            "\"{}\" is no name for a machine: take a plain word such as my-laser",
            args.name
        )));
    }
    if !args.own {
        return Ok(PathBuf::from(file));
    }
    own_folder()
        .map(|folder| folder.join(file))
        .ok_or_else(|| Refusal::Usage("this account has no folder for configuration".into()))
}

/// What stands in the call; the dialect beside.
fn ask_in_terminal(args: &MachineNew, template: &Machine) -> Result<Vec<Change>, Refusal> {
    let text = |section, key, value: &Option<String>| {
        value.as_ref().map(|value| Change::text(section, key, value))
    };
    let pointing = match (args.x, args.y) {
        (None, None) => Vec::new(),
        (x, y) => pointing(x, y, template.pointing).map_err(Refusal::Usage)?,
    };
    let said = [
        text("bed", "width", &args.width),
        text("bed", "depth", &args.depth),
        text("bed", "origin", &args.origin),
        text("axis.x", "top-speed", &args.speed),
        text("axis.y", "top-speed", &args.speed),
        text("axis.x", "acceleration", &args.acceleration),
        text("axis.y", "acceleration", &args.acceleration),
        text("beam", "ceiling", &args.ceiling),
        text("link", "to", &args.link),
    ];
    let full = args.full.into_iter().flat_map(|full| full_power(full, template));
    Ok(said.into_iter().flatten().chain(full).chain(pointing).collect())
}

/// What the controller says of itself.
fn changes_from(connected: &Connected, template: &Machine) -> Vec<Change> {
    let said = |key: u16| connected.settings.get(&key).copied();
    let speed = |value: f64| format!("{} mm/s", plain(value / 60.0, 3));
    let length = |value: f64| format!("{} mm", plain(value, 3));
    let rate = |value: f64| format!("{} mm/s2", plain(value, 3));
    let one = |section, key, value: Option<String>| value.map(|v| Change::text(section, key, &v));
    let exchanged = template.pointing.exchanged;
    let (across, away) = if exchanged { (131, 130) } else { (130, 131) };
    [
        one("axis.x", "top-speed", said(110).map(speed)),
        one("axis.y", "top-speed", said(111).map(speed)),
        one("axis.x", "acceleration", said(120).map(rate)),
        one("axis.y", "acceleration", said(121).map(rate)),
        one("bed", "width", said(across).map(length)),
        one("bed", "depth", said(away).map(length)),
        one("", "corner", said(11).map(length)),
        said(32).map(|mode| Change::plain("beam", "follows-speed", mode != 0.0)),
    ]
    .into_iter()
    .flatten()
    .chain(said(30).into_iter().flat_map(|full| full_power(full, template)))
    .collect()
}

/// Whether there is someone to ask, and nothing was said yet.
fn asks(args: &MachineNew) -> bool {
    let said = [
        &args.from,
        &args.width,
        &args.depth,
        &args.origin,
        &args.speed,
        &args.acceleration,
        &args.ceiling,
        &args.link,
        &args.dialect,
    ];
    let silent = said.into_iter().all(Option::is_none) && args.full.is_none();
    let silent = silent && args.x.is_none() && args.y.is_none();
    silent && std::io::stdin().is_terminal() && std::io::stderr().is_terminal()
}
