//! What a lens bends.
//!
//! A. Fitzgibbon, "Simultaneous linear estimation of multiple view geometry and lens distortion", 2001: a place
//! on the picture lies, without the lens, at `c + (p - c) / (1 + k r²)`, `r` counted from the picture's middle.

use tinkite_base::geometry::Point;

/// One coefficient of distortion.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Lens {
    /// The middle of the picture, pixels.
    pub centre: Point,
    /// Half of its diagonal, pixels: `r` is counted in it.
    pub reach: f64,
    /// The coefficient; above zero lines bend inwards at their middle.
    pub k: f64,
}

impl Lens {
    /// For a picture of so many pixels.
    #[must_use]
    pub fn of(size: (u32, u32), k: f64) -> Self {
        let centre = Point::new(f64::from(size.0) / 2.0, f64::from(size.1) / 2.0);
        Self { centre, reach: centre.to_vec2().hypot().max(1.0), k }
    }

    /// Where a place on the picture would lie without the lens.
    #[must_use]
    pub fn straight(&self, p: Point) -> Point {
        let from = p - self.centre;
        let r = from.hypot() / self.reach;
        self.centre + from / (1.0 + self.k * r * r)
    }

    /// Where on the picture lies what would be there without the lens; none beyond its reach.
    #[must_use]
    pub fn bent(&self, p: Point) -> Option<Point> {
        let from = p - self.centre;
        let r = from.hypot() / self.reach;
        if self.k.abs() < 1e-9 || r < 1e-12 {
            return Some(p);
        }
        let root = 1.0 - 4.0 * self.k * r * r;
        let out = (root >= 0.0).then(|| (1.0 - root.sqrt()) / (2.0 * self.k * r))?;
        Some(self.centre + from * (out / r))
    }
}
