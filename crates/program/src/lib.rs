//! From ordered toolpaths to a program: moves on the machine's axes, what each line will say, how long it takes, the
//! proof that it fits the machine, and its text.
//!
//! | room | makes |
//! |---|---|
//! | [`mapping`] | [`mapping::Placed`]: moves on the machine's axes |
//! | [`segment`] | [`segment::Segments`]: what each line of the program will say |
//! | [`plan`] | [`plan::Planned`]: lengths, times and energy of those segments |
//! | [`limits`] | [`limits::WithinLimits`]: the proof that they fit the machine |
//! | [`program`] | [`program::Program`]: text, built only from that proof |

pub mod limits;
pub mod mapping;
pub mod plan;
pub mod program;
pub mod segment;
pub mod text;
