//! Motion: how fast the head really goes. Known here are positions of axes, what those can do and
//! how a controller plans; neither jobs nor programs.

pub mod block;
pub mod course;
pub mod fit;
pub mod pacer;
pub mod planner;
pub mod supply;

use crate::Machine;
use block::{Block, Leg};

/// What a planner makes of the focus going from one height (mm) to another, asked for at a speed
/// (mm/s; infinite for a rapid); none on machines that do not move it, and where it stays.
#[must_use]
pub fn lift(from: f64, to: f64, speed: f64, machine: &Machine) -> Option<Block> {
    let axis = machine.z?.axis;
    let way = [0.0, 0.0, (to - from).signum()];
    (from != to).then(|| Block {
        leg: Leg {
            length: (to - from).abs(),
            speed: axis.top_speed.min(speed),
            acceleration: axis.acceleration,
        },
        axes: [f64::INFINITY, f64::INFINITY, axis.acceleration],
        start: way,
        end: way,
    })
}
