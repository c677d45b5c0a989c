//! `tinkite swatch make`: writes a job that is a test sheet.

use crate::args::SwatchMake;
use crate::console::Console;
use crate::door;
use std::io::Write;
use tinkite_core::job;
use tinkite_core::job::recipe::Make;
use tinkite_core::job::swatch::{NewSwatch, swatch_text};
use tinkite_core::machine::profile_name;
use tinkite_core::machine::section::quote;
use tinkite_core::problem::Problems;
use tinkite_core::quantity::plain;
use tinkite_files::load;
use tinkite_files::output::Output;
use tinkite_files::refusal::{Refusal, Sources};

pub(super) fn run(args: &SwatchMake, console: &Console) -> Result<(), Refusal> {
    let path = args.output.clone().unwrap_or_else(|| "swatch.kite.toml".into());
    let to_stdout = path.as_os_str() == "-";
    let output = if to_stdout { None } else { Some(Output::create(&path, args.writing.into())?) };
    let make = match args.make.as_deref() {
        Some(word) => Make::of(word).ok_or_else(|| {
            Refusal::Usage(format!("--make cannot be \"{word}\": cut, score or engrave"))
        })?,
        None if args.kind == "kerf" => Make::Cut,
        None => Make::Engrave,
    };
    let machine = load::typed_machine(&args.machine, &path, &mut Sources::new())?;
    let ceiling = machine.beam.ceiling.0 * 100.0;
    let mut varied = Vec::new();
    let mut settings: Vec<(String, String)> = Vec::new();
    let mut fixed = |key: &str, text: &str| settings.push((key.into(), quote(text)));
    let asked = [
        ("power", &args.power),
        ("speed", &args.speed),
        ("focus", &args.focus),
        ("lines.spacing", &args.spacing),
        ("lines.offset", &args.offset),
    ];
    let counts = [args.across, args.down];
    for (key, text) in asked.iter().filter_map(|(key, text)| Some((*key, text.as_ref()?))) {
        match range(text) {
            Some((first, last)) => {
                let count = *counts.get(varied.len()).unwrap_or(&6);
                varied.push((key.to_string(), first, last, usize::from(count)));
            }
            None => fixed(key, text),
        }
    }
    if varied.is_empty() && args.kind != "kerf" {
        let low = machine.beam.floor / machine.beam.full * 100.0;
        let (from, to) = ((low * 1.2).max(5.0), (ceiling * 0.9).max(10.0));
        let percent = |p: f64| format!("{} %", plain(p, 0));
        let (key, first, last, count) = match args.kind.as_str() {
            "focus" if args.ramp.is_some() => ("focus", "-5 mm".into(), "5 mm".into(), 11),
            "focus" => ("focus", "-2 mm".into(), "2 mm".into(), 9),
            "offset" => ("lines.offset", "-0.2 mm".into(), "0.2 mm".into(), 9),
            "greys" => ("power", percent(from), percent(to), 16),
            _ => ("power", percent(from), percent(to), 6),
        };
        varied.push((key.into(), first, last, count));
    }
    if varied.len() > 2 {
        return Err(Refusal::Usage(
            "a sheet varies one thing across and one down; give the others one value".into(),
        ));
    }
    let has = |key: &str, settings: &[(String, String)]| {
        settings.iter().any(|(k, _)| k == key) || varied.iter().any(|(k, ..)| k == key)
    };
    let top = machine.slower_top_speed();
    let usual: (f64, f64) = match make {
        Make::Cut => (15.0, 60.0),
        Make::Score => (60.0, 15.0),
        Make::Engrave => (100.0, 20.0),
    };
    if !has("speed", &settings) {
        settings.push(("speed".into(), quote(&format!("{} mm/s", plain(usual.0.min(top), 1)))));
    }
    if !has("power", &settings) {
        settings.push(("power".into(), quote(&format!("{} %", plain(usual.1.min(ceiling), 1)))));
    }
    if let Some(ramp) = args.ramp {
        settings.push(("ramp".into(), quote(&format!("{} mm", plain(ramp, 3)))));
    }
    if make == Make::Engrave {
        // Keys of lines stand in a table of their own.
        let single = |text: &Option<String>| text.clone().filter(|text| range(text).is_none());
        settings.retain(|(key, _)| !key.starts_with("lines."));
        let spacing = single(&args.spacing)
            .unwrap_or_else(|| format!("{} mm", plain(machine.beam.width.max(0.1), 3)));
        let offset = single(&args.offset)
            .map_or(String::new(), |offset| format!(", offset = {}", quote(&offset)));
        match &args.picture {
            Some(picture) => {
                settings.push(("picture".into(), quote(&picture.display().to_string())));
                let spacing = quote(&spacing);
                settings.push(("image".into(), format!("{{ spacing = {spacing}, grey = true }}")));
            }
            None => {
                let lines = format!("{{ spacing = {}{offset} }}", quote(&spacing));
                settings.push(("lines".into(), lines));
            }
        }
    }
    let new = NewSwatch {
        kind: match args.kind.as_str() {
            "greys" => "greys",
            "focus" => "focus",
            "offset" => "offset",
            "kerf" => "kerf",
            _ => "grid",
        },
        make,
        machine: args.machine.clone(),
        material: args.material.clone(),
        thickness: args.thickness,
        date: args.date.clone().or_else(|| {
            Some(
                jiff::tz::TimeZone::system().to_datetime(jiff::Timestamp::now()).date().to_string(),
            )
        }),
        varied,
        settings,
        keep: "tinkite swatch keep THIS-FILE C4".into(),
        label: (
            format!("{} mm/s", plain(100.0f64.min(top), 1)),
            format!("{} %", plain(25.0f64.min(ceiling), 1)),
        ),
    };
    let text = swatch_text(&new);
    // What is written is read first: a sheet that cannot be burnt is told now.
    let shown = path.display().to_string();
    job::read_with(&shown, &text, machine, profile_name(&args.machine), &Default::default())
        .map_err(|problems| {
            Refusal::Problems(
                load::locate(problems, &Sources::new()),
                Sources::from([(shown.clone(), text.clone())]),
            )
        })?;
    let Some(output) = output else { return console.result(&text) };
    let written = output.write(|out| out.write_all(text.as_bytes()))?;
    door::wrote(&written, &Problems::new(), &Sources::new(), console)?;
    console
        .say("next: tinkite draw, then run it on scrap; tinkite swatch keep keeps its best square");
    Ok(())
}

/// `10..60 %`: a first and a last value; none for a single one.
fn range(text: &str) -> Option<(String, String)> {
    let (first, last) = text.split_once("..")?;
    let (first, last) = (first.trim(), last.trim());
    let unit = last.trim_start_matches(|c: char| c.is_ascii_digit() || ".-+ ".contains(c));
    // The unit may stand behind the second alone.
    let bare = first.chars().all(|c| c.is_ascii_digit() || ".-+".contains(c));
    let first = if bare && !unit.is_empty() { format!("{first} {unit}") } else { first.into() };
    Some((first, last.to_string()))
}
