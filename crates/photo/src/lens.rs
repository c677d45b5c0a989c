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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bending_undoes_straightening() {
        for k in [-0.2, -1e-12, 0.0, 0.15] {
            let lens = Lens::of((600, 400), k);
            for at in [(300.0, 200.0), (301.0, 200.0), (40.0, 30.0), (590.0, 210.0)] {
                let p = Point::new(at.0, at.1);
                let back = lens.bent(lens.straight(p)).unwrap();
                assert!(back.distance(p) < 1e-6, "{k} {p} {back}");
            }
        }
    }

    #[test]
    fn a_corner_moves_by_its_coefficient() {
        // At the corner r is 1: (p - c) / (1 + k).
        let lens = Lens::of((600, 800), 0.25);
        assert_eq!((lens.centre, lens.reach), (Point::new(300.0, 400.0), 500.0));
        let corner = lens.straight(Point::new(600.0, 800.0));
        assert!(corner.distance(Point::new(300.0 + 300.0 / 1.25, 400.0 + 400.0 / 1.25)) < 1e-9);
        assert_eq!(lens.bent(Point::new(3000.0, 400.0)), None, "beyond what the lens can show");
    }
}
