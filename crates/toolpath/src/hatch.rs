//! Engraving by parallel lines.

use super::area::{self, RingArea};
use super::cluster::{self, Pacing};
use super::rows::{RowOrder, Rows};
use super::wrap::closing_spacing;
use super::{EngraveContext, shoulder};
use std::f64::consts::{FRAC_PI_2, FRAC_PI_4, PI};
use std::sync::Arc;
use tinkite_base::geometry::hull::convex_hull;
use tinkite_base::geometry::region::{self, FillRule};
use tinkite_base::geometry::scan::{Area, Span, scan};
use tinkite_base::geometry::{Affine, Point};
use tinkite_base::problem::{Code, Problem, Problems};
use tinkite_base::quantity::plain;
use tinkite_job::{Islands, Lines};
use tinkite_layout::LaidShape;

/// More rows or crossings than this are a slip of the pen: days of burning.
const MOST_CROSSINGS: f64 = 2e7;

/// Fills closed shapes with lines: rows in the order in which they are run, `None` where the lines
/// miss everything.
///
/// # Errors
/// Open shapes, areas that are not there, and far too many lines.
pub(super) fn fill(
    shapes: &[&LaidShape],
    lines: &Lines,
    context: &EngraveContext<'_>,
    problems: &mut Problems,
) -> Result<Vec<Rows>, Problem> {
    area::open_shapes(shapes, context)?;
    let tolerance = context.job.tolerance;
    let simple =
        area::is_plain(context.engrave) && lines.inset == 0.0 && lines.islands != Islands::OneByOne;
    let mut made = Vec::new();
    if simple {
        let areas: Vec<Area> = if shapes.iter().any(|laid| laid.shown.is_some()) {
            // Parts of one colour that meet under other paint are one area.
            let rings = area::enclose(shapes, tolerance);
            vec![Area { rings, rule: FillRule::NonZero }]
        } else {
            let one = |laid: &&LaidShape| Area {
                rings: area::flat(laid, tolerance),
                rule: area::rule(laid),
            };
            shapes.iter().map(one).collect()
        };
        for angle in angles(&areas, lines, context, problems)? {
            made.extend(one_way(&areas, angle, lines, None, context)?);
        }
        return Ok(made);
    }
    let mut ground = area::ground(shapes, context)?;
    if lines.inset > 0.0 {
        ground.rings = region::grow(&ground.rings, -lines.inset, tolerance / 2.0);
        if ground.rings.is_empty() {
            let message = format!(
                "step \"{}\": an inset of {} mm leaves no area",
                context.step.name,
                plain(lines.inset, 3)
            );
            let problem = Problem::error(Code::NoArea, message, "make inset smaller");
            return Err(problem.at(context.place()));
        }
    }
    let shoulder = &context.engrave.shoulder;
    let shoulder = shoulder.as_ref().map(|how| shoulder::bands(&ground, how, context, problems));
    let parts = match lines.islands {
        Islands::Together | Islands::Quickest => vec![ground.rings.clone()],
        Islands::OneByOne => islands(&ground),
    };
    for part in parts {
        let areas = [Area { rings: part, rule: FillRule::NonZero }];
        for angle in angles(&areas, lines, context, problems)? {
            made.extend(one_way(&areas, angle, lines, shoulder.as_ref(), context)?);
        }
    }
    Ok(made)
}

/// Each outline with the holes in it.
fn islands(ground: &RingArea) -> Vec<Vec<Vec<Point>>> {
    let signed = |ring: &Vec<Point>| region::signed_area(ring.iter().copied());
    let mut parts: Vec<Vec<Vec<Point>>> =
        ground.rings.iter().filter(|ring| signed(ring) > 0.0).map(|r| vec![r.clone()]).collect();
    let outlines: Vec<region::Polygon> =
        parts.iter().map(|part| region::Polygon::new(part[0].clone())).collect();
    for hole in ground.rings.iter().filter(|ring| signed(ring) <= 0.0) {
        let Some(p) = hole.first() else { continue };
        // A hole may touch its outline in a corner; the middle of an edge does not.
        let p = p.midpoint(hole[1 % hole.len()]);
        let owner = (0..outlines.len())
            .filter(|n| outlines[*n].contains(p))
            .min_by(|a, b| outlines[*a].area().total_cmp(&outlines[*b].area()));
        if let Some(owner) = owner {
            parts[owner].push(hole.clone());
        }
    }
    parts
}

/// In which directions the lines run: as the job says, or as takes least time, which is told.
///
/// # Errors
/// Far too many lines.
fn angles(
    areas: &[Area],
    lines: &Lines,
    context: &EngraveContext<'_>,
    problems: &mut Problems,
) -> Result<Vec<f64>, Problem> {
    if !lines.quickest_angle {
        return Ok(lines.angles.clone());
    }
    let mut best: Option<(f64, f64)> = None;
    for angle in candidates(areas) {
        let laid = lay(areas, angle, lines, None, context)?;
        let pacing = Pacing::of(&laid.walk, context.step, context.job);
        let seconds = cluster::seconds(laid.spans, &pacing, lines.islands);
        if best.is_none_or(|(_, least)| seconds < least - 1e-9) {
            best = Some((angle, seconds));
        }
    }
    let angle = best.map_or(0.0, |(angle, _)| angle);
    let message = format!(
        "step \"{}\": lines at {} deg are the quickest",
        context.step.name,
        plain(angle.to_degrees(), 1)
    );
    let help = "say that angle to keep it when the drawing changes";
    problems.push(Problem::note(Code::QuickestAngle, message, help).at(context.place()));
    Ok(vec![angle])
}

/// Directions that are tried: those of the axes, half-way between them, and along and across the longest edge of the
/// hull, radians; each once.
fn candidates(areas: &[Area]) -> Vec<f64> {
    let hull = convex_hull(areas.iter().flat_map(|area| &area.rings).flatten().copied().collect());
    let edges = hull.iter().zip(hull.iter().cycle().skip(1)).map(|(a, b)| *b - *a);
    let longest = edges.max_by(|a, b| a.hypot2().total_cmp(&b.hypot2()));
    let along = longest.map_or(0.0, |edge| edge.y.atan2(edge.x));
    let mut all: Vec<f64> = Vec::new();
    for angle in [0.0, FRAC_PI_2, FRAC_PI_4, 3.0 * FRAC_PI_4, along, along + FRAC_PI_2] {
        let angle = angle.rem_euclid(PI);
        // Lines at 0 and at 180 deg are the same.
        let apart = |other: &f64| (angle - other).abs().min(PI - (angle - other).abs());
        if all.iter().all(|other| apart(other) > 1e-3) {
            all.push(angle);
        }
    }
    all
}

/// Lines of one direction, before they are parted into groups.
struct Laid {
    walk: RowOrder,
    spans: Vec<Span>,
    powers: [f64; 256],
}

/// Lines of one direction.
fn one_way(
    areas: &[Area],
    angle: f64,
    lines: &Lines,
    bands: Option<&shoulder::Bands>,
    context: &EngraveContext<'_>,
) -> Result<Vec<Rows>, Problem> {
    let Laid { walk, spans, powers } = lay(areas, angle, lines, bands, context)?;
    let powers = Arc::new(powers);
    let groups = match lines.islands {
        Islands::Quickest => {
            cluster::quickest(spans, &Pacing::of(&walk, context.step, context.job))
        }
        Islands::Together | Islands::OneByOne => vec![spans],
    };
    let rows = groups.into_iter().filter_map(|spans| Rows::of_spans(walk, spans, powers.clone()));
    Ok(rows.collect())
}

fn lay(
    areas: &[Area],
    angle: f64,
    lines: &Lines,
    bands: Option<&shoulder::Bands>,
    context: &EngraveContext<'_>,
) -> Result<Laid, Problem> {
    let (step, job) = (context.step, context.job);
    let to_frame = Affine::rotate(-angle);
    let turned = |rings: &[Vec<Point>]| -> Vec<Vec<Point>> {
        rings.iter().map(|ring| ring.iter().map(|p| to_frame * *p).collect()).collect()
    };
    let round = |f: fn(f64, f64) -> f64, from| {
        areas.iter().flat_map(|a| a.rings.iter().flatten()).map(|p| p.y).fold(from, f)
    };
    let width = round(f64::max, f64::MIN) - round(f64::min, f64::MAX);
    let spacing = closing_spacing(job, width, angle, lines.spacing);
    let areas: Vec<Area> =
        areas.iter().map(|a| Area { rings: turned(&a.rings), rule: a.rule }).collect();
    let heights = |f: fn(f64, f64) -> f64, from| {
        areas.iter().flat_map(|a| a.rings.iter().flatten()).map(|p| p.y).fold(from, f)
    };
    let (low, high) = (heights(f64::min, f64::MAX), heights(f64::max, f64::MIN));
    let climb: f64 = areas.iter().flat_map(|a| &a.rings).map(|ring| climb(ring)).sum();
    too_many(climb / spacing, context)?;
    let advance = if lines.angles.first() == Some(&angle) { lines.advance } else { None };
    let mut walk = RowOrder::new(angle, spacing, advance);
    let rows = walk.fill(low, high);
    walk.directions = lines.directions;
    walk.offset = lines.offset;
    walk.get_up_to_speed(lines.run_up, step, job);
    let (spans, powers) = match bands {
        None => {
            let mut powers = [0.0; 256];
            powers[1] = step.power().0;
            (scan(&areas, walk.first, spacing, rows), powers)
        }
        Some(bands) => {
            let climb = climb_of(&bands.inner) + climb;
            too_many(climb / spacing, context)?;
            let inner: Vec<Area> = bands
                .inner
                .iter()
                .map(|rings| Area { rings: turned(rings), rule: FillRule::NonZero })
                .collect();
            (shoulder::spans(&areas, &inner, &walk, rows), bands.powers)
        }
    };
    Ok(Laid { walk, spans, powers })
}

fn climb_of(areas: &[Vec<Vec<Point>>]) -> f64 {
    areas.iter().flatten().map(|ring| climb(ring)).sum()
}

/// Refuses more lines than anyone could mean.
pub(super) fn too_many(crossings: f64, context: &EngraveContext<'_>) -> Result<(), Problem> {
    if crossings <= MOST_CROSSINGS {
        return Ok(());
    }
    let message = format!(
        "step \"{}\" would engrave more than {:.0} million lines",
        context.step.name,
        crossings / 2e6
    );
    Err(Problem::error(Code::TooManyLines, message, "check spacing and its unit")
        .at(context.place()))
}

/// How far a ring goes up and down in all: what its number of crossings is proportional to.
fn climb(ring: &[Point]) -> f64 {
    let next = ring.iter().cycle().skip(1);
    ring.iter().zip(next).map(|(a, b)| (a.y - b.y).abs()).sum()
}
