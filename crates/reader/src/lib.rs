//! Programs from anywhere: what their text really does, line by line, and what is left of one after a break.
//!
//! Nothing here knows what was drawn, or which job a program came from: words, arithmetic and a machine profile are
//! all there is.

mod axes;
mod kept;
mod line_rules;
pub mod measure;
pub mod pace;
mod rest;
mod trail;
mod vocabulary;

pub use axes::Axes;
pub use rest::{RestError, Resumed, Standing, rest};
pub use trail::{LineMotion, Place, Trail, Ways};
pub use vocabulary::Vocabulary;
