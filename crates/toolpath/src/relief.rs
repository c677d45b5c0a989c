//! Reliefs: a solid or a depth picture, layer by layer.

use super::hatch::too_many;
use super::rows::{RowOrder, Rows};
use super::{EngraveContext, area};
use rayon::prelude::*;
use std::sync::Arc;
use tinkite_artwork::Depth;
use tinkite_artwork::relief::{
    Field, LayerRows, Slicing, layer, mean_detail_lost, seen_from_above,
};
use tinkite_base::geometry::region::FillRule;
use tinkite_base::geometry::scan::{Area, scan};
use tinkite_base::geometry::{Affine, Point, Rect, Vec2, hull};
use tinkite_base::problem::{Code, Problem, Problems, count};
use tinkite_base::quantity::plain;
use tinkite_job::{DeepFrom, Relief};
use tinkite_layout::LaidImage;

/// More cells than this on the bed are taken for a mistake in a number or its unit.
const MOST_CELLS: f64 = 1e8;

/// A layer of a relief.
pub(super) struct Layer {
    /// Which one, counted from 1.
    pub(super) number: u32,
    /// How deep its upper side lies, mm.
    pub(super) depth: f64,
    pub(super) rows: Rows,
}

/// The layers of one solid or picture, the uppermost first; those in which nothing is burnt are left out.
///
/// # Errors
/// What is no form, far too many cells, and boundaries that are open.
pub(super) fn layers(
    laid: &LaidImage,
    how: &Relief,
    context: &EngraveContext<'_>,
    problems: &mut Problems,
) -> Result<Vec<Layer>, Problem> {
    if context.job.round.is_some() {
        let message = format!(
            "step \"{}\" cuts a relief, and the job lies round the rotary",
            context.step.name
        );
        let help = "reliefs are cut on the flat bed: take [rotary] out";
        return Err(Problem::error(Code::ReliefDeep, message, help).at(context.place()));
    }
    let thick = context.job.stock.as_ref().and_then(|stock| stock.thickness);
    if let Some(thick) = thick.filter(|thick| how.depth > *thick) {
        let message = format!(
            "step \"{}\": its relief is {} mm deep, and the stock is {} mm thick",
            context.step.name,
            plain(how.depth, 3),
            plain(thick, 3)
        );
        let help = "say less depth in relief, or the true thickness in [stock]";
        return Err(Problem::error(Code::ReliefDeep, message, help).at(context.place()));
    }
    let field = field(laid, how, context, problems)?;
    let slicing = Slicing { layers: how.layers, thickness: how.thickness() };
    let cells = (field.columns * field.rows) as f64;
    too_many(cells.sqrt() * f64::from(how.layers), context)?;
    let mut powers = [0.0; 256];
    powers[1] = context.step.power().0;
    let powers = Arc::new(powers);
    let numbers = if how.finishes { 0..1 } else { 0..how.layers };
    let mut made = Vec::new();
    for n in numbers {
        let angle = if how.finishes {
            how.lines.angles[0] + how.turn * f64::from(how.layers)
        } else {
            how.lines.angles[0] + how.turn * f64::from(n)
        };
        let (mut walk, rows) = rows_at(&field, angle, how);
        let spans = layer(&field, slicing.threshold(n), &rows);
        walk.directions = how.lines.directions;
        walk.offset = how.lines.offset;
        walk.get_up_to_speed(how.lines.run_up, context.step, context.job);
        if let Some(rows) = Rows::of_spans(walk, spans, powers.clone()) {
            let depth =
                if how.finishes { how.depth / 2.0 } else { f64::from(n) * slicing.thickness };
            made.push(Layer { number: n + 1, depth, rows });
        }
    }
    Ok(made)
}

/// Rows that cover a field at an angle.
fn rows_at(field: &Field, angle: f64, how: &Relief) -> (RowOrder, LayerRows) {
    let bounds = Affine::rotate(-angle).transform_rect_bbox(field.bounds);
    let advance = if angle == how.lines.angles[0] { how.lines.advance } else { None };
    let mut walk = RowOrder::new(angle, how.lines.spacing, advance);
    let count = walk.fill(bounds.y0, bounds.y1);
    let rows = LayerRows {
        along: walk.along,
        first: walk.first,
        spacing: walk.spacing,
        count,
        reach: (bounds.x0, bounds.x1),
    };
    (walk, rows)
}

/// How deep the stock is taken away for a solid or a picture.
fn field(
    laid: &LaidImage,
    how: &Relief,
    context: &EngraveContext<'_>,
    problems: &mut Problems,
) -> Result<Field, Problem> {
    let spacing = how.lines.spacing;
    let boundary = boundary(context)?;
    let bounds = hull(boundary.iter().flatten().map(|p| Rect::from_points(*p, *p)));
    let bounds = bounds.unwrap_or_else(|| laid.bounds());
    let cells = Field::cells(bounds, spacing);
    if cells > MOST_CELLS {
        let message = format!(
            "step \"{}\" would cut {} in {:.0} million cells",
            context.step.name,
            laid.label(),
            cells / 1e6
        );
        let help = "check spacing and its unit, and the size";
        return Err(Problem::error(Code::TooManyLines, message, help).at(context.place()));
    }
    let mut field = Field::over(bounds, spacing);
    match laid.depth.as_deref() {
        Some(Depth::Solid(mesh)) => of_solid(&mut field, laid, mesh, how, context, problems)?,
        other => {
            let values = match other {
                Some(Depth::Grey(values)) => Some(&values[..]),
                _ => None,
            };
            of_picture(&mut field, laid, values, how, context)?;
        }
    }
    field.smooth(how.smooth);
    if how.draft > 0.0 {
        field.lean(how.depth / how.draft);
    }
    if !boundary.is_empty() {
        keep_within(&mut field, boundary);
    }
    if !how.finishes {
        too_fine(&field, laid, context).into_iter().for_each(|problem| problems.push(problem));
    }
    Ok(field)
}

/// A spot that loses more than this share of a relief is told.
const LOST: f64 = 0.02;

/// Says how much of a relief is finer than the spot.
fn too_fine(field: &Field, laid: &LaidImage, context: &EngraveContext<'_>) -> Option<Problem> {
    let spot = context.job.machine.beam.width;
    let mean_detail_lost =
        mean_detail_lost(&field.depth, field.columns, (spot / field.cell).round() as usize);
    if mean_detail_lost < LOST {
        return None;
    }
    let message = format!(
        "step \"{}\": grooves and walls that are narrower than the spot of {} mm are {} % of the relief of {}, and are lost",
        context.step.name,
        plain(spot, 3),
        plain(mean_detail_lost * 100.0, 1),
        laid.label()
    );
    let help = "make it larger, or smooth it (smooth in relief), or take a lens with a finer spot";
    Some(Problem::warning(Code::FineDetail, message, help).at(context.place()))
}

/// The area that bounds the ground; empty where nothing does.
fn boundary(context: &EngraveContext<'_>) -> Result<Vec<Vec<Point>>, Problem> {
    if context.bounds.is_empty() {
        return Ok(Vec::new());
    }
    area::open_shapes(context.bounds, context)?;
    let tolerance = context.job.tolerance;
    Ok(context.bounds.iter().flat_map(|laid| area::whole(laid, tolerance)).collect())
}

/// Nothing is taken away beyond a boundary.
fn keep_within(field: &mut Field, rings: Vec<Vec<Point>>) {
    let first = field.middle(0, 0);
    let spans =
        scan(&[Area { rings, rule: FillRule::NonZero }], first.y, field.cell, field.rows as u32);
    let mut inside = vec![false; field.depth.len()];
    for span in spans {
        let row = span.row as usize * field.columns;
        let column = |x: f64| ((x - first.x) / field.cell).ceil().clamp(0.0, field.columns as f64);
        inside[row + column(span.from) as usize..row + column(span.to) as usize].fill(true);
    }
    for (depth, inside) in field.depth.iter_mut().zip(inside) {
        if !inside {
            *depth = 0.0;
        }
    }
}

fn of_solid(
    field: &mut Field,
    laid: &LaidImage,
    mesh: &tinkite_artwork::Mesh,
    how: &Relief,
    context: &EngraveContext<'_>,
    problems: &mut Problems,
) -> Result<(), Problem> {
    if matches!(how.from, Some(DeepFrom::Dark | DeepFrom::Light)) {
        let message = format!(
            "step \"{}\": {} is a solid, and has no darkness",
            context.step.name,
            laid.label()
        );
        let help = "take from out, or say from = \"solid\"";
        return Err(Problem::error(Code::Contradiction, message, help).at(context.place()));
    }
    let (high, base) = (mesh.height, how.base);
    if base >= high || high <= 0.0 {
        let message = match high > 0.0 {
            true => format!(
                "step \"{}\": base leaves out {} mm, and {} is {} mm high",
                context.step.name,
                plain(base, 3),
                laid.label(),
                plain(high, 3)
            ),
            false => format!("step \"{}\": {} has no height", context.step.name, laid.label()),
        };
        let help = "say less base, or take another solid";
        return Err(Problem::error(Code::NoArea, message, help).at(context.place()));
    }
    let (width, depth) = (f64::from(laid.bitmap.width), f64::from(laid.bitmap.height));
    let to_bed = laid.to_bed * Affine::scale_non_uniform(width, depth);
    let corner = |c: &[f32; 3]| {
        let p = to_bed * Point::new(f64::from(c[0]), f64::from(c[1]));
        [p.x, p.y, f64::from(c[2])]
    };
    let triangles: Vec<[[f64; 3]; 3]> =
        mesh.triangles.iter().map(|t| [corner(&t[0]), corner(&t[1]), corner(&t[2])]).collect();
    let seen = seen_from_above(field, &triangles);
    let (low, span, deep) = (base as f32, (high - base) as f32, how.depth as f32);
    for (cell, height) in field.depth.iter_mut().zip(&seen.height) {
        // What is lower than the base, or is not there, is ground.
        let share = ((height - low) / span).clamp(0.0, 1.0);
        *cell = if how.raised { deep * (1.0 - share) } else { deep * share };
    }
    if how.finishes {
        return Ok(());
    }
    let across = to_bed.transform_rect_bbox(Rect::new(0.0, 0.0, 1.0, 1.0));
    problems.push(
        Problem::note(
            Code::ReliefSize,
            format!(
                "step \"{}\": {} is {} mm high{} and lies {} x {} mm large; its relief is {} mm deep, {} % of its own height",
                context.step.name,
                laid.label(),
                plain(high, 3),
                if base > 0.0 { format!(" ({} mm of foot left out)", plain(base, 3)) } else { String::new() },
                plain(across.width(), 2),
                plain(across.height(), 2),
                plain(how.depth, 3),
                plain(how.depth / (high - base) * 100.0, 1)
            ),
            "size stands in [[artwork]], depth in relief",
        )
        .at(context.place()),
    );
    Ok(())
}

fn of_picture(
    field: &mut Field,
    laid: &LaidImage,
    values: Option<&[u16]>,
    how: &Relief,
    context: &EngraveContext<'_>,
) -> Result<(), Problem> {
    if how.from == Some(DeepFrom::Solid) {
        let message =
            format!("step \"{}\": {} is a picture, and no solid", context.step.name, laid.label());
        let help = "say from = \"dark\" or \"light\": which of it is deep";
        return Err(Problem::error(Code::Contradiction, message, help).at(context.place()));
    }
    let bitmap = &laid.bitmap;
    let (width, height) = (bitmap.width as usize, bitmap.height as usize);
    let light = |n: usize| match values {
        Some(values) => f32::from(values[n]) / 65_535.0,
        None => f32::from(bitmap.grey[n]) / 255.0,
    };
    let to_pixels = laid.to_bed.inverse();
    let [a, b, c, d, ..] = to_pixels.as_coeffs();
    // Where several pixels go into a cell, squares of them become one first, so that none is missed.
    let side = (a.hypot(b).min(c.hypot(d)) * field.cell).floor().max(1.0) as usize;
    let pixels: Vec<f32> = (0..width * height).into_par_iter().map(light).collect();
    let edge = Vec2::new(width as f64, height as f64) / side as f64;
    let (pixels, width, height) = means(pixels, width, height, side);
    let to_pixels = Affine::scale(1.0 / side as f64) * to_pixels;
    let light = |n: usize| pixels[n];
    let dark = how.from != Some(DeepFrom::Light);
    let deep = how.depth as f32;
    field.fill(|p| {
        let p = to_pixels * p;
        let inside = p.x >= 0.0 && p.y >= 0.0 && p.x < edge.x && p.y < edge.y;
        if !inside {
            return 0.0;
        }
        // Between the middles of four pixels.
        let (x, y) = (p.x - 0.5, p.y - 0.5);
        let near = |v: f64, most: usize| {
            let low = v.floor().clamp(0.0, most as f64 - 1.0) as usize;
            (low, (low + 1).min(most - 1), (v - low as f64).clamp(0.0, 1.0) as f32)
        };
        let ((x0, x1, tx), (y0, y1, ty)) = (near(x, width), near(y, height));
        let row = |y: usize| light(y * width + x0) * (1.0 - tx) + light(y * width + x1) * tx;
        let light = row(y0) * (1.0 - ty) + row(y1) * ty;
        deep * if dark { 1.0 - light } else { light }
    });
    Ok(())
}

/// Squares of `side` pixels as one, their mean; how many there are across and down.
fn means(pixels: Vec<f32>, width: usize, height: usize, side: usize) -> (Vec<f32>, usize, usize) {
    if side < 2 {
        return (pixels, width, height);
    }
    let (columns, rows) = (width.div_ceil(side), height.div_ceil(side));
    let mut mean = vec![0.0; columns * rows];
    mean.par_chunks_mut(columns).enumerate().for_each(|(row, line)| {
        let down = row * side..((row + 1) * side).min(height);
        for (column, mean) in line.iter_mut().enumerate() {
            let across = column * side..((column + 1) * side).min(width);
            let count = (down.len() * across.len()) as f32;
            let square = down
                .clone()
                .flat_map(|y| &pixels[y * width + across.start..y * width + across.end]);
            *mean = square.sum::<f32>() / count;
        }
    });
    (mean, columns, rows)
}

/// What is told of a step's layers, before anything is burnt.
pub(super) fn tell(layers: &[Layer], how: &Relief, context: &EngraveContext<'_>) -> Problem {
    let area: f64 = layers.iter().map(|layer| layer.rows.area()).sum();
    let passes = context.step.passes.len();
    let empty = how.layers as usize - layers.len();
    let empty =
        if empty > 0 { format!(", {empty} of them empty and left out") } else { String::new() };
    let message = format!(
        "step \"{}\": {} of {} mm{empty}, {} each, {} mm deep: {} mm3 are taken away",
        context.step.name,
        count(how.layers as usize, "layer"),
        plain(how.thickness(), 4),
        if passes == 1 { "1 pass".into() } else { format!("{passes} passes") },
        plain(how.depth, 3),
        plain(area * how.thickness(), 1)
    );
    let message = match context.job.machine.z {
        Some(_) => message,
        None => format!(
            "{message}; nothing moves the focus on this machine, so that its deepest place lies {} mm out of it",
            plain(how.depth, 3)
        ),
    };
    let help = "passes follow from per-pass, how deep one pass goes on this stock; or say passes";
    Problem::note(Code::ReliefLayers, message, help).at(context.place())
}
