//! The field: the plane that a job is laid out on, and where its program counts from.
//!
//! On a flat bed it is the bed. In the rotary it is the unrolled surface: to the right along the
//! object, away from the operator round it.

use super::Round;
use crate::{Machine, Pointing};
use tinkite_base::geometry::{Point, Rect, Vec2};

/// The plane of a job. Everything in it is mm from its lower left corner, or from the zero where
/// nobody knows yet where on the bed that will be.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Field {
    /// What the head can reach; where the zero is only known at the machine, all that it could.
    pub rect: Rect,
    /// Where the program's zero is.
    pub zero: Vec2,
    /// Whether it is known where on the bed the job lies.
    pub fixed: bool,
    /// The largest circumference, mm, when it is the surface of a round object.
    pub around: Option<f64>,
    /// Which way the program's first two axes point.
    pub pointing: Pointing,
}

impl Field {
    /// The field of a job on `machine`, with `round` in its rotary; `fixed` where the program counts from the bed.
    #[must_use]
    pub fn new(machine: &Machine, fixed: bool, round: Option<&Round>) -> Self {
        let bed = &machine.bed;
        let origin = bed.origin_offset();
        let (rect, zero, around, pointing) = match (round, &machine.rotary) {
            (Some(round), Some(device)) => {
                let away = device.along == b'Y';
                let (length, origin, reversed) = if away {
                    (bed.depth, origin.y, machine.pointing.y_reversed)
                } else {
                    (bed.width, origin.x, machine.pointing.x_reversed)
                };
                let (low, high) = device.reach.unwrap_or((0.0, length));
                let circumference = round.circumference();
                let top = circumference * round.seam / std::f64::consts::TAU;
                let pointing = Pointing { x_reversed: reversed, ..Pointing::default() };
                let rect = Rect::new(low, 0.0, high.min(length), circumference);
                (rect, Vec2::new(origin, top), Some(circumference), pointing)
            }
            _ => (bed.rect(), origin, None, machine.pointing),
        };
        if fixed {
            return Self { rect, zero, fixed, around, pointing };
        }
        let (width, height) = (rect.width(), rect.height());
        let rect = Rect::new(-width, -height, width, height);
        Self { rect, zero: Vec2::ZERO, fixed, around, pointing }
    }

    /// Where a point lies that is said in the machine's own coordinates.
    #[must_use]
    pub fn plane(&self, machine: Point) -> Point {
        (self.zero + self.pointing.to_plane(machine.to_vec2())).to_point()
    }

    /// A rectangle round points relative to the zero, in the machine's own coordinates.
    #[must_use]
    pub fn machine_rect(&self, relative: Rect) -> Rect {
        let corner = |x, y| self.pointing.to_machine(Vec2::new(x, y)).to_point();
        Rect::from_points(corner(relative.x0, relative.y0), corner(relative.x1, relative.y1))
    }
}

impl Pointing {
    /// From the machine's X and Y to right and away, mm.
    #[must_use]
    pub fn to_plane(self, machine: Vec2) -> Vec2 {
        let x = if self.x_reversed { -machine.x } else { machine.x };
        let y = if self.y_reversed { -machine.y } else { machine.y };
        if self.exchanged { Vec2::new(y, x) } else { Vec2::new(x, y) }
    }

    /// From right and away to the machine's X and Y, mm.
    #[must_use]
    pub fn to_machine(self, plane: Vec2) -> Vec2 {
        let Vec2 { x, y } = if self.exchanged { Vec2::new(plane.y, plane.x) } else { plane };
        Vec2::new(if self.x_reversed { -x } else { x }, if self.y_reversed { -y } else { y })
    }

    /// Whether a turn to the left on the bed is one to the right for the controller.
    #[must_use]
    pub fn mirrors(self) -> bool {
        self.exchanged ^ self.x_reversed ^ self.y_reversed
    }
}
