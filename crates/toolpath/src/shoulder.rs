//! Shoulders: power that rises with the true distance from the edge of the drawing.

use super::EngraveContext;
use super::area::RingArea;
use super::rows::RowOrder;
use rayon::prelude::*;
use tinkite_base::geometry::Point;
use tinkite_base::geometry::region::{self, Combine};
use tinkite_base::geometry::scan::{Area, Span, scan};
use tinkite_base::problem::{Code, Problem, Problems};
use tinkite_base::quantity::plain;
use tinkite_job::Shoulder;

/// More bands than this cannot be seen.
const MOST_BANDS: usize = 48;

/// An area in bands of equal distance from the edge.
pub(super) struct Bands {
    /// What lies beyond the first band, beyond the second, and so on.
    pub(super) inner: Vec<Vec<Vec<Point>>>,
    /// Power of each band, counted from 1.
    pub(super) powers: [f64; 256],
}

/// Cuts an area into bands; says when nothing of it is far enough from the edge for full power.
pub(super) fn bands(
    ground: &RingArea,
    how: &Shoulder,
    context: &EngraveContext<'_>,
    problems: &mut Problems,
) -> Bands {
    let beam = &context.job.machine.beam;
    let full = context.step.power().0;
    // A band for each level of the source that lies between, and no narrower than half a spot.
    let levels = ((full - how.from.0).abs() * beam.full / beam.level_step()).round();
    let fine = (how.over / (beam.width / 2.0)).ceil();
    let count = (levels.min(fine).max(1.0) as usize).min(MOST_BANDS);
    let tolerance = context.job.tolerance / 2.0;
    let inner: Vec<Vec<Vec<Point>>> = (1..=count)
        .into_par_iter()
        .map(|n| {
            let distance = how.over * n as f64 / count as f64;
            if context.engrave.outside {
                let near = region::grow(&ground.drawn, distance, tolerance);
                region::combined(&ground.rings, &near, Combine::Minus)
            } else {
                let far = region::grow(&ground.drawn, -distance, tolerance);
                region::combined(&ground.rings, &far, Combine::Overlap)
            }
        })
        .collect();
    if inner.last().is_none_or(Vec::is_empty) {
        problems.push(
            Problem::warning(
                Code::ShoulderWide,
                format!(
                    "step \"{}\": nothing lies {} mm from the edge, so nowhere is its full power reached",
                    context.step.name,
                    plain(how.over, 3)
                ),
                "make over in shoulder smaller, or the boundary wider",
            )
            .at(context.place()),
        );
    }
    let mut powers = [0.0; 256];
    for (n, power) in powers.iter_mut().enumerate().skip(1).take(count) {
        let share = (n as f64 - 0.5) / count as f64;
        *power = how.from.0 + (full - how.from.0) * share;
    }
    powers[count + 1] = full;
    Bands { inner, powers }
}

/// Stretches of rows, each with the number of its band: areas that lie in one another, the whole
/// one first.
pub(super) fn spans(whole: &[Area], inner: &[Area], walk: &RowOrder, rows: u32) -> Vec<Span> {
    let mut edges: Vec<(u32, f64, i32)> = Vec::new();
    let mut add = |spans: Vec<Span>| {
        edges.extend(spans.iter().flat_map(|s| [(s.row, s.from, 1), (s.row, s.to, -1)]));
    };
    add(scan(whole, walk.first, walk.spacing, rows));
    for area in inner {
        add(scan(std::slice::from_ref(area), walk.first, walk.spacing, rows));
    }
    edges.par_sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)).then(b.2.cmp(&a.2)));
    let mut spans: Vec<Span> = Vec::with_capacity(edges.len() / 2);
    let mut depth = 0;
    for pair in edges.windows(2) {
        let ((row, from, change), (next_row, to, _)) = (pair[0], pair[1]);
        depth += change;
        if row != next_row {
            depth = 0;
            continue;
        }
        if depth <= 0 || to <= from {
            continue;
        }
        let level = depth.min(255) as u8;
        match spans.last_mut() {
            // What is too short to be seen belongs to what comes before it.
            Some(last)
                if last.row == row
                    && (last.to - from).abs() < 1e-6
                    && (last.level == level || to - from < SHORTEST) =>
            {
                last.to = to;
            }
            _ => spans.push(Span { row, from, to, level }),
        }
    }
    spans
}

/// Stretches shorter than this would vanish in a program's numbers, mm.
const SHORTEST: f64 = 2e-3;
