//! A program on its way to the machine.

pub mod beginning;
pub mod drive;
pub mod ended;
pub mod hand;
pub mod lines;
pub mod mailbox;
pub mod news;
mod placed;
pub mod program;
pub mod progress;
pub mod recorder;
pub mod remains;
mod settings;
pub mod shared;
pub mod unchanged;
