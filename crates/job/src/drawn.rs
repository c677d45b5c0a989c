//! `[[shape]]`: simple shapes that the job draws itself, without a drawing program.

use super::{Take, select};
use tinkite_artwork::SINGLE_LINE;
use tinkite_base::colour::Colour;
use tinkite_base::geometry::Point;
use tinkite_base::geometry::region::Combine;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Length, parse};
use tinkite_machine::section::Section;

/// What is drawn. Lengths in mm on the sheet, after the artwork has its size.
#[derive(Debug, Clone, PartialEq)]
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
    /// A line of text as outlines.
    Text {
        /// The words.
        text: String,
        /// Height of a capital.
        height: f64,
        /// The family of its font, or [`SINGLE_LINE`]; none is a plain one.
        font: Option<String>,
        /// Longer words are made smaller, so that they are no wider than this, mm.
        widest: Option<f64>,
    },
    /// An area made out of shapes that are there.
    Area(Area),
    /// A circle or ellipse.
    Ellipse {
        /// Across.
        width: f64,
        /// Away from the operator.
        depth: f64,
    },
}

/// An area made out of closed shapes.
#[derive(Debug, Clone, PartialEq)]
pub struct Area {
    /// The shapes it is made of, together.
    pub of: Vec<Take>,
    /// How they are combined with others, and those.
    pub combine: Option<(Combine, Vec<Take>)>,
    /// By how much it grows, mm; negative shrinks.
    pub grow: f64,
    /// Whether the shapes it is made of stay as well.
    pub keep: bool,
}

/// A shape that the job draws.
#[derive(Debug, Clone, PartialEq)]
pub struct DrawnShape {
    /// Its name, by which `take = { id = … }` finds it.
    pub name: String,
    /// Colour of its line, or of its inside when it is filled.
    pub colour: Colour,
    /// Whether its inside is painted and not its line.
    pub filled: bool,
    /// What it is.
    pub outline: Outline,
    /// Its centre, from the lower left corner of the drawing; none is the drawing's own centre.
    pub centre: Option<Point>,
}

/// Kinds and their words.
const KINDS: [(&str, Word); 6] = [
    ("border", Word::Border),
    ("rectangle", Word::Rectangle),
    ("circle", Word::Circle),
    ("ellipse", Word::Ellipse),
    ("text", Word::Text),
    ("area", Word::Area),
];

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Word {
    Border,
    Rectangle,
    Circle,
    Ellipse,
    Text,
    Area,
}

/// Reads one `[[shape]]`, the `number`th.
pub(super) fn read(mut section: Section<'_, '_>, number: usize) -> Option<DrawnShape> {
    section.name = format!("shape {number}");
    if !section.has("kind") {
        let example =
            "kind = \"border\", \"rectangle\", \"circle\", \"ellipse\", \"text\" or \"area\"";
        section.missing("kind", example);
    }
    let kind = section.choice("kind", &KINDS);
    if !section.has("colour") {
        section.missing("colour", "colour = \"red\", so that a step can take it");
    }
    let colour = colour(&section, "colour");
    // Letters are areas unless said otherwise, or of one stroke.
    let strokes = kind == Some(Word::Text) && section.text("font") == Some(SINGLE_LINE);
    let filled = section.flag("filled").unwrap_or(kind == Some(Word::Text) && !strokes);
    if strokes && filled {
        let help = "leave filled out, and take the letters by their line; or name another font";
        let problem =
            Problem::error(Code::OutOfRange, "letters of one stroke have no inside", help);
        section.report(problem, section.span_of("filled"));
        return None;
    }
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
        Some(Word::Border) => border(&section, &radius),
        Some(Word::Rectangle) => {
            let width = length("width", "width = \"40 mm\"");
            let depth = length("depth", "depth = \"30 mm\"");
            let radius = radius(width.unwrap_or(0.0).min(depth.unwrap_or(0.0)) / 2.0);
            Some(Outline::Rectangle { width: width?, depth: depth?, radius: radius? })
        }
        Some(Word::Circle) => length("diameter", "diameter = \"10 mm\"")
            .map(|d| Outline::Ellipse { width: d, depth: d }),
        Some(Word::Text) => text(&section),
        Some(Word::Area) => area(&section),
        Some(Word::Ellipse) => {
            let width = length("width", "width = \"40 mm\"");
            let depth = length("depth", "depth = \"30 mm\"");
            Some(Outline::Ellipse { width: width?, depth: depth? })
        }
        None => None,
    };
    let fixed = matches!(kind, Some(Word::Border | Word::Area));
    let centre = if fixed { None } else { section.point("at", parse::<Length>) };
    let word = KINDS.iter().find(|(_, k)| Some(*k) == kind).map_or("shape", |(word, _)| *word);
    section.finish();
    Some(DrawnShape {
        name: name.unwrap_or_else(|| word.to_string()),
        colour: colour?,
        filled,
        outline: outline?,
        centre,
    })
}

/// Reads a colour.
pub(super) fn colour(section: &Section<'_, '_>, key: &'static str) -> Option<Colour> {
    let text = section.text(key)?;
    text.parse::<Colour>()
        .map_err(|message| {
            let help = "write a colour like \"#1a2b3c\" or \"red\"";
            section.report(
                Problem::error(Code::Colour, message.to_string(), help),
                section.span_of(key),
            );
        })
        .ok()
}

fn text(section: &Section<'_, '_>) -> Option<Outline> {
    let text = section.required_text("text", "text = \"Panel 3\"");
    let height = section.required_positive::<Length>("height", "height = \"6 mm\" of a capital");
    let font = section.text("font").map(str::to_string);
    if text.is_some_and(|t| t.trim().is_empty()) {
        let problem = Problem::error(Code::Nothing, "the text is empty", "write something in it");
        section.report(problem, section.span_of("text"));
        return None;
    }
    let widest = section.positive::<Length>("widest").map(|length| length.0);
    Some(Outline::Text { text: text?.to_string(), height: height?.0, font, widest })
}

fn area(section: &Section<'_, '_>) -> Option<Outline> {
    let of = select::read(section, "of");
    if !section.has("of") {
        section.missing("of", "of = { stroke = \"red\" }, the shapes that the area is made of");
    }
    let how = section.choice(
        "combine",
        &[
            ("union", Combine::Union),
            ("minus", Combine::Minus),
            ("overlap", Combine::Overlap),
            ("apart", Combine::Apart),
        ],
    );
    let with = select::read(section, "with");
    if section.has("combine") && !section.has("with") {
        section.missing("with", "with = { stroke = \"blue\" }, the shapes to combine with");
    }
    if section.has("with") && !section.has("combine") {
        section.missing("combine", "combine = \"union\", \"minus\", \"overlap\" or \"apart\"");
    }
    let grow = section.quantity::<Length>("grow").map_or(0.0, |length| length.0);
    let keep = section.flag("keep").unwrap_or(false);
    if of.is_empty() || how.is_some() && with.is_empty() {
        return None;
    }
    Some(Outline::Area(Area { of, combine: how.map(|how| (how, with)), grow, keep }))
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
