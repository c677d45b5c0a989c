//! What a call names, found and read: jobs with their drawings, machines, books and fonts, from files, bundles and what
//! ships with the program. What is written is written as a whole. Why a call did not do what was asked is a
//! [`refusal::Refusal`].
//!
//! Nothing here reads arguments or writes to a terminal. Help that is told with a problem may name commands and options
//! ([`hint`]): this is the first crate that knows there is a command line.

pub mod books;
pub mod bundle;
pub mod call;
pub mod config;
pub mod fonts;
pub mod hint;
pub mod kind;
pub mod load;
pub mod log;
pub mod machines;
pub mod numbers;
pub mod output;
pub mod refusal;
pub mod shipped;
pub mod source;
