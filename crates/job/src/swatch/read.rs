//! Reading `[swatch]` and writing it out as shapes and steps.

use super::axis::{self, Varied};
use super::drawn::{PLACE, Written};
use super::grid::{Grid, Layout, laid_out};
use super::ramp::ramp;
use super::{Cell, Swatch, SwatchKind};
use crate::make::Make;
use crate::step::{self, Fits};
use crate::toml_text::{shift, toml_text};
use std::ops::Range;
use tinkite_base::problem::{Code, Problem, Problems, nearest};
use tinkite_base::quantity::{Length, Power, Speed, parse, parse_power, plain};
use tinkite_machine::Machine;
use tinkite_machine::section::{Section, SourceText};
use tinkite_machine::source;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// A sheet written out.
pub(crate) struct Expanded {
    /// `[[shape]]` and `[[step]]`, and `[place]` where the job has none, as TOML.
    pub(crate) toml: String,
    /// How it is laid out.
    pub(crate) swatch: Swatch,
    /// Where `[swatch]` stands in the job.
    pub(crate) span: Range<usize>,
}

impl Expanded {
    /// Puts what was written out in the place of `[swatch]` of a job's table.
    pub(crate) fn put_into<'t>(&'t self, top: &mut DeTable<'t>) {
        top.remove("swatch");
        // Our own text: it is TOML.
        let drawn = DeTable::parse(&self.toml).map(Spanned::into_inner).unwrap_or_default();
        for (key, mut value) in drawn {
            shift(&mut value, &self.span);
            top.insert(Spanned::new(self.span.clone(), key.into_inner()), value);
        }
    }
}

/// Most squares of a sheet.
const MOST_CELLS: usize = 600;

/// Keys of `[swatch]` that no step has.
const OWN_KEYS: [&str; 16] = [
    "kind", "make", "across", "down", "cell", "gap", "label", "name", "date", "scatter", "parts",
    "part", "in-row", "recipe", "picture", "ramp",
];

/// What `[swatch]` of a job's text comes to; `None` where the job has none.
pub(crate) fn expand(
    file: &str,
    text: &str,
    machine: &Machine,
) -> Option<Result<Expanded, Problems>> {
    let source = SourceText::new(file, text);
    // What is no TOML is told when the whole job is read.
    let (table, errors) = DeTable::parse_recoverable(text);
    if !errors.is_empty() {
        return None;
    }
    let top = table.get_ref();
    let value = top.get("swatch")?;
    let made = match value.get_ref() {
        DeValue::Table(inner) => {
            let section = Section::new(&source, "[swatch]", inner, value.span());
            read(section, top, machine)
        }
        _ => {
            let what = "swatch should be a table";
            let help = "write [swatch] on a line of its own, and its keys below";
            source.report(Problem::error(Code::WrongType, what, help), value.span());
            None
        }
    };
    let problems = source.into_problems();
    Some(match made {
        Some(made) if !problems.refuse() => Ok(made),
        _ => Err(problems),
    })
}

fn read(section: Section<'_, '_>, top: &DeTable<'_>, machine: &Machine) -> Option<Expanded> {
    let span = section.whole_span();
    for key in ["artwork", "shape", "step", "rotary"] {
        if top.contains_key(key) {
            let what = format!("a job with [swatch] draws itself, and this one has {key} as well");
            let help = format!("take {key} out; what squares are burnt with stands in [swatch]");
            section.report(Problem::error(Code::Contradiction, what, help), span.clone());
            return None;
        }
    }
    let kind = section.choice("kind", &SwatchKind::WORDS).unwrap_or(SwatchKind::Grid);
    let make = section.choice("make", &Make::WORDS).or(match kind {
        SwatchKind::Kerf => Some(Make::Cut),
        SwatchKind::Grid => None,
        _ => Some(Make::Engrave),
    });
    if make.is_none() && !section.has("make") {
        section.missing("make", "make = \"engrave\", \"cut\" or \"score\": what its squares are");
    }
    let make = make?;
    let mut varied = Vec::new();
    for key in ["across", "down"] {
        if section.has(key) {
            varied.push(axis::read(&section, key)?);
        }
    }
    if varied.is_empty() && kind != SwatchKind::Kerf {
        let example = match kind {
            SwatchKind::Focus => "across = { focus = [\"-2 mm\", \"2 mm\"], count = 9 }",
            SwatchKind::Offset => {
                "across = { lines.offset = [\"-0.2 mm\", \"0.2 mm\"], count = 9 }"
            }
            SwatchKind::Greys => "across = { power = [\"8 %\", \"60 %\"], count = 16 }",
            _ => "across = { power = [\"10 %\", \"60 %\"], count = 6 }",
        };
        section.missing("across", example);
        return None;
    }
    let wanted = match kind {
        SwatchKind::Greys => Some("power"),
        SwatchKind::Focus => Some("focus"),
        SwatchKind::Offset => Some("lines.offset"),
        _ => None,
    };
    if let Some(wanted) = wanted
        && varied.iter().all(|one| one.key != wanted)
    {
        let what = format!("a sheet of this kind varies {wanted}, and this one does not");
        let help = format!("write across = {{ {wanted} = [first, last], count = 9 }}");
        section.report(Problem::error(Code::Swatch, what, help), section.span_of("across"));
        return None;
    }
    let length =
        |key: &'static str, usual: f64| section.positive::<Length>(key).map_or(usual, |l| l.0);
    let cell = length("cell", 8.0);
    let gap = length("gap", 2.0);
    if !(2.0..=200.0).contains(&cell) {
        let written = section.written("cell");
        section.out_of_range("cell", section.span_of("cell"), &written, "from 2 mm to 200 mm");
        return None;
    }
    let in_row = section.whole("in-row", 1..=100).map(|n| n as usize);
    let scatter = section.flag("scatter").unwrap_or(false);
    let name = section.text("name").or(top.get("name").and_then(|n| n.get_ref().as_str()));
    let date = section.text("date");
    let material = top.get("material").and_then(|m| m.get_ref().as_str());
    let settings = settings(&section, make, &varied)?;
    let Some(table) = section.section("label") else {
        section.missing("label", "label = { speed = \"100 mm/s\", power = \"20 %\" }");
        return None;
    };
    let words = |key, example| table.required_text(key, example).map(str::to_string);
    let label = (words("speed", "speed = \"100 mm/s\""), words("power", "power = \"20 %\""));
    table.finish();
    let label = (label.0?, label.1?);
    let said = date.map(str::to_string);
    let heading: Vec<&str> = [name, material, date].into_iter().flatten().collect();
    let squares: usize = varied.iter().map(|one| one.numbers.len()).product();
    if squares > MOST_CELLS {
        let what = format!("the sheet would have {squares} squares, and {MOST_CELLS} are the most");
        let help = "say fewer values, or make two sheets";
        section.report(Problem::error(Code::Swatch, what, help), span);
        return None;
    }
    let recipe = section.text("recipe").map(str::to_string);
    let parts = section.whole("parts", 2..=100).map_or(10, |n| n as u32);
    let part = length("part", 10.0);
    let comb = (kind == SwatchKind::Kerf).then_some((parts, part));
    let (cell, in_row) = match (kind, comb) {
        (SwatchKind::Kerf, Some((parts, part))) => {
            ((f64::from(parts) * part, cell.max(20.0)), None)
        }
        (SwatchKind::Greys, _) => ((cell, cell), Some(in_row.unwrap_or(8))),
        _ => ((cell, cell), in_row),
    };
    let ramp = section.has("ramp").then(|| ramp(&section, kind, &varied, cell.0 + gap));
    let ramp = match ramp {
        Some(found) => Some(found?),
        None => None,
    };
    let picture = section.text("picture").map(str::to_string);
    if picture.is_some() && !engraves_pictures(&section, make, &settings, &varied) {
        return None;
    }
    let layout = Layout { cell, gap, in_row, pitch: ramp.map(|ramp| ramp.pitch) };
    let leaning = ramp.map(|ramp| ramp.words());
    let mut grid = laid_out(&varied, &heading.join(", "), leaning.as_deref(), layout);
    if !fits(&section, top, machine, &grid) {
        return None;
    }
    blank(&mut grid.cells, &varied, machine);
    if grid.cells.iter().all(|cell| cell.blank.is_some()) {
        let why = grid.cells.first().and_then(|cell| cell.blank.clone()).unwrap_or_default();
        let what = format!("no square of the sheet can be burnt: {why}");
        let help = "say values between the machine's floor and ceiling";
        section.report(Problem::error(Code::Swatch, what, help), span);
        return None;
    }
    let recipe = recipe.as_deref();
    let written = Written {
        make,
        settings,
        recipe,
        varied: &varied,
        label: &label,
        machine,
        scatter,
        comb,
        picture: picture.as_deref(),
        leans: ramp.is_some(),
    };
    let toml = written.out(&grid, !top.contains_key("place"));
    Some(Expanded {
        toml,
        swatch: Swatch {
            kind,
            varied,
            cells: grid.cells,
            size: grid.size,
            marks: grid.marks,
            key: grid.key,
            date: said,
            comb,
            leans: ramp.is_some(),
        },
        span,
    })
}

/// Whether squares that are pictures are engraved as such.
fn engraves_pictures(
    section: &Section<'_, '_>,
    make: Make,
    settings: &[(String, String)],
    varied: &[Varied],
) -> bool {
    let how = ["image", "relief", "recipe"];
    let image = settings.iter().any(|(key, _)| how.contains(&key.as_str()))
        || section.has("recipe")
        || varied.iter().any(|one| one.key.starts_with("image."));
    if image && make == Make::Engrave {
        return true;
    }
    let what = "squares of [swatch] are a picture, and nothing says how it is engraved";
    let help =
        "say make = \"engrave\" and image = { grey = true }, or a dither; or take picture out";
    section.report(Problem::error(Code::Swatch, what, help), section.span_of("picture"));
    false
}

/// What every square is burnt with: keys of a step, as TOML writes their values.
fn settings(
    section: &Section<'_, '_>,
    make: Make,
    varied: &[Varied],
) -> Option<Vec<(String, String)>> {
    let mut all = Vec::new();
    let mut good = true;
    for (key, value) in section.table() {
        let word = key.get_ref().as_ref();
        if OWN_KEYS.contains(&word) {
            continue;
        }
        if step::setting(word, make) != Fits::Yes {
            let what =
                format!("[swatch] has no key called {word} where its squares are {}", make.name());
            let mut known: Vec<&str> = step::settings(make).chain(OWN_KEYS).collect();
            known.sort_unstable();
            let help = match nearest(word, known.iter().copied()) {
                Some(near) => format!("did you mean {near}?"),
                None => format!("keys that fit here: {}", known.join(", ")),
            };
            section.report(Problem::error(Code::UnknownKey, what, help), key.span());
            good = false;
        } else {
            all.push((word.to_string(), toml_text(value.get_ref())));
        }
    }
    for one in varied {
        let first = one.key.split('.').next().unwrap_or_default();
        if step::setting(first, make) != Fits::Yes {
            let what = format!(
                "{} is no key of a step that makes {}, so it cannot be varied",
                one.key,
                make.name()
            );
            let help = match nearest(first, step::settings(make)) {
                Some(near) => format!("did you mean {near}?"),
                None => "power, speed, passes, focus, lines.spacing and the like can".into(),
            };
            section.report(Problem::error(Code::UnknownKey, what, help), section.whole_span());
            good = false;
        }
    }
    good.then_some(all)
}

/// Whether the sheet fits the stock, and the bed; says how large squares may be where it does not.
fn fits(section: &Section<'_, '_>, top: &DeTable<'_>, machine: &Machine, grid: &Grid) -> bool {
    let stock = top.get("stock").and_then(|stock| stock.get_ref().as_table());
    let side = |key: &str| {
        let text = stock?.get(key)?.get_ref().as_str()?;
        parse::<Length>(text).ok().map(|length| length.0)
    };
    let (what, width, depth) = match (side("width"), side("depth")) {
        (Some(width), Some(depth)) => ("stock", width, depth),
        _ => ("bed", machine.bed.width, machine.bed.depth),
    };
    let (wide, deep) = grid.size;
    let room = 2.0 * PLACE;
    if wide + room <= width && deep + room <= depth {
        return true;
    }
    let message = format!(
        "the sheet is {} x {} mm with its marks, and the {what} of {} x {} mm has no room for that",
        plain(wide, 1),
        plain(deep, 1),
        plain(width, 1),
        plain(depth, 1)
    );
    let help = "say a smaller cell or gap, or fewer values";
    section.report(Problem::error(Code::Swatch, message, help), section.whole_span());
    false
}

/// Squares whose values the machine cannot do are left blank, and say so.
fn blank(cells: &mut [Cell], varied: &[Varied], machine: &Machine) {
    let top = machine.slower_top_speed();
    for cell in cells {
        for (one, value) in varied.iter().zip(&cell.values) {
            let bare = value.trim_matches('"');
            let why = match one.key.as_str() {
                "power" => parse_power(bare).ok().and_then(|asked| {
                    let share = source::share(&machine.beam, asked);
                    share
                        .and_then(|share| machine.beam.level(Power(share.0)))
                        .err()
                        .map(|p| p.message)
                }),
                "speed" => parse::<Speed>(bare).ok().filter(|speed| speed.0 > top).map(|speed| {
                    format!("{speed} is more than an axis can do ({} mm/s)", plain(top, 1))
                }),
                _ => None,
            };
            cell.blank = cell.blank.take().or(why);
        }
    }
}
