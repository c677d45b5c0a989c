//! Values that decide where and how large something is, and cannot be read. A program that draws pages
//! passes over them; what it then shows is not what somebody drew.

use super::styles::reads_transform;
use std::str::FromStr;
use svgtypes::{
    AspectRatio, Length, LengthListParser, NumberListParser, PathParser, Transform, ViewBox,
};
use tinkite_base::problem::{Code, Location, Problem, count, few, line_of};
use usvg::roxmltree::{Document, Node};

/// The namespace of SVG; what stands in another one draws nothing.
const SVG: &str = "http://www.w3.org/2000/svg";

/// What a value has to be.
#[derive(Debug, Clone, Copy)]
enum Syntax {
    Transform,
    Path,
    Points,
    View,
    Aspect,
    Length,
    /// Of text: one for each sign.
    Lengths,
}

/// What an attribute of an element has to be; none for one that moves nothing.
fn kind(tag: &str, attribute: &str) -> Option<Syntax> {
    Some(match attribute {
        "transform" | "gradientTransform" | "patternTransform" => Syntax::Transform,
        "d" if tag == "path" => Syntax::Path,
        "points" if matches!(tag, "polyline" | "polygon") => Syntax::Points,
        "viewBox" => Syntax::View,
        "preserveAspectRatio" => Syntax::Aspect,
        "x" | "y" | "dx" | "dy" if matches!(tag, "text" | "tspan") => Syntax::Lengths,
        "x" | "y" | "width" | "height" | "r" | "rx" | "ry" | "cx" | "cy" | "x1" | "y1" | "x2"
        | "y2"
            if matches!(
                tag,
                "svg" | "rect" | "circle" | "ellipse" | "line" | "image" | "use" | "symbol"
            ) =>
        {
            Syntax::Length
        }
        _ => return None,
    })
}

impl Syntax {
    fn reads(self, value: &str) -> bool {
        let value = value.trim();
        // Nothing said, and words of style sheets for it.
        if matches!(value, "" | "auto" | "none" | "inherit" | "initial" | "unset") {
            return true;
        }
        match self {
            Self::Transform => Transform::from_str(value)
                .is_ok_and(|t| [t.a, t.b, t.c, t.d, t.e, t.f].iter().all(|n| n.is_finite())),
            Self::Path => PathParser::from(value).all(|segment| segment.is_ok()),
            Self::Points => {
                let mut numbers = 0;
                let whole =
                    NumberListParser::from(value).inspect(|_| numbers += 1).all(|n| n.is_ok());
                whole && numbers % 2 == 0
            }
            Self::View => ViewBox::from_str(value).is_ok(),
            Self::Aspect => AspectRatio::from_str(value).is_ok(),
            Self::Length => Length::from_str(value).is_ok_and(|length| length.number.is_finite()),
            Self::Lengths => LengthListParser::from(value).all(|length| length.is_ok()),
        }
    }
}

/// The problem of a document's values that cannot be read, all in one.
///
/// # Errors
/// Some cannot.
pub(super) fn readable(name: &str, text: &str, document: &Document<'_>) -> Result<(), Problem> {
    let mut broken: Vec<(usize, String)> = Vec::new();
    for node in document.root_element().descendants().filter(Node::is_element) {
        if node.tag_name().namespace() != Some(SVG) {
            continue;
        }
        let tag = node.tag_name().name();
        for attribute in node.attributes().filter(|a| a.namespace().is_none()) {
            let (key, value) = (attribute.name(), attribute.value());
            if key == "style" {
                broken.extend(transforms(value).map(|told| (attribute.range().start, told)));
            } else if kind(tag, key).is_some_and(|kind| !kind.reads(value)) {
                broken.push((attribute.range().start, format!("{key}=\"{}\"", shorten(value))));
            }
        }
        if tag == "style" {
            let sheet = node.descendants().filter(Node::is_text);
            let told = sheet.filter_map(|t| Some((t.range().start, t.text()?)));
            broken.extend(told.flat_map(|(at, text)| transforms(text).map(move |told| (at, told))));
        }
    }
    let Some((first, _)) = broken.first() else { return Ok(()) };
    let place = Location::line(name, line_of(text, *first));
    let names: Vec<String> =
        broken.iter().map(|(at, told)| format!("{told} in line {}", line_of(text, *at))).collect();
    Err(Problem::error(
        Code::BrokenValue,
        format!(
            "{} cannot be read: {}",
            count(broken.len(), "value that decides about place or size"),
            few(&names, 3)
        ),
        "mend it in a text editor, or open the drawing where it was made and save it again as plain SVG",
    )
    .at(place)
    .naming(names))
}

/// Transforms of a style that are not written as attributes are, and which nobody would carry out.
fn transforms(style: &str) -> impl Iterator<Item = String> + '_ {
    style.split([';', '{', '}']).filter_map(|declaration| {
        let (key, value) = declaration.split_once(':')?;
        let value = value.trim().trim_end_matches("!important");
        let is_transform = key.trim().eq_ignore_ascii_case("transform");
        let broken = is_transform && !value.contains("var(") && !reads_transform(value);
        broken.then(|| format!("transform: {}", shorten(value)))
    })
}

/// The end of a long value, where it usually breaks off.
fn shorten(value: &str) -> String {
    const MOST: usize = 40;
    let value = value.trim();
    let signs = value.chars().count();
    if signs <= MOST {
        return value.into();
    }
    format!("…{}", value.chars().skip(signs - MOST).collect::<String>())
}
