//! What is measured of a solid model.

/// A solid model's measures.
#[derive(Debug, Clone, PartialEq)]
pub struct Solid {
    /// Triangles.
    pub triangles: usize,
    /// Width, depth and height, mm.
    pub size: [f64; 3],
    /// Edges that do not join exactly two triangles: none in a closed solid.
    pub leaks: usize,
    /// Its volume, mm³; `None` where it is not closed.
    pub volume: Option<f64>,
    /// What lies under the highest surface as it is seen from above, mm³: a relief knows no more of it.
    pub seen: f64,
    /// How wide a spot may be that still makes nearly all of it, seen from above, mm; `None` where it is as fine as
    /// could be looked at.
    pub detail: Option<f64>,
    /// As fine as could be looked at, mm.
    pub looked_at: f64,
}
