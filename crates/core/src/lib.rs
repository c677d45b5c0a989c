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

mod begin;
mod compile;
pub mod faster;
pub mod found;
pub mod picture;

pub use begin::{RENDER_DPI, Wishes, starter};
pub use compile::{Choice, Compiled, compile, survey};

pub use tinkite_artwork::relief;
pub use tinkite_base::{checksum, colour, geometry, problem, quantity, rs274, shield};
pub use tinkite_job as job;
pub use tinkite_layout as layout;
pub use tinkite_machine as machine;
pub use tinkite_machine::{frame, motion, source};
pub use tinkite_photo as photo;
pub use tinkite_photo::scan;
pub use tinkite_program::{limits, mapping, plan, segment};
pub use tinkite_toolpath as toolpath;
pub use tinkite_toolpath::order;

/// Drawings: what they hold, and the importers that read them from files.
pub mod artwork {
    pub use tinkite_artwork::*;
    pub use tinkite_import::{
        FontSupply, LARGEST_FILE, Letters, NoFonts, Reading, Render, bitmap_size, read,
    };
}

/// Programs: written by this house, and read from anywhere.
pub mod program {
    pub use tinkite_program::program::*;
    pub use tinkite_reader::*;
}
