//! A take as a job file writes it.

use crate::select::{Condition, KINDS, Take};
use tinkite_base::quantity::plain;
use tinkite_machine::section::quote;

impl Take {
    /// The table that reads back as this: `{ stroke = "#ff0000", not = { id = "frame" } }`.
    #[must_use]
    pub fn to_toml(&self) -> String {
        let conditions: Vec<String> = self.0.iter().map(condition).collect();
        format!("{{ {} }}", conditions.join(", "))
    }
}

/// What `take` and `not` are set to: one table, or a list of them.
#[must_use]
pub fn takes_toml(takes: &[Take]) -> String {
    match takes {
        [take] => take.to_toml(),
        _ => {
            let tables: Vec<String> = takes.iter().map(Take::to_toml).collect();
            format!("[{}]", tables.join(", "))
        }
    }
}

fn condition(condition: &Condition) -> String {
    match condition {
        Condition::Colour(colour) => format!("colour = \"{colour}\""),
        Condition::Stroke(colour) => format!("stroke = \"{colour}\""),
        Condition::Fill(colour) => format!("fill = \"{colour}\""),
        Condition::Group(name) => format!("group = {}", quote(name)),
        Condition::Id(name) => format!("id = {}", quote(name)),
        Condition::File(name) => format!("file = {}", quote(name)),
        Condition::Artwork(name) => format!("artwork = {}", quote(name)),
        Condition::Hairline(mm) => format!("hairline = \"{} mm\"", plain(*mm, 4)),
        Condition::ArtworkKind(kind) => {
            let word = KINDS.iter().find(|(_, known)| known == kind).map_or("", |(word, _)| word);
            format!("kind = \"{word}\"")
        }
        Condition::Rest => "rest = true".into(),
        Condition::Not(takes) => format!("not = {}", takes_toml(takes)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::select::read;
    use tinkite_machine::section::{Section, SourceText};

    #[test]
    fn what_is_written_reads_back() {
        for written in [
            r##"{ stroke = "#ff0000" }"##,
            r##"{ fill = "#00ff00", group = "a \"b\"" }"##,
            r##"{ colour = "#0000ff", not = { id = "frame" } }"##,
            r#"[{ hairline = "0.1 mm" }, { kind = "outermost", not = [{ file = "a.svg" }, { artwork = "x" }] }]"#,
            "{ rest = true }",
            r##"{ not = [{ stroke = "#000000" }, { kind = "off-page" }] }"##,
        ] {
            let text = format!("take = {written}");
            let source = SourceText::new("a", &text);
            let table = source.parse();
            let section = Section::new(&source, "it", table.get_ref(), 0..0);
            let takes = read(&section, "take");
            assert_eq!(takes_toml(&takes), written);
        }
    }
}
