//! The planner's queue: corner speeds under a look-ahead of a few moves, as boards have it.

use crate::gcode::distance;
use crate::settings::Setup;
use std::collections::VecDeque;

/// One straight move in the queue. Speeds in mm/s, squared where the name says so.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Block {
    pub(crate) from: [f64; 2],
    pub(crate) to: [f64; 2],
    pub(crate) length: f64,
    pub(crate) speed: f64,
    pub(crate) acceleration: f64,
    /// Most that the corner before it allows.
    corner_squared: f64,
    /// What is planned at its start.
    pub(crate) entry_squared: f64,
    /// S while it runs; nothing when the beam is off.
    pub(crate) s: Option<f64>,
}

/// The queue.
#[derive(Debug, Default)]
pub(crate) struct Planner {
    pub(crate) blocks: VecDeque<Block>,
    last_direction: Option<([f64; 2], f64, f64)>,
}

impl Planner {
    /// Adds a straight move that burns with `s`, or not at all; one of no length is no move.
    pub(crate) fn push(
        &mut self,
        from: [f64; 2],
        to: [f64; 2],
        feed: Option<f64>,
        s: Option<f64>,
        setup: &Setup,
    ) {
        let length = distance(from, to);
        if length < 1e-9 {
            return;
        }
        let direction = [(to[0] - from[0]) / length, (to[1] - from[1]) / length];
        let along = |limit: [f64; 2]| {
            let axis = |n: usize| limit[n] / direction[n].abs().max(1e-12);
            axis(0).min(axis(1))
        };
        let speed = feed.unwrap_or(f64::INFINITY).min(along(setup.top_speed));
        let acceleration = along(setup.acceleration);
        let corner_squared = match self.last_direction {
            Some((before, before_speed, before_acceleration)) => corner(
                before,
                direction,
                before_speed.min(speed),
                before_acceleration.min(acceleration),
                setup.corner,
            ),
            None => 0.0,
        };
        self.last_direction = Some((direction, speed, acceleration));
        self.blocks.push_back(Block {
            from,
            to,
            length,
            speed,
            acceleration,
            corner_squared,
            entry_squared: 0.0,
            s,
        });
        self.plan();
    }

    /// Everything before is finished: the next move starts from standstill.
    pub(crate) fn standstill(&mut self) {
        self.last_direction = None;
    }

    /// Works out entry speeds so that the head can always stop at the end of the queue. The first
    /// block is the one that runs: its entry is what it is.
    pub(crate) fn plan(&mut self) {
        let mut exit = 0.0;
        for at in (1..self.blocks.len()).rev() {
            let block = &mut self.blocks[at];
            let most = exit + 2.0 * block.acceleration * block.length;
            let entry = most.min(block.corner_squared);
            // Nothing changes further up when this one did not.
            let same = block.entry_squared == entry && at + 2 < self.blocks.len();
            self.blocks[at].entry_squared = entry;
            exit = entry;
            if same {
                break;
            }
        }
    }

    /// Squared speed at which the first block must end.
    pub(crate) fn exit_squared(&self) -> f64 {
        self.blocks.get(1).map_or(0.0, |next| next.entry_squared)
    }
}

/// Squared speed through a corner by junction deviation.
fn corner(a: [f64; 2], b: [f64; 2], speed: f64, acceleration: f64, deviation: f64) -> f64 {
    let dot = a[0] * b[0] + a[1] * b[1];
    if dot > 0.999_999 {
        return speed * speed;
    }
    // Half the angle between the incoming direction reversed and the outgoing one.
    let sine = ((1.0 + dot) / 2.0).max(0.0).sqrt();
    if sine < 1e-6 {
        return 0.0;
    }
    (speed * speed).min(acceleration * deviation * sine / (1.0 - sine))
}
