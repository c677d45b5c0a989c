//! A run, without sockets, files and a clock: a program's lines on their way through a session, where the
//! head is in them, and what is known of that when the run has ended.
//!
//! - [`Outgoing`] is what of each line goes out.
//! - [`Locator`] finds the head in the program by the position that the controller reports.
//! - [`Stream`] puts both to a session; whoever has a link calls it beside the session's own methods.
//! - [`Overrides`] is what the operator has changed of speed and power.
//! - [`Broken`] is a run that broke off, and says where its rest begins.

mod between;
mod broken;
mod locator;
mod outgoing;
mod overrides;
mod position;
mod stream;

pub use between::{Stretch, Walk};
pub use broken::{Broken, BrokenError, Choice, Marked, ReportedStanding};
pub use locator::{Located, Locator};
pub use outgoing::{Outgoing, Unsendable};
pub use overrides::Overrides;
pub use position::{Position, Reports, turning};
pub use stream::{Halt, Stream, StreamError, Whereabouts};
