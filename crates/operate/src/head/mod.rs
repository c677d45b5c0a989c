//! The head, led by hand.

pub mod by_hand;
pub mod counts;
pub mod dark;
pub mod drive;
pub mod marks;
pub mod moves;
pub mod pointer;
