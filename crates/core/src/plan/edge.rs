//! The way round everything that a job burns: what the head is led along before anything burns.

use super::Planned;
use crate::geometry::hull::convex_hull;
use crate::geometry::{Piece, Point, Rect};
use crate::mapping::Purpose;
use crate::segment::Act;

/// The shape that the head is led round.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EdgeShape {
    /// The rectangle.
    Box,
    /// The convex hull.
    Hull,
}

/// Arcs are told by this many points: a whole circle of 100 mm is met within 0.12 mm.
const ON_ARC: u32 = 32;

/// The corners of the shape round everything that is burnt, in the plane of the job, mm from the
/// program's zero, counter-clockwise; none where nothing is burnt.
#[must_use]
pub fn edge(planned: &Planned, shape: EdgeShape) -> Vec<Point> {
    let segments = planned.segments();
    let (mut points, mut bounds): (Vec<Point>, Option<Rect>) = (Vec::new(), None);
    planned.trace(|traced| {
        let Act::Move(way) = traced.segment.act else { return };
        if way.purpose != Purpose::Burn {
            return;
        }
        let (from, piece) = segments.piece(&way);
        let round = piece.bounds(from);
        bounds = Some(bounds.map_or(round, |bounds| bounds.union(round)));
        if shape == EdgeShape::Hull {
            points.extend([from, piece.end()]);
            if let Piece::Arc { .. } = piece {
                let share = |n| f64::from(n) / f64::from(ON_ARC);
                points.extend((1..ON_ARC).map(|n| piece.point_at(from, share(n))));
            }
            // A million short lines need no more memory than their hull.
            if points.len() > 100_000 {
                points = convex_hull(std::mem::take(&mut points));
            }
        }
    });
    match (shape, bounds) {
        (_, None) => Vec::new(),
        (EdgeShape::Box, Some(b)) => {
            [(b.x0, b.y0), (b.x1, b.y0), (b.x1, b.y1), (b.x0, b.y1)].map(Point::from).to_vec()
        }
        (EdgeShape::Hull, Some(_)) => convex_hull(points),
    }
}
