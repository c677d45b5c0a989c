//! Bitmaps among fills: what is painted over a bitmap is not engraved with it, and a bitmap hides what it is
//! painted over.

use super::{LaidImage, LaidShape};
use std::sync::Arc;
use tinkite_artwork::{Depth, Odd, Whitened};
use tinkite_base::geometry::cover::Rings;
use tinkite_base::geometry::region::{FillRule, unite};
use tinkite_base::geometry::{Point, hull};
use tinkite_base::problem::{Code, Problem, Problems, count};
use tinkite_base::quantity::plain;

/// Chords this near to curves bound what is white, mm: far less than a pixel.
const FINE: f64 = 5e-3;

/// Makes white what later paint lies over. `order` says when a shape is painted, `keeps` of which artworks all
/// is burnt whole.
pub(super) fn whiten(
    images: &mut [LaidImage],
    shapes: &[LaidShape],
    knocked_out: &[Option<Rings>],
    order: impl Fn(usize) -> (usize, u32),
    keeps: impl Fn(usize) -> bool,
    problems: &mut Problems,
) {
    let mut area = 0.0;
    let mut covered = 0;
    let hiding: Vec<((usize, u32), Rings)> = images
        .iter()
        .filter(|image| !image.hides.is_empty())
        .map(|image| (image.painted, image.hides.clone()))
        .collect();
    for image in images.iter_mut().filter(|image| !keeps(image.painted.0)) {
        let bounds = image.bounds();
        let over: Vec<(usize, FillRule)> = (0..shapes.len())
            .filter(|n| order(*n) > image.painted)
            .filter(|n| {
                let own = hull(shapes[*n].contours.iter().map(|c| c.bounds()));
                own.is_some_and(|own| own.intersect(bounds).area() > 0.0)
            })
            .filter_map(|n| Some((n, hiding_rule(&shapes[n])?)))
            .collect();
        let lines = (0..shapes.len()).filter(|n| order(*n) > image.painted);
        let lines: Vec<&Rings> = lines.filter_map(|n| knocked_out[n].as_ref()).collect();
        let bitmaps = hiding.iter().filter(|(painted, _)| *painted > image.painted);
        let bitmaps: Vec<&Rings> = bitmaps.map(|(_, rings)| rings).collect();
        if over.is_empty() && lines.is_empty() && bitmaps.is_empty() {
            continue;
        }
        let mut pixels = 0;
        let mut bitmap = (*image.bitmap).clone();
        for (n, rule) in over {
            let flat: Vec<Vec<Point>> =
                shapes[n].contours.iter().map(|c| c.flatten(FINE)).collect();
            let rings = unite(&flat, rule);
            pixels += bitmap.whiten(&rings, image.to_bed, Whitened::Inside);
        }
        for rings in lines.into_iter().chain(bitmaps) {
            pixels += bitmap.whiten(rings, image.to_bed, Whitened::Inside);
        }
        if pixels > 0 {
            image.bitmap = Arc::new(bitmap);
            // Its finer greys know nothing of what lies over it.
            if matches!(image.depth.as_deref(), Some(Depth::Grey(_))) {
                image.depth = None;
            }
            area += pixels as f64 * image.to_bed.determinant().abs();
            covered += 1;
        }
    }
    if covered > 0 {
        let message = format!(
            "{} mm² of {} lie under other paint and are not engraved",
            plain(area, 1),
            count(covered, "bitmap")
        );
        let help = "what shows on the page is engraved; under = { fills = \"keep\" } in [[artwork]] engraves all of it";
        problems.push(Problem::note(Code::Covered, message, help));
    }
}

/// The fill rule of a shape that hides what it is painted over; none of others.
fn hiding_rule(laid: &LaidShape) -> Option<FillRule> {
    let rendered = laid.shape.odd.fill.filter(|(odd, _)| *odd == Odd::Rendered);
    let fill = laid.shape.fill.filter(|fill| fill.veil == 0);
    fill.map(|fill| fill.rule).or(rendered.map(|(_, rule)| rule))
}

/// The areas of opaque bitmaps, each with the number of the first shape that is painted after it.
pub(super) fn covers(
    images: &[LaidImage],
    shapes: usize,
    order: impl Fn(usize) -> (usize, u32),
) -> Vec<(usize, Rings)> {
    let mut covers: Vec<(usize, Rings)> = images
        .iter()
        .filter(|image| !image.hides.is_empty())
        .map(|image| {
            let before = (0..shapes).find(|n| order(*n) > image.painted).unwrap_or(shapes);
            (before, unite(&image.hides, FillRule::EvenOdd))
        })
        .collect();
    covers.sort_by_key(|(before, _)| *before);
    covers
}
