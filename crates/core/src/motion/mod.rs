//! Motion: how fast the head really goes. Known here are positions of axes, what those can do and
//! how a controller plans; neither jobs nor programs.

pub mod course;
pub mod pacer;
pub mod planner;
pub mod supply;

use crate::geometry::Vec2;
use crate::job::Machine;
use planner::Block;

/// How long the focus takes from one height (mm) to another, from standstill to standstill, s.
#[must_use]
pub fn lift_seconds(from: f64, to: f64, machine: &Machine) -> f64 {
    let Some(z) = machine.z else { return 0.0 };
    let up = Vec2::new(0.0, 1.0);
    let block = Block {
        length: (to - from).abs(),
        speed: z.axis.top_speed,
        acceleration: z.axis.acceleration,
        start: up,
        end: up,
        stop_before: true,
    };
    planner::seconds(&block, 0.0, 0.0)
}
