//! Perspective: from four points to four points.
//!
//! P. Heckbert, "Fundamentals of Texture Mapping and Image Warping", 1989, section 2.2: the map from the unit
//! square onto a quadrilateral in closed form; from one quadrilateral to another by way of the square.

use super::Point;

/// A projective map of the plane.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Perspective([[f64; 3]; 3]);

impl Perspective {
    /// The map that carries four points, no three on one line, to four others.
    #[must_use]
    pub fn between(from: [Point; 4], to: [Point; 4]) -> Option<Self> {
        let onto_square = Self::from_square(from)?.inverse()?;
        Some(Self::from_square(to)?.after(&onto_square))
    }

    /// From (0, 0), (1, 0), (1, 1), (0, 1) to the points in turn.
    fn from_square([a, b, c, d]: [Point; 4]) -> Option<Self> {
        let sum = (a.x - b.x + c.x - d.x, a.y - b.y + c.y - d.y);
        let (d1, d2) = (b - c, d - c);
        let det = d1.cross(d2);
        if det.abs() < 1e-12 {
            return None;
        }
        let g = (sum.0 * d2.y - sum.1 * d2.x) / det;
        let h = (d1.x * sum.1 - d1.y * sum.0) / det;
        Some(Self([
            [b.x - a.x + g * b.x, d.x - a.x + h * d.x, a.x],
            [b.y - a.y + g * b.y, d.y - a.y + h * d.y, a.y],
            [g, h, 1.0],
        ]))
    }

    /// The map that carries places nearest to others, at least four: least squares of the distances. R. Hartley,
    /// A. Zisserman, "Multiple View Geometry in Computer Vision", 2003, chapter 4: linear in its coefficients when
    /// each row is weighed by what it divides by, which is known from the round before. None where they lie on a
    /// line.
    #[must_use]
    pub fn through(from: &[Point], to: &[Point]) -> Option<Self> {
        if let (Ok(from), Ok(to)) = (<[Point; 4]>::try_from(from), <[Point; 4]>::try_from(to)) {
            return Self::between(from, to);
        }
        let (shrink_from, from) = about_zero(from)?;
        let (shrink_to, to) = about_zero(to)?;
        let mut weights = vec![1.0; from.len()];
        let mut map = None;
        for _ in 0..12 {
            let mut rows = [[0.0; 9]; 8];
            for ((p, q), w) in from.iter().zip(&to).zip(&weights) {
                for (one, target) in [
                    ([p.x, p.y, 1.0, 0.0, 0.0, 0.0, -p.x * q.x, -p.y * q.x], q.x),
                    ([0.0, 0.0, 0.0, p.x, p.y, 1.0, -p.x * q.y, -p.y * q.y], q.y),
                ] {
                    for (r, row) in rows.iter_mut().enumerate() {
                        for (c, cell) in row.iter_mut().take(8).enumerate() {
                            *cell += w * w * one[r] * one[c];
                        }
                        row[8] += w * w * one[r] * target;
                    }
                }
            }
            let [a, b, c, d, e, f, g, h] = solve(rows)?;
            let found = Self([[a, b, c], [d, e, f], [g, h, 1.0]]);
            let below = |p: &Point| g * p.x + h * p.y + 1.0;
            weights = from.iter().map(|p| 1.0 / below(p)).collect();
            if weights.iter().any(|w| !w.is_finite()) {
                return None;
            }
            map = Some(found);
        }
        Some(shrink_to.inverse()?.after(&map?).after(&shrink_from))
    }

    /// What a point is divided by: points whose signs differ lie on two sides of the plane's horizon, and no camera
    /// sees both.
    #[must_use]
    pub fn depth(&self, p: Point) -> f64 {
        self.0[2][0] * p.x + self.0[2][1] * p.y + self.0[2][2]
    }

    /// The map back.
    #[must_use]
    pub fn inverse(&self) -> Option<Self> {
        let m = &self.0;
        let minor = |r: usize, c: usize| {
            let (r1, r2) = ((r + 1) % 3, (r + 2) % 3);
            let (c1, c2) = ((c + 1) % 3, (c + 2) % 3);
            m[r1][c1] * m[r2][c2] - m[r1][c2] * m[r2][c1]
        };
        let det: f64 = (0..3).map(|c| m[0][c] * minor(0, c)).sum();
        let mut out = [[0.0; 3]; 3];
        for (r, row) in out.iter_mut().enumerate() {
            for (c, cell) in row.iter_mut().enumerate() {
                *cell = minor(c, r) / det;
            }
        }
        (det.abs() > 1e-15).then_some(Self(out))
    }

    fn after(&self, first: &Self) -> Self {
        let mut out = [[0.0; 3]; 3];
        for (r, row) in out.iter_mut().enumerate() {
            for (c, cell) in row.iter_mut().enumerate() {
                *cell = (0..3).map(|k| self.0[r][k] * first.0[k][c]).sum();
            }
        }
        Self(out)
    }

    /// Where a point goes.
    #[must_use]
    pub fn at(&self, p: Point) -> Point {
        let row = |r: usize| self.0[r][0] * p.x + self.0[r][1] * p.y + self.0[r][2];
        let w = row(2);
        Point::new(row(0) / w, row(1) / w)
    }
}

/// Points about their middle, at a mean distance of one; and the map that carries them there.
fn about_zero(points: &[Point]) -> Option<(Perspective, Vec<Point>)> {
    let many = points.len() as f64;
    let middle = points.iter().fold(crate::geometry::Vec2::ZERO, |sum, p| sum + p.to_vec2()) / many;
    let far = points.iter().map(|p| (p.to_vec2() - middle).hypot()).sum::<f64>() / many;
    let s = 1.0 / far;
    let map = Perspective([[s, 0.0, -middle.x * s], [0.0, s, -middle.y * s], [0.0, 0.0, 1.0]]);
    (far > 1e-9).then(|| (map, points.iter().map(|p| map.at(*p)).collect()))
}

/// Eight equations, by elimination with the greatest of each column; `None` where they do not tell.
fn solve(mut rows: [[f64; 9]; 8]) -> Option<[f64; 8]> {
    for column in 0..8 {
        let best =
            (column..8).max_by(|a, b| rows[*a][column].abs().total_cmp(&rows[*b][column].abs()))?;
        rows.swap(column, best);
        if rows[column][column].abs() < 1e-10 {
            return None;
        }
        let pivot = rows[column];
        for (_, row) in rows.iter_mut().enumerate().filter(|(r, _)| *r != column) {
            let share = row[column] / pivot[column];
            row.iter_mut().zip(pivot).for_each(|(cell, above)| *cell -= share * above);
        }
    }
    Some(std::array::from_fn(|n| rows[n][8] / rows[n][n]))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn corners_go_to_corners_and_lines_stay_lines(
            shift in prop::array::uniform8(-0.3f64..0.3),
        ) {
            let square = [(0.0, 0.0), (4.0, 0.0), (4.0, 3.0), (0.0, 3.0)].map(Point::from);
            let mut to = square.map(|p| Point::new(p.x * 50.0 + 7.0, p.y * 40.0 - 3.0));
            for (n, p) in to.iter_mut().enumerate() {
                p.x += shift[2 * n] * 50.0;
                p.y += shift[2 * n + 1] * 50.0;
            }
            let map = Perspective::between(square, to).unwrap();
            let back = Perspective::between(to, square).unwrap();
            for (from, to) in square.iter().zip(to) {
                prop_assert!((map.at(*from) - to).hypot() < 1e-8);
            }
            let along = [0.1, 0.5, 0.8].map(|x| map.at(Point::new(4.0 * x, 1.0 + x)));
            prop_assert!((along[1] - along[0]).cross(along[2] - along[0]).abs() < 1e-6);
            let p = Point::new(1.3, 2.2);
            prop_assert!((back.at(map.at(p)) - p).hypot() < 1e-9);
        }
    }
}
