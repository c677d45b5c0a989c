//! Size and place: from the artwork's coordinates to the bed's.

use super::LaidShape;
use crate::artwork::Shape;
use crate::geometry::{Affine, Point, Rect, Vec2, hull};
use crate::job::{Copies, Job, Mirror, Size};
use crate::problem::Problem;
use kurbo::Shape as _;

/// The rectangle round shapes under a transform.
pub(super) fn bounds(shapes: &[Shape], by: Affine) -> Option<Rect> {
    hull(shapes.iter().map(|shape| (by * shape.path.clone()).bounding_box()))
}

/// Mirror, size and turn. `unit` is how much larger the artwork is than it was read.
///
/// # Errors
/// Drawings of no size, and scaling to a side that is not there.
pub(super) fn shaping(shapes: &[Shape], job: &Job, unit: f64) -> Result<Affine, Problem> {
    let drawn = bounds(shapes, Affine::IDENTITY).unwrap_or_default();
    if drawn.width() <= 0.0 && drawn.height() <= 0.0 {
        let help = "draw lines that have a length";
        return Err(Problem::error("size-zero", "the drawing has no size", help));
    }
    let flat = |side: &str, length: f64| {
        if length > 0.0 {
            return Ok(length);
        }
        Err(Problem::error(
            "size-zero",
            format!("the drawing has no {side}, so it cannot be scaled to one"),
            "give scale, or the other side",
        ))
    };
    let scale = match job.artwork.size {
        Size::True => unit,
        Size::Scale(scale) => unit * scale,
        Size::Width(width) => width / flat("width", drawn.width())?,
        Size::Height(height) => height / flat("height", drawn.height())?,
    };
    let mirror = match job.artwork.mirror {
        None => Affine::IDENTITY,
        Some(Mirror::LeftRight) => Affine::scale_non_uniform(-1.0, 1.0),
        Some(Mirror::TopBottom) => Affine::scale_non_uniform(1.0, -1.0),
    };
    // Sizes count from the page's corner, so that a drawing keeps its place on the page; turns and
    // mirrors go about the drawing's middle.
    let scaled = Affine::scale(scale);
    let centre = (scaled * drawn.center()).to_vec2();
    let about = Affine::rotate(job.artwork.turn) * mirror;
    Ok(Affine::translate(centre) * about * Affine::translate(-centre) * scaled)
}

/// How far everything moves so that the anchor of all copies together lies where the job says.
/// `extents` are those of one copy.
pub(super) fn shift(extents: Rect, job: &Job) -> Vec2 {
    let Some(at) = job.placement.at else { return Vec2::ZERO };
    let copies = &job.placement.copies;
    let last = offset(copies, extents, copies.columns - 1, copies.rows - 1);
    let whole = extents.union(extents + last);
    let target: Point = at + job.machine.bed.origin_offset();
    target - job.placement.anchor.of(whole)
}

/// Where a copy lies, seen from the first.
fn offset(copies: &Copies, extents: Rect, column: u32, row: u32) -> Vec2 {
    Vec2::new(
        f64::from(column) * (extents.width() + copies.gap),
        f64::from(row) * (extents.height() + copies.gap),
    )
}

/// The shapes and all their copies, row by row away from the operator.
pub(super) fn copied(shapes: Vec<LaidShape>, extents: Rect, copies: &Copies) -> Vec<LaidShape> {
    let mut all = shapes;
    let one = all.len();
    for n in 1..copies.columns * copies.rows {
        let by = offset(copies, extents, n % copies.columns, n / copies.columns);
        for at in 0..one {
            let copy = all[at].copy(n, by);
            all.push(copy);
        }
    }
    all
}
