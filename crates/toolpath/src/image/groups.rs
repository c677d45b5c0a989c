//! A bitmap with wide blanks is engraved in parts where that is quicker than running every row through all of it.

use crate::cluster::{self, Pacing};
use crate::rows::{PixelRows, RowOrder, Rows};
use std::sync::Arc;
use tinkite_base::geometry::scan::Span;

/// Parts take no more than this many times the pixels of the whole, each with the blanks in its own rectangle.
const MOST_PIXELS: usize = 2;

/// The rows of a grid of pixels, in one part or several; `None` where all of it is blank.
pub(super) fn rows(
    walk: RowOrder,
    grid: PixelRows,
    powers: &Arc<[f64; 256]>,
    pacing: &Pacing,
) -> Vec<Rows> {
    let parts: Vec<GridPart> = cluster::quickest(stretches(&grid, pacing), pacing)
        .into_iter()
        .filter_map(|spans| GridPart::of(spans, &grid))
        .collect();
    let pixels: usize = parts.iter().map(GridPart::pixels).sum();
    if parts.len() < 2 || pixels > MOST_PIXELS * grid.levels.len() {
        return Rows::of_grid(walk, grid, powers.clone()).into_iter().collect();
    }
    let made = parts.iter().filter_map(|part| {
        let first = walk.first + part.low as f64 * walk.spacing;
        Rows::of_grid(RowOrder { first, ..walk }, part.cut(&grid), powers.clone())
    });
    made.collect()
}

/// Where each row is burnt, pixels from the row's beginning: stretches with nothing but short blanks in them.
fn stretches(grid: &PixelRows, pacing: &Pacing) -> Vec<Span> {
    let mut all: Vec<Span> = Vec::new();
    for (row, levels) in grid.levels.chunks(grid.width).enumerate() {
        let mut at = 0;
        let begins = all.len();
        for run in levels.chunk_by(|a, b| (*a > 0) == (*b > 0)) {
            let place = |pixel: usize| grid.start + pixel as f64 * grid.pitch;
            let (from, to) = (place(at), place(at + run.len()));
            at += run.len();
            if run[0] == 0 {
                continue;
            }
            let same_row = begins < all.len();
            match all.last_mut().filter(|_| same_row) {
                Some(last) if from - last.to <= pacing.short_gap() => last.to = to,
                _ => all.push(Span { row: row as u32, from, to, level: 1 }),
            }
        }
    }
    all
}

/// A part of a grid.
struct GridPart {
    spans: Vec<Span>,
    /// Its lowest row.
    low: usize,
    rows: usize,
    /// Its first column.
    left: usize,
    columns: usize,
}

/// Which pixel begins at a place along a row.
fn pixel(place: f64, grid: &PixelRows) -> usize {
    ((place - grid.start) / grid.pitch).round().max(0.0) as usize
}

impl GridPart {
    /// None without stretches.
    fn of(spans: Vec<Span>, grid: &PixelRows) -> Option<Self> {
        let low = spans.first()?.row as usize;
        let rows = spans.last()?.row as usize + 1 - low;
        let left = spans.iter().map(|span| pixel(span.from, grid)).min()?;
        let right = spans.iter().map(|span| pixel(span.to, grid)).max()?;
        Some(Self { low, rows, left, columns: right - left, spans })
    }

    fn pixels(&self) -> usize {
        self.rows * self.columns
    }

    /// Its pixels, blank where they are another part's.
    fn cut(&self, grid: &PixelRows) -> PixelRows {
        let mut levels = vec![0; self.pixels()];
        for span in &self.spans {
            let (from, to) = (pixel(span.from, grid), pixel(span.to, grid));
            let there = span.row as usize * grid.width;
            let here = (span.row as usize - self.low) * self.columns;
            levels[here + from - self.left..here + to - self.left]
                .copy_from_slice(&grid.levels[there + from..there + to]);
        }
        let start = grid.start + self.left as f64 * grid.pitch;
        PixelRows { levels, width: self.columns, start, pitch: grid.pitch }
    }
}
