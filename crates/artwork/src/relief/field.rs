//! How deep the stock is taken away, cell by cell.

use super::detail::transpose;
use rayon::prelude::*;
use tinkite_base::geometry::{Point, Rect};

/// Depths over a rectangle of the bed, in square cells.
#[derive(Debug, Clone, PartialEq)]
pub struct Field {
    /// What may be cut.
    pub bounds: Rect,
    /// The lower left corner, mm.
    pub corner: Point,
    /// Side of a cell, mm.
    pub cell: f64,
    /// Cells across.
    pub columns: usize,
    /// Cells away from the operator.
    pub rows: usize,
    /// How deep each cell is taken away, mm; row by row from the lower edge.
    pub depth: Vec<f32>,
}

impl Field {
    /// A field over `rect` with cells of `cell` mm, centred, nothing taken away. What of its outermost cells lies beyond
    /// the rectangle is never cut.
    #[must_use]
    pub fn over(rect: Rect, cell: f64) -> Self {
        let count = |length: f64| (length / cell - 1e-6).ceil().max(1.0) as usize;
        let (columns, rows) = (count(rect.width()), count(rect.height()));
        let corner = rect.center()
            - tinkite_base::geometry::Vec2::new(
                columns as f64 * cell / 2.0,
                rows as f64 * cell / 2.0,
            );
        Self { bounds: rect, corner, cell, columns, rows, depth: vec![0.0; columns * rows] }
    }

    /// How many cells a field over `rect` would have.
    #[must_use]
    pub fn cells(rect: Rect, cell: f64) -> f64 {
        (rect.width() / cell).max(1.0) * (rect.height() / cell).max(1.0)
    }

    /// The middle of a cell.
    #[must_use]
    pub fn middle(&self, column: usize, row: usize) -> Point {
        let at = |n: usize| (n as f64 + 0.5) * self.cell;
        Point::new(self.corner.x + at(column), self.corner.y + at(row))
    }

    /// How deep the stock is taken away at a place, mm; nothing outside.
    #[must_use]
    pub fn at(&self, p: Point) -> f32 {
        let (x, y) = ((p.x - self.corner.x) / self.cell, (p.y - self.corner.y) / self.cell);
        if x < 0.0 || y < 0.0 {
            return 0.0;
        }
        let (column, row) = (x as usize, y as usize);
        if column >= self.columns || row >= self.rows {
            return 0.0;
        }
        self.depth[row * self.columns + column]
    }

    /// Gives every cell its depth, mm, from its middle.
    pub fn fill(&mut self, depth: impl Fn(Point) -> f32 + Sync) {
        let shape = Self { depth: Vec::new(), ..*self };
        self.depth.par_chunks_mut(self.columns).enumerate().for_each(|(row, cells)| {
            for (column, cell) in cells.iter_mut().enumerate() {
                *cell = depth(shape.middle(column, row));
            }
        });
    }

    /// What is taken away in all, mm³.
    #[must_use]
    pub fn volume(&self) -> f64 {
        // Row by row, so that the sum is the same on any number of cores.
        let rows = self.depth.par_chunks(self.columns);
        let sums: Vec<f64> = rows.map(|row| row.iter().map(|d| f64::from(*d)).sum()).collect();
        sums.iter().sum::<f64>() * self.cell * self.cell
    }

    /// The greatest depth, mm.
    #[must_use]
    pub fn deepest(&self) -> f64 {
        f64::from(self.depth.iter().copied().fold(0.0, f32::max))
    }

    /// Makes walls lean: nowhere does the depth change by more than `slope` mm in a mm, and what stands only
    /// grows. Ways go to the eight cells about each, so that slopes are right to 8 % in every direction.
    pub fn lean(&mut self, slope: f64) {
        let straight = (slope * self.cell) as f32;
        let aslant = straight * std::f32::consts::SQRT_2;
        let (columns, rows) = (self.columns, self.rows);
        let mut pass = |forwards: bool| {
            for n in 0..columns * rows {
                let n = if forwards { n } else { columns * rows - 1 - n };
                let (column, row) = ((n % columns) as isize, (n / columns) as isize);
                let back: isize = if forwards { -1 } else { 1 };
                let about = [
                    (back, 0, straight),
                    (-1, back, aslant),
                    (0, back, straight),
                    (1, back, aslant),
                ];
                let mut least = self.depth[n];
                for (dx, dy, rise) in about {
                    let (x, y) = (column + dx, row + dy);
                    if x >= 0 && y >= 0 && x < columns as isize && y < rows as isize {
                        least = least.min(self.depth[y as usize * columns + x as usize] + rise);
                    }
                }
                self.depth[n] = least;
            }
        };
        pass(true);
        pass(false);
    }

    /// Evens out what is finer than `length` mm: each depth becomes the mean of those about it, weighed by a bell
    /// (Gauss) whose standard deviation is half of that. Ground where nothing is taken away counts like any other.
    pub fn smooth(&mut self, length: f64) {
        let sigma = length / 2.0 / self.cell;
        let reach = (3.0 * sigma).ceil() as usize;
        if reach == 0 {
            return;
        }
        let bell: Vec<f32> =
            (0..=reach).map(|n| (-0.5 * (n as f64 / sigma).powi(2)).exp() as f32).collect();
        let once = weigh(&self.depth, self.columns, &bell);
        let turned = transpose(&once, self.columns, self.rows);
        let twice = weigh(&turned, self.rows, &bell);
        self.depth = transpose(&twice, self.rows, self.columns);
    }
}

/// Each value of rows of `width` becomes the mean of those beside it in its row, weighed by how far they are.
fn weigh(from: &[f32], width: usize, weights: &[f32]) -> Vec<f32> {
    let reach = weights.len() - 1;
    let mut to = vec![0.0; from.len()];
    to.par_chunks_mut(width).zip(from.par_chunks(width)).for_each(|(to, from)| {
        for (n, to) in to.iter_mut().enumerate() {
            let first = n.saturating_sub(reach);
            let (mut sum, mut weight) = (0.0, 0.0);
            for (m, value) in from.iter().enumerate().take(n + reach + 1).skip(first) {
                let share = weights[n.abs_diff(m)];
                sum += share * value;
                weight += share;
            }
            *to = sum / weight;
        }
    });
    to
}
