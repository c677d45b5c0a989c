//! The head is led round a job before anything burns.

pub mod led;
pub mod way;
