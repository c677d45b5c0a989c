//! Transforms of style sheets (CSS Transforms 1): units of length and angle, an origin, and the box that it counts in.

use super::super::geometry::{Viewport, curves, length};
use kurbo::{Affine, Rect, Shape as _};
use std::f64::consts::{PI, TAU};
use usvg::roxmltree::Node;

/// About what a transform turns, as it is written.
pub(super) struct Origin<'a> {
    /// `transform-box`.
    pub(super) of: &'a str,
    /// `transform-origin`.
    pub(super) at: &'a str,
}

/// Whether a transform can be carried out, wherever it stands.
pub(in crate::svg) fn reads(value: &str) -> bool {
    list(value, Rect::new(0.0, 0.0, 1.0, 1.0)).is_some()
}

/// The transform of an element about its origin; `None` for what is not read.
pub(super) fn resolve(
    value: &str,
    origin: &Origin<'_>,
    node: Node<'_, '_>,
    viewport: Viewport,
) -> Option<Affine> {
    let needs_box = value.contains('%') || origin.at.contains('%') || has_word(origin.at);
    let view = || viewport.map(|(width, height)| Rect::new(0.0, 0.0, width, height));
    let of = match origin.of {
        "fill-box" | "content-box" | "stroke-box" | "border-box" => {
            Some(drawn_bounds(node, viewport)?)
        }
        _ => view(),
    };
    let of = match of {
        Some(of) => of,
        None if needs_box => return None,
        None => Rect::ZERO,
    };
    let by = list(value, of)?;
    let about = place(origin.at, of)?;
    Some(Affine::translate(about) * by * Affine::translate(-about))
}

fn has_word(origin: &str) -> bool {
    origin.split_whitespace().any(|word| WORDS.iter().any(|(known, _)| *known == word))
}

const WORDS: [(&str, f64); 5] =
    [("left", 0.0), ("top", 0.0), ("center", 0.5), ("right", 1.0), ("bottom", 1.0)];

/// Where an origin lies in a box.
fn place(origin: &str, of: Rect) -> Option<kurbo::Vec2> {
    let mut words: Vec<&str> = origin.split_whitespace().collect();
    if matches!(words[..], ["top" | "bottom", ..] | [_, "left" | "right", ..]) {
        let second = if words.len() > 1 { words.remove(1) } else { "center" };
        words.insert(0, second);
    }
    let one = |word: Option<&&str>, size: f64| -> Option<f64> {
        let word = *word.unwrap_or(&"center");
        match WORDS.iter().find(|(known, _)| *known == word) {
            Some((_, share)) => Some(size * share),
            None => length(word, |_| size, Some((1.0, 1.0))),
        }
    };
    let (x, y) = (one(words.first(), of.width())?, one(words.get(1), of.height())?);
    Some(kurbo::Vec2::new(of.x0 + x, of.y0 + y))
}

/// The rectangle round the fill of an element, and of what it has inside.
fn drawn_bounds(node: Node<'_, '_>, viewport: Viewport) -> Option<Rect> {
    if let Some(path) = curves(node, viewport, f64::INFINITY) {
        return Some(path.bounding_box());
    }
    let inside = node.tag_name().name() == "g";
    let children: Vec<Rect> = node
        .children()
        .filter(|child| inside && child.is_element())
        .map(|child| {
            let by = child
                .attribute("transform")
                .map_or(Some(Affine::IDENTITY), |value| list(value, Rect::ZERO));
            Some(by?.transform_rect_bbox(drawn_bounds(child, viewport)?))
        })
        .collect::<Option<_>>()?;
    children.into_iter().reduce(|a, b| a.union(b))
}

/// A list of transform functions; shares are of the box.
fn list(value: &str, of: Rect) -> Option<Affine> {
    let value = value.trim().trim_end_matches("!important").trim();
    if matches!(value, "" | "none" | "initial" | "unset") {
        return Some(Affine::IDENTITY);
    }
    let mut all = Affine::IDENTITY;
    let mut rest = value;
    while !rest.trim().is_empty() {
        let (name, after) = rest.split_once('(')?;
        let (inside, after) = after.split_once(')')?;
        all *= function(name.trim_matches([' ', ',', '\n', '\t']), inside, of)?;
        rest = after;
    }
    all.as_coeffs().iter().all(|n| n.is_finite()).then_some(all)
}

fn function(name: &str, inside: &str, of: Rect) -> Option<Affine> {
    let words: Vec<&str> =
        inside.split([',', ' ', '\n', '\t']).filter(|word| !word.is_empty()).collect();
    let number = |n: usize| -> Option<f64> {
        let word = words.get(n)?;
        match word.strip_suffix('%') {
            Some(share) => share.parse::<f64>().ok().map(|share| share / 100.0),
            None => word.parse().ok(),
        }
    };
    let across = |n: usize| length(words.get(n)?, |_| of.width(), Some((1.0, 1.0)));
    let away = |n: usize| length(words.get(n)?, |_| of.height(), Some((1.0, 1.0)));
    let or = |word: Option<&&str>, value: Option<f64>, usual: f64| match word {
        None => Some(usual),
        Some(_) => value,
    };
    let turn = |n: usize| angle(words.get(n)?);
    let most = |n: usize| words.len() <= n;
    Some(match name {
        "matrix" if words.len() == 6 => {
            let mut m = [0.0; 6];
            for (n, cell) in m.iter_mut().enumerate() {
                *cell = number(n)?;
            }
            Affine::new(m)
        }
        "translate" if most(2) => Affine::translate((across(0)?, or(words.get(1), away(1), 0.0)?)),
        "translateX" if most(1) => Affine::translate((across(0)?, 0.0)),
        "translateY" if most(1) => Affine::translate((0.0, away(0)?)),
        "scale" if most(2) => {
            let x = number(0)?;
            Affine::scale_non_uniform(x, or(words.get(1), number(1), x)?)
        }
        "scaleX" if most(1) => Affine::scale_non_uniform(number(0)?, 1.0),
        "scaleY" if most(1) => Affine::scale_non_uniform(1.0, number(0)?),
        // The three numbers of an attribute: about a point.
        "rotate" if words.len() == 3 => Affine::rotate_about(turn(0)?, (number(1)?, number(2)?)),
        "rotate" | "rotateZ" if most(1) => Affine::rotate(turn(0)?),
        "skew" if most(2) => Affine::skew(turn(0)?.tan(), or(words.get(1), turn(1), 0.0)?.tan()),
        "skewX" if most(1) => Affine::skew(turn(0)?.tan(), 0.0),
        "skewY" if most(1) => Affine::skew(0.0, turn(0)?.tan()),
        _ => return None,
    })
}

/// An angle in radians; a bare number is degrees, as in attributes.
fn angle(text: &str) -> Option<f64> {
    let units = [("deg", PI / 180.0), ("grad", PI / 200.0), ("rad", 1.0), ("turn", TAU)];
    let (number, unit) = units
        .iter()
        .find_map(|(word, unit)| text.strip_suffix(word).map(|number| (number, *unit)))
        .unwrap_or((text, PI / 180.0));
    number.parse::<f64>().ok().map(|number| number * unit)
}

#[cfg(test)]
mod tests {
    use super::*;
    use kurbo::Point;

    /// Where a square from 10,10 to 20,20 on a page of 100 x 50 puts its first corner.
    fn corner(value: &str, at: &str, of: &str) -> Option<Point> {
        let text = "<svg><rect x='10' y='10' width='10' height='10'/></svg>";
        let document = usvg::roxmltree::Document::parse(text).unwrap();
        let node = document.root_element().first_element_child().unwrap();
        let by = resolve(value, &Origin { of, at }, node, Some((100.0, 50.0)))?;
        Some(by * Point::new(10.0, 10.0))
    }

    #[test]
    fn transforms_turn_about_their_origin_in_their_box() {
        for (value, at, of, x, y) in [
            ("rotate(90deg)", "0 0", "view-box", -10.0, 10.0),
            ("rotate(0.25turn)", "center", "fill-box", 20.0, 10.0),
            ("rotate(100grad)", "center", "view-box", 65.0, -15.0),
            ("rotate(90deg)", "10px 10px", "view-box", 10.0, 10.0),
            ("rotate(180deg)", "bottom right", "fill-box", 30.0, 30.0),
            ("translate(50%, 10%)", "0 0", "view-box", 60.0, 15.0),
            ("translate(50%, 10%)", "0 0", "fill-box", 15.0, 11.0),
            ("translateX(1in) scale(2)", "0 0", "view-box", 116.0, 20.0),
            ("scale(50%)", "left top", "fill-box", 10.0, 10.0),
            ("matrix(1, 0, 0, 1, 3, 4)", "0 0", "view-box", 13.0, 14.0),
            ("skewX(45deg)", "0 0", "view-box", 20.0, 10.0),
            ("none", "center", "fill-box", 10.0, 10.0),
        ] {
            let found = corner(value, at, of).unwrap_or_else(|| panic!("{value}"));
            assert!(found.distance(Point::new(x, y)) < 1e-9, "{value} {at} {of}: {found:?}");
        }
        for odd in [
            "rotate(90deg",
            "rotate3d(1,1,1,45deg)",
            "perspective(3px)",
            "translate(2em)",
            "translate(1 2 3)",
            "rotate(x)",
        ] {
            assert!(!reads(odd), "{odd}");
        }
    }
}
