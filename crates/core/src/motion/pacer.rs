//! Pacing: a stream of items goes in, and comes out in the same order, each with the speeds of its
//! blocks, as soon as nothing later can change them.

use super::planner::{Block, PlannedBlock, Planner};
use crate::job::Machine;
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
    /// For a machine whose head stands still.
    #[must_use]
    pub fn new(machine: &Machine) -> Self {
        Self {
            planner: Planner::new(machine.corner, machine.window),
            waiting: VecDeque::new(),
            settled: Vec::new(),
            given: 0,
        }
    }

    /// Adds an item with its blocks; hands on every item that is now certain.
    ///
    /// # Errors
    /// Whatever `each` returns.
    pub fn push<E>(
        &mut self,
        item: T,
        blocks: impl FnOnce(&mut dyn FnMut(Block)),
        each: &mut impl FnMut(T, &[PlannedBlock]) -> Result<(), E>,
    ) -> Result<(), E> {
        let (planner, settled) = (&mut self.planner, &mut self.settled);
        let mut count = 0;
        blocks(&mut |block| {
            count += 1;
            planner.push(block, (), &mut |(), planned| settled.push(planned));
        });
        self.waiting.push_back((item, count));
        self.hand_on(each)
    }

    /// Adds an item for which the head comes to a halt.
    ///
    /// # Errors
    /// Whatever `each` returns.
    pub fn halt<E>(
        &mut self,
        item: T,
        each: &mut impl FnMut(T, &[PlannedBlock]) -> Result<(), E>,
    ) -> Result<(), E> {
        self.planner.stop();
        self.push(item, |_| {}, each)
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
