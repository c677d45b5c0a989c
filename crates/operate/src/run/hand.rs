//! What the operator orders while a program runs, on its way to the link's thread.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};
use tinkite_wire::Adjust;

/// An order.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunOrder {
    /// Hold, or go on where it is held: by us or at the machine.
    HoldOrGoOn,
    /// Change speed or power.
    Adjust(Adjust),
}

/// The most orders that wait: the link's thread takes them within a hundredth of a second.
const MOST: usize = 8;

/// Orders that were not carried out yet.
#[derive(Debug, Default)]
pub struct Hand(Mutex<VecDeque<RunOrder>>);

impl Hand {
    /// Gives an order. One too many is forgotten: a key that is held down repeats it.
    pub fn order(&self, order: RunOrder) {
        let mut orders = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if orders.len() < MOST {
            orders.push_back(order);
        }
    }

    /// The oldest one.
    pub fn take(&self) -> Option<RunOrder> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).pop_front()
    }
}
