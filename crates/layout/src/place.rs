//! Place: from the sheet's coordinates to the bed's.

use super::copies::SheetCopies;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_job::Job;
use tinkite_machine::frame::Surface;

/// How far everything moves so that the anchor of all copies together lies where the job says.
/// `extents` are those of one copy.
pub(super) fn shift(extents: Rect, run: &SheetCopies, job: &Job) -> Vec2 {
    let Some(at) = job.placement.at else { return Vec2::ZERO };
    let whole = extents.union(extents + run.last());
    let field = job.field();
    let mut target: Point = field.plane(at);
    if let Some(round) = &job.round {
        // Said along the axis; the plane counts along the surface.
        let along = Surface::new(round, &field).along(target.x - field.zero.x);
        target.x = along + field.zero.x;
    }
    target - job.placement.anchor.of(whole)
}

/// Where stock of a fixed size lies: in the bed's front left corner, or with its anchor at the zero
/// that is set on it.
pub(super) fn stock(width: f64, depth: f64, job: &Job) -> Rect {
    let lies = Rect::new(0.0, 0.0, width, depth);
    if job.field().fixed { lies } else { lies - job.placement.anchor.of(lies).to_vec2() }
}
