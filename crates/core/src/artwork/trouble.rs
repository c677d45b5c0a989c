//! Trouble in a drawing, found before stock is spent: each kind with how many, which, where and its
//! cure.

use super::layers::{Layer, layers};
use super::{Artwork, Shape, Source};
use crate::colour::Colour;
use crate::geometry::doubles::doubles;
use crate::geometry::{Contour, Rect, hull};
use crate::problem::{Problem, Problems, count, few};
use crate::quantity::plain;
use rayon::prelude::*;
use std::collections::BTreeMap;

/// Colours that differ by at most this in each of red, green and blue are probably meant to be one.
const ALIKE: u8 = 8;

/// Rounding may put a shape this far beyond its page, mm.
const PAGE_SLACK: f64 = 0.05;

/// Looks for trouble in `artwork`, on lines and arcs within `tolerance` mm of what was drawn.
#[must_use]
pub fn trouble(artwork: &Artwork, tolerance: f64) -> Problems {
    let contours: Vec<Vec<Contour>> =
        artwork.shapes.par_iter().map(|shape| shape.contours(tolerance)).collect();
    let drawn: Vec<Drawn<'_>> = artwork
        .shapes
        .iter()
        .zip(&contours)
        .map(|(shape, contours)| Drawn { shape, contours })
        .collect();
    let mut problems = Problems::new();
    strays(artwork, &drawn, &mut problems);
    double_lines(artwork, &drawn, &mut problems);
    open_fills(artwork, &drawn, &mut problems);
    off_page(artwork, &drawn, &mut problems);
    alike_colours(artwork, &layers(artwork, tolerance), &mut problems);
    problems
}

/// A shape with its lines.
struct Drawn<'a> {
    shape: &'a Shape,
    contours: &'a [Contour],
}

impl Drawn<'_> {
    fn source(&self) -> &Source {
        &self.shape.source
    }
}

/// One problem for all of `which`, at the first of them.
fn tell(
    artwork: &Artwork,
    which: &[&Drawn<'_>],
    code: &'static str,
    what: &str,
    help: &str,
    problems: &mut Problems,
) {
    let Some(first) = which.first() else { return };
    let names: Vec<String> = which.iter().map(|d| d.source().label()).collect();
    let message = format!("{} {what}: {}", count(which.len(), "shape"), few(&names, 6));
    problems.push(Problem::warning(code, message, help).at(first.source().place(&artwork.file)));
}

fn strays(artwork: &Artwork, drawn: &[Drawn<'_>], problems: &mut Problems) {
    let which: Vec<_> = drawn.iter().filter(|d| d.contours.is_empty()).collect();
    let help = "nothing is burnt there; delete them in the drawing program";
    tell(artwork, &which, "stray", "of no length", help, problems);
}

fn double_lines(artwork: &Artwork, drawn: &[Drawn<'_>], problems: &mut Problems) {
    let mut by_colour: BTreeMap<Colour, Vec<usize>> = BTreeMap::new();
    for (n, drawn) in drawn.iter().enumerate() {
        if let Some(stroke) = drawn.shape.stroke {
            by_colour.entry(stroke.colour).or_default().push(n);
        }
    }
    for (colour, group) in by_colour {
        let own =
            |n: &usize| drawn[*n].contours.iter().map(|c| (c.clone(), *n)).collect::<Vec<_>>();
        let (contours, owners): (Vec<Contour>, Vec<usize>) = group.iter().flat_map(own).unzip();
        let found = doubles(&contours);
        let Some(first) = found.first() else { continue };
        let mut names: Vec<String> =
            found.iter().map(|d| drawn[owners[d.second]].source().label()).collect();
        names.dedup();
        let length: f64 = found.iter().map(|d| d.length).sum();
        problems.push(
            Problem::warning(
                "double-line",
                format!(
                    "{} mm of {colour} line lie on other lines, first at X {} Y {}: {}",
                    plain(length, 2),
                    plain(first.at.x, 1),
                    plain(first.at.y, 1),
                    few(&names, 6)
                ),
                "delete them in the drawing program, or set drop-doubles = true in the job's [[artwork]]",
            )
            .at(drawn[owners[first.second]].source().place(&artwork.file)),
        );
    }
}

fn open_fills(artwork: &Artwork, drawn: &[Drawn<'_>], problems: &mut Problems) {
    let open = |d: &&Drawn<'_>| d.shape.fill.is_some() && d.contours.iter().any(|c| !c.closed);
    let which: Vec<_> = drawn.iter().filter(open).collect();
    let help = "close them, or join small gaps: join-gaps in the job's [[artwork]]";
    tell(artwork, &which, "open-fill", "filled but not closed", help, problems);
}

fn off_page(artwork: &Artwork, drawn: &[Drawn<'_>], problems: &mut Problems) {
    let Some((width, depth)) = artwork.page else { return };
    let page = Rect::new(-PAGE_SLACK, -PAGE_SLACK, width + PAGE_SLACK, depth + PAGE_SLACK);
    let beyond = |d: &&Drawn<'_>| {
        hull(d.contours.iter().map(Contour::bounds)).is_some_and(|b| page.union(b) != page)
    };
    let which: Vec<_> = drawn.iter().filter(beyond).collect();
    let help = "move them onto the page, delete them, or leave them out";
    tell(artwork, &which, "off-page", "beyond the page", help, problems);
}

fn alike_colours(artwork: &Artwork, layers: &[Layer], problems: &mut Problems) {
    let mut colours: Vec<Colour> = layers.iter().map(|layer| layer.colour).collect();
    colours.sort_unstable();
    colours.dedup();
    for (n, a) in colours.iter().enumerate() {
        for b in &colours[n + 1..] {
            if a.rgb.iter().zip(b.rgb).all(|(x, y)| x.abs_diff(y) <= ALIKE) {
                problems.push(
                    Problem::warning(
                        "alike-colours",
                        format!("{a} and {b} are nearly the same colour"),
                        "make them one in the drawing program, or name both in the step's take",
                    )
                    .at(crate::problem::Place::file(&artwork.file)),
                );
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(body: &str) -> Vec<String> {
        let svg = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="50mm" viewBox="0 0 50 50" fill="none">
{body}</svg>"#
        );
        let artwork = crate::artwork::read("a.svg", svg.as_bytes()).unwrap();
        let line = |p: &Problem| format!("{} {}: {}", p.place.as_ref().unwrap(), p.code, p.message);
        trouble(&artwork, 0.01).iter().map(line).collect()
    }

    #[test]
    fn a_clean_drawing_has_none() {
        assert_eq!(
            told(
                r##"<circle cx="20" cy="20" r="5" stroke="red"/><rect x="1" y="1" width="48" height="48" stroke="red"/>"##
            ),
            [""; 0]
        );
        // The same line in two colours is meant: scored, then cut.
        assert_eq!(
            told(r##"<path id="a" d="M5 5H20" stroke="red"/><path d="M5 5H20" stroke="blue"/>"##),
            [""; 0]
        );
    }

    #[test]
    fn every_kind_is_told_with_its_place() {
        assert_eq!(
            told(
                r##"<path id="a" d="M5 5H20" stroke="red"/><path id="b" d="M25 5H10" stroke="#f00"/>"##
            ),
            [
                "a.svg:2 (b) double-line: 10 mm of #ff0000 line lie on other lines, first at X 20 Y 45: b"
            ]
        );
        assert_eq!(
            told(
                r##"<path id="dot" d="M5 5h0" stroke="red" stroke-linecap="round"/><path d="M5 5H20" stroke="red"/>"##
            ),
            ["a.svg:2 (dot) stray: 1 shape of no length: dot"]
        );
        assert_eq!(
            told(r##"<path id="gap" d="M5 5H20V20" fill="black"/>"##),
            ["a.svg:2 (gap) open-fill: 1 shape filled but not closed: gap"]
        );
        assert_eq!(
            told(r##"<path id="out" d="M40 5H60" stroke="red"/>"##),
            ["a.svg:2 (out) off-page: 1 shape beyond the page: out"]
        );
        assert_eq!(
            told(r##"<path d="M5 5H20" stroke="#ff0000"/><path d="M5 9H20" stroke="#fe0000"/>"##),
            ["a.svg alike-colours: #fe0000 and #ff0000 are nearly the same colour"]
        );
    }
}
