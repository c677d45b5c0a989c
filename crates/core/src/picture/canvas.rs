//! How large a picture is.

use tinkite_base::geometry::Rect;

/// Size of a picture, px.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Canvas {
    /// Across.
    pub width: u32,
    /// Down.
    pub height: u32,
}

impl Default for Canvas {
    fn default() -> Self {
        Self { width: 1280, height: 800 }
    }
}

/// What part of the bed is worth showing: all of it, unless the job would be lost on it.
pub(super) fn worth_showing(bed: Rect, job: Rect) -> Rect {
    let fills = (job.width() / bed.width()).max(job.height() / bed.height());
    if fills > 0.7 {
        return bed.union(job);
    }
    let margin = 0.12 * job.width().max(job.height()).max(10.0);
    let near = job.inflate(margin, margin);
    if !bed.inflate(1e-6, 1e-6).contains_rect(job) {
        // What leaves the bed is seen to leave it.
        return near;
    }
    // Near an edge of the bed the edge is shown, and with it the rulers' zero.
    near.intersect(bed)
}
