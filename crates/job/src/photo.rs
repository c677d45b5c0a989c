//! `[photo]`: a photo of the bed.

use tinkite_base::geometry::Point;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Length, parse};
use tinkite_machine::section::Section;
use toml::Spanned;
use toml::de::DeValue;

/// A photo, and places on it that are known on the machine's axes as well.
#[derive(Debug, Clone, PartialEq)]
pub struct Photo {
    /// The picture's file, as the job names it.
    pub file: String,
    /// Places on the picture, pixels from its upper left corner; at least four, or none: then there are marks at the
    /// places on the bed, which are looked for.
    pub corners: Vec<Point>,
    /// The same places on the machine's axes, mm.
    pub found: Vec<Point>,
}

/// Reads `[photo]`: a file, places on it, and the same places on the bed.
pub(super) fn read(section: Section<'_, '_>) -> Option<Photo> {
    let file = section.required_text("file", "file = \"bed.jpg\"");
    let example = "corners = [[112, 1290], [1802, 1284], [1688, 140], [230, 152]], found = [[\"0 mm\", \"0 mm\"], …]";
    if !section.has("found") {
        section.missing("found", example);
    }
    let marked = !section.has("corners");
    let corners = points(&section, "corners", |item| {
        let number = match item.get_ref() {
            DeValue::Integer(n) => n.as_str().parse::<f64>().ok(),
            DeValue::Float(n) => n.as_str().parse::<f64>().ok(),
            _ => None,
        };
        if number.is_none() {
            let message = "corners in [photo] are pixels of the photo: plain numbers";
            section.report(Problem::error(Code::WrongType, message, example), item.span());
        }
        number
    });
    let found = points(&section, "found", |item| {
        section.read_quantity("found", item, parse::<Length>).map(|length| length.0)
    });
    let found = found?;
    // Without places on the photo there are marks on the bed, which are looked for.
    let corners = if marked { Vec::new() } else { corners? };
    if !marked && (corners.len() != found.len() || corners.len() < 4) {
        let message = format!(
            "[photo] has {} corners and {} places found for them",
            corners.len(),
            found.len()
        );
        let help = "say at least four places on the photo, and where each of them is on the machine's axes";
        section.report(Problem::error(Code::PhotoPlaces, message, help), section.span_of("found"));
        return None;
    }
    section.finish();
    Some(Photo { file: file?.to_string(), corners, found })
}

fn points(
    section: &Section<'_, '_>,
    key: &'static str,
    one: impl Fn(&Spanned<DeValue<'_>>) -> Option<f64>,
) -> Option<Vec<Point>> {
    let mut points = Vec::new();
    for item in section.list(key)? {
        let Some([x, y]) = item.get_ref().as_array().map(|pair| &pair[..]) else {
            let message = format!("{key} in [photo] is a list of places, each across and down");
            let help = "write [[112, 1290], [1802, 1284], [1688, 140], [230, 152]]";
            section.report(Problem::error(Code::WrongType, message, help), item.span());
            return None;
        };
        points.push(Point::new(one(x)?, one(y)?));
    }
    Some(points)
}
