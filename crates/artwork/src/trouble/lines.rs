//! Trouble with lines, whatever they come from: a drawing as it is, or a job's sheet.

use crate::Shape;
use tinkite_base::geometry::crossings::crossings_of;
use tinkite_base::geometry::duplicates::{SAME_LINE, duplicates_of};
use tinkite_base::geometry::near::{Findings, Parts};
use tinkite_base::geometry::{Contour, Point, Rect, hull};
use tinkite_base::problem::{Code, Location, Problem, count, few};
use tinkite_base::quantity::plain;

/// Chords this near to curves are looked at for crossings, mm.
const FINE: f64 = 0.005;

/// A shape with its lines, where they lie.
#[derive(Debug, Clone)]
pub struct Lined<'a> {
    /// The shape.
    pub shape: &'a Shape,
    /// Its lines and arcs.
    pub contours: &'a [Contour],
    /// What people call it.
    pub label: String,
    /// Where it was drawn.
    pub place: Location,
}

impl Lined<'_> {
    pub(crate) fn bounds(&self) -> Option<Rect> {
        hull(self.contours.iter().map(Contour::bounds))
    }

    /// A point of it, to show where it is.
    pub(crate) fn spot(&self) -> Option<Point> {
        self.contours.first().map(|contour| contour.start)
    }
}

/// One warning for all of `which`: how many, what is wrong with them, their names and places.
pub(crate) fn problem(which: &[&Lined<'_>], code: Code, what: &str, help: &str) -> Option<Problem> {
    let first = which.first()?;
    let names: Vec<String> = which.iter().map(|lined| lined.label.clone()).collect();
    let message = format!("{} {what}: {}", count(which.len(), "shape"), few(&names, 6));
    let spots = which.iter().filter_map(|lined| lined.spot()).collect();
    Some(Problem::warning(code, message, help).at(first.place.clone()).seen_at(spots).naming(names))
}

/// Shapes whose lines are held against each other.
pub struct Together<'l, 'a> {
    lined: &'l [&'l Lined<'a>],
    /// Which shape each contour belongs to, and whether it is closed.
    owners: Vec<(usize, bool)>,
    parts: Parts,
}

impl<'l, 'a> Together<'l, 'a> {
    /// The lines of these shapes, ready to be looked through.
    pub fn of(lined: &'l [&'l Lined<'a>]) -> Self {
        let each = lined.iter().enumerate();
        let owners = each.flat_map(|(n, one)| one.contours.iter().map(move |c| (n, c.closed)));
        let contours = lined.iter().flat_map(|one| one.contours);
        Self { lined, owners: owners.collect(), parts: Parts::of(contours, SAME_LINE) }
    }

    /// The shape that a contour belongs to.
    fn of_contour(&self, contour: usize) -> &'l Lined<'a> {
        self.lined[self.owners[contour].0]
    }
}

/// Lines that lie on others; `subject` says whose: "step "cut" burns 4 mm of line twice".
pub fn double_lines(
    together: &Together<'_, '_>,
    message: impl Fn(&str, Point) -> String,
) -> Vec<Problem> {
    let Findings { found, complete } = duplicates_of(&together.parts);
    let Some(first) = found.first() else { return Vec::new() };
    let mut names: Vec<String> = found
        .iter()
        .map(|d| {
            let label = |n: usize| &together.of_contour(n).label;
            format!("{} on {}", label(d.second), label(d.first))
        })
        .collect();
    names.dedup();
    let length: f64 = found.iter().map(|d| d.length).sum();
    let place = &together.of_contour(first.second).place;
    let mut problems = vec![
        Problem::warning(
            Code::DoubleLine,
            format!("{}: {}", message(&plain(length, 2), first.at), few(&names, 6)),
            "delete one of them in the drawing program, or set drop-doubles = true in [[artwork]]",
        )
        .at(place.clone())
        .seen_at(found.iter().map(|d| d.at).collect())
        .naming(names),
    ];
    problems.extend((!complete).then(|| too_many("doubled lines", place.clone())));
    problems
}

/// Too many lines lie on one another: not all were held against each other.
pub fn too_many(sought: &str, place: Location) -> Problem {
    let message =
        format!("so many lines lie on one another that looking for {sought} was given up half way");
    let help = "look for copies whose pitch is too small, and shapes that were pasted many times";
    Problem::warning(Code::CrowdedLines, message, help).at(place)
}

/// Outlines that cross themselves or each other. Open lines may cross what they like. `counts` says of which two
/// shapes, by their numbers among these, it is told.
pub fn crossing_lines(
    together: &Together<'_, '_>,
    whose: &str,
    counts: impl Fn(usize, usize) -> bool,
) -> Vec<Problem> {
    let closed = |contour: usize| together.owners[contour].1;
    let Findings { mut found, complete } = crossings_of(&together.parts, closed, FINE);
    found.retain(|c| counts(together.owners[c.first].0, together.owners[c.second].0));
    let mut problems = Vec::new();
    if let (false, Some(first)) = (complete, found.first()) {
        let place = together.of_contour(first.second).place.clone();
        problems.push(too_many("crossing outlines", place));
    }
    for own in [true, false] {
        let these: Vec<_> = found.iter().filter(|c| (c.first == c.second) == own).collect();
        let Some(first) = these.first() else { continue };
        let label = |n: usize| together.of_contour(n).label.clone();
        let names: Vec<String> = these
            .iter()
            .map(|c| {
                if own {
                    label(c.first)
                } else {
                    format!("{} and {}", label(c.first), label(c.second))
                }
            })
            .collect();
        let (code, what, help) = if own {
            (
                Code::SelfCrossing,
                format!(
                    "{} crossing {}",
                    count(these.len(), "outline"),
                    if these.len() == 1 { "itself" } else { "themselves" }
                ),
                "the part falls to pieces where it crosses; redraw it, or unite its path in the drawing program",
            )
        } else {
            (
                Code::CrossingCuts,
                format!("{} of outlines crossing each other", count(these.len(), "pair")),
                "which is part and which is hole cannot be told, and what lies in two of them is cut before the smaller one alone; unite or cut them in the drawing program, or with a [[shape]] of kind \"area\"",
            )
        };
        problems.push(
            Problem::warning(code, format!("{whose}{what}: {}", few(&names, 6)), help)
                .at(together.of_contour(first.second).place.clone())
                .seen_at(these.iter().map(|c| c.at).collect())
                .naming(names),
        );
    }
    problems
}

/// Closed lines that enclose less than a beam of this width leaves, mm.
pub fn fine_details(lined: &[&Lined<'_>], beam: f64) -> Option<Problem> {
    let fine = |contour: &Contour| {
        let bounds = contour.bounds();
        contour.closed && bounds.width().max(bounds.height()) < beam
    };
    let which: Vec<&Lined<'_>> =
        lined.iter().copied().filter(|one| one.contours.iter().any(fine)).collect();
    let what = format!("with outlines finer than the beam ({} mm)", plain(beam, 3));
    let help = "they burn to a dot; make them larger, or leave them out";
    problem(&which, Code::FineDetail, &what, help)
}
