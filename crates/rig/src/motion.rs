//! Running the queue in simulated time, in closed form: no time steps, no rounding drift.

use crate::axes::Axes;
use crate::planner::{Block, Planner};
use crate::record::Record;

/// How the head moves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Drive {
    /// As planned.
    Planned,
    /// Slowing down to a halt, wherever that is.
    Braking,
}

/// The head: where it is in the first block of the queue.
#[derive(Debug)]
pub(crate) struct Head {
    /// Machine position.
    pub(crate) at: Axes,
    /// Speed along the block, mm/s.
    pub(crate) speed: f64,
    /// How far into the first block, mm.
    done: f64,
    pub(crate) drive: Drive,
}

impl Default for Head {
    fn default() -> Self {
        Self { at: [0.0; 4], speed: 0.0, done: 0.0, drive: Drive::Planned }
    }
}

/// A stretch of constant acceleration: how long it lasts and what it changes.
#[derive(Debug, Clone, Copy)]
struct Phase {
    seconds: f64,
    acceleration: f64,
    length: f64,
}

impl Head {
    /// Whether there is anything left to do in this drive.
    pub(crate) fn is_moving(&self, planner: &Planner) -> bool {
        match self.drive {
            Drive::Planned => !planner.blocks.is_empty(),
            Drive::Braking => self.speed > 0.0 && !planner.blocks.is_empty(),
        }
    }

    /// Runs for at most `seconds`; stops early when a block is done or the head stands. Returns the
    /// time that went by.
    pub(crate) fn run(&mut self, planner: &mut Planner, seconds: f64, record: &mut Record) -> f64 {
        let Some(block) = planner.blocks.front().copied() else { return 0.0 };
        let left = (block.length - self.done).max(0.0);
        let exit = self.exit(left, &block, planner);
        let stretches = self.stretches(left, exit, &block);
        let mut gone = 0.0;
        let mut moved = 0.0;
        let mut finished = true;
        for stretch in stretches {
            let time = stretch.seconds.min(seconds - gone);
            moved += self.speed * time + stretch.acceleration * time * time / 2.0;
            self.speed = (self.speed + stretch.acceleration * time).max(0.0);
            gone += time;
            if time < stretch.seconds {
                finished = false;
                break;
            }
        }
        let covered: f64 = stretches.iter().map(|s| s.length).sum();
        let end_of_block = finished && covered >= left - 1e-9;
        let now = if end_of_block {
            block.to
        } else {
            let share = ((self.done + moved) / block.length).clamp(0.0, 1.0);
            [0, 1, 2, 3].map(|n| block.from[n] + (block.to[n] - block.from[n]) * share)
        };
        record.height = now[3];
        let lit = block.s.is_some_and(|s| s > 0.0);
        match block.s {
            // The focus goes up or down over one place.
            _ if block.from[..3] == block.to[..3] => {
                record.lit_standing_seconds += if lit { gone } else { 0.0 };
            }
            Some(s) if lit => {
                record.burn(self.at, now, s * f64::from(planner.overrides.beam) / 100.0);
            }
            _ => record.pass(self.at, now),
        }
        record.busy_seconds += gone;
        self.at = now;
        if end_of_block {
            self.done = 0.0;
            if self.drive == Drive::Planned {
                self.speed = exit;
            }
            planner.blocks.pop_front();
        } else {
            self.done += moved;
            if finished {
                self.speed = 0.0;
            }
        }
        gone
    }

    /// Time until the first block is done or the head stands, s.
    pub(crate) fn time_left(&self, planner: &Planner) -> f64 {
        let Some(block) = planner.blocks.front() else { return 0.0 };
        let left = (block.length - self.done).max(0.0);
        let exit = self.exit(left, block, planner);
        self.stretches(left, exit, block).iter().map(|s| s.seconds).sum()
    }

    /// Speed at which the block is left as planned: what can be reached of what the next allows.
    fn exit(&self, left: f64, block: &Block, planner: &Planner) -> f64 {
        let reachable = self.speed * self.speed + 2.0 * block.acceleration * left;
        planner.exit_squared().min(reachable).sqrt().min(block.speed)
    }

    fn stretches(&self, left: f64, exit: f64, block: &Block) -> [Phase; 3] {
        match self.drive {
            Drive::Planned => profile(left, self.speed, exit, block.speed, block.acceleration),
            Drive::Braking => braking(left, self.speed, block.acceleration),
        }
    }

    /// Forgets what it was in the middle of.
    pub(crate) fn forget(&mut self) {
        self.done = 0.0;
        self.speed = 0.0;
        self.drive = Drive::Planned;
    }
}

/// Up, along and down over `left` mm, from speed `v` to `exit` with at most `top`.
fn profile(left: f64, v: f64, exit: f64, top: f64, a: f64) -> [Phase; 3] {
    let none = Phase { seconds: 0.0, acceleration: 0.0, length: 0.0 };
    let peak = if v > top {
        // The operator has just asked for less: down to that first.
        top.max(exit.min(v))
    } else {
        (a * left + (v * v + exit * exit) / 2.0).max(0.0).sqrt().min(top)
    };
    let ramp = |from: f64, to: f64| {
        let seconds = (to - from).abs() / a;
        Phase {
            seconds,
            acceleration: (to - from).signum() * a,
            length: (from + to) / 2.0 * seconds,
        }
    };
    let up = if peak == v { none } else { ramp(v, peak) };
    let reached = peak;
    let down = if reached > exit { ramp(reached, exit) } else { none };
    let length = (left - up.length - down.length).max(0.0);
    let along = if length > 1e-12 && reached > 0.0 {
        Phase { seconds: length / reached, acceleration: 0.0, length }
    } else {
        none
    };
    [up, along, down]
}

fn braking(left: f64, v: f64, a: f64) -> [Phase; 3] {
    let none = Phase { seconds: 0.0, acceleration: 0.0, length: 0.0 };
    let needed = v * v / (2.0 * a);
    let (length, end) = if needed <= left {
        (needed, 0.0)
    } else {
        (left, (v * v - 2.0 * a * left).max(0.0).sqrt())
    };
    [Phase { seconds: (v - end) / a, acceleration: -a, length }, none, none]
}
