//! What nobody sees, since a later fill lies over it.

use super::lines::{Lined, problem};
use rayon::prelude::*;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};
use std::collections::{BTreeMap, BTreeSet};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::region::{Combine, FillRule, combined, grow, outside_line, unite};
use tinkite_base::geometry::{Contour, Point, Rect};
use tinkite_base::problem::{Code, Problem, Severity};
use tinkite_base::quantity::plain;

/// Pairs of areas looked at; beyond it a drawing is a mosaic, and not looked at further.
const MOST_PAIRS: usize = 5_000;

/// Filled shapes, found by the rectangles round them.
struct Fills {
    tree: RTree<GeomWithData<Rectangle<[f64; 2]>, usize>>,
    /// The rectangle round each of them; none for other shapes.
    bounds: Vec<Option<Rect>>,
}

/// Of a line with no more pieces each is held against every fill.
const FEW: usize = 64;

impl Fills {
    /// Those that hide what lies under them.
    fn opaque(lined: &[Lined<'_>]) -> Self {
        let opaque = |one: &Lined<'_>| one.shape.fill.is_some_and(|fill| fill.veil == 0);
        let bounds: Vec<Option<Rect>> =
            lined.iter().map(|one| opaque(one).then(|| one.bounds()).flatten()).collect();
        let boxes = bounds.iter().enumerate().filter_map(|(n, bounds)| {
            let b = (*bounds)?;
            let corners = Rectangle::from_corners([b.x0, b.y0], [b.x1, b.y1]);
            Some(GeomWithData::new(corners, n))
        });
        Self { tree: RTree::bulk_load(boxes.collect()), bounds }
    }

    /// Those that are painted after shape `n` and may lie over a contour, in their order.
    fn over_line(&self, n: usize, contour: &Contour) -> Vec<usize> {
        let mut over = self.over(n, contour.bounds());
        let pieces: Vec<Rect> =
            contour.walk().take(FEW + 1).map(|(from, piece)| piece.bounds(from)).collect();
        if pieces.len() <= FEW {
            // A frame comes near few of the fills that lie within it.
            over.retain(|other| {
                let meets = |fill: &Rect| pieces.iter().any(|piece| piece.overlaps(*fill));
                self.bounds[*other].as_ref().is_some_and(meets)
            });
        }
        over
    }

    /// Those that are painted after shape `n` and reach into a rectangle, in their order.
    fn over(&self, n: usize, bounds: Rect) -> Vec<usize> {
        let at = AABB::from_corners([bounds.x0, bounds.y0], [bounds.x1, bounds.y1]);
        let all = self.tree.locate_in_envelope_intersecting(at).map(|other| other.data);
        let mut over: Vec<usize> = all.filter(|other| *other > n).collect();
        over.sort_unstable();
        over
    }
}

/// Filled shapes that one later fill of another colour covers completely: nobody sees them, and what a
/// step does that follows their outlines is unseen as well.
fn find_hidden<'l, 'a>(fills: &Fills, lined: &'l [Lined<'a>]) -> Vec<&'l Lined<'a>> {
    if fills.tree.size() < 2 {
        return Vec::new();
    }
    let mut pairs = 0;
    let mut found = Vec::new();
    for (n, one) in lined.iter().enumerate() {
        let (Some(fill), Some(bounds)) = (one.shape.fill, one.bounds()) else { continue };
        let inner = bounds.inflate(-1e-6, -1e-6);
        let over = fills.over(n, inner).into_iter().filter(|other| {
            lined[*other].shape.fill.is_some_and(|other| other.colour != fill.colour)
                && lined[*other].bounds().is_some_and(|b| b.union(inner) == b)
        });
        for other in over {
            pairs += 1;
            if pairs > MOST_PAIRS {
                return found;
            }
            if area(one).is_some_and(|own| {
                combined(&own, &area(&lined[other]).unwrap_or_default(), Combine::Minus).is_empty()
            }) {
                found.push(one);
                break;
            }
        }
    }
    found
}

/// A line that lies in part under later fills.
pub struct UnderFill {
    /// Which shape.
    pub shape: usize,
    /// How much of it, mm.
    pub length: f64,
    /// What of it shows, for each of its contours; none for one of which all shows.
    pub shows: Vec<Option<Vec<Vec<Point>>>>,
}

/// A line this near to the edge of a fill runs along it, and half of it shows, mm.
const ALONG: f64 = 0.01;

/// Lines under opaque fills that are painted later; `most` pairs of a line and a fill are looked at.
pub fn lines_under(lined: &[Lined<'_>], most: Option<usize>) -> Vec<UnderFill> {
    lines_under_by(&Fills::opaque(lined), lined, most)
}

fn lines_under_by(fills: &Fills, lined: &[Lined<'_>], most: Option<usize>) -> Vec<UnderFill> {
    if fills.tree.size() == 0 {
        return Vec::new();
    }
    let mut pairs = 0;
    // For each line the fills over each of its contours.
    let mut lines: Vec<(usize, Vec<Vec<usize>>)> = Vec::new();
    for (n, one) in lined.iter().enumerate() {
        if one.shape.stroke.is_none_or(|stroke| stroke.colour == WHITE) {
            continue;
        }
        let over: Vec<_> = one.contours.iter().map(|c| fills.over_line(n, c)).collect();
        pairs += over.iter().map(Vec::len).sum::<usize>();
        if most.is_some_and(|most| pairs > most) {
            break;
        }
        if over.iter().any(|over| !over.is_empty()) {
            lines.push((n, over));
        }
    }
    let needed: BTreeSet<usize> =
        lines.iter().flat_map(|(_, over)| over).flatten().copied().collect();
    let needed: Vec<usize> = needed.into_iter().collect();
    let inner: BTreeMap<usize, Vec<Vec<Point>>> = needed
        .par_iter()
        .map(|n| {
            let area = area(&lined[*n]).unwrap_or_default();
            (*n, grow(&area, -ALONG, ALONG / 4.0))
        })
        .collect();
    let found: Vec<UnderFill> =
        lines.par_iter().map(|(n, over)| under(*n, lined[*n].contours, over, &inner)).collect();
    found.into_iter().filter(|under| under.length > 0.0).collect()
}

/// How much of a shape's lines lies under the insides of fills.
fn under(
    shape: usize,
    contours: &[Contour],
    over: &[Vec<usize>],
    inner: &BTreeMap<usize, Vec<Vec<Point>>>,
) -> UnderFill {
    let length = |line: &[Point]| line.windows(2).map(|w| w[0].distance(w[1])).sum::<f64>();
    let mut under = UnderFill { shape, length: 0.0, shows: Vec::new() };
    for (contour, over) in contours.iter().zip(over) {
        if over.is_empty() {
            under.shows.push(None);
            continue;
        }
        let mut whole = contour.flatten(FINE);
        whole.extend(contour.closed.then_some(contour.start));
        let mut left = vec![whole];
        let before = length(&left[0]);
        for fill in over.iter().filter_map(|n| inner.get(n)) {
            left = left.iter().flat_map(|line| outside_line(line, fill)).collect();
        }
        let hidden = before - left.iter().map(|line| length(line)).sum::<f64>();
        // What is found of touching chords is rounding.
        let cut = hidden > LEAST + 1e-6 * before;
        under.length += if cut { hidden } else { 0.0 };
        under.shows.push(cut.then_some(left));
    }
    under
}

/// Shorter pieces under a fill are not told, mm.
const LEAST: f64 = 0.05;

/// Chords this near to curves are held against fills, mm.
const FINE: f64 = 2e-3;

/// Bare stock.
const WHITE: Colour = Colour::new(255, 255, 255);

/// What is told of both, of a drawing or of a job's sheet alike.
pub fn told_of(lined: &[Lined<'_>]) -> Vec<Problem> {
    let help = "its area is not engraved; a step that follows its outline burns that all the same";
    let opaque = Fills::opaque(lined);
    let fills = problem(
        &find_hidden(&opaque, lined),
        Code::HiddenUnder,
        "filled, and hidden under another fill",
        help,
    );
    let under = lines_under_by(&opaque, lined, Some(MOST_PAIRS));
    let lines: Vec<&Lined<'_>> = under.iter().map(|under| &lined[under.shape]).collect();
    let length: f64 = under.iter().map(|under| under.length).sum();
    let what = format!("with {} mm of line under a later fill", plain(length, 1));
    let help = "lines are followed whole, since they may be meant; under = { lines = \"drop\" } in [[artwork]] leaves out what does not show";
    let lines = problem(&lines, Code::HiddenLine, &what, help)
        .map(|problem| Problem { severity: Severity::Note, ..problem });
    fills.into_iter().chain(lines).collect()
}

fn area(one: &Lined<'_>) -> Option<Vec<Vec<Point>>> {
    let rule = one.shape.fill.map_or(FillRule::NonZero, |fill| fill.rule);
    let rings: Vec<_> = one.contours.iter().map(|contour| contour.flatten(FINE)).collect();
    Some(unite(&rings, rule)).filter(|area| !area.is_empty())
}
