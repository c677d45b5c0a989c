//! A name for every shape: its id, or else its place in the drawing's order.

use std::collections::HashMap;
use tinkite_artwork::{Artwork, Source};

/// What a shape is called that has no id of its own; the first of which the drawing has no ids itself.
const SHAPES: [&str; 4] = ["shape", "drawn", "nth", "unnamed"];

/// The same for bitmaps.
const BITMAPS: [&str; 4] = ["bitmap", "picture", "nth-bitmap", "unnamed-bitmap"];

/// Gives a name to what has no id, or shares it with something else, by its place among all shapes, from 1. The same
/// drawing always gives the same names.
pub(crate) fn name_by_place(artwork: &mut Artwork) {
    let mut uses: HashMap<&str, bool> = HashMap::new();
    let images = artwork.images.iter().map(|image| &image.source);
    let sources = artwork.shapes.iter().map(|shape| &shape.source).chain(images);
    for id in sources.filter_map(|source| source.id.as_deref()) {
        uses.entry(id).and_modify(|shared| *shared = true).or_insert(false);
    }
    let counted = |id: &&str, word: &str| {
        let number = id.strip_prefix(word).and_then(|rest| rest.strip_prefix('-'));
        number.is_some_and(|n| !n.is_empty() && n.bytes().all(|b| b.is_ascii_digit()))
    };
    let free = |words: [&'static str; 4]| {
        let taken = |word: &&str| uses.keys().any(|id| counted(id, word));
        words.into_iter().find(|word| !taken(word)).unwrap_or(words[3])
    };
    let (shape, bitmap) = (free(SHAPES), free(BITMAPS));
    let needs = |source: &Source| source.id.as_deref().is_none_or(|id| uses[id]);
    let shapes: Vec<bool> = artwork.shapes.iter().map(|shape| needs(&shape.source)).collect();
    // A drawing that is one bitmap is called by its file.
    let whole = artwork.format.is_bitmap() || artwork.solid.is_some();
    let images: Vec<bool> =
        artwork.images.iter().map(|image| !whole && needs(&image.source)).collect();
    for (n, _) in shapes.iter().enumerate().filter(|(_, needs)| **needs) {
        artwork.shapes[n].source.name = Some(format!("{shape}-{}", n + 1).into());
    }
    for (n, _) in images.iter().enumerate().filter(|(_, needs)| **needs) {
        artwork.images[n].source.name = Some(format!("{bitmap}-{}", n + 1).into());
    }
}

#[cfg(test)]
mod tests {
    use crate::{Reading, read};

    /// What the shapes of a drawing are called.
    fn names(body: &str) -> Vec<String> {
        let svg = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm" viewBox="0 0 9 9">{body}</svg>"#
        );
        let artwork = read("a.svg", svg.as_bytes(), &Reading::default()).unwrap();
        artwork.shapes.iter().map(|shape| shape.source.label()).collect()
    }

    #[test]
    fn a_shape_without_an_id_is_called_by_its_place() {
        let body = r#"<path d="M0 0h9"/><path id="edge" d="M0 1h9"/><circle r="2" cx="4" cy="4"/>"#;
        assert_eq!(names(body), ["shape-1", "edge", "shape-3"]);
        // The drawing's own ids keep their meaning.
        let body =
            r#"<path d="M0 0h9"/><path id="shape-1" d="M0 1h9"/><path id="drawn-7" d="M0 2h9"/>"#;
        assert_eq!(names(body), ["nth-1", "shape-1", "drawn-7"]);
        let body = r#"<path d="M0 0h9"/><path id="shape-x" d="M0 1h9"/>"#;
        assert_eq!(names(body), ["shape-1", "shape-x"]);
    }

    #[test]
    fn shapes_that_share_an_id_are_told_apart() {
        let body = r##"<path id="a" d="M0 0h9"/><use href="#a" y="2"/><path id="b" d="M0 1h9"/>"##;
        let svg = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="9mm" height="9mm" viewBox="0 0 9 9">{body}</svg>"#
        );
        let artwork = read("a.svg", svg.as_bytes(), &Reading::default()).unwrap();
        let called = |name: &str| -> Vec<bool> {
            artwork.shapes.iter().map(|shape| shape.source.is_called(name)).collect()
        };
        assert_eq!(called("b"), [false, false, true]);
        assert_eq!(called("shape-2"), [false, true, false]);
        assert_eq!(called("shape-3"), [false; 3]);
    }
}
