//! Pacing: a stream of items goes in, and comes out in the same order, each with the speeds of its
//! blocks, as soon as nothing later can change them.

use super::block::{Block, PlannedBlock};
use super::planner::Planner;
use super::supply::{LineBytes, Supply};
use crate::Machine;
use std::collections::VecDeque;

/// Plans a stream of items of which each has some blocks, or none.
#[derive(Debug)]
pub struct Pacer<T> {
    planner: Planner<()>,
    /// Items whose blocks are not settled yet, with how many they have.
    waiting: VecDeque<(T, usize)>,
    /// Settled blocks; those before `given` were handed on.
    settled: Vec<PlannedBlock>,
    given: usize,
}

/// Blocks that were handed on are forgotten in batches of this many.
const BATCH: usize = 4096;

impl<T> Pacer<T> {
    /// For a machine whose head stands still; `supply`, where lines may come slower than they are
    /// run.
    #[must_use]
    pub fn new(machine: &Machine, supply: Option<Supply>) -> Self {
        Self {
            planner: Planner::new(machine.junction_deviation, machine.look_ahead)
                .with_supply(supply),
            waiting: VecDeque::new(),
            settled: Vec::new(),
            given: 0,
        }
    }

    /// Adds an item with its blocks, told by `lines`; hands on every item that is now certain.
    ///
    /// # Errors
    /// Whatever `each` returns.
    pub fn push<E>(
        &mut self,
        item: T,
        lines: LineBytes,
        blocks: impl FnOnce(&mut dyn FnMut(Block)),
        each: &mut impl FnMut(T, &[PlannedBlock]) -> Result<(), E>,
    ) -> Result<(), E> {
        let (planner, settled) = (&mut self.planner, &mut self.settled);
        let mut count = 0;
        blocks(&mut |block| {
            count += 1;
            // The first block of a move comes with its lines, the others are there then.
            let lines = if count == 1 { lines } else { LineBytes::default() };
            planner.push_told(block, lines, (), &mut |(), planned| settled.push(planned));
        });
        self.waiting.push_back((item, count));
        self.hand_on(each)
    }

    /// Adds an item for which the head stands for so long, s, told by `lines`; hands it on, after
    /// everything before it, with how long the head waits for those lines, s.
    ///
    /// # Errors
    /// Whatever `each` returns.
    pub fn halt<E>(
        &mut self,
        item: impl FnOnce(f64) -> T,
        lines: &LineBytes,
        seconds: f64,
        each: &mut impl FnMut(T, &[PlannedBlock]) -> Result<(), E>,
    ) -> Result<(), E> {
        self.finish(each)?;
        self.planner.stop();
        let waits = self.planner.rest(lines, seconds);
        each(item(waits), &[])
    }

    /// Whether lines came too late for any item that was handed on.
    #[must_use]
    pub fn is_starved(&self) -> bool {
        self.planner.is_starved()
    }

    /// Ends at standstill, and hands on all that is left.
    ///
    /// # Errors
    /// Whatever `each` returns.
    pub fn finish<E>(
        &mut self,
        each: &mut impl FnMut(T, &[PlannedBlock]) -> Result<(), E>,
    ) -> Result<(), E> {
        let settled = &mut self.settled;
        self.planner.finish(&mut |(), planned| settled.push(planned));
        self.hand_on(each)
    }

    fn hand_on<E>(
        &mut self,
        each: &mut impl FnMut(T, &[PlannedBlock]) -> Result<(), E>,
    ) -> Result<(), E> {
        while let Some((_, count)) = self.waiting.front()
            && self.given + count <= self.settled.len()
            && let Some((item, count)) = self.waiting.pop_front()
        {
            let blocks = &self.settled[self.given..self.given + count];
            self.given += count;
            each(item, blocks)?;
        }
        if self.given >= BATCH {
            self.settled.drain(..self.given);
            self.given = 0;
        }
        Ok(())
    }
}
