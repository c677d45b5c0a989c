//! Place: from the sheet's coordinates to the bed's.

use super::copies::Run;
use crate::geometry::{Point, Rect, Vec2};
use crate::job::Job;

/// How far everything moves so that the anchor of all copies together lies where the job says.
/// `extents` are those of one copy.
pub(super) fn shift(extents: Rect, run: &Run, job: &Job) -> Vec2 {
    let Some(at) = job.placement.at else { return Vec2::ZERO };
    let whole = extents.union(extents + run.last());
    let target: Point = at + job.machine.bed.origin_offset();
    target - job.placement.anchor.of(whole)
}
