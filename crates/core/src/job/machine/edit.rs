//! Changing a profile's text: values are put in where they stand, so that its comments stay.

use crate::quantity::plain;
use crate::source::table::Measured;
use std::ops::Range;
use toml::de::{DeTable, DeValue};

/// A value for a key of a section: `("axis.x", "top-speed", "\"200 mm/s\"")`, written as TOML.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// The section, with a point between its parts; empty for the top of the file.
    pub section: &'static str,
    /// The key.
    pub key: &'static str,
    /// The value as TOML.
    pub value: String,
}

impl Change {
    /// A text value.
    #[must_use]
    pub fn text(section: &'static str, key: &'static str, value: &str) -> Self {
        let quoted: String = value
            .chars()
            .filter(|c| !c.is_control())
            .flat_map(|c| if matches!(c, '"' | '\\') { vec!['\\', c] } else { vec![c] })
            .collect();
        Self { section, key, value: format!("\"{quoted}\"") }
    }

    /// A value that is written without quotes.
    #[must_use]
    pub fn plain(section: &'static str, key: &'static str, value: impl ToString) -> Self {
        Self { section, key, value: value.to_string() }
    }
}

/// The text with values changed, one after the other; a key that is missing is added below its
/// section's head, and a section that is missing at the end.
#[must_use]
pub fn changed(text: &str, changes: &[Change]) -> String {
    changes.iter().fold(text.to_string(), |text, change| one(&text, change))
}

fn one(text: &str, change: &Change) -> String {
    let (table, _) = DeTable::parse_recoverable(text);
    let parts: Vec<&str> = change.section.split('.').filter(|part| !part.is_empty()).collect();
    if let Some(span) = value_span(table.get_ref(), &parts, change.key) {
        return format!("{}{}{}", &text[..span.start], change.value, &text[span.end..]);
    }
    let line = format!("{} = {}\n", change.key, change.value);
    let head = format!("[{}]", change.section);
    let at = if change.section.is_empty() {
        // Before the first section.
        lines(text).find(|(_, line)| line.trim_start().starts_with('[')).map(|(at, _)| at)
    } else {
        lines(text)
            .find(|(_, line)| line.trim_start().starts_with(&head))
            .map(|(at, line)| at + line.len())
    };
    match at {
        Some(at) => format!("{}{line}{}", &text[..at], &text[at..]),
        None if change.section.is_empty() => format!("{text}{line}"),
        None => format!("{}\n\n{head}\n{line}", text.trim_end()),
    }
}

/// Lines with their ends, and where each begins.
fn lines(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut at = 0;
    text.split_inclusive('\n').map(move |line| {
        let begin = at;
        at += line.len();
        (begin, line)
    })
}

fn value_span(table: &DeTable<'_>, parts: &[&str], key: &str) -> Option<Range<usize>> {
    let find = |table: &DeTable<'_>, key: &str| {
        table.iter().find(|(k, _)| k.get_ref() == key).map(|(_, value)| value.span())
    };
    match parts {
        [] => find(table, key),
        [first, rest @ ..] => {
            let (_, value) = table.iter().find(|(k, _)| k.get_ref() == first)?;
            match value.get_ref() {
                DeValue::Table(inner) => value_span(inner, rest, key),
                _ => None,
            }
        }
    }
}

/// A measured table as TOML, one row a line.
#[must_use]
pub fn table_text(rows: &[Measured]) -> String {
    let mut out = String::from("[\n");
    for row in rows {
        let mut cells = vec![format!("\"{} %\"", plain(row.share * 100.0, 3))];
        cells.extend(row.current.map(|current| format!("\"{} mA\"", plain(current, 4))));
        cells.extend(row.watts.map(|w| format!("\"{} W\"", plain(w, 4))));
        out.push_str(&format!("    [{}],\n", cells.join(", ")));
    }
    out + "]"
}

#[cfg(test)]
mod tests {
    use super::*;

    const TEXT: &str = "# mine\nname = \"A\" # say it\n[bed]\nwidth = \"1 mm\"\n[axis.x]\ntop-speed = \"5 mm/s\" # fast\n";

    #[test]
    fn values_change_where_they_stand_and_comments_stay() {
        let text = changed(
            TEXT,
            &[
                Change::text("", "name", "B \"2\""),
                Change::text("axis.x", "top-speed", "7 mm/s"),
                Change::plain("axis.x", "reversed", true),
                Change::plain("beam", "full", 255),
                Change::text("", "corner", "0.02 mm"),
            ],
        );
        assert_eq!(
            text,
            "# mine\nname = \"B \\\"2\\\"\" # say it\ncorner = \"0.02 mm\"\n[bed]\nwidth = \"1 mm\"\n[axis.x]\nreversed = true\ntop-speed = \"7 mm/s\" # fast\n\n[beam]\nfull = 255\n"
        );
    }
}
