//! Areas that nobody sees, since another lies over them.

use super::lines::Lined;
use crate::artwork::rings;
use crate::geometry::region::{Combine, FillRule, combined, united};
use crate::geometry::{Point, Rect};
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};

/// Pairs of areas looked at; beyond it a drawing is a mosaic, and not looked at further.
const MOST_PAIRS: usize = 5_000;

/// Filled shapes that one later fill of another colour covers completely: nobody sees them, and what a
/// step does that follows their outlines is unseen as well.
pub(super) fn hidden<'l, 'a>(lined: &'l [Lined<'a>]) -> Vec<&'l Lined<'a>> {
    let filled: Vec<(usize, Rect)> = lined
        .iter()
        .enumerate()
        .filter(|(_, one)| one.shape.fill.is_some())
        .filter_map(|(n, one)| Some((n, one.bounds()?)))
        .collect();
    let boxes = filled
        .iter()
        .map(|(n, b)| GeomWithData::new(Rectangle::from_corners([b.x0, b.y0], [b.x1, b.y1]), *n));
    let tree = RTree::bulk_load(boxes.collect());
    let mut pairs = 0;
    let mut found = Vec::new();
    for (n, bounds) in &filled {
        let one = &lined[*n];
        let inner = bounds.inflate(-1e-6, -1e-6);
        let at = AABB::from_corners([inner.x0, inner.y0], [inner.x1, inner.y1]);
        let mut over: Vec<usize> = tree
            .locate_in_envelope_intersecting(at)
            .map(|other| other.data)
            .filter(|other| {
                other > n
                    && lined[*other].shape.fill.is_some_and(|fill| fill.veil == 0)
                    && lined[*other].shape.fill.map(|f| f.colour)
                        != one.shape.fill.map(|f| f.colour)
            })
            .filter(|other| lined[*other].bounds().is_some_and(|b| b.union(inner) == b))
            .collect();
        over.sort_unstable();
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

fn area(one: &Lined<'_>) -> Option<Vec<Vec<Point>>> {
    let rule = one.shape.fill.map_or(FillRule::NonZero, |fill| fill.rule);
    Some(united(&rings(&one.shape.path), rule)).filter(|area| !area.is_empty())
}
