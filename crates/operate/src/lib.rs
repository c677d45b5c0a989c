//! At the machine: a program is run, the head is led by hand or round a job, and what was seen of the beam is told.
//!
//! Everything goes over a [`tinkite_link::Link`] in one talk; the protocol is the session's ([`tinkite_wire`]), the place
//! in a program the run's ([`tinkite_run`]). Nothing here knows a terminal: what happens is put into a
//! [`run::mailbox::Mailbox`], and whoever shows it takes it out.

pub mod beam;
pub mod edge;
pub mod head;
pub mod place;
pub mod rehearsal;
pub mod run;
pub mod stopping;
