//! `[[shape]]`: simple shapes that the job draws itself, without a drawing program.

use super::reader::Section;
use crate::colour::Colour;
use crate::geometry::Point;
use crate::problem::Problem;
use crate::quantity::{Length, parse};

/// What is drawn. Lengths in mm on the sheet, after the artwork has its size.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Outline {
    /// Round everything, at a distance.
    Border {
        /// From the drawing's extents; at least zero.
        distance: f64,
        /// Of the corners; zero is sharp.
        radius: f64,
    },
    /// A rectangle.
    Rectangle {
        /// Across.
        width: f64,
        /// Away from the operator.
        depth: f64,
        /// Of the corners; zero is sharp.
        radius: f64,
    },
    /// A circle or ellipse.
    Ellipse {
        /// Across.
        width: f64,
        /// Away from the operator.
        depth: f64,
    },
}

/// A shape that the job draws.
#[derive(Debug, Clone, PartialEq)]
pub struct DrawnShape {
    /// Its name, by which `take = { id = … }` finds it.
    pub name: String,
    /// Colour of its line.
    pub colour: Colour,
    /// What it is.
    pub outline: Outline,
    /// Its centre, from the lower left corner of the drawing; none is the drawing's own centre.
    pub centre: Option<Point>,
}

/// Kinds and their words.
const KINDS: [(&str, u8); 4] = [("border", 0), ("rectangle", 1), ("circle", 2), ("ellipse", 3)];

/// Reads one `[[shape]]`, the `number`th.
pub(super) fn read(mut section: Section<'_, '_>, number: usize) -> Option<DrawnShape> {
    section.name = format!("shape {number}");
    if !section.has("kind") {
        section.missing("kind", "kind = \"border\", \"rectangle\", \"circle\" or \"ellipse\"");
    }
    let kind = if section.text("kind") == Some("text") {
        section.not_yet(&["kind"]);
        None
    } else {
        section.choice("kind", &KINDS)
    };
    if !section.has("colour") {
        section.missing("colour", "colour = \"red\", so that a step can take it");
    }
    let colour = section.text("colour").and_then(|text| match text.parse::<Colour>() {
        Ok(colour) => Some(colour),
        Err(message) => {
            let help = "write a colour like \"#1a2b3c\" or \"red\"";
            section.report(Problem::error("colour", message, help), section.span_of("colour"));
            None
        }
    });
    let name = section.text("name").map(str::to_string);
    let length = |key: &'static str, example: &str| {
        section.required_positive::<Length>(key, example).map(|length| length.0)
    };
    let radius = |most: f64| match section.quantity::<Length>("radius") {
        Some(radius) if (0.0..=most).contains(&radius.0) => Some(radius.0),
        None => (!section.has("radius")).then_some(0.0),
        Some(_) => {
            let wanted = "between zero and half of the shorter side";
            let written = section.written("radius");
            section.out_of_range("radius", section.span_of("radius"), &written, wanted);
            None
        }
    };
    let outline = match kind {
        Some(0) => border(&section, &radius),
        Some(1) => {
            let width = length("width", "width = \"40 mm\"");
            let depth = length("depth", "depth = \"30 mm\"");
            let radius = radius(width.unwrap_or(0.0).min(depth.unwrap_or(0.0)) / 2.0);
            Some(Outline::Rectangle { width: width?, depth: depth?, radius: radius? })
        }
        Some(2) => length("diameter", "diameter = \"10 mm\"")
            .map(|d| Outline::Ellipse { width: d, depth: d }),
        Some(_) => {
            let width = length("width", "width = \"40 mm\"");
            let depth = length("depth", "depth = \"30 mm\"");
            Some(Outline::Ellipse { width: width?, depth: depth? })
        }
        None => None,
    };
    let centre = if kind == Some(0) { None } else { section.point("at", parse::<Length>) };
    let word = KINDS.iter().find(|(_, k)| Some(*k) == kind).map_or("shape", |(word, _)| *word);
    section.finish();
    Some(DrawnShape {
        name: name.unwrap_or_else(|| word.to_string()),
        colour: colour?,
        outline: outline?,
        centre,
    })
}

fn border(section: &Section<'_, '_>, radius: &impl Fn(f64) -> Option<f64>) -> Option<Outline> {
    let distance = section.quantity::<Length>("distance").map(|length| length.0);
    if !section.has("distance") {
        section.missing("distance", "distance = \"4 mm\", from the drawing");
    }
    if distance.is_some_and(|d| d < 0.0) {
        let span = section.span_of("distance");
        section.out_of_range("distance", span, &section.written("distance"), "zero or more");
        return None;
    }
    Some(Outline::Border { distance: distance?, radius: radius(f64::MAX)? })
}
