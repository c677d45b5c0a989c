//! A book of recipes: NAME.recipes.toml.

use super::{Make, Recipe};
use crate::step::{self, Fits};
use crate::toml_text::toml_text;
use crate::used::Kept;
use tinkite_base::problem::{Code, Location, Problem, Problems, nearest};
use tinkite_base::quantity::{Length, PowerSetpoint, parse_power};
use tinkite_machine::section::{Section, SourceText};
use toml::Spanned;
use toml::de::{DeString, DeTable, DeValue};

/// A book with its recipes.
#[derive(Debug, Clone, PartialEq)]
pub struct Book {
    /// What people call it: its path, or that it ships with the program.
    pub name: String,
    /// Where it is kept.
    pub kept: Kept,
    /// Its text, as it was read.
    pub text: String,
    /// Those that can be used, in its order.
    pub recipes: Vec<Recipe>,
    /// What is wrong with the others.
    pub problems: Problems,
}

/// Reads a book. What is wrong in it takes out what it stands in; all else serves.
#[must_use]
pub fn read_book(name: &str, text: &str, kept: Kept) -> Book {
    let source = SourceText::new(name, text);
    let (table, errors) = DeTable::parse_recoverable(text);
    // Nobody knows what a value means that stands behind a broken one.
    if let Some(error) = errors.first() {
        let place = Location::span(name, text, error.span().unwrap_or(0..0));
        let what = error.message().lines().next().unwrap_or("it is no TOML").to_string();
        let help = "mend the line; until then nothing of this book is used";
        let problem = Problem::warning(Code::BrokenBook, what, help).at(place);
        let (name, text) = (name.into(), text.into());
        return Book { name, kept, text, recipes: Vec::new(), problems: problem.into() };
    }
    let top = Section::new(&source, "the book", table.get_ref(), 0..0);
    top.format_version();
    let mut recipes = Vec::new();
    for (number, section) in top.sections("recipe").into_iter().enumerate() {
        let own = SourceText::new(name, text);
        let inner = section.in_text(&own);
        let recipe = recipe(inner, number);
        let problems = own.into_problems();
        match recipe {
            Some(recipe) if problems.is_empty() => recipes.push(recipe),
            _ => problems.into_iter().for_each(|problem| source.pass_on(problem)),
        }
    }
    top.finish();
    let problems = source.into_problems().into_iter().fold(Problems::new(), |mut all, one| {
        // The rest of the book serves.
        all.push(Problem {
            severity: tinkite_base::problem::Severity::Warning,
            code: Code::BrokenBook,
            help: format!("{}; the rest of the book serves", one.help),
            ..one
        });
        all
    });
    Book { name: name.into(), kept, text: text.into(), recipes, problems }
}

/// Keys of a recipe that no step has.
const OWN_KEYS: [&str; 12] = [
    "material",
    "thickness",
    "machine",
    "lens",
    "watts",
    "name",
    "make",
    "from",
    "guess",
    "tried",
    "good",
    "note",
];

fn recipe(mut section: Section<'_, '_>, number: usize) -> Option<Recipe> {
    let material = section.required_text("material", "material = \"poplar plywood\"");
    if let Some(material) = material {
        section.name = format!("a recipe for {material}");
    }
    section.required_text("make", "make = \"cut\", \"score\" or \"engrave\"");
    let make = section.choice("make", &Make::WORDS);
    let thickness = section.positive::<Length>("thickness").map(|length| length.0);
    let text = |key: &'static str| section.text(key).map(str::to_string);
    let (name, machine, lens) = (text("name"), text("machine"), text("lens"));
    let watts = watts(&section);
    let (from, note) = (text("from"), text("note"));
    let guess = section.flag("guess").unwrap_or(false);
    let counted = |key| section.whole(key, 0..=1_000_000).map_or(0, |n| n as u32);
    let (tried, good) = (counted("tried"), counted("good"));
    let make = make?;
    let of_steps =
        |(key, _): &(&Spanned<DeString<'_>>, _)| !OWN_KEYS.contains(&key.get_ref().as_ref());
    let settings: Vec<_> = section.table().iter().filter(of_steps).collect();
    known_keys(&section, settings.iter().map(|(key, _)| *key), make);
    for key in ["speed", "power"] {
        if !settings.iter().any(|(name, _)| name.get_ref() == key) {
            section.missing(key, &format!("{key} = \"…\", as a step says it"));
        }
    }
    let mut written: Vec<(usize, String, String)> = settings
        .iter()
        .map(|(key, value)| {
            (key.span().start, key.get_ref().to_string(), toml_text(value.get_ref()))
        })
        .collect();
    written.sort();
    let start = section.whole_span().start;
    Some(Recipe {
        name,
        make,
        material: material?.trim().to_string(),
        thickness,
        machine,
        lens,
        watts,
        from,
        guess,
        tried,
        good,
        note,
        settings: written.into_iter().map(|(_, key, value)| (key, value)).collect(),
        line: tinkite_base::problem::line_of(section.sheet.text, start),
        number,
    })
}

/// The source's power at 100 %: `"60 W"`, or a range of it.
fn watts(section: &Section<'_, '_>) -> Option<(f64, f64)> {
    let value = section.value("watts")?;
    let read = |value: &Spanned<DeValue<'_>>| match parse_power(value.get_ref().as_str()?) {
        Ok(PowerSetpoint::Watts(watts)) if watts > 0.0 => Some(watts),
        _ => None,
    };
    let range = match value.get_ref() {
        DeValue::Array(items) => match items.iter().map(read).collect::<Option<Vec<_>>>()?[..] {
            [least, most] if least <= most => Some((least, most)),
            _ => None,
        },
        _ => read(value).map(|watts| (watts, watts)),
    };
    if range.is_none() {
        let span = section.span_of("watts");
        let wanted = "a power like \"60 W\", or the least and the most like [\"40 W\", \"70 W\"]";
        section.out_of_range("watts", span, &section.written("watts"), wanted);
    }
    range
}

/// Refuses keys that a step of this make cannot have, and those that say which artwork it takes.
fn known_keys<'k, 't: 'k>(
    section: &Section<'_, '_>,
    keys: impl Iterator<Item = &'k Spanned<DeString<'t>>>,
    make: Make,
) {
    for key in keys {
        let word = key.get_ref().as_ref();
        let (what, help) = match step::setting(word, make) {
            Fits::Yes => continue,
            Fits::OtherMake => (
                format!("{} is for {}, and {word} has no meaning there", section.name, make.name()),
                format!("take {word} out, or make it a recipe of another make"),
            ),
            Fits::No => (
                format!("{} has no key called {word}", section.name),
                match nearest(word, step::settings(make)) {
                    Some(near) => format!("did you mean {near}?"),
                    None => format!(
                        "keys that fit here: {}",
                        step::settings(make).collect::<Vec<_>>().join(", ")
                    ),
                },
            ),
        };
        section.report(Problem::error(Code::UnknownKey, what, help), key.span());
    }
}
