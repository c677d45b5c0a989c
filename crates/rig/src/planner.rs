//! The planner's queue: corner speeds under a look-ahead of a few moves, as boards have it.

use crate::axes::{Axes, distance};
use crate::settings::Setup;
use std::collections::VecDeque;

/// One straight move in the queue. Speeds in mm/s, squared where the name says so.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Block {
    pub(crate) from: Axes,
    pub(crate) to: Axes,
    pub(crate) length: f64,
    /// Highest speed, overrides counted in.
    pub(crate) speed: f64,
    pub(crate) acceleration: f64,
    /// What was asked for; none for a rapid.
    feed: Option<f64>,
    /// What the axes can do.
    top: f64,
    /// Most that the corner before it allows, whatever the speeds on both sides.
    corner_squared: f64,
    /// What is planned at its start.
    pub(crate) entry_squared: f64,
    /// S while it runs; nothing when the beam is off.
    pub(crate) s: Option<f64>,
}

/// What the operator has changed while running, in percent.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Overrides {
    pub(crate) feed: u16,
    pub(crate) rapid: u16,
    pub(crate) beam: u16,
}

impl Default for Overrides {
    fn default() -> Self {
        Self { feed: 100, rapid: 100, beam: 100 }
    }
}

/// The queue.
#[derive(Debug, Default)]
pub(crate) struct Planner {
    pub(crate) blocks: VecDeque<Block>,
    pub(crate) overrides: Overrides,
    /// Direction of the last move, when the next one goes on from it.
    last: Option<Axes>,
}

impl Planner {
    /// Adds a straight move that burns with `s`, or not at all; one of no length is no move.
    pub(crate) fn push(
        &mut self,
        from: Axes,
        to: Axes,
        feed: Option<f64>,
        s: Option<f64>,
        setup: &Setup,
    ) {
        let length = distance(from, to);
        if length < 1e-9 {
            return;
        }
        let direction = [0, 1, 2, 3].map(|n| (to[n] - from[n]) / length);
        let along = |limit: Axes| {
            let axis = |n: usize| limit[n] / direction[n].abs().max(1e-12);
            (0..4).map(axis).fold(f64::INFINITY, f64::min)
        };
        let top = along(setup.top_speeds());
        let acceleration = along(setup.accelerations());
        let corner_squared = match self.last.replace(direction) {
            Some(before) => corner(before, direction, setup),
            None => 0.0,
        };
        self.blocks.push_back(Block {
            from,
            to,
            length,
            speed: override_speed(feed, top, self.overrides),
            acceleration,
            feed,
            top,
            corner_squared,
            entry_squared: 0.0,
            s,
        });
        self.plan();
    }

    /// Everything before is finished: the next move starts from standstill.
    pub(crate) fn standstill(&mut self) {
        self.last = None;
    }

    /// Forgets every move; overrides stay.
    pub(crate) fn clear(&mut self) {
        self.blocks.clear();
        self.last = None;
    }

    /// The operator changes speeds: everything in the queue follows.
    pub(crate) fn change(&mut self, overrides: Overrides) {
        self.overrides = overrides;
        for block in &mut self.blocks {
            block.speed = override_speed(block.feed, block.top, overrides);
            block.entry_squared = -1.0;
        }
        self.plan();
    }

    /// Works out entry speeds so that the head can always stop at the end of the queue. The first
    /// block is the one that runs: its entry is what it is.
    pub(crate) fn plan(&mut self) {
        let mut exit = 0.0;
        for at in (1..self.blocks.len()).rev() {
            let slower = self.blocks[at - 1].speed.min(self.blocks[at].speed);
            let block = &mut self.blocks[at];
            let most = exit + 2.0 * block.acceleration * block.length;
            let entry = most.min(block.corner_squared).min(slower * slower);
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

/// Speed of a move under overrides, never above what the axes can do.
fn override_speed(feed: Option<f64>, top: f64, overrides: Overrides) -> f64 {
    match feed {
        Some(feed) => (feed * f64::from(overrides.feed) / 100.0).min(top),
        None => top * f64::from(overrides.rapid) / 100.0,
    }
}

/// Squared speed through a corner by junction deviation, with the acceleration that the axes have in
/// the direction in which the speed changes; a straight line has no limit.
fn corner(a: Axes, b: Axes, setup: &Setup) -> f64 {
    let dot: f64 = a.iter().zip(&b).map(|(a, b)| a * b).sum();
    if dot > 0.999_999 {
        return f64::INFINITY;
    }
    // Half the angle between the incoming direction reversed and the outgoing one.
    let sine = ((1.0 + dot) / 2.0).max(0.0).sqrt();
    if sine < 1e-6 {
        return 0.0;
    }
    let turn = [0, 1, 2, 3].map(|n| b[n] - a[n]);
    let size = distance([0.0; 4], turn);
    let limits = setup.accelerations();
    let most = (0..4).map(|n| limits[n] * size / turn[n].abs().max(1e-12));
    most.fold(f64::INFINITY, f64::min) * setup.corner * sine / (1.0 - sine)
}
