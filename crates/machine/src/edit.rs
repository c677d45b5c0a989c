//! Changing a profile's text: values are put in where they stand, so that its comments stay.

use crate::source::table::Measured;
use tinkite_base::quantity::plain;
use toml_edit::{DocumentMut, Item, Table, Value};

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

/// The text with values changed, one after the other; what is missing is added at the end of its
/// section, and a section that is missing at the end of the file. A text that is no TOML stays as it is,
/// and so does what is no table where a section should be: whoever reads the text next says so.
#[must_use]
pub fn changed(text: &str, changes: &[Change]) -> String {
    let Ok(mut document) = text.parse::<DocumentMut>() else { return text.to_string() };
    for change in changes {
        let _ = change.put(document.as_table_mut());
    }
    document.to_string()
}

impl Change {
    fn put(&self, top: &mut Table) -> Option<()> {
        let parts = self.section.split('.').filter(|part| !part.is_empty());
        let table = parts.into_iter().try_fold(top, |table, part| {
            table.entry(part).or_insert_with(|| Item::Table(Table::new())).as_table_mut()
        })?;
        let mut value: Value = self.value.parse().ok()?;
        if let Some(old) = table.get(self.key).and_then(Item::as_value) {
            keep_beside(old, &mut value);
        }
        match table.get_mut(self.key) {
            Some(item) => *item = Item::Value(value),
            None => drop(table.insert(self.key, Item::Value(value))),
        }
        Some(())
    }
}

/// Comments and blanks round the old value stay, and a comment behind it stays in its column.
fn keep_beside(old: &Value, new: &mut Value) {
    *new.decor_mut() = old.decor().clone();
    let width = |value: &Value| value.clone().decorated("", "").to_string().chars().count();
    let (before, now) = (width(old), width(new));
    let Some(behind) = old.decor().suffix().and_then(|suffix| suffix.as_str()) else { return };
    let comment = behind.trim_start();
    if comment.starts_with('#') {
        let blanks = (before + behind.len() - comment.len()).saturating_sub(now).max(1);
        new.decor_mut().set_suffix(format!("{}{comment}", " ".repeat(blanks)));
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
            "# mine\nname = \"B \\\"2\\\"\" # say it\ncorner = \"0.02 mm\"\n[bed]\nwidth = \"1 mm\"\n[axis.x]\ntop-speed = \"7 mm/s\" # fast\nreversed = true\n\n[beam]\nfull = 255\n"
        );
    }
}
