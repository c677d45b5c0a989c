//! Speaking to a controller, without sockets and without a clock.
//!
//! A [`Session`] is a state machine. Its methods come in four kinds:
//!
//! - `handle_*` take in what happened: bytes arrived, time passed, the link closed;
//! - commands say what the operator wants: [`enqueue`](Session::enqueue),
//!   [`start`](Session::start), [`pause`](Session::pause), [`stop`](Session::stop) …;
//! - `poll_*` take out what is to be done: bytes to send, when to call again, what to tell people;
//! - the rest only look.
//!
//! After any `handle_*` or command, poll until nothing comes. Calling too often is harmless.
//! Nothing here waits, prints or knows what time it is; so tests run in no time at all.

mod deframer;
mod instant;
mod line;
mod meaning;
mod message;
mod session;

pub use instant::{Instant, Span};
pub use line::{Prepared, prepare};
pub use meaning::{alarm_meaning, error_meaning};
pub use message::{Complaint, Message, Room, State, Status, Switches};
pub use session::{
    Adjust, Connected, Dark, Effect, Event, Failure, LineTooLong, Miscount, Outcome, Protocol,
    Session, Settings,
};
