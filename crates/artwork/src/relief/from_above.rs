//! Looking down on triangles: the highest surface over each cell.

use super::Field;
use rayon::prelude::*;
use tinkite_base::geometry::Point;

/// What is seen of triangles from above.
#[derive(Debug, Clone, PartialEq)]
pub struct Seen {
    /// The highest surface over the middle of each cell, mm; less than zero where there is none.
    pub height: Vec<f32>,
}

/// Rows of cells that are filled at a time, on all cores.
const BAND: usize = 32;

/// A triangle's edge belongs to it this far beyond, as a share of a cell: neighbours leave no gap between them.
const EDGE: f64 = 1e-6;

/// The highest of `triangles` (X and Y on the bed, Z above zero, mm) over each cell of a field. Whatever way they
/// face and whatever lies under others, what is highest is what is seen.
#[must_use]
pub fn seen_from_above(field: &Field, triangles: &[[[f64; 3]; 3]]) -> Seen {
    let mut height = vec![-1.0; field.columns * field.rows];
    // Which triangles reach into which band of rows.
    let bands = field.rows.div_ceil(BAND);
    let row_of = |y: f64| (y - field.corner.y) / field.cell - 0.5;
    let mut reach: Vec<Vec<u32>> = vec![Vec::new(); bands];
    for (n, corners) in triangles.iter().enumerate() {
        let ys = corners.map(|c| row_of(c[1]));
        let low = ys.iter().copied().fold(f64::MAX, f64::min).ceil().max(0.0);
        let high = ys.iter().copied().fold(f64::MIN, f64::max).floor();
        // A number that is none is in no row.
        let inside = low <= high && low < field.rows as f64 && high >= 0.0;
        if !inside {
            continue;
        }
        let (first, last) = (low as usize / BAND, (high as usize).min(field.rows - 1) / BAND);
        reach[first..=last].iter_mut().for_each(|band| band.push(n as u32));
    }
    height.par_chunks_mut(field.columns * BAND).zip(reach).enumerate().for_each(
        |(band, (cells, reach))| {
            for n in reach {
                one(field, &triangles[n as usize], band * BAND, cells);
            }
        },
    );
    Seen { height }
}

/// Lays one triangle over the rows of a band.
fn one(field: &Field, corners: &[[f64; 3]; 3], first: usize, cells: &mut [f32]) {
    let place = |c: &[f64; 3]| {
        let (x, y) = ((c[0] - field.corner.x) / field.cell, (c[1] - field.corner.y) / field.cell);
        (Point::new(x - 0.5, y - 0.5), c[2])
    };
    let [(a, za), (b, zb), (c, zc)] = [place(&corners[0]), place(&corners[1]), place(&corners[2])];
    let twice = (b - a).cross(c - a);
    // Walls are seen as a line.
    if twice == 0.0 {
        return;
    }
    let rows = cells.len() / field.columns;
    let ys = [a.y, b.y, c.y];
    let low = ys.iter().copied().fold(f64::MAX, f64::min) - EDGE;
    let high = ys.iter().copied().fold(f64::MIN, f64::max) + EDGE;
    let from = (low.ceil().max(first as f64) as usize).max(first);
    for row in from..first + rows {
        let y = row as f64;
        if y > high {
            break;
        }
        let Some((left, right)) = across([a, b, c], y) else { continue };
        let begin = (left - EDGE).ceil().max(0.0);
        let end = (right + EDGE).floor().min(field.columns as f64 - 1.0);
        let any = begin <= end;
        if !any {
            continue;
        }
        let line = &mut cells[(row - first) * field.columns..(row - first + 1) * field.columns];
        // The plane through the corners.
        for (column, cell) in
            line.iter_mut().enumerate().take(end as usize + 1).skip(begin as usize)
        {
            let p = Point::new(column as f64, y);
            let (wb, wc) = ((p - a).cross(c - a) / twice, (b - a).cross(p - a) / twice);
            let z = za + wb * (zb - za) + wc * (zc - za);
            // Beyond an edge the plane would go on rising.
            let z = z.clamp(za.min(zb).min(zc), za.max(zb).max(zc)) as f32;
            *cell = cell.max(z);
        }
    }
}

/// Where a triangle lies on a line across: from and to.
fn across(corners: [Point; 3], y: f64) -> Option<(f64, f64)> {
    let mut span: Option<(f64, f64)> = None;
    for n in 0..3 {
        let (a, b) = (corners[n], corners[(n + 1) % 3]);
        let (low, high) = if a.y <= b.y { (a, b) } else { (b, a) };
        if y < low.y - EDGE || y > high.y + EDGE {
            continue;
        }
        let xs = if high.y - low.y <= EDGE {
            [low.x, high.x]
        } else {
            let share = ((y - low.y) / (high.y - low.y)).clamp(0.0, 1.0);
            [low.x + (high.x - low.x) * share; 2]
        };
        for x in xs {
            let (from, to) = span.unwrap_or((x, x));
            span = Some((from.min(x), to.max(x)));
        }
    }
    span
}
