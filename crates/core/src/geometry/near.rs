//! Which pieces of lines come near each other, looked at a bounded number of times.

use super::contour::{Contour, Piece};
use super::{Point, Rect};
use rayon::prelude::*;
use rstar::primitives::{GeomWithData, Rectangle};
use rstar::{AABB, RTree};

/// So many pairs of pieces are looked at. Where thousands of shapes lie on one another every piece
/// is near every other, and their number is squared.
const MOST_LOOKED: usize = 40_000_000;

/// So much is found: what is told of more tells nothing more.
const MOST_FOUND: usize = 200_000;

/// Pieces are looked at so many at a time on all cores; after each lot it is decided whether to go
/// on, so that the result is the same on any number of cores.
const AT_ONCE: usize = 512;

/// One piece of a contour.
#[derive(Debug, Clone, Copy)]
pub(super) struct Part {
    pub(super) contour: usize,
    /// Which piece of the contour.
    pub(super) piece: usize,
    pub(super) from: Point,
    pub(super) shape: Piece,
}

/// What was found, and whether everything was looked at.
#[derive(Debug, Clone, PartialEq)]
pub struct Findings<T> {
    /// What was found, in the order of the lines.
    pub found: Vec<T>,
    /// False where so many lines lie on one another that looking was given up.
    pub complete: bool,
}

/// All pieces of some contours, in their order.
pub(super) fn parts(contours: &[Contour]) -> Vec<Part> {
    let walk = |(contour, c): (usize, &Contour)| {
        let walk = c.walk().enumerate();
        walk.map(|(piece, (from, shape))| Part { contour, piece, from, shape: *shape })
            .collect::<Vec<_>>()
    };
    contours.iter().enumerate().flat_map(walk).collect()
}

/// Calls `each` with the number of every part and those of the earlier parts that come within
/// `reach` mm of it (of the rectangles round them), rising. Only those for which `searched` holds
/// are searched for, or have others searched for them.
pub(super) fn earlier<T: Send>(
    parts: &[Part],
    reach: f64,
    searched: impl Fn(usize) -> bool + Sync,
    each: impl Fn(usize, &[usize]) -> Vec<T> + Sync,
) -> Findings<T> {
    let bounds = |part: &Part| part.shape.bounds(part.from);
    let boxes = parts.iter().enumerate().filter(|(n, _)| searched(*n)).map(|(n, part)| {
        let b = bounds(part);
        GeomWithData::new(Rectangle::from_corners([b.x0, b.y0], [b.x1, b.y1]), n)
    });
    let tree = RTree::bulk_load(boxes.collect());
    let look = |n: usize| {
        if !searched(n) {
            return (0, each(n, &[]));
        }
        let near = envelope(bounds(&parts[n]).inflate(reach, reach));
        let all = tree.locate_in_envelope_intersecting(near);
        let mut looked = 0;
        let mut earlier: Vec<usize> = all
            .inspect(|_| looked += 1)
            .map(|other| other.data)
            .filter(|other| *other < n)
            .collect();
        earlier.sort_unstable();
        (looked, each(n, &earlier))
    };
    let mut findings = Findings { found: Vec::new(), complete: true };
    let mut looked = 0;
    for first in (0..parts.len()).step_by(AT_ONCE) {
        if looked > MOST_LOOKED || findings.found.len() > MOST_FOUND {
            findings.complete = false;
            break;
        }
        let last = parts.len().min(first + AT_ONCE);
        let made: Vec<(usize, Vec<T>)> = (first..last).into_par_iter().map(look).collect();
        for (count, found) in made {
            looked += count;
            findings.found.extend(found);
        }
    }
    findings
}

fn envelope(r: Rect) -> AABB<[f64; 2]> {
    AABB::from_corners([r.x0, r.y0], [r.x1, r.y1])
}
