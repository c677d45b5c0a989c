//! Libraries on hostile input.
//!
//! A file that somebody made on purpose, or that a disk damaged, can make a library's parser panic.
//! For us that is a broken file, never the end of the program. Our own code is not shielded: its
//! faults must show.

use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};

thread_local! {
    static SHIELDED: Cell<bool> = const { Cell::new(false) };
}

/// Whether this thread is inside a library that is shielded: a panic there is caught and becomes a
/// problem, so a panic hook need not print it.
#[must_use]
pub fn is_shielded() -> bool {
    SHIELDED.get()
}

/// What a library threw.
pub(crate) type Fault = Box<dyn std::any::Any + Send>;

/// Runs a library's parser; what it throws is an error.
///
/// # Errors
/// The panic, when there was one.
pub fn shield<T>(parser: impl FnOnce() -> T) -> Result<T, Fault> {
    let before = SHIELDED.replace(true);
    // What the parser may have left half done is dropped with it.
    let result = catch_unwind(AssertUnwindSafe(parser));
    SHIELDED.set(before);
    result
}
