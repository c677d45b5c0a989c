//! Engraving bitmaps: from pixels as they lie on the bed to rows of levels.

mod dither;
mod groups;
mod noise;
mod sample;
mod screen;
mod sharpen;
mod tone;

use super::EngraveContext;
use super::cluster::Pacing;
use super::rows::{PixelRows, RowOrder, Rows};
use super::wrap::closing_spacing;
use std::sync::Arc;
use tinkite_base::geometry::{Affine, Rect};
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Power, PowerSetpoint};
use tinkite_job::{Image, Shade};
use tinkite_layout::LaidImage;
use tinkite_machine::source;

/// More pixels than this on the bed are taken for a mistake in a number or its unit.
const MOST_CELLS: f64 = 2e8;

/// Rows of one bitmap, in groups where wide blanks part it; `None` when nothing of it is dark enough to burn.
///
/// # Errors
/// More pixels than anyone could mean.
pub(super) fn rows(
    laid: &LaidImage,
    how: &Image,
    context: &EngraveContext<'_>,
) -> Result<Vec<Rows>, Problem> {
    let round = laid.bounds().height();
    let spacing = closing_spacing(context.job, round, how.angle, how.spacing);
    let mut walk = RowOrder::new(how.angle, spacing, how.advance);
    let to_frame = Affine::rotate(-how.angle) * laid.to_bed;
    let (width, height) = (f64::from(laid.bitmap.width), f64::from(laid.bitmap.height));
    let bounds = to_frame.transform_rect_bbox(Rect::new(0.0, 0.0, width, height));
    let cells = bounds.width() / spacing * (bounds.height() / spacing);
    if cells > MOST_CELLS {
        let message = format!(
            "step \"{}\" would engrave {:.0} million pixels of {}",
            context.step.name,
            cells / 1e6,
            laid.label()
        );
        let help = "check spacing and its unit";
        return Err(Problem::error(Code::TooManyLines, message, help).at(context.place()));
    }
    let count = walk.fill(bounds.y0, bounds.y1);
    walk.directions = how.directions;
    walk.offset = how.offset;
    walk.get_up_to_speed(how.run_up, context.step, context.job);
    let columns = (bounds.width() / spacing).round().max(1.0);
    let start = bounds.center().x - columns / 2.0 * spacing;
    let cells = sample::Cells {
        columns: columns as usize,
        rows: count as usize,
        start,
        first: walk.first,
        spacing,
    };
    let mut levels =
        sample::darkness(&laid.bitmap, to_frame.inverse(), &cells, &tone::map(&how.tone));
    if let Some(how) = &how.sharpen {
        sharpen::sharpen(&mut levels, cells.columns, how, spacing);
    }
    if how.stock > 0.0 {
        // What is no darker than the stock is not burnt; black is as dark as burning makes it.
        let of_stock = |d: u8| ((f64::from(d) / 255.0 - how.stock) / (1.0 - how.stock)).max(0.0);
        levels.iter_mut().for_each(|d| *d = (of_stock(*d) * 255.0).round() as u8);
    }
    match how.shade {
        Shade::Grey => {}
        Shade::Threshold(limit) => {
            // Darkness counts from white; the limit, as for tracing, from black.
            let least = 255.0 * (1.0 - limit);
            levels.iter_mut().for_each(|d| *d = if f64::from(*d) > least { 255 } else { 0 });
        }
        Shade::Dither(dither) => {
            let spill = if how.spot { spill(context.job.machine.beam.width, spacing) } else { 0.0 };
            dither::dither(&mut levels, cells.columns, dither, spill);
        }
        Shade::Screen(screen) => {
            let origin = (start, walk.first);
            screen::screen(&mut levels, cells.columns, &screen, origin, spacing, how.angle);
        }
    }
    let powers = powers(how, context);
    if how.shade == Shade::Grey {
        join_levels(&mut levels, &powers, context);
    }
    let grid = PixelRows { levels, width: cells.columns, start, pitch: spacing };
    let pacing = Pacing::of(&walk, context.step, context.job);
    Ok(groups::rows(walk, grid, &Arc::new(powers), &pacing))
}

/// Which share of each neighbour a burnt cell darkens, when the spot is wider than the cell.
fn spill(width: f64, cell: f64) -> f32 {
    ((width / cell - 1.0) / 2.0).clamp(0.0, 0.5) as f32
}

/// The weakest power of greys: as the job says, or where the source begins to light.
pub(super) fn power_from(how: &Image, beam: &tinkite_machine::Beam) -> Power {
    how.power_from.unwrap_or(Power((beam.floor / beam.full).max(1e-3)))
}

/// Power of each level of darkness: light greys weak, black strong. Where the light of the source
/// was measured, greys are spaced evenly in W.
fn powers(how: &Image, context: &EngraveContext<'_>) -> [f64; 256] {
    let beam = &context.job.machine.beam;
    let to = how.power_to.unwrap_or(context.step.power()).0;
    let mut powers = [0.0; 256];
    if how.shade != Shade::Grey {
        powers[255] = to;
        return powers;
    }
    if let Some(curve) = &how.curve {
        // Black is as dark as the wedge got; the greys between it and bare stock are evenly dark.
        let darkest = curve.0.last().map_or(1.0, |(darkness, _)| *darkness);
        for (level, power) in powers.iter_mut().enumerate().skip(1) {
            *power = curve.power(darkest * level as f64 / 255.0);
        }
        return powers;
    }
    let from = power_from(how, beam).0.min(to);
    let light = |share: f64| beam.table.as_ref().and_then(|table| table.watts(share));
    for (level, power) in powers.iter_mut().enumerate().skip(1) {
        let share = (level as f64 - 1.0) / 254.0;
        let even = from + (to - from) * share;
        *power = match (light(from), light(to)) {
            (Some(low), Some(high)) => {
                source::share(beam, PowerSetpoint::Watts(low + (high - low) * share))
                    .map_or(even, |p| p.0)
            }
            _ => even,
        };
    }
    powers
}

/// Greys that the source cannot tell apart become one, so that neighbours are burnt in one move.
fn join_levels(levels: &mut [u8], powers: &[f64; 256], context: &EngraveContext<'_>) {
    let beam = &context.job.machine.beam;
    let step = |level: usize| beam.level_number(powers[level] * beam.full);
    let mut same: [u8; 256] = [0; 256];
    let mut kept = 1_usize;
    for (level, same) in same.iter_mut().enumerate().skip(1) {
        if step(level) != step(kept) {
            kept = level;
        }
        *same = kept as u8;
    }
    // The darkest stays as strong as was asked for.
    for level in (1..256).rev().take_while(|level| step(*level) == step(255)) {
        same[level] = 255;
    }
    levels.iter_mut().for_each(|level| *level = same[usize::from(*level)]);
}
