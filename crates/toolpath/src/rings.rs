//! Engraving by rings: lines that follow the outline, one inside the other, until nothing is left.

use super::EngraveContext;
use super::area;
use rayon::prelude::*;
use tinkite_base::geometry::medial_axis::{Smallest, medial_axis};
use tinkite_base::geometry::nesting::parents;
use tinkite_base::geometry::refit::with_arcs;
use tinkite_base::geometry::region::{self, Combine, FillRule, Polygon};
use tinkite_base::geometry::{Contour, Piece, Point, Rect};
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::plain;
use tinkite_job::Rings;
use tinkite_layout::LaidShape;

/// Rings are made so many at a time.
const AT_ONCE: usize = 16;

/// Corners that stand out less than this from a ring are left out, mm: no beam shows them.
const SEEN: f64 = 5e-4;

/// Rings as thin as this are taken for a line, as a share of the spacing.
const SLIVER: f64 = 0.05;

/// What is left between rings is burnt along its middle where it is wider than twice this share of
/// the spacing: no point lies further than 0.52 of a spacing from a line.
const NARROW: f64 = 0.02;

/// Spots, as in corners, are left where they are smaller than this share of the spacing: a ring
/// leaves such a spot in every corner of less than 180 degrees, at most 0.67 of a spacing from a
/// line in one of 60 degrees. Sharper corners get a line into them. Scraps of less area than such a
/// spot and no more than 0.85 of a spacing long are left, too.
const SPOT: f64 = 0.17;

/// Side branches of middle lines are at least so long, as a share of the spacing.
const BRANCH: f64 = 0.6;

/// Distance between the points of an edge from which a middle line is made, as a share of the
/// spacing.
const STEP: f64 = 0.25;

/// More points than this are taken for a mistake in a number or its unit.
const MOST_POINTS: f64 = 2e7;

/// The rings of closed shapes, each with the ring that directly contains it.
///
/// # Errors
/// Open shapes, areas that are not there or too narrow for a single ring, far too many rings.
pub(super) fn rings(
    shapes: &[&LaidShape],
    how: &Rings,
    context: &EngraveContext<'_>,
) -> Result<Vec<(Contour, Option<usize>)>, Problem> {
    area::open_shapes(shapes, context)?;
    let ground = area::ground(shapes, context)?;
    let tolerance = context.job.tolerance / 2.0;
    too_many(&ground.rings, how, context)?;
    let Fill { rings, middles } = fill(ground.rings, how, tolerance);
    if rings.is_empty() && middles.is_empty() {
        let message = format!(
            "step \"{}\": the area is too narrow for a ring {} mm inside it",
            context.step.name,
            plain(how.inset, 3)
        );
        let problem = Problem::error(Code::NoArea, message, "make inset or spacing smaller");
        return Err(problem.at(context.place()));
    }
    let count = rings.len();
    let all: Vec<Polygon> = rings.into_iter().chain(middles).map(Polygon::new).collect();
    let parents = parents(&all, |n| n < count);
    let line = |(n, line): (usize, &Polygon)| {
        if n < count { with_arcs(line.points(), tolerance) } else { open(line.points()) }
    };
    let lines: Vec<Contour> = all.par_iter().enumerate().map(line).collect();
    Ok(lines.into_iter().zip(parents).collect())
}

/// What covers an area.
#[derive(Default)]
struct Fill {
    /// Closed lines.
    rings: Vec<Vec<Point>>,
    /// Lines half way between rings where the next one finds no room.
    middles: Vec<Vec<Point>>,
}

fn fill(area: Vec<Vec<Point>>, how: &Rings, tolerance: f64) -> Fill {
    let spacing = how.spacing;
    let inner = |from: &[Vec<Point>], depth: f64| region::grow(from, -depth, tolerance);
    let mut fill = Fill::default();
    // The edge of what the first ring leaves; inside an inset that is wider, nothing is burnt.
    let edge = inner(&area, (how.inset - spacing / 2.0).max(0.0));
    let first = ring(&inner(&area, how.inset), spacing);
    fill.middles.extend(left_over(&edge, &first, spacing, tolerance));
    // Far offsets of a jagged outline cross themselves thousands of times. Each batch of rings is
    // made from the last ring of the batch before it, all at once and on all cores.
    let mut from = area;
    let mut depth = how.inset;
    loop {
        let rings: Vec<Vec<Vec<Point>>> = (0..=AT_ONCE)
            .into_par_iter()
            .map(|n| ring(&inner(&from, depth + n as f64 * spacing), spacing))
            .collect();
        let gaps: Vec<Vec<Vec<Point>>> = (0..AT_ONCE)
            .into_par_iter()
            .map(|n| {
                if rings[n].is_empty() {
                    return Vec::new();
                }
                // From the ring itself: it is near, and what is near crosses itself seldom.
                left_over(&inner(&rings[n], spacing / 2.0), &rings[n + 1], spacing, tolerance)
            })
            .collect();
        fill.middles.extend(gaps.into_iter().flatten());
        let ended = rings.iter().any(Vec::is_empty);
        let batch = rings.iter().take(AT_ONCE).take_while(|rings| !rings.is_empty());
        fill.rings.extend(batch.flatten().cloned());
        if ended {
            return fill;
        }
        // The last is the first of the next batch.
        depth = 0.0;
        from = rings.into_iter().next_back().unwrap_or_default();
    }
}

/// The rings of an offset, without points that make no difference and without slivers: where an
/// area is as wide as its rings are deep, the middle line stands for the two sides.
fn ring(offset: &[Vec<Point>], spacing: f64) -> Vec<Vec<Point>> {
    let is_sliver = |ring: &Vec<Point>| {
        let next = ring.iter().cycle().skip(1);
        let round: f64 = ring.iter().zip(next).map(|(a, b)| a.distance(*b)).sum();
        region::signed_area(ring.iter().copied()) < SLIVER * spacing * round / 2.0
    };
    let is_hole = |ring: &Vec<Point>| region::signed_area(ring.iter().copied()) < 0.0;
    let rings = offset.iter().map(|ring| thin(ring, SEEN)).filter(|ring| ring.len() > 2);
    rings.filter(|ring| is_hole(ring) || !is_sliver(ring)).collect()
}

/// Middle lines of what lies inside `edge`, half a spacing from a ring, and further than half a
/// spacing from the `next` ring.
fn left_over(
    edge: &[Vec<Point>],
    next: &[Vec<Point>],
    spacing: f64,
    tolerance: f64,
) -> Vec<Vec<Point>> {
    if edge.is_empty() {
        return Vec::new();
    }
    // A little more, so that edges that should coincide leave no slivers.
    let covered = region::grow(next, (0.5 + NARROW / 4.0) * spacing, tolerance);
    let left = region::combined_as(edge, &covered, Combine::Minus, FillRule::NonZero);
    let smallest = Smallest {
        half_width: NARROW * spacing,
        spot: SPOT * spacing,
        branch: BRANCH * spacing,
        step: STEP * spacing,
    };
    medial_axis(&left, smallest).iter().map(|line| thinned_open(line, NARROW * spacing)).collect()
}

/// Refuses more rings than anyone could mean: as many as fit into half the narrower side, each with
/// at most the points of the outline.
fn too_many(
    rings: &[Vec<Point>],
    how: &Rings,
    context: &EngraveContext<'_>,
) -> Result<(), Problem> {
    let points = || rings.iter().flatten().map(|p| Rect::from_points(*p, *p));
    let bounds = points().reduce(|a, b| a.union(b)).unwrap_or_default();
    let count = bounds.width().min(bounds.height()) / 2.0 / how.spacing;
    // A ring is work of its own, however few points it has.
    if count * (points().count().max(100) as f64) <= MOST_POINTS {
        return Ok(());
    }
    let message = format!(
        "step \"{}\" would engrave up to {:.0} rings one inside the other",
        context.step.name, count
    );
    let problem = Problem::error(Code::TooManyLines, message, "check spacing and its unit");
    Err(problem.at(context.place()))
}

/// A ring without the points that lie within `tolerance` mm of the line that is drawn without them.
fn thin(ring: &[Point], tolerance: f64) -> Vec<Point> {
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

/// An open line without the points that lie within `tolerance` mm of the line that is drawn without
/// them; both ends stay.
fn thinned_open(line: &[Point], tolerance: f64) -> Vec<Point> {
    let mut kept = thin(line, tolerance);
    if let Some(end) = line.last()
        && kept.last() != Some(end)
    {
        kept.push(*end);
    }
    kept
}

fn open(line: &[Point]) -> Contour {
    let start = line.first().copied().unwrap_or_default();
    let pieces = line.iter().skip(1).map(|to| Piece::Line { to: *to }).collect();
    Contour { start, pieces, closed: false }
}
