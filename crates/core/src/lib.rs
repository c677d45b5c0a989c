//! Tin Kite's computation: from artwork and a job to a program that a laser can run.
//!
//! One straight corridor; each room takes what the room before it made and hands on a value.
//!
//! | room | makes | from |
//! |---|---|---|
//! | [`artwork`] | [`artwork::Artwork`] | the bytes of a drawing |
//! | [`job`] | [`job::Job`] | job file and machine profile |
//! | [`layout`] | [`layout::Sheet`] | artwork at its size and place |
//! | [`toolpath`] | [`toolpath::Toolpaths`] | what each step follows or fills |
//! | [`order`] | [`order::Sequence`] | paths in running order |
//! | [`mapping`] (with [`frame`]) | [`mapping::Placed`] | moves on the machine's axes |
//! | [`segment`] (with [`source`] and [`motion`]) | [`segment::Segments`] | what each line of the program will say |
//! | `text` | lines | segments, in the machine's dialect |
//! | [`plan`] | [`plan::Planned`] | lengths, times and energy of the segments |
//! | [`limits`] | [`limits::WithinLimits`] | the proof that it fits the machine |
//! | [`program`] (with [`rs274`]) | [`program::Program`] | text, and text read back |
//! | [`relief`] | [`relief::Field`] | solids and depth pictures |
//! | [`scan`] | [`scan::Scan`] | the picture of a burnt test sheet |
//! | [`picture`] | SVG text | the same values, to look at |
//!
//! In every room: millimetres, seconds, radians, power as a fraction of full, y away from the
//! operator. Nothing here prints, opens files, or asks the clock or the environment.

pub mod artwork;
pub mod colour;
mod compile;
pub mod faster;
pub mod frame;
pub mod geometry;
pub mod job;
pub mod layout;
pub mod limits;
pub mod mapping;
pub mod motion;
pub mod order;
pub mod photo;
pub mod picture;
pub mod plan;
pub mod problem;
pub mod program;
pub mod quantity;
mod random;
pub mod relief;
pub mod rs274;
pub mod scan;
pub mod segment;
pub mod shield;
pub mod source;
mod text;
pub mod toolpath;

pub use compile::{Choice, Compiled, compile, survey};
