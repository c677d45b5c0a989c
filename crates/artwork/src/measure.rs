//! One shape measured, so that a known feature can be checked: "that hole must be 10 mm".

use super::{Artwork, Shape, Source};
use tinkite_base::geometry::region::{self, FillRule, enclosed_area};
use tinkite_base::geometry::{Contour, Piece, Point, Rect, Vec2, hull};

/// Which shape is meant.
#[derive(Debug, Clone, PartialEq)]
pub enum Which {
    /// The one called this, by its id or however `look` calls it.
    Called(String),
    /// The one whose line is nearest to this point, mm from the lower left corner.
    Near(Point),
}

/// The measures of one shape.
#[derive(Debug, Clone, PartialEq)]
pub struct Measure {
    /// Where it was drawn.
    pub source: Source,
    /// The rectangle round it, mm.
    pub extents: Rect,
    /// Length of its lines, mm.
    pub length: f64,
    /// Area inside it, mm²; none for an open shape.
    pub area: Option<f64>,
    /// For each of its lines, whether it is closed, and its diameter when it is a circle.
    pub lines: Vec<(bool, Option<f64>)>,
    /// How far the point is from it, when a point was asked for, mm.
    pub away: Option<f64>,
}

/// A line whose points keep the same distance from its middle within this is a circle, mm.
const ROUND: f64 = 0.01;

/// Measures one shape of an artwork on lines and arcs within `tolerance` mm; `None` when there is no
/// such shape.
#[must_use]
pub fn measure(artwork: &Artwork, which: &Which, tolerance: f64) -> Option<Measure> {
    let all: Vec<(&Shape, Vec<Contour>)> =
        artwork.shapes.iter().map(|shape| (shape, shape.contours(tolerance))).collect();
    measure_among(&all, which)
}

/// Measures one of some shapes, each with its lines; `None` when there is no such shape.
#[must_use]
pub fn measure_among(all: &[(&Shape, Vec<Contour>)], which: &Which) -> Option<Measure> {
    let ((shape, contours), away) = match which {
        Which::Called(name) => {
            let called = |(shape, _): &&(&Shape, Vec<Contour>)| {
                shape.source.is_called(name) || shape.source.label() == *name
            };
            (all.iter().find(called)?, None)
        }
        Which::Near(point) => {
            let away = all.iter().map(|one| (one, distance(&one.1, *point)));
            let (one, away) = away.min_by(|a, b| a.1.total_cmp(&b.1))?;
            (one, Some(away))
        }
    };
    let extents = hull(contours.iter().map(Contour::bounds))?;
    let finer = region::chord_tolerance(FINE, extents);
    let rings: Vec<_> = contours.iter().map(|c| c.flatten(finer)).collect();
    let rule = shape.fill.map_or(FillRule::EvenOdd, |fill| fill.rule);
    let closed = contours.iter().all(|c| c.closed);
    Some(Measure {
        source: shape.source.clone(),
        extents,
        length: contours.iter().map(Contour::length).sum(),
        area: closed.then(|| enclosed_area(&rings, rule)),
        lines: contours.iter().map(|c| (c.closed, diameter(c))).collect(),
        away,
    })
}

/// Chords are this near to arcs, mm.
const FINE: f64 = 5e-5;

fn distance(contours: &[Contour], from: Point) -> f64 {
    let lines = contours.iter().map(|contour| {
        let mut points = contour.flatten(FINE);
        if contour.closed {
            points.push(contour.start);
        }
        points
    });
    let to_segment = |w: &[Point]| {
        let along: Vec2 = w[1] - w[0];
        let t = (from - w[0]).dot(along) / along.hypot2().max(1e-18);
        from.distance(w[0] + along * t.clamp(0.0, 1.0))
    };
    lines
        .flat_map(|line| line.windows(2).map(to_segment).collect::<Vec<_>>())
        .fold(f64::MAX, f64::min)
}

/// The diameter of a closed line that is a circle.
fn diameter(contour: &Contour) -> Option<f64> {
    let middle = contour.bounds().center();
    let arcs = contour.pieces.iter().filter(|p| matches!(p, Piece::Arc { .. })).count();
    // A square's corners are also all as far from its middle: most of a circle must be arcs.
    if !contour.closed || arcs * 2 < contour.pieces.len() {
        return None;
    }
    let points = contour.walk().flat_map(|(from, piece)| [from, piece.point_at(from, 0.5)]);
    let radii: Vec<f64> = points.map(|p| p.distance(middle)).collect();
    let (least, most) = radii.iter().fold((f64::MAX, 0.0f64), |(a, b), r| (a.min(*r), b.max(*r)));
    (most - least < ROUND).then_some(least + most)
}
