//! Trouble in a drawing, found before stock is spent: each kind with how many, which, where and its
//! cure.

pub mod cover;
pub mod lines;
mod size;

use super::{Artwork, Shape, contours_of};
use lines::{Lined, Together, problem};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::{Contour, Point, Rect, hull};
use tinkite_base::problem::{Code, Problem, Problems, few};
use tinkite_base::quantity::plain;

/// Colours that differ by at most this in each of red, green and blue are probably meant to be one.
const ALIKE: u8 = 8;

/// Rounding may put a shape this far beyond its page, mm.
pub const PAGE_SLACK: f64 = 0.05;

/// A beam of common width, mm: a drawing alone does not know its machine.
const BEAM: f64 = 0.1;

/// Looks for trouble in `artwork`, on lines and arcs within `tolerance` mm of what was drawn.
#[must_use]
pub fn trouble(artwork: &Artwork, tolerance: f64) -> Problems {
    trouble_of(artwork, &contours_of(artwork, tolerance))
}

/// Looks for trouble in an artwork whose contours, shape by shape, are known already.
pub(super) fn trouble_of(artwork: &Artwork, contours: &[Vec<Contour>]) -> Problems {
    let lined: Vec<Lined<'_>> = artwork
        .shapes
        .iter()
        .zip(contours)
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
    let groups: Vec<_> = by_stroke(&lined).into_iter().collect();
    let of_lines = || -> Vec<Vec<Problem>> {
        groups.par_iter().map(|(colour, group)| of_one_colour(*colour, group)).collect()
    };
    let (of_lines, covered) = rayon::join(of_lines, || cover::told_of(&lined));
    of_lines.into_iter().flatten().for_each(|problem| say(Some(problem)));
    say(open_fills(&lined));
    say(lines::fine_details(&lined.iter().collect::<Vec<_>>(), BEAM));
    covered.into_iter().for_each(|problem| say(Some(problem)));
    say(off_page(artwork, &lined));
    say(size::smell(artwork));
    say(alike_colours(artwork));
    problems
}

/// Doubled lines and crossing outlines among what is drawn in one colour.
fn of_one_colour(colour: Colour, group: &[&Lined<'_>]) -> Vec<Problem> {
    let double = |length: &str, at: Point| {
        let (x, y) = (plain(at.x, 1), plain(at.y, 1));
        format!("{length} mm of {colour} line lie on other lines, first at X {x} Y {y}")
    };
    let together = Together::of(group);
    let (mut found, crossing) = rayon::join(
        || lines::double_lines(&together, double),
        || lines::crossing_lines(&together, &format!("in {colour}: "), |_, _| true),
    );
    found.extend(crossing);
    found
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
    problem(&which, Code::Stray, "of no length", help).map(|problem| problem.seen_at(spots))
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
    let help = "they are engraved as the page closes them, straight from end to end; to close the line as well, join small gaps: join-gaps in the job's [[artwork]]";
    problem(&which, Code::OpenFill, &what, help).map(|problem| problem.seen_at(spots))
}

fn off_page(artwork: &Artwork, lined: &[Lined<'_>]) -> Option<Problem> {
    let (width, depth) = artwork.page?;
    let page = Rect::new(-PAGE_SLACK, -PAGE_SLACK, width + PAGE_SLACK, depth + PAGE_SLACK);
    let beyond = |one: &&Lined<'_>| one.bounds().is_some_and(|b| page.union(b) != page);
    let which: Vec<_> = lined.iter().filter(beyond).collect();
    let all = hull(lined.iter().filter_map(Lined::bounds))?;
    let dx = (all.x0 - width).max(-all.x1).max(0.0);
    let dy = (all.y0 - depth).max(-all.y1).max(0.0);
    if dx.max(dy) > PAGE_SLACK {
        let what = format!("lie {} mm away from the page", plain(dx.hypot(dy), 1));
        let help = "the drawing would land off the bed; move it onto its page, or say at in the job's [place]";
        return problem(&which, Code::FarFromPage, &what, help)
            .map(|p| Problem { message: p.message.replacen("shape lie", "shape lies", 1), ..p });
    }
    let outside = |one: &&Lined<'_>| {
        let mut ends = one.contours.iter().flat_map(|c| c.walk().map(|(_, piece)| piece.end()));
        ends.find(|p| !page.contains(*p))
    };
    let spots: Vec<_> = which.iter().filter_map(|one| outside(one).or(one.spot())).collect();
    let help = "move them onto the page, delete them, leave them out, or set crop = \"page\"";
    problem(&which, Code::OffPage, "beyond the page", help).map(|problem| problem.seen_at(spots))
}

fn alike_colours(artwork: &Artwork) -> Option<Problem> {
    let of = |shape: &Shape| [shape.stroke.map(|s| s.colour), shape.fill.map(|f| f.colour)];
    let colours: BTreeSet<Colour> = artwork.shapes.iter().flat_map(of).flatten().collect();
    let colours: Vec<Colour> = colours.into_iter().collect();
    let near =
        |a: &Colour, b: &Colour| a.rgb.iter().zip(b.rgb).all(|(x, y)| x.abs_diff(y) <= ALIKE);
    let mut pairs = Vec::new();
    for (n, a) in colours.iter().enumerate() {
        // Sorted by red first: what follows is farther and farther away.
        let reach = colours[n + 1..].iter().take_while(|b| b.rgb[0].abs_diff(a.rgb[0]) <= ALIKE);
        pairs.extend(reach.filter(|b| near(a, b)).map(|b| format!("{a} and {b}")));
    }
    let message = match pairs.len() {
        0 => return None,
        1 => format!("{} are nearly the same colour", pairs[0]),
        n => format!("{n} pairs of colours are nearly the same: {}", few(&pairs, 3)),
    };
    let help =
        "make them one in the drawing program, or say colour-tolerance in the job's [[artwork]]";
    let place = tinkite_base::problem::Location::file(&artwork.file);
    Some(Problem::warning(Code::AlikeColours, message, help).at(place).naming(pairs))
}
