//! Detail: what of a surface is finer than a spot.
//!
//! A spot that is a square of `width` cells cannot make a groove that is narrower than itself, and cannot leave a
//! wall that is narrower: what an opening or a closing by that square changes (J. Serra, "Image Analysis and
//! Mathematical Morphology", 1982) is lost.

use rayon::prelude::*;
use std::collections::VecDeque;

/// Which share of a surface's relief a spot of so many cells loses: what grooves and walls narrower than it come
/// to, of all that stands above the lowest place. `values` are rows of `columns` heights or depths.
#[must_use]
pub fn mean_detail_lost(values: &[f32], columns: usize, width: usize) -> f64 {
    let rows = values.len() / columns.max(1);
    if width < 2 || rows == 0 || columns == 0 {
        return 0.0;
    }
    let low = values.iter().copied().fold(f32::INFINITY, f32::min);
    let all = sum(values, |v| v - low);
    if all <= 0.0 {
        return 0.0;
    }
    // Beyond its edges the surface goes on as it ends, so that a slope up to the edge is none.
    let (wide, high) = (columns + 2 * width, rows + 2 * width);
    let within = |n: usize, most: usize| n.saturating_sub(width).min(most - 1);
    let surface: Vec<f32> = (0..wide * high)
        .map(|n| values[within(n / wide, rows) * columns + within(n % wide, columns)])
        .collect();
    let by = |surface: &[f32], greatest: bool| {
        let across = rows_by(surface, wide, width, greatest);
        let turned = transpose(&across, wide, high);
        let away = rows_by(&turned, high, width, greatest);
        self::transpose(&away, high, wide)
    };
    let opened = by(&by(&surface, false), true);
    let closed = by(&by(&surface, true), false);
    let between = |other: &[f32]| {
        let at = |n: usize| (n / columns + width) * wide + n % columns + width;
        values.iter().enumerate().map(|(n, v)| f64::from((v - other[at(n)]).abs())).sum::<f64>()
    };
    (between(&opened) + between(&closed)) / all
}

/// The widest spot, in cells, that loses less than `share` of a surface's relief; `None` where a spot of two cells
/// loses more, so that the surface is as fine as its cells.
#[must_use]
pub fn finest(values: &[f32], columns: usize, share: f64) -> Option<usize> {
    let mut widest = None;
    let mut width = 2;
    while width <= columns.max(values.len() / columns.max(1)) {
        if mean_detail_lost(values, columns, width) >= share {
            return widest;
        }
        widest = Some(width);
        // In steps of a quarter, since each look takes time.
        width += (width / 4).max(1);
    }
    widest
}

fn sum(values: &[f32], of: impl Fn(f32) -> f32) -> f64 {
    values.iter().map(|v| f64::from(of(*v))).sum()
}

/// Each value becomes the least or greatest of the `width` about it in its row, as far as the row goes.
fn rows_by(from: &[f32], columns: usize, width: usize, greatest: bool) -> Vec<f32> {
    // For an even width the window lies half a cell aside, the other way for the greatest, so that an opening
    // stays where it is.
    let ahead = if greatest { width / 2 } else { (width - 1) / 2 };
    let behind = width - 1 - ahead;
    let better = |a: f32, b: f32| if greatest { a >= b } else { a <= b };
    let mut to = vec![0.0; from.len()];
    to.par_chunks_mut(columns).zip(from.par_chunks(columns)).for_each(|(to, from)| {
        let mut best: VecDeque<usize> = VecDeque::new();
        let mut next = 0;
        for (n, to) in to.iter_mut().enumerate() {
            while next < from.len() && next <= n + ahead {
                while best.back().is_some_and(|b| better(from[next], from[*b])) {
                    best.pop_back();
                }
                best.push_back(next);
                next += 1;
            }
            while best.front().is_some_and(|b| b + behind < n) {
                best.pop_front();
            }
            *to = best.front().map_or(from[n], |b| from[*b]);
        }
    });
    to
}

/// Rows become columns.
pub(super) fn transpose(from: &[f32], columns: usize, rows: usize) -> Vec<f32> {
    let mut to = vec![0.0; from.len()];
    to.par_chunks_mut(rows).enumerate().for_each(|(column, to)| {
        for (row, to) in to.iter_mut().enumerate() {
            *to = from[row * columns + column];
        }
    });
    to
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A plate with a wall of `wall` cells and a groove of `groove` cells, as long as the plate is deep.
    fn plate(wall: usize, groove: usize) -> Vec<f32> {
        let row: Vec<f32> = (0..100)
            .map(|n| match n {
                n if (20..20 + wall).contains(&n) => 2.0,
                n if (60..60 + groove).contains(&n) => 0.0,
                _ => 1.0,
            })
            .collect();
        row.repeat(60)
    }

    #[test]
    fn what_is_narrower_than_the_spot_is_lost_and_nothing_else() {
        // Walls and grooves of five cells: a spot of five makes both, one of six neither.
        let values = plate(5, 5);
        assert_eq!(mean_detail_lost(&values, 100, 5), 0.0);
        let all = (100.0 + 5.0 - 5.0) * 60.0;
        assert!((mean_detail_lost(&values, 100, 6) - 10.0 * 60.0 / all).abs() < 1e-9);
        // The wall alone, and the groove alone.
        for (wall, groove) in [(3, 9), (9, 3)] {
            let values = plate(wall, groove);
            let all = (100.0 + wall as f64 - groove as f64) * 60.0;
            for width in 1..12 {
                let gone = [wall, groove].into_iter().filter(|w| *w < width).sum::<usize>();
                let share = gone as f64 * 60.0 / all;
                assert!(
                    (mean_detail_lost(&values, 100, width) - share).abs() < 1e-9,
                    "{wall} {groove} {width}"
                );
            }
        }
        assert_eq!(finest(&plate(5, 7), 100, 0.02), Some(5));
        assert_eq!(finest(&plate(1, 0), 100, 0.005), None);
    }

    #[test]
    fn slopes_and_steps_are_no_detail() {
        let slope: Vec<f32> = (0..100).map(|n| n as f32).collect::<Vec<_>>().repeat(40);
        assert_eq!(mean_detail_lost(&slope, 100, 8), 0.0);
        let step: Vec<f32> = (0..100).map(|n| if n < 50 { 0.0 } else { 1.0 }).collect();
        assert_eq!(mean_detail_lost(&step.repeat(40), 100, 8), 0.0);
        assert_eq!(mean_detail_lost(&[1.0; 100], 10, 4), 0.0);
        assert_eq!(mean_detail_lost(&[], 0, 4), 0.0);
    }
}
