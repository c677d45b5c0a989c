//! The course of a move: what a controller's planner makes of it.
//!
//! A controller knows the positions of its axes and nothing else, mm and degrees alike. Boards of
//! the `grbl` interface and 3-D-printer firmware run an arc as short chords, each a block of its own
//! with a corner before it; controllers that read whole programs run it as one, as fast as the
//! acceleration towards its centre lets them.

use super::block::{Block, Leg};
use crate::Machine;
use crate::{Axis, Dialect};
use tinkite_base::geometry::Vec2;

/// A circular arc in the positions of two axes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Circle {
    /// Its centre.
    pub centre: [f64; 2],
    /// How far it turns, rad; counter-clockwise above zero.
    pub sweep: f64,
}

/// How a controller runs arcs.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Arcs {
    /// As chords that stray so far from the arc at most, mm.
    Chords(f64),
    /// As one move.
    Whole,
}

/// How near the chords of a board stay to an arc, mm, as boards come (`$12`).
pub const ARC_TOLERANCE: f64 = 0.002;

/// An arc has no more chords than this.
const MOST_CHORDS: usize = 100_000;

/// What a controller's planner knows of the machine.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Course {
    axes: [Axis; 2],
    arcs: Arcs,
}

impl Course {
    /// Of two axes of a machine.
    #[must_use]
    pub fn new(machine: &Machine, axes: [Axis; 2]) -> Self {
        let arcs = match machine.dialect {
            Dialect::Grbl | Dialect::Reprap => Arcs::Chords(ARC_TOLERANCE),
            Dialect::Ngc => Arcs::Whole,
        };
        Self { axes, arcs }
    }

    /// How many blocks a move becomes, without making them.
    #[must_use]
    pub fn count(&self, from: [f64; 2], circle: Option<&Circle>) -> usize {
        let (Some(circle), Arcs::Chords(tolerance)) = (circle, self.arcs) else { return 1 };
        let radius = (from[0] - circle.centre[0]).hypot(from[1] - circle.centre[1]);
        // Source: the public arc routine of `grbl` boards: floor(|sweep · r| / 2 / √(t (2 r − t))).
        let half_chord = (tolerance * (2.0 * radius - tolerance)).max(1e-12).sqrt();
        ((0.5 * circle.sweep.abs() * radius / half_chord) as usize).clamp(1, MOST_CHORDS)
    }

    /// The blocks of a move between two positions, asked for at a speed in the controller's own
    /// lengths per second; infinite for a rapid. Moves of no length have none.
    pub fn blocks(
        &self,
        from: [f64; 2],
        to: [f64; 2],
        circle: Option<&Circle>,
        speed: f64,
        mut each: impl FnMut(Block),
    ) {
        let Some(circle) = circle else {
            self.line(from, to, speed, &mut each);
            return;
        };
        if self.arcs == Arcs::Whole {
            each(self.arc(from, to, circle, speed));
            return;
        }
        let count = self.count(from, Some(circle));
        let spoke = Vec2::new(from[0] - circle.centre[0], from[1] - circle.centre[1]);
        let (radius, begin) = (spoke.hypot(), spoke.atan2());
        let mut at = from;
        for n in 1..=count {
            let next = if n == count {
                to
            } else {
                let (sin, cos) = (begin + circle.sweep * n as f64 / count as f64).sin_cos();
                [circle.centre[0] + radius * cos, circle.centre[1] + radius * sin]
            };
            self.line(at, next, speed, &mut each);
            at = next;
        }
    }

    fn line(&self, from: [f64; 2], to: [f64; 2], speed: f64, each: &mut impl FnMut(Block)) {
        let way = Vec2::new(to[0] - from[0], to[1] - from[1]);
        let length = way.hypot();
        if length < 1e-9 {
            return;
        }
        let direction = way / length;
        let [a, b] = &self.axes;
        let share = |limit: f64, part: f64| limit / part.abs().max(1e-12);
        let least = |of: fn(&Axis) -> f64| share(of(a), direction.x).min(share(of(b), direction.y));
        each(Block {
            leg: Leg {
                length,
                speed: speed.min(least(|axis| axis.top_speed)),
                acceleration: least(|axis| axis.acceleration),
            },
            axes: [a.acceleration, b.acceleration, f64::INFINITY],
            start: level(direction),
            end: level(direction),
        });
    }

    /// An arc that is run as one: the acceleration points inwards, v² / r.
    fn arc(&self, from: [f64; 2], to: [f64; 2], circle: &Circle, speed: f64) -> Block {
        let [a, b] = &self.axes;
        let acceleration = a.acceleration.min(b.acceleration);
        let spoke = |p: [f64; 2]| Vec2::new(p[0] - circle.centre[0], p[1] - circle.centre[1]);
        let (begin, end) = (spoke(from), spoke(to));
        let radius = begin.hypot();
        let turn = circle.sweep.signum();
        let tangent = |v: Vec2| Vec2::new(-v.y, v.x) * (turn / v.hypot().max(1e-12));
        let top = a.top_speed.min(b.top_speed).min((acceleration * radius).sqrt());
        Block {
            leg: Leg { length: circle.sweep.abs() * radius, speed: speed.min(top), acceleration },
            axes: [a.acceleration, b.acceleration, f64::INFINITY],
            start: level(tangent(begin)),
            end: level(tangent(end)),
        }
    }
}

/// A direction in which the focus stays where it is.
fn level(direction: Vec2) -> [f64; 3] {
    [direction.x, direction.y, 0.0]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn course(arcs: Arcs) -> Course {
        let axis = Axis { top_speed: 200.0, acceleration: 1000.0 };
        Course { axes: [axis, Axis { top_speed: 100.0, acceleration: 500.0 }], arcs }
    }

    fn all(course: &Course, from: [f64; 2], to: [f64; 2], circle: Option<&Circle>) -> Vec<Block> {
        let mut all = Vec::new();
        course.blocks(from, to, circle, 150.0, |block| all.push(block));
        all
    }

    #[test]
    fn a_line_is_limited_by_the_axis_that_does_most_of_it() {
        let course = course(Arcs::Whole);
        let right = all(&course, [0.0, 0.0], [10.0, 0.0], None)[0];
        assert_eq!(
            (right.leg.speed, right.leg.acceleration, right.leg.length),
            (150.0, 1000.0, 10.0)
        );
        let away = all(&course, [0.0, 0.0], [0.0, 10.0], None)[0];
        assert_eq!((away.leg.speed, away.leg.acceleration), (100.0, 500.0));
        assert!(all(&course, [1.0, 1.0], [1.0, 1.0], None).is_empty());
    }

    #[test]
    fn chords_are_as_long_as_the_arc_and_stay_within_the_tolerance() {
        let quarter = Circle { centre: [0.0, 0.0], sweep: std::f64::consts::FRAC_PI_2 };
        let chords = all(&course(Arcs::Chords(0.002)), [3.0, 0.0], [0.0, 3.0], Some(&quarter));
        let length: f64 = chords.iter().map(|block| block.leg.length).sum();
        assert!(chords.len() > 10 && (length - 3.0 * quarter.sweep).abs() < 0.01, "{length}");
        // Sagitta of a chord: r − √(r² − (c / 2)²).
        let sagitta = 3.0 - (9.0 - (chords[0].leg.length / 2.0).powi(2)).sqrt();
        assert!(sagitta < 0.0025, "{sagitta}");
        let whole = all(&course(Arcs::Whole), [3.0, 0.0], [0.0, 3.0], Some(&quarter));
        assert_eq!(whole.len(), 1);
        // √(500 · 3) = 38.7 mm/s.
        assert!((whole[0].leg.speed - 38.73).abs() < 0.01);
        assert!((whole[0].start[1] - 1.0).abs() < 1e-12 && (whole[0].end[0] + 1.0).abs() < 1e-12);
    }
}
