//! What there is to take, for the messages about takes that find nothing.

use crate::select::{ArtworkKind, Condition, KINDS, Take, Taken};
use std::collections::BTreeSet;
use tinkite_base::problem::{few, nearest};

/// So many names stand in a message.
const MOST_NAMED: usize = 8;

/// What the things of a drawing are called, by the keys of a take.
#[derive(Debug, Default)]
pub struct Takeable {
    strokes: BTreeSet<String>,
    fills: BTreeSet<String>,
    groups: BTreeSet<String>,
    ids: BTreeSet<String>,
    files: BTreeSet<String>,
    artworks: BTreeSet<String>,
    kinds: BTreeSet<&'static str>,
}

impl Takeable {
    /// What some things are called.
    pub fn of<'t, T: Taken + 't>(things: impl IntoIterator<Item = &'t T>) -> Self {
        let mut all = Self::default();
        things.into_iter().for_each(|thing| all.add(thing));
        all
    }

    /// Adds a thing. Whether it is open or closed is not looked at.
    pub fn add(&mut self, thing: &impl Taken) {
        let (stroke, fill) = thing.colours();
        self.strokes.extend(stroke.map(|colour| colour.to_string()));
        self.fills.extend(fill.map(|colour| colour.to_string()));
        let source = thing.source();
        self.ids.extend(source.names().map(String::from));
        self.groups.extend(source.groups.iter().cloned());
        if let Some(origin) = thing.origin() {
            self.files.insert(origin.file.clone());
            self.artworks.extend(origin.name.clone());
        }
        let told = |kind: ArtworkKind| !matches!(kind, ArtworkKind::Open | ArtworkKind::Closed);
        self.kinds.extend(
            KINDS.iter().filter(|(_, kind)| told(*kind) && thing.is_kind(*kind)).map(|(w, _)| w),
        );
    }

    /// What can be taken in place of takes that find nothing: the name that was meant, or the names that
    /// there are for the same key; else the paints.
    #[must_use]
    pub fn instead_of(&self, takes: &[&Take]) -> String {
        let conditions = || takes.iter().flat_map(|take| &take.0);
        if let Some(near) = conditions().find_map(|condition| self.near(condition)) {
            return format!("did you mean \"{near}\"?");
        }
        let quoted = |key: &str, all: &BTreeSet<String>| -> Vec<String> {
            all.iter().map(|name| format!("{key} \"{name}\"")).collect()
        };
        let mut named = Vec::new();
        for condition in conditions() {
            let names = match condition {
                Condition::Id(_) => quoted("id", &self.ids),
                Condition::Group(_) => quoted("group", &self.groups),
                Condition::File(_) => quoted("file", &self.files),
                Condition::Artwork(_) => quoted("artwork", &self.artworks),
                Condition::ArtworkKind(_) => self.kind_names(),
                _ => self.paints(),
            };
            named
                .extend(names.into_iter().filter(|name| !named.contains(name)).collect::<Vec<_>>());
        }
        if named.is_empty() {
            named = self.paints();
            named.extend(self.kind_names());
        }
        match named.is_empty() {
            true => "the drawing has nothing to take".into(),
            false => format!("the drawing has {}", few(&named, MOST_NAMED)),
        }
    }

    fn paints(&self) -> Vec<String> {
        let of = |key: &'static str, all: &BTreeSet<String>| -> Vec<String> {
            all.iter().map(|colour| format!("{key} {colour}")).collect()
        };
        [of("fill", &self.fills), of("stroke", &self.strokes)].concat()
    }

    fn kind_names(&self) -> Vec<String> {
        self.kinds.iter().map(|word| format!("kind \"{word}\"")).collect()
    }

    /// The name that was meant by one that nothing has.
    fn near(&self, condition: &Condition) -> Option<String> {
        let (name, all): (String, Vec<&String>) = match condition {
            Condition::Id(id) => (id.clone(), self.ids.iter().collect()),
            Condition::Group(name) => (name.clone(), self.groups.iter().collect()),
            Condition::File(file) => (file.clone(), self.files.iter().collect()),
            Condition::Artwork(name) => (name.clone(), self.artworks.iter().collect()),
            Condition::Stroke(c) => (c.to_string(), self.strokes.iter().collect()),
            Condition::Fill(c) => (c.to_string(), self.fills.iter().collect()),
            Condition::Colour(c) => (c.to_string(), self.strokes.union(&self.fills).collect()),
            _ => return None,
        };
        if all.contains(&&name) {
            return None;
        }
        nearest(&name, all.into_iter().map(String::as_str)).map(String::from)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::select::Origin;
    use tinkite_artwork::{Source, Unread};

    fn help(condition: Condition) -> String {
        let origin = Origin { file: "kite.svg".into(), name: Some("sail".into()) };
        let source = |id: &str, group: &str| Source {
            id: Some(id.into()),
            groups: vec![group.into()],
            ..Source::default()
        };
        let (text, picture) = (source("label", "Notes"), source("sky", "Back"));
        let things = [(Unread::Text, &text, &origin), (Unread::Bitmap, &picture, &origin)];
        Takeable::of(&things).instead_of(&[&Take(vec![condition])])
    }

    #[test]
    fn the_names_of_the_same_key_are_told() {
        assert_eq!(help(Condition::Id("lable".into())), "did you mean \"label\"?");
        let all = "the drawing has id \"label\", id \"sky\"";
        assert_eq!(help(Condition::Id("zzzzzzzz".into())), all);
        let all = "the drawing has group \"Back\", group \"Notes\"";
        assert_eq!(help(Condition::Group("zzzzzzzz".into())), all);
        assert_eq!(help(Condition::File("zzz".into())), "the drawing has file \"kite.svg\"");
        assert_eq!(help(Condition::Artwork("zzzzzzzz".into())), "the drawing has artwork \"sail\"");
        let all = "the drawing has kind \"bitmap\", kind \"text\"";
        assert_eq!(help(Condition::ArtworkKind(ArtworkKind::Solid)), all);
        assert_eq!(help(Condition::Rest), all, "no paints: the kinds");
    }

    #[test]
    fn a_colour_that_was_meant_is_one_of_the_same_paint() {
        let colour = |text: &str| text.parse().unwrap();
        let all = Takeable {
            strokes: ["#ff0000".to_string()].into(),
            fills: ["#00ff00".to_string()].into(),
            ..Takeable::default()
        };
        let help = |condition| all.instead_of(&[&Take(vec![condition])]);
        assert_eq!(help(Condition::Stroke(colour("#ff0001"))), "did you mean \"#ff0000\"?");
        let both = "the drawing has fill #00ff00, stroke #ff0000";
        assert_eq!(
            help(Condition::Stroke(colour("#00ff01"))),
            both,
            "no line has a colour like it"
        );
        assert_eq!(help(Condition::Colour(colour("#00ff01"))), "did you mean \"#00ff00\"?");
    }

    #[test]
    fn of_nothing_nothing_can_be_taken() {
        let none = Takeable::default().instead_of(&[&Take(vec![Condition::Rest])]);
        assert_eq!(none, "the drawing has nothing to take");
    }
}
