//! Rectangles that reach beyond others.

use tinkite_base::geometry::Rect;
use tinkite_base::quantity::plain;

/// Rounding of a program's numbers may put a move this far outside, mm.
pub const SLACK: f64 = 0.0015;

/// Whether `inner` reaches beyond `outer` by more than rounding.
#[must_use]
pub fn is_beyond(inner: Rect, outer: Rect) -> bool {
    outer.x0 - inner.x0 > SLACK
        || inner.x1 - outer.x1 > SLACK
        || outer.y0 - inner.y0 > SLACK
        || inner.y1 - outer.y1 > SLACK
}

/// By how much `inner` reaches beyond `outer`, side by side, in words.
#[must_use]
pub fn beyond(inner: Rect, outer: Rect) -> Vec<String> {
    [
        ("left", outer.x0 - inner.x0),
        ("right", inner.x1 - outer.x1),
        ("front", outer.y0 - inner.y0),
        ("back", inner.y1 - outer.y1),
    ]
    .into_iter()
    .filter(|(_, by)| *by > SLACK)
    .map(|(side, by)| format!("{} mm beyond the {side} edge", plain(by, 3)))
    .collect()
}
