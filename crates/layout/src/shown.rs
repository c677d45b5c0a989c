//! What of the fills shows: later paint lies over earlier, white paint among it, which is bare stock.
//!
//! Lines cover nothing but where they are white: a line in a colour is something to follow, and as wide
//! as the beam.

use super::LaidShape;
use rayon::prelude::*;
use std::sync::Arc;
use tinkite_artwork::{Odd, Shape};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::cover::{Painted, Rings, shown};
use tinkite_base::geometry::fit::contours;
use tinkite_base::geometry::region::FillRule;
use tinkite_base::geometry::region::unite;
use tinkite_base::geometry::{Affine, region};

/// Bare stock.
const WHITE: Colour = Colour::new(255, 255, 255);

/// What a white line knocks out, in mm from the bed's front left corner; none of any other line.
pub(super) fn knocked_out(shape: &Shape, to_bed: Affine, tolerance: f64) -> Option<Rings> {
    shape.stroke.filter(|s| s.colour == WHITE && !s.veiled && s.width > 0.0)?;
    let area = shape.line_area(tolerance / 2.0);
    let rings: Vec<_> = contours(&(to_bed * area), tolerance / 2.0)
        .iter()
        .map(|c| c.flatten(tolerance / 2.0))
        .collect();
    Some(unite(&rings, FillRule::NonZero))
}

/// Sets what shows of each fill. `knocked_out` is what each shape's white line takes away; `covers` are bitmaps
/// that hide what lies under them, each with the shape before which it is painted; `covered`
/// says of which shapes later paint takes something away.
pub(super) fn set(
    shapes: &mut [LaidShape],
    knocked_out: Vec<Option<Rings>>,
    covers: &[(usize, Rings)],
    covered: impl Fn(usize) -> bool + Sync,
    tolerance: f64,
) {
    // In the order of painting: of each shape first its fill, then its line.
    let fills = shapes.par_iter().map(|laid| {
        // A bitmap that was drawn from a shape lies over what was painted before, as the shape does.
        let rendered = laid.shape.odd.fill.filter(|(odd, _)| *odd == Odd::Rendered);
        let rendered = rendered.map(|(_, rule)| (rule, 0));
        let fill = laid.shape.fill.map(|fill| (fill.rule, fill.veil)).or(rendered);
        let (rule, veil) = fill.filter(|_| !laid.contours.is_empty())?;
        let flat: Vec<_> = laid.contours.iter().map(|c| c.flatten(tolerance / 2.0)).collect();
        Some(Painted { rings: region::unite(&flat, rule), veil })
    });
    let fills: Vec<Option<Painted>> = fills.collect();
    let mut painted: Vec<Painted> = Vec::new();
    let mut owners: Vec<Option<usize>> = Vec::new();
    let mut covers = covers.iter().peekable();
    for (n, (fill, line)) in fills.into_iter().zip(knocked_out).enumerate() {
        while let Some((_, rings)) = covers.next_if(|(before, _)| *before <= n) {
            painted.push(Painted { rings: rings.clone(), veil: 0 });
            owners.push(None);
        }
        if let Some(fill) = fill {
            painted.push(fill);
            owners.push(Some(n));
        }
        if let Some(rings) = line {
            painted.push(Painted { rings, veil: 0 });
            owners.push(None);
        }
    }
    for (_, rings) in covers {
        painted.push(Painted { rings: rings.clone(), veil: 0 });
        owners.push(None);
    }
    for (rings, owner) in shown(&painted).into_iter().zip(owners) {
        if let (Some(rings), Some(n)) = (rings, owner)
            && covered(n)
        {
            shapes[n].shown = Some(Arc::new(rings));
        }
    }
}
