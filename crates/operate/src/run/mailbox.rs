//! From the link's thread to whoever shows or writes down how a run goes. Putting something in never
//! waits: a terminal that stands still, or a slow disk, changes nothing on the wire. Of views only the
//! last is kept; facts are kept all, up to a bound that no run reaches, and counted beyond it.

use std::collections::VecDeque;
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// The most facts that are kept.
const MOST: usize = 10_000;

/// What lies in a mailbox.
#[derive(Debug)]
struct Letters<V, F> {
    view: Option<V>,
    facts: VecDeque<F>,
    lost: usize,
    closed: bool,
}

/// What is taken out at once: facts first, then the view, which is later than they are.
#[derive(Debug)]
pub struct Delivery<V, F> {
    /// In the order in which they happened.
    pub facts: VecDeque<F>,
    /// The newest one.
    pub view: Option<V>,
    /// Facts that found no room.
    pub lost: usize,
    /// Nothing comes any more.
    pub closed: bool,
}

/// A mailbox for views and facts.
#[derive(Debug)]
pub struct Mailbox<V, F> {
    letters: Mutex<Letters<V, F>>,
    changed: Condvar,
}

impl<V, F> Default for Mailbox<V, F> {
    fn default() -> Self {
        let letters = Letters { view: None, facts: VecDeque::new(), lost: 0, closed: false };
        Self { letters: Mutex::new(letters), changed: Condvar::new() }
    }
}

impl<V, F> Mailbox<V, F> {
    fn letters(&self) -> MutexGuard<'_, Letters<V, F>> {
        // Nobody panics while he holds it.
        self.letters.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// How it looks now, instead of how it looked before.
    pub fn view(&self, view: V) {
        self.letters().view = Some(view);
        self.changed.notify_all();
    }

    /// Something that must be told.
    pub fn fact(&self, fact: F) {
        let mut letters = self.letters();
        if letters.facts.len() < MOST {
            letters.facts.push_back(fact);
        } else {
            letters.lost += 1;
        }
        self.changed.notify_all();
    }

    /// Nothing comes any more.
    pub fn close(&self) {
        self.letters().closed = true;
        self.changed.notify_all();
    }

    /// Waits until what was put in is taken out: only for a link without a real clock.
    pub fn wait_until_read(&self) {
        let letters = self.letters();
        let unread = |l: &mut Letters<V, F>| (l.view.is_some() || !l.facts.is_empty()) && !l.closed;
        let most = Duration::from_secs(5);
        drop(self.changed.wait_timeout_while(letters, most, unread));
    }

    /// Waits for something and takes it out.
    pub fn take(&self) -> Delivery<V, F> {
        let empty = |l: &mut Letters<V, F>| l.view.is_none() && l.facts.is_empty() && !l.closed;
        let waited = self.changed.wait_while(self.letters(), empty);
        let mut letters = waited.unwrap_or_else(PoisonError::into_inner);
        let delivery = Delivery {
            facts: std::mem::take(&mut letters.facts),
            view: letters.view.take(),
            lost: std::mem::take(&mut letters.lost),
            closed: letters.closed,
        };
        self.changed.notify_all();
        delivery
    }
}

/// Closes a mailbox however its writer ends.
pub struct Closing<'m, V, F>(pub &'m Mailbox<V, F>);

impl<V, F> Drop for Closing<'_, V, F> {
    fn drop(&mut self) {
        self.0.close();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn views_replace_each_other_and_facts_do_not() {
        let mailbox: Mailbox<u32, u32> = Mailbox::default();
        (0..3).for_each(|n| {
            mailbox.view(n);
            mailbox.fact(n);
        });
        let delivery = mailbox.take();
        assert_eq!((delivery.view, Vec::from(delivery.facts)), (Some(2), vec![0, 1, 2]));
        assert!(!delivery.closed);
        drop(Closing(&mailbox));
        assert!(mailbox.take().closed);
    }

    #[test]
    fn beyond_the_bound_facts_are_counted() {
        let mailbox: Mailbox<(), usize> = Mailbox::default();
        (0..MOST + 3).for_each(|n| mailbox.fact(n));
        let delivery = mailbox.take();
        assert_eq!((delivery.facts.len(), delivery.lost), (MOST, 3));
    }
}
