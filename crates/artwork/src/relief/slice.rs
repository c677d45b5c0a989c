//! Cutting a field into layers, and a layer into stretches of rows.

use super::Field;
use rayon::prelude::*;
use tinkite_base::geometry::scan::Span;
use tinkite_base::geometry::{Point, Rect, Vec2};

/// How a field is cut into layers.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Slicing {
    /// How many layers.
    pub layers: u32,
    /// How thick each is, mm.
    pub thickness: f64,
}

impl Slicing {
    /// What is at least this deep is taken away in layer `n`, counted from 0, mm: the middle of the layer, so that
    /// all layers together take away as much as the field says.
    #[must_use]
    pub fn threshold(&self, n: u32) -> f32 {
        ((f64::from(n) + 0.5) * self.thickness) as f32
    }
}

/// Rows of a layer: where they lie, seen along them.
#[derive(Debug, Clone, Copy)]
pub struct LayerRows {
    /// Unit vector along the rows.
    pub along: Vec2,
    /// Height of row 0 in the frame of the rows, mm.
    pub first: f64,
    /// From row to row, mm.
    pub spacing: f64,
    /// How many.
    pub count: u32,
    /// From where to where along the rows, mm.
    pub reach: (f64, f64),
}

/// From where to where a line from `origin` along a unit direction lies in a rectangle.
fn within(rect: Rect, along: Vec2, origin: Vec2) -> Option<(f64, f64)> {
    let (mut first, mut last) = (f64::NEG_INFINITY, f64::INFINITY);
    for (step, at, low, high) in
        [(along.x, origin.x, rect.x0, rect.x1), (along.y, origin.y, rect.y0, rect.y1)]
    {
        if step.abs() < 1e-12 {
            if !(low..=high).contains(&at) {
                return None;
            }
            continue;
        }
        let (a, b) = ((low - at) / step, (high - at) / step);
        (first, last) = (first.max(a.min(b)), last.min(a.max(b)));
    }
    (first < last).then_some((first, last))
}

/// The stretches of rows in which a field is at least `deep` mm deep, in the frame of the rows.
#[must_use]
pub fn layer(field: &Field, deep: f32, rows: &LayerRows) -> Vec<Span> {
    // Twice to a cell: no edge is off by more than a quarter of one along the row.
    let pitch = field.cell / 2.0;
    let across = Vec2::new(-rows.along.y, rows.along.x);
    let one = |row: u32| {
        let v = rows.first + f64::from(row) * rows.spacing;
        let mut spans: Vec<Span> = Vec::new();
        let mut open: Option<f64> = None;
        let Some((first, last)) = within(field.bounds, rows.along, across * v) else {
            return spans;
        };
        let (first, last) = (first.max(rows.reach.0), last.min(rows.reach.1));
        let steps = ((last - first) / pitch - 1e-6).ceil().max(0.0) as usize;
        for step in 0..=steps {
            // The last stretch ends where the field does.
            let place = |step: usize| (first + step as f64 * pitch).min(last);
            let from = place(step);
            let middle = f64::midpoint(from, place(step + 1));
            let p: Point = (rows.along * middle + across * v).to_point();
            let burns = step < steps && field.at(p) >= deep;
            match (burns, open) {
                (true, None) => open = Some(from),
                (false, Some(begin)) => {
                    spans.push(Span { row, from: begin, to: from, level: 1 });
                    open = None;
                }
                _ => {}
            }
        }
        spans
    };
    (0..rows.count).into_par_iter().flat_map_iter(one).collect()
}
