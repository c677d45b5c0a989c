//! RS-274/NGC: what a line of a program says, whoever wrote it.

mod expression;
mod words;

pub use expression::Evaluator;
pub use expression::Parameters;
pub use words::{LineError, Word, words};
