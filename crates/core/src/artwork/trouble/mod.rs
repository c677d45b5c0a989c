//! Trouble in a drawing, found before stock is spent: each kind with how many, which, where and its
//! cure.

mod cover;
pub(crate) mod lines;
mod size;

use super::Artwork;
use super::layers::{Layer, layers};
use crate::colour::Colour;
use crate::geometry::{Contour, Rect, hull};
use crate::problem::{Problem, Problems};
use crate::quantity::plain;
use lines::{Lined, told};
use rayon::prelude::*;
use std::collections::BTreeMap;

/// Colours that differ by at most this in each of red, green and blue are probably meant to be one.
const ALIKE: u8 = 8;

/// Rounding may put a shape this far beyond its page, mm.
const PAGE_SLACK: f64 = 0.05;

/// A beam of common width, mm: a drawing alone does not know its machine.
const BEAM: f64 = 0.1;

/// Looks for trouble in `artwork`, on lines and arcs within `tolerance` mm of what was drawn.
#[must_use]
pub fn trouble(artwork: &Artwork, tolerance: f64) -> Problems {
    let contours: Vec<Vec<Contour>> =
        artwork.shapes.par_iter().map(|shape| shape.contours(tolerance)).collect();
    let lined: Vec<Lined<'_>> = artwork
        .shapes
        .iter()
        .zip(&contours)
        .map(|(shape, contours)| Lined {
            shape,
            contours,
            label: shape.source.label(),
            place: shape.source.place(&artwork.file),
        })
        .collect();
    let mut problems = Problems::new();
    let mut say = |found: Option<Problem>| {
        if let Some(problem) = found {
            problems.push(problem);
        }
    };
    say(strays(&lined));
    for (colour, group) in by_stroke(&lined) {
        say(lines::double_lines(&group, |length, at| {
            let (x, y) = (plain(at.x, 1), plain(at.y, 1));
            format!("{length} mm of {colour} line lie on other lines, first at X {x} Y {y}")
        }));
        for problem in lines::crossing_lines(&group, &format!("in {colour}: ")) {
            say(Some(problem));
        }
    }
    say(open_fills(&lined));
    say(lines::fine_details(&lined.iter().collect::<Vec<_>>(), BEAM));
    let help = "a laser burns it all the same; delete it, or leave it out";
    say(told(
        &cover::hidden(&lined),
        "hidden-under",
        "filled, and hidden under another fill",
        help,
    ));
    say(off_page(artwork, &lined));
    say(size::smell(artwork));
    for problem in alike_colours(artwork, &layers(artwork, tolerance)) {
        say(Some(problem));
    }
    problems
}

fn by_stroke<'l, 'a>(lined: &'l [Lined<'a>]) -> BTreeMap<Colour, Vec<&'l Lined<'a>>> {
    let mut groups: BTreeMap<Colour, Vec<&Lined<'_>>> = BTreeMap::new();
    for one in lined {
        if let Some(stroke) = one.shape.stroke {
            groups.entry(stroke.colour).or_default().push(one);
        }
    }
    groups
}

fn strays(lined: &[Lined<'_>]) -> Option<Problem> {
    let which: Vec<_> = lined.iter().filter(|one| one.contours.is_empty()).collect();
    let spots = which.iter().filter_map(|one| match one.shape.path.elements().first() {
        Some(kurbo::PathEl::MoveTo(p)) => Some(*p),
        _ => None,
    });
    let spots = spots.collect();
    let help = "nothing is burnt there; delete them in the drawing program";
    told(&which, "stray", "of no length", help).map(|problem| problem.seen_at(spots))
}

fn open_fills(lined: &[Lined<'_>]) -> Option<Problem> {
    let open =
        |one: &&Lined<'_>| one.shape.fill.is_some() && one.contours.iter().any(|c| !c.closed);
    let which: Vec<_> = lined.iter().filter(open).collect();
    let gaps = which.iter().flat_map(|one| one.contours).filter(|c| !c.closed);
    let gaps: Vec<f64> = gaps.map(|c| c.start.distance(c.end())).collect();
    let (least, most) = gaps.iter().fold((f64::MAX, 0.0f64), |(a, b), g| (a.min(*g), b.max(*g)));
    let what = match gaps.len() {
        1 => format!("filled but not closed (a gap of {} mm)", plain(most, 3)),
        _ => {
            format!("filled but not closed (gaps of {} to {} mm)", plain(least, 3), plain(most, 3))
        }
    };
    let spots = which.iter().flat_map(|one| one.contours).filter(|c| !c.closed).map(Contour::end);
    let spots = spots.collect();
    let help = "close them, or join small gaps: join-gaps in the job's [[artwork]]";
    told(&which, "open-fill", &what, help).map(|problem| problem.seen_at(spots))
}

fn off_page(artwork: &Artwork, lined: &[Lined<'_>]) -> Option<Problem> {
    let (width, depth) = artwork.page?;
    let page = Rect::new(-PAGE_SLACK, -PAGE_SLACK, width + PAGE_SLACK, depth + PAGE_SLACK);
    let beyond = |one: &&Lined<'_>| one.bounds().is_some_and(|b| page.union(b) != page);
    let which: Vec<_> = lined.iter().filter(beyond).collect();
    let all = hull(lined.iter().filter_map(Lined::bounds))?;
    let dx = (all.x0 - page.x1).max(page.x0 - all.x1).max(0.0);
    let dy = (all.y0 - page.y1).max(page.y0 - all.y1).max(0.0);
    if dx.max(dy) > 0.0 {
        let what = format!("lie {} mm away from the page", plain(dx.hypot(dy), 1));
        let help = "the drawing would land off the bed; move it onto its page, or say at in the job's [place]";
        return told(&which, "far-from-page", &what, help)
            .map(|p| Problem { message: p.message.replacen("shape lie", "shape lies", 1), ..p });
    }
    let help = "move them onto the page, delete them, leave them out, or set crop = \"page\"";
    told(&which, "off-page", "beyond the page", help)
}

fn alike_colours(artwork: &Artwork, layers: &[Layer]) -> Vec<Problem> {
    let mut problems = Vec::new();
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
                        "make them one in the drawing program, or say colour-tolerance in the job's [[artwork]]",
                    )
                    .at(crate::problem::Place::file(&artwork.file)),
                );
            }
        }
    }
    problems
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(body: &str) -> Vec<String> {
        let svg = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="50mm" viewBox="0 0 50 50" fill="none">
{body}</svg>"#
        );
        let artwork = crate::artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
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
