//! Shapes that the job draws itself.

use crate::artwork::{Shape, Source, Stroke};
use crate::geometry::{Point, Rect};
use crate::job::{DrawnShape, Outline};
use kurbo::{Ellipse, RoundedRect, Shape as _};

/// Curves are drawn this near to the true ones, mm; circles come back exact all the same.
const ACCURACY: f64 = 1e-4;

/// Draws `shapes` for a drawing with these `extents`, in the same coordinates.
pub(super) fn draw(shapes: &[DrawnShape], extents: Rect) -> Vec<Shape> {
    // Each border goes round what was there before it.
    let mut around = extents;
    let one = |drawn: &DrawnShape| {
        let middle = drawn.centre.map_or(extents.center(), |c| extents.origin() + c.to_vec2());
        let path = match drawn.outline {
            Outline::Border { distance, radius } => {
                let rect = around.inflate(distance, distance);
                let most = rect.width().min(rect.height()) / 2.0;
                RoundedRect::from_rect(rect, radius.min(most)).to_path(ACCURACY)
            }
            Outline::Rectangle { width, depth, radius } => {
                RoundedRect::from_rect(about(middle, width, depth), radius).to_path(ACCURACY)
            }
            Outline::Ellipse { width, depth } => {
                Ellipse::from_rect(about(middle, width, depth)).to_path(ACCURACY)
            }
        };
        around = around.union(path.bounding_box());
        Shape {
            path,
            fill: None,
            stroke: Some(Stroke { colour: drawn.colour, width: 0.0 }),
            source: Source { id: Some(drawn.name.clone()), ..Source::default() },
            text: false,
        }
    };
    shapes.iter().map(one).collect()
}

fn about(centre: Point, width: f64, depth: f64) -> Rect {
    Rect::from_center_size(centre, (width, depth))
}
