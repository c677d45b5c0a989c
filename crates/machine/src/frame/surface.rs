//! A round object's surface: from the unrolled plane to a place along its axis and an angle.

use crate::frame::{Field, Keep, Round};
use tinkite_base::geometry::{Point, Vec2};

/// The surface of a round object in the rotary.
///
/// Its plane is that of the job's [`Field`]: x along the object, y round it, mm. Between measured
/// places the object is a cone; beyond the first and the last it is a cylinder.
#[derive(Debug, Clone, PartialEq)]
pub struct Surface {
    /// Distance along the axis, distance along the surface, diameter: of each measured place, mm.
    places: Vec<[f64; 3]>,
    keep: Keep,
    /// Where the profile begins in the plane, mm from the program's zero.
    begin: f64,
    /// The diameter that angles are true to, mm.
    diameter: f64,
}

impl Surface {
    /// The surface of what a job holds in the rotary, its plane counted from the program's zero.
    #[must_use]
    pub fn new(round: &Round, field: &Field) -> Self {
        let mut places: Vec<[f64; 3]> = Vec::with_capacity(round.profile.len());
        for (axial, diameter) in &round.profile {
            let along = places.last().map_or(*axial, |[x, s, d]| {
                let slant = Vec2::new(axial - x, (diameter - d) / 2.0).hypot();
                s + if round.keep == Keep::Size { slant } else { axial - x }
            });
            places.push([*axial, along, *diameter]);
        }
        // In the plane of a job whose zero is set on the object the profile begins there.
        let begin = if field.fixed { round.at - field.zero.x } else { round.at };
        let diameter = round.diameter();
        Self { places, keep: round.keep, begin, diameter }
    }

    /// The distance along the plane of a place along the axis, both mm from the program's zero.
    #[must_use]
    pub fn along(&self, axial: f64) -> f64 {
        self.point(axial, 0.0).x
    }

    /// From where to where the object was measured, in the plane, mm.
    #[must_use]
    pub fn measured(&self) -> Option<(f64, f64)> {
        let (first, last) = (self.places.first()?, self.places.last()?);
        (self.places.len() > 1).then_some((self.begin + first[1], self.begin + last[1]))
    }

    /// Whether straight lines of the plane stay straight for the controller.
    #[must_use]
    pub fn is_even(&self) -> bool {
        self.places.iter().all(|[_, _, d]| *d == self.places[0][2])
    }

    /// Distances along the plane at which the slope changes, mm.
    pub fn breaks(&self) -> impl Iterator<Item = f64> + '_ {
        self.places.iter().map(|[_, s, _]| self.begin + s)
    }

    /// The measured places round a distance along the surface.
    fn around(&self, s: f64) -> ([f64; 3], [f64; 3]) {
        let after = self.places.partition_point(|place| place[1] < s);
        let last = self.places.len() - 1;
        (self.places[after.saturating_sub(1).min(last)], self.places[after.min(last)])
    }

    /// Diameter there, mm.
    #[must_use]
    pub fn diameter_at(&self, x: f64) -> f64 {
        let s = x - self.begin;
        let (a, b) = self.around(s);
        if b[1] - a[1] < 1e-12 {
            return a[2];
        }
        a[2] + (b[2] - a[2]) * ((s - a[1]) / (b[1] - a[1])).clamp(0.0, 1.0)
    }

    /// How steeply the surface rises along the axis there: the tangent of its slope.
    #[must_use]
    pub fn slope_at(&self, x: f64) -> f64 {
        let (a, b) = self.around(x - self.begin);
        if b[0] - a[0] < 1e-12 { 0.0 } else { (b[2] - a[2]) / 2.0 / (b[0] - a[0]) }
    }

    /// The place along the axis (mm from the program's zero) and the angle from the top (rad) of a point.
    #[must_use]
    pub fn place(&self, p: Point) -> (f64, f64) {
        let s = p.x - self.begin;
        let (a, b) = self.around(s);
        let axial = if b[1] - a[1] < 1e-12 {
            a[0] + (s - a[1])
        } else {
            let share = (s - a[1]) / (b[1] - a[1]);
            match share {
                // Beyond the ends the object is a cylinder.
                share if share < 0.0 => a[0] + (s - a[1]),
                share if share > 1.0 => b[0] + (s - b[1]),
                share => a[0] + (b[0] - a[0]) * share,
            }
        };
        (self.begin + axial, 2.0 * p.y / self.true_diameter(p.x))
    }

    /// The diameter by which lengths round the object become angles, mm.
    fn true_diameter(&self, x: f64) -> f64 {
        match self.keep {
            Keep::Size => self.diameter_at(x),
            Keep::Angle => self.diameter,
        }
    }

    /// The point of the plane at a place along the axis and an angle from the top.
    #[must_use]
    pub fn point(&self, axial: f64, angle: f64) -> Point {
        let at = axial - self.begin;
        let after = self.places.partition_point(|place| place[0] < at);
        let last = self.places.len() - 1;
        let (a, b) = (self.places[after.saturating_sub(1).min(last)], self.places[after.min(last)]);
        let s = if b[0] - a[0] < 1e-12 || at < a[0] || at > b[0] {
            let end = if at > b[0] { b } else { a };
            end[1] + (at - end[0])
        } else {
            a[1] + (b[1] - a[1]) * (at - a[0]) / (b[0] - a[0])
        };
        let x = self.begin + s;
        Point::new(x, angle * self.true_diameter(x) / 2.0)
    }

    /// How long the way is that the spot takes on the object between two points that the
    /// controller joins by turning evenly, mm.
    #[must_use]
    pub fn way(&self, from: Point, to: Point) -> f64 {
        let ((x0, a0), (x1, a1)) = (self.place(from), self.place(to));
        let (d0, d1) = (self.diameter_at(from.x), self.diameter_at(to.x));
        let along = Vec2::new(x1 - x0, (d1 - d0) / 2.0).hypot();
        along.hypot((a1 - a0) * (d0 + d1) / 4.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Pointing;
    use crate::frame::Hold;
    use proptest::prelude::*;
    use std::f64::consts::PI;
    use tinkite_base::geometry::Rect;

    fn surface(profile: &[(f64, f64)], keep: Keep) -> Surface {
        let round = Round {
            hold: Hold::Chuck,
            profile: profile.to_vec(),
            at: 10.0,
            keep,
            top: 0.0,
            seam: PI,
            overlap: false,
        };
        let field = Field {
            rect: Rect::new(0.0, 0.0, 300.0, 200.0),
            zero: Vec2::new(0.0, 100.0),
            fixed: true,
            around: Some(200.0),
            pointing: Pointing::default(),
        };
        Surface::new(&round, &field)
    }

    #[test]
    fn a_cylinder_keeps_lengths_and_turns_once_round() {
        let s = surface(&[(0.0, 70.0)], Keep::Size);
        assert!(s.is_even() && s.measured().is_none());
        let (x, angle) = s.place(Point::new(42.0, 35.0 * PI));
        assert!((x - 42.0).abs() < 1e-12 && (angle - PI).abs() < 1e-12);
        assert!((s.way(Point::new(0.0, 0.0), Point::new(30.0, 40.0)) - 50.0).abs() < 1e-9);
    }

    #[test]
    fn a_cone_is_longer_along_its_surface_than_along_its_axis() {
        // 30 mm along the axis, 40 mm in radius: 50 mm along the surface.
        let s = surface(&[(0.0, 20.0), (30.0, 100.0)], Keep::Size);
        assert_eq!(s.measured(), Some((10.0, 60.0)));
        assert!((s.place(Point::new(60.0, 0.0)).0 - 40.0).abs() < 1e-12);
        assert!((s.diameter_at(35.0) - 60.0).abs() < 1e-12);
        assert!((s.slope_at(35.0) - 40.0 / 30.0).abs() < 1e-12);
        let angles = surface(&[(0.0, 20.0), (30.0, 100.0)], Keep::Angle);
        assert!((angles.place(Point::new(12.0, 50.0)).1 - 1.0).abs() < 1e-12);
    }

    proptest! {
        #[test]
        fn every_point_of_the_plane_is_found_again(
            x in -20.0..120.0f64, y in -200.0..200.0f64,
            d in proptest::collection::vec(5.0..90.0f64, 1..6), size in any::<bool>(),
        ) {
            let profile: Vec<(f64, f64)> =
                d.iter().enumerate().map(|(n, d)| (n as f64 * 17.0, *d)).collect();
            let s = surface(&profile, if size { Keep::Size } else { Keep::Angle });
            let (axial, angle) = s.place(Point::new(x, y));
            let back = s.point(axial, angle);
            prop_assert!(back.distance(Point::new(x, y)) < 1e-6, "{back:?}");
        }
    }
}
