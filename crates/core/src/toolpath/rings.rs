//! Engraving by rings: lines that follow the outline, one inside the other, until nothing is left.

use super::Setting;
use super::area;
use crate::geometry::nesting::parents;
use crate::geometry::region::{self, Polygon};
use crate::geometry::{Contour, Piece, Point, Rect};
use crate::job::Rings;
use crate::layout::LaidShape;
use crate::problem::Problem;
use crate::quantity::plain;
use rayon::prelude::*;

/// Rings are made so many at a time.
const AT_ONCE: usize = 16;

/// Corners that stand out less than this from a ring are left out, mm: no beam shows them.
const SEEN: f64 = 5e-4;

/// More points than this are taken for a mistake in a number or its unit.
const MOST_POINTS: f64 = 2e7;

/// The rings of closed shapes, each with the ring that directly contains it.
///
/// # Errors
/// Open shapes, areas that are not there or too narrow for a single ring, far too many rings.
pub(super) fn rings(
    shapes: &[&LaidShape],
    how: &Rings,
    setting: &Setting<'_>,
) -> Result<Vec<(Contour, Option<usize>)>, Problem> {
    area::open_shapes(shapes, setting)?;
    let ground = area::ground(shapes, setting)?;
    let tolerance = setting.job.tolerance / 2.0;
    too_many(&ground.rings, how, setting)?;
    let mut all: Vec<Polygon> = Vec::new();
    // Far offsets of a jagged outline cross themselves thousands of times. Each batch of rings is
    // made from the last ring of the batch before it, all at once and on all cores.
    let mut from = ground.rings;
    let mut first = how.inset;
    loop {
        let made: Vec<Vec<Vec<Point>>> = (0..=AT_ONCE)
            .into_par_iter()
            .map(|n| {
                let grown = region::grown(&from, -(first + n as f64 * how.spacing), tolerance);
                grown.iter().map(|ring| thinned(ring, SEEN)).filter(|r| r.len() > 2).collect()
            })
            .collect();
        let ended = made.iter().any(Vec::is_empty);
        let batch = made.iter().take(AT_ONCE).take_while(|rings| !rings.is_empty());
        all.extend(batch.flatten().cloned().map(Polygon::new));
        if ended {
            break;
        }
        // The last is the first of the next batch.
        first = 0.0;
        from = made.into_iter().next_back().unwrap_or_default();
    }
    if all.is_empty() {
        let message = format!(
            "step \"{}\": the area is too narrow for a ring {} mm inside it",
            setting.step.name,
            plain(how.inset, 3)
        );
        let problem = Problem::error("no-area", message, "make inset or spacing smaller");
        return Err(problem.at(setting.place()));
    }
    let parents = parents(&all, |_| true);
    Ok(all.iter().map(|ring| closed(ring.points())).zip(parents).collect())
}

/// Refuses more rings than anyone could mean: as many as fit into half the narrower side, each with
/// at most the points of the outline.
fn too_many(rings: &[Vec<Point>], how: &Rings, setting: &Setting<'_>) -> Result<(), Problem> {
    let points = || rings.iter().flatten().map(|p| Rect::from_points(*p, *p));
    let bounds = points().reduce(|a, b| a.union(b)).unwrap_or_default();
    let count = bounds.width().min(bounds.height()) / 2.0 / how.spacing;
    // A ring is work of its own, however few points it has.
    if count * (points().count().max(100) as f64) <= MOST_POINTS {
        return Ok(());
    }
    let message = format!(
        "step \"{}\" would engrave up to {:.0} rings one inside the other",
        setting.step.name, count
    );
    let problem = Problem::error("too-many-lines", message, "check spacing and its unit");
    Err(problem.at(setting.place()))
}

/// A ring without the points that lie within `tolerance` mm of the line that is drawn without them.
fn thinned(ring: &[Point], tolerance: f64) -> Vec<Point> {
    let Some(first) = ring.first() else { return Vec::new() };
    let mut kept = vec![*first];
    let mut anchor = 0;
    for n in 2..=ring.len() {
        let (from, to) = (ring[anchor], ring[n % ring.len()]);
        let chord = to - from;
        let length = chord.hypot().max(f64::MIN_POSITIVE);
        let strays = |p: &Point| (*p - from).cross(chord).abs() / length > tolerance;
        // Bounded, so that a long smooth ring is not looked at over and over.
        if n - anchor > 32 || ring[anchor + 1..n].iter().any(strays) {
            anchor = n - 1;
            kept.push(ring[anchor]);
        }
    }
    kept
}

fn closed(ring: &[Point]) -> Contour {
    let start = ring.first().copied().unwrap_or_default();
    let next = ring.iter().skip(1).chain([&start]);
    Contour { start, pieces: next.map(|to| Piece::Line { to: *to }).collect(), closed: true }
}
