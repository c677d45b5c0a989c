//! A job that was begun: what was decided, as a table and as JSON.

use crate::look::chip;
use crate::table::table;
use crate::{ProblemJson, problems_json};
use serde::Serialize;
use std::fmt::Write as _;
use std::path::Path;
use tinkite_core::colour::Colour;
use tinkite_core::machine::Machine;
use tinkite_core::problem::Problems;
use tinkite_core::quantity::{LengthUnit, PowerSetpoint, clock, parse_power, parse_speed, plain};
use tinkite_core::source;
use tinkite_core::{BegunSize, Decision, SizeBy};

/// A job that was begun.
#[derive(Debug)]
pub struct Begun<'a> {
    /// How large each drawing is drawn and made.
    pub sizes: &'a [BegunSize],
    /// What was decided.
    pub decisions: &'a [Decision],
    /// How long it takes, where that is known.
    pub seconds: Option<f64>,
}

impl Begun<'_> {
    /// For people: a line a step, with the word that makes it something else; `colours` shows colours as chips.
    #[must_use]
    pub fn text(&self, machine: &Machine, colours: bool, unit: LengthUnit) -> String {
        let header = ["", "", "step", "how much", "how", "why", "say otherwise"];
        // Without colours there is no column of chips.
        let header = if colours { &header[..] } else { &header[1..] };
        let mut number = 0;
        let rows = self.decisions.iter().map(|one| {
            number += usize::from(one.step.is_some());
            let colour = one.what.first().and_then(|what| what.parse::<Colour>().ok());
            let how: Vec<String> = one
                .settings
                .iter()
                .map(|(key, value, _)| in_other_words(key, value, machine))
                .collect();
            let guessed = one.settings.iter().any(|(key, _, said)| !said && *key != "recipe");
            let why = match (one.said, guessed && one.step.is_some()) {
                (true, true) => "as said; how is guessed".to_string(),
                (true, false) => "as said".into(),
                (false, _) => format!("guessed: {}", one.why),
            };
            let mut row = vec![if one.step.is_some() { number.to_string() } else { String::new() }];
            if colours {
                row.push(colour.map_or(String::new(), chip));
            }
            row.extend([
                one.step.clone().unwrap_or_else(|| format!("nothing of {}", one.what.join(", "))),
                one.contents.clone(),
                how.join(", "),
                why,
                otherwise(one).unwrap_or_default(),
            ]);
            row
        });
        let mut out = format!("\n{}\n\n", table(header, rows.collect(), &[0]));
        for size in self.sizes {
            let shown = |(width, height): (f64, f64)| {
                format!("{} x {}", unit.number(width, 2), unit.length(height, 2))
            };
            let by = match size.by {
                SizeBy::Drawing => "as it was drawn".to_string(),
                SizeBy::Wish => format!("as said, drawn {}", shown(size.drawn)),
                SizeBy::Bed => format!("made to fit the bed, drawn {}", shown(size.drawn)),
            };
            let (width, depth) = (machine.bed.width, machine.bed.depth);
            let lies = |(w, d): (f64, f64)| w <= width + 2e-3 && d <= depth + 2e-3;
            let bed = match (lies(size.made), lies((size.made.1, size.made.0))) {
                (true, _) => "lies on the bed",
                (false, true) => "lies on the bed when it is turned",
                (false, false) => "does not lie on the bed",
            };
            let _ = writeln!(
                out,
                "  size     {}, {by}; {bed} of {}",
                shown(size.made),
                shown((width, depth))
            );
        }
        let time = self
            .seconds
            .map_or("tinkite plan says it".into(), |seconds| format!("about {}", clock(seconds)));
        let _ = writeln!(out, "  time     {time}");
        out
    }
}

/// A setting as it was said, and what that is here.
fn in_other_words(key: &str, value: &str, machine: &Machine) -> String {
    match key {
        "recipe" => format!("recipe \"{value}\""),
        "passes" => format!("{value} times"),
        "speed" if value.ends_with('%') => match parse_speed(value, machine.slower_top_speed()) {
            Ok(speed) => format!("{value} ({speed})"),
            Err(_) => value.into(),
        },
        "power" => {
            let Ok(asked) = parse_power(value) else { return value.into() };
            let Ok(power) = source::share(&machine.beam, asked) else { return value.into() };
            // As a share where it was said otherwise, else as what was measured.
            let read = machine.beam.table.as_ref().and_then(|table| table.reading(power.0));
            match (asked, read) {
                (PowerSetpoint::Share(_), Some((number, unit))) => {
                    format!("{value} ({} {unit})", plain(number, 1))
                }
                (PowerSetpoint::Share(_), None) => value.into(),
                _ => format!("{value} ({power})"),
            }
        }
        _ => value.into(),
    }
}

/// The word that makes something else of what was guessed.
fn otherwise(decision: &Decision) -> Option<String> {
    let what = decision.what.first().filter(|_| !decision.said)?;
    let option = match decision.make {
        Some("cut") => "score",
        Some("score") => "cut",
        Some(_) => "leave-out",
        None => "engrave",
    };
    Some(format!("--{option} {}", spoken(what)))
}

/// A colour by its name where it has a common one, else in quotes: a shell takes # for a comment.
fn spoken(what: &str) -> String {
    const NAMES: [(&str, &str); 14] = [
        ("#000000", "black"),
        ("#ffffff", "white"),
        ("#ff0000", "red"),
        ("#00ff00", "lime"),
        ("#008000", "green"),
        ("#0000ff", "blue"),
        ("#ffff00", "yellow"),
        ("#00ffff", "cyan"),
        ("#ff00ff", "magenta"),
        ("#808080", "grey"),
        ("#800000", "maroon"),
        ("#000080", "navy"),
        ("#800080", "purple"),
        ("#ffa500", "orange"),
    ];
    let name = NAMES.iter().find(|(hex, _)| *hex == what);
    match name {
        Some((_, name)) => (*name).into(),
        None if what.chars().all(|c| c.is_alphanumeric() || c == '-' || c == '_') => what.into(),
        None => format!("\"{what}\""),
    }
}

/// A job that was begun: where it lies, and how large each drawing is made.
#[derive(Debug, Serialize)]
pub struct BegunJson {
    file: String,
    artworks: Vec<BegunSizeJson>,
    decisions: Vec<DecisionJson>,
    /// None where it is not planned yet.
    seconds: Option<f64>,
    problems: Vec<ProblemJson>,
}

/// How large a drawing is drawn, and made.
#[derive(Debug, Serialize)]
struct BegunSizeJson {
    file: String,
    drawn_mm: [f64; 2],
    made_mm: [f64; 2],
    /// `drawing`, `wish` or `bed`.
    size_by: &'static str,
}

/// What was decided of a part of the drawings.
#[derive(Debug, Serialize)]
struct DecisionJson {
    /// None for what no step takes.
    step: Option<String>,
    make: Option<&'static str>,
    take: String,
    what: Vec<String>,
    contents: String,
    said: bool,
    why: Option<String>,
    settings: Vec<SettingJson>,
    /// The option that makes something else of it, where it is a guess.
    otherwise: Option<String>,
}

/// How it is done.
#[derive(Debug, Serialize)]
struct SettingJson {
    key: &'static str,
    value: String,
    said: bool,
}

impl BegunJson {
    /// Of a job that was written to `file`.
    #[must_use]
    pub fn of(file: &Path, begun: &Begun<'_>, problems: &Problems) -> Self {
        let sizes = begun.sizes;
        let decision = |one: &Decision| DecisionJson {
            step: one.step.clone(),
            make: one.make,
            take: one.take.clone(),
            what: one.what.clone(),
            contents: one.contents.clone(),
            said: one.said,
            why: Some(one.why.clone()).filter(|why| !why.is_empty()),
            settings: one
                .settings
                .iter()
                .map(|(key, value, said)| SettingJson { key, value: value.clone(), said: *said })
                .collect(),
            otherwise: otherwise(one),
        };
        let round =
            |(width, height): (f64, f64)| [width, height].map(|mm| (mm * 1e3).round() / 1e3);
        let artworks = sizes.iter().map(|size| BegunSizeJson {
            file: size.file.clone(),
            drawn_mm: round(size.drawn),
            made_mm: round(size.made),
            size_by: match size.by {
                SizeBy::Drawing => "drawing",
                SizeBy::Wish => "wish",
                SizeBy::Bed => "bed",
            },
        });
        Self {
            file: file.display().to_string(),
            artworks: artworks.collect(),
            decisions: begun.decisions.iter().map(decision).collect(),
            seconds: begun.seconds.map(|seconds| (seconds * 1e3).round() / 1e3),
            problems: problems_json(problems),
        }
    }
}
