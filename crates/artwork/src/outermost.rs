//! Which closed outlines lie inside no other one.

use crate::Shape;
use rstar::{AABB, RTree, RTreeObject};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::region::Polygon;
use tinkite_base::geometry::{Contour, Point};

/// An outline that is smaller than another by less than this share is the same one, drawn twice.
const SAME: f64 = 1e-3;

/// At so many points it is asked whether an outline lies inside another: where they touch, some are on the edge.
const ASKED: usize = 9;

/// An outline that lies inside no other one.
struct Outer {
    shape: usize,
    rings: Vec<Polygon>,
    area: f64,
}

impl RTreeObject for Outer {
    type Envelope = AABB<[f64; 2]>;
    fn envelope(&self) -> Self::Envelope {
        let boxes = self.rings.iter().map(Polygon::bounds);
        let all = boxes.reduce(|a, b| a.union(b)).unwrap_or_default();
        AABB::from_corners([all.x0, all.y0], [all.x1, all.y1])
    }
}

/// Marks the shapes whose lines are all closed and that lie inside no other such shape, on lines and arcs within
/// `tolerance` mm. Of shapes that cross each other none lies inside. What is white alone is paper: it is neither marked
/// nor has anything inside.
pub fn mark_outermost(shapes: &mut [Shape], tolerance: f64) {
    let mut outlines: Vec<Outer> = Vec::new();
    for (n, shape) in shapes.iter().enumerate() {
        let lines = shape.contours(tolerance);
        let closed =
            !lines.is_empty() && lines.iter().all(|line| line.closed || shape.fill.is_some());
        if !closed || is_paper(shape) {
            continue;
        }
        let ring = |line: &Contour| Polygon::new(line.flatten(tolerance));
        let rings: Vec<Polygon> = lines.iter().map(ring).collect();
        let area = rings.iter().map(Polygon::area).fold(0.0, f64::max);
        if area > 0.0 {
            outlines.push(Outer { shape: n, rings, area });
        }
    }
    // The largest first: whatever has one inside was seen before it.
    outlines.sort_by(|a, b| b.area.total_cmp(&a.area).then(a.shape.cmp(&b.shape)));
    let mut outermost: RTree<Outer> = RTree::new();
    for outline in outlines {
        let inside = |outer: &Outer| {
            outline.area < outer.area * (1.0 - SAME) && is_inside(&outline.rings, &outer.rings)
        };
        if !outermost.locate_in_envelope_intersecting(outline.envelope()).any(inside) {
            shapes[outline.shape].source.outermost = true;
            outermost.insert(outline);
        }
    }
}

fn is_paper(shape: &Shape) -> bool {
    let paints = [shape.fill.map(|fill| fill.colour), shape.stroke.map(|stroke| stroke.colour)];
    shape.odd.is_none() && paints.iter().flatten().all(|paint| *paint == Colour::WHITE)
}

/// Whether most of the points of some rings lie in one of others.
fn is_inside(rings: &[Polygon], outer: &[Polygon]) -> bool {
    let points: Vec<Point> = rings.iter().flat_map(|ring| ring.points()).copied().collect();
    let step = points.len().div_ceil(ASKED).max(1);
    let asked: Vec<Point> = points.into_iter().step_by(step).collect();
    let within = |point: &&Point| outer.iter().any(|ring| ring.contains(**point));
    asked.iter().filter(within).count() * 2 > asked.len()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Fill, OddPaint, Source, Stroke};
    use kurbo::{Circle, Rect, Shape as _};
    use tinkite_base::geometry::BezPath;
    use tinkite_base::geometry::region::FillRule;

    const BLACK: Colour = Colour::new(0, 0, 0);

    fn drawn(path: BezPath, stroke: Option<Colour>, fill: Option<Colour>) -> Shape {
        Shape {
            path,
            stroke: stroke.map(|colour| Stroke { colour, width: 0.1, veiled: false }),
            fill: fill.map(|colour| Fill { colour, rule: FillRule::NonZero, veil: 0 }),
            source: Source::default(),
            text: false,
            odd: OddPaint::default(),
            painted: 0,
        }
    }

    fn outermost(mut shapes: Vec<Shape>) -> Vec<bool> {
        mark_outermost(&mut shapes, 0.01);
        shapes.iter().map(|shape| shape.source.outermost).collect()
    }

    #[test]
    fn lines_round_parts_are_outermost_and_what_they_hold_is_not() {
        let square = |x: f64, y: f64, side: f64| Rect::new(x, y, x + side, y + side).to_path(0.01);
        let line = |path| drawn(path, Some(BLACK), None);
        let circle = |x, y, r| Circle::new((x, y), r).to_path(0.001);
        // Two parts beside each other; a circle that touches its square on all sides; a hole in the circle.
        let shapes = vec![
            line(circle(5.0, 5.0, 2.0)),
            line(circle(5.0, 5.0, 5.0)),
            line(square(0.0, 0.0, 10.0)),
            line(square(20.0, 0.0, 10.0)),
        ];
        assert_eq!(outermost(shapes), [false, false, true, true]);
        // A line that is open holds nothing and is none; the same outline twice is both times; crossing ones are both.
        let mut open = BezPath::new();
        open.move_to((-50.0, -50.0));
        open.line_to((50.0, 50.0));
        let shapes = vec![
            line(open),
            line(square(0.0, 0.0, 10.0)),
            line(square(0.0, 0.0, 10.0)),
            line(square(9.0, 9.0, 10.0)),
        ];
        assert_eq!(outermost(shapes), [false, true, true, true]);
        // White paper round everything holds nothing.
        let paper = drawn(square(-100.0, -100.0, 300.0), None, Some(Colour::WHITE));
        let filled = drawn(square(0.0, 0.0, 10.0), None, Some(BLACK));
        assert_eq!(outermost(vec![paper, filled]), [false, true]);
    }
}
