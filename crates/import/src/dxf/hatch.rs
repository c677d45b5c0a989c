//! The boundaries of a hatch.

use super::curves::{Curves, polyline, swept};
use super::entity::Entity;
use super::spline::Spline;
use super::tags::Tag;
use std::iter::Peekable;
use std::slice::Iter;
use tinkite_base::geometry::{Affine, BezPath, Point};

/// Edges or vertices beyond this are not believed.
const MOST: i64 = 1_000_000;

/// Walks the tags of a hatch in order, since the same codes mean another thing at each place.
struct Tags<'t>(Peekable<Iter<'t, Tag<'t>>>);

impl Tags<'_> {
    /// The value of the next tag with this code, past any others.
    fn real(&mut self, code: i32) -> Option<f64> {
        self.0.find(|tag| tag.code == code).and_then(Tag::real)
    }

    fn whole(&mut self, code: i32) -> Option<i64> {
        self.0.find(|tag| tag.code == code).and_then(Tag::whole)
    }

    fn point(&mut self, code: i32) -> Option<Point> {
        Some(Point::new(self.real(code)?, self.real(code + 10)?))
    }

    fn count(&mut self, code: i32) -> Option<i64> {
        self.whole(code).filter(|n| (0..=MOST).contains(n))
    }

    /// The value of the very next tag, when it has this code.
    fn next_real(&mut self, code: i32) -> Option<f64> {
        self.0.next_if(|tag| tag.code == code).and_then(Tag::real)
    }
}

/// A hatch as what it paints.
pub(super) fn of(entity: &Entity<'_>, tolerance: f64) -> Curves {
    let path = entity.plane() * boundaries(entity.tags, tolerance);
    Curves { path, filled: true, loose: false }
}

/// All closed boundaries; what is broken ends the reading.
fn boundaries(tags: &[Tag<'_>], tolerance: f64) -> BezPath {
    let mut walk = Tags(tags.iter().peekable());
    let mut all = BezPath::new();
    let Some(count) = walk.count(91) else { return all };
    for _ in 0..count {
        let Some(kind) = walk.whole(92) else { break };
        let boundary =
            if kind & 2 != 0 { vertices(&mut walk) } else { edges(&mut walk, tolerance) };
        let Some(boundary) = boundary else { break };
        all.extend(boundary);
    }
    all
}

fn vertices(walk: &mut Tags<'_>) -> Option<BezPath> {
    let bulges = walk.whole(72)? != 0;
    walk.whole(73)?;
    let mut vertices = Vec::new();
    for _ in 0..walk.count(93)? {
        let at = walk.point(10)?;
        let bulge = if bulges { walk.next_real(42).unwrap_or(0.0) } else { 0.0 };
        vertices.push((at, bulge));
    }
    Some(polyline(&vertices, true))
}

fn edges(walk: &mut Tags<'_>, tolerance: f64) -> Option<BezPath> {
    let mut path = BezPath::new();
    for _ in 0..walk.count(93)? {
        let edge = match walk.whole(72)? {
            1 => {
                let mut line = BezPath::new();
                line.move_to(walk.point(10)?);
                line.line_to(walk.point(11)?);
                line
            }
            2 => {
                let (centre, radius) = (walk.point(10)?, walk.real(40)?);
                let (start, sweep) = swept_by(walk)?;
                swept(centre, radius.abs().max(1e-9), start, sweep)
            }
            3 => {
                let (centre, major, ratio) = (walk.point(10)?, walk.point(11)?, walk.real(40)?);
                let (start, sweep) = swept_by(walk)?;
                let (x, y) = (major.x, major.y);
                let plane = Affine::new([x, y, -y * ratio, x * ratio, centre.x, centre.y]);
                plane * swept(Point::ZERO, 1.0, start, sweep)
            }
            4 => spline(walk)?.path(tolerance)?,
            _ => return None,
        };
        // Edges follow each other; the first point of all but the first is the last of the one before.
        let skip = usize::from(!path.elements().is_empty());
        path.extend(edge.elements().iter().copied().skip(skip));
    }
    path.close_path();
    Some(path)
}

/// Start and sweep of an arc: angles count clockwise when the arc runs so.
fn swept_by(walk: &mut Tags<'_>) -> Option<(f64, f64)> {
    let (start, end) = (walk.real(50)?.to_radians(), walk.real(51)?.to_radians());
    let sweep = end - start;
    Some(if walk.whole(73)? == 1 { (start, sweep) } else { (-start, -sweep) })
}

fn spline(walk: &mut Tags<'_>) -> Option<Spline> {
    let degree = usize::try_from(walk.whole(94)?).ok()?;
    let rational = walk.whole(73)? == 1;
    walk.whole(74)?;
    let (knots, controls) = (walk.count(95)?, walk.count(96)?);
    let mut spline = Spline { degree, ..Spline::default() };
    for _ in 0..knots {
        spline.knots.push(walk.real(40)?);
    }
    for _ in 0..controls {
        spline.controls.push(walk.point(10)?);
        if rational {
            spline.weights.push(walk.next_real(42).unwrap_or(1.0));
        }
    }
    Some(spline)
}
