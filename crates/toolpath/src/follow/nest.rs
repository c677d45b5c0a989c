//! What lies inside what, among all lines that steps of one kind follow.

use super::NESTING_TOLERANCE;
use rayon::prelude::*;
use tinkite_base::geometry::Contour;
use tinkite_base::geometry::nesting::parents;
use tinkite_base::geometry::region::Polygon;
use tinkite_layout::LaidShape;

/// The lines of some shapes, in their order, and how they nest.
pub(super) struct Nest<'a> {
    /// The lines.
    pub(super) lines: Vec<&'a Contour>,
    /// The shape that each line is of.
    owners: Vec<&'a LaidShape>,
    /// For each line the closed line that directly contains it. Open lines may lie inside a part as
    /// well, and must be burnt before it drops out.
    pub(super) parents: Vec<Option<usize>>,
}

impl<'a> Nest<'a> {
    /// Nests the lines of these shapes.
    pub(super) fn of(shapes: &[&'a LaidShape]) -> Self {
        let (owners, lines): (Vec<&LaidShape>, Vec<&Contour>) =
            shapes.iter().flat_map(|laid| laid.contours.iter().map(|c| (*laid, c))).unzip();
        let polygons: Vec<Polygon> =
            lines.par_iter().map(|c| Polygon::new(c.flatten(NESTING_TOLERANCE))).collect();
        let parents = parents(&polygons, |n| lines[n].closed);
        Self { lines, owners, parents }
    }

    /// What people call the shape of a line.
    pub(super) fn label(&self, line: usize) -> String {
        self.owners[line].label()
    }

    /// Whether it bounds a hole: closed lines round it make an odd number.
    pub(super) fn is_hole(&self, line: usize) -> bool {
        std::iter::successors(self.parents[line], |n| self.parents[*n]).count() % 2 == 1
    }

    /// For some of its shapes, in the same order, the numbers of their lines.
    pub(super) fn numbers(&self, shapes: &[&LaidShape]) -> Vec<usize> {
        let mut mine = shapes.iter().peekable();
        let mut numbers = Vec::new();
        let mut at = 0;
        while at < self.lines.len() {
            let owner = self.owners[at];
            let count = owner.contours.len();
            if mine.next_if(|own| std::ptr::eq(**own, owner)).is_some() {
                numbers.extend(at..at + count);
            }
            at += count;
        }
        numbers
    }
}
