//! Which pieces of lines come near each other, looked at a bounded number of times.

use super::contour::{Contour, Piece};
use super::{Point, Rect, hull};
use rayon::prelude::*;
use static_aabb2d_index::{Control, StaticAABB2DIndex, StaticAABB2DIndexBuilder};
use std::ops::Range;

/// The most pairs of pieces that are looked at. Where thousands of shapes lie on one another every piece
/// is near every other, and their number is squared.
const MOST_LOOKED: usize = 40_000_000;

/// The most that is found: more would tell nothing more.
const MOST_FOUND: usize = 200_000;

/// Pieces are looked at so many at a time on all cores; after each lot it is decided whether to go
/// on, so that the result is the same on any number of cores.
const AT_ONCE: usize = 512;

/// A contour that nothing else comes near is looked through piece by piece, up to so many pieces.
const FEW: usize = 48;

/// A contour this many times as wide as the mean is a wide one.
const WIDE: f64 = 4.0;

/// One piece of a contour.
#[derive(Debug, Clone, Copy)]
pub(super) struct ContourPiece {
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

/// The pieces of some contours, to be held against each other.
pub struct Parts {
    /// All pieces, in the order of the contours.
    pub(super) all: Vec<ContourPiece>,
    /// How near they come to what they are held against, mm.
    reach: f64,
    bounds: Vec<Rect>,
    /// Where each contour's pieces are.
    own: Vec<Range<usize>>,
    /// Whether nothing comes near a contour, which has few pieces.
    alone: Vec<bool>,
    /// Which pieces the index knows, and the index: all but those of contours that lie alone.
    indexed: Vec<usize>,
    index: Index,
}

impl Parts {
    /// The pieces of `contours`, to be held against what comes within `reach` mm of them (of the
    /// rectangles round them).
    pub fn of<'a>(contours: impl IntoIterator<Item = &'a Contour>, reach: f64) -> Self {
        let (mut all, mut bounds, mut own) = (Vec::new(), Vec::new(), Vec::new());
        for (contour, c) in contours.into_iter().enumerate() {
            let begin = all.len();
            for (piece, (from, shape)) in c.walk().enumerate() {
                all.push(ContourPiece { contour, piece, from, shape: *shape });
                bounds.push(shape.bounds(from));
            }
            own.push(begin..all.len());
        }
        let whole: Vec<Rect> = own
            .iter()
            .map(|own| hull(bounds[own.clone()].iter().copied()).unwrap_or_default())
            .collect();
        let alone = alone(&bounds, &own, &whole, reach);
        let indexed: Vec<usize> = (0..all.len()).filter(|n| !alone[all[*n].contour]).collect();
        let index = Index::of(indexed.iter().map(|n| bounds[*n]));
        Self { all, reach, bounds, own, alone, indexed, index }
    }

    /// Whether nothing comes near a contour, which has few pieces.
    pub(super) fn is_alone(&self, contour: usize) -> bool {
        self.alone[contour]
    }

    /// How many contours they come from.
    pub(super) fn contours(&self) -> usize {
        self.own.len()
    }

    /// The pieces of a contour.
    pub(super) fn of_contour(&self, contour: usize) -> &[ContourPiece] {
        &self.all[self.own[contour].clone()]
    }

    /// Calls `each` with the number of every part and those of the earlier parts that come near it,
    /// rising. Only those for which `searched` holds are searched for, or have others searched for
    /// them.
    pub(super) fn earlier<T: Send>(
        &self,
        searched: impl Fn(usize) -> bool + Sync,
        each: impl Fn(usize, &[usize]) -> Vec<T> + Sync,
    ) -> Findings<T> {
        let look = |n: usize| {
            if !searched(n) {
                return (0, each(n, &[]));
            }
            let near = self.bounds[n].inflate(self.reach, self.reach);
            let mut earlier: Vec<usize> = Vec::new();
            let mut looked = 0;
            let contour = self.all[n].contour;
            if self.alone[contour] {
                let own = self.own[contour].start..n;
                looked = own.len();
                earlier.extend(own.filter(|m| meet(&self.bounds[*m], &near) && searched(*m)));
            } else {
                self.index.visit(near, |found| {
                    looked += 1;
                    let other = self.indexed[found];
                    earlier.extend((other < n && searched(other)).then_some(other));
                });
                earlier.sort_unstable();
            }
            (looked, each(n, &earlier))
        };
        let mut findings = Findings { found: Vec::new(), complete: self.index.is_whole() };
        let mut looked = 0;
        for first in (0..self.all.len()).step_by(AT_ONCE) {
            if looked > MOST_LOOKED || findings.found.len() > MOST_FOUND {
                findings.complete = false;
                break;
            }
            let last = self.all.len().min(first + AT_ONCE);
            let made: Vec<(usize, Vec<T>)> = (first..last).into_par_iter().map(look).collect();
            for (count, found) in made {
                looked += count;
                findings.found.extend(found);
            }
        }
        findings
    }
}

/// Which contours of few pieces nothing else comes near.
fn alone(bounds: &[Rect], own: &[Range<usize>], whole: &[Rect], reach: f64) -> Vec<bool> {
    // What lies inside a wide contour need not come near any of its pieces.
    let size = |b: &Rect| b.width() + b.height();
    let wide = WIDE * whole.iter().map(size).sum::<f64>() / whole.len().max(1) as f64;
    let mut boxes = Vec::with_capacity(whole.len());
    let mut owners = Vec::with_capacity(whole.len());
    for (n, whole) in whole.iter().enumerate() {
        let pieces = &bounds[own[n].clone()];
        let stand_for = if size(whole) > wide { pieces } else { std::slice::from_ref(whole) };
        boxes.extend_from_slice(stand_for);
        owners.resize(boxes.len(), n);
    }
    let index = Index::of(boxes.into_iter());
    let alone = |n: usize| {
        own[n].len() <= FEW && index.all(whole[n].inflate(reach, reach), |found| owners[found] == n)
    };
    (0..whole.len()).into_par_iter().map(alone).collect()
}

/// Rectangles, to be found by place.
struct Index {
    /// None where one of them is no number.
    boxes: Option<StaticAABB2DIndex<f64>>,
}

impl Index {
    fn of(boxes: impl ExactSizeIterator<Item = Rect>) -> Self {
        let mut builder = StaticAABB2DIndexBuilder::new(boxes.len());
        for b in boxes {
            builder.add(b.x0, b.y0, b.x1, b.y1);
        }
        Self { boxes: builder.build().ok() }
    }

    /// Whether it holds all that it was given.
    fn is_whole(&self) -> bool {
        self.boxes.is_some()
    }

    /// Tells the numbers of all that meet `near`.
    fn visit(&self, near: Rect, mut tell: impl FnMut(usize)) {
        if let Some(boxes) = &self.boxes {
            boxes.visit_query(near.x0, near.y0, near.x1, near.y1, &mut tell);
        }
    }

    /// Whether `right` holds for all that meet `near`.
    fn all(&self, near: Rect, right: impl Fn(usize) -> bool) -> bool {
        let mut look =
            |found: usize| if right(found) { Control::Continue } else { Control::Break(()) };
        self.boxes.as_ref().is_some_and(|boxes| {
            let met = boxes.visit_query(near.x0, near.y0, near.x1, near.y1, &mut look);
            matches!(met, Control::Continue)
        })
    }
}

fn meet(a: &Rect, b: &Rect) -> bool {
    a.x0 <= b.x1 && b.x0 <= a.x1 && a.y0 <= b.y1 && b.y0 <= a.y1
}
