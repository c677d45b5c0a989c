//! Tin Kite's computation: from artwork and a job to a program that a laser can run.
//!
//! One straight corridor; each stage takes what the stage before it made and hands on a value. Every stage is a crate of
//! its own; this one is their face, and has what needs all of them: the corridor on one page ([`compile`]), a job to
//! start from ([`starter`]), and pictures.
//!
//! | stage | makes | from |
//! |---|---|---|
//! | [`artwork`] | [`artwork::Artwork`] | the bytes of a drawing |
//! | [`machine`] | [`machine::Machine`] | a machine profile |
//! | [`job`] | [`job::Job`] | a job file |
//! | [`layout`] | [`layout::Sheet`] | artwork at its size and place |
//! | [`toolpath`] | [`toolpath::Toolpaths`] | what each step follows or fills |
//! | [`order`] | [`order::Sequence`] | paths in running order |
//! | [`mapping`] (with [`frame`]) | [`mapping::Placed`] | moves on the machine's axes |
//! | [`segment`] (with [`source`] and [`motion`]) | [`segment::Segments`] | what each line of the program will say |
//! | [`plan`] | [`plan::Planned`] | lengths, times and energy of the segments |
//! | [`limits`] | [`limits::WithinLimits`] | the proof that it fits the machine |
//! | [`program`] (with [`rs274`]) | [`program::Program`] | text, and text read back |
//! | [`relief`] | [`relief::Field`] | solids and depth pictures |
//! | [`photo`], [`scan`] | [`photo::FlatPhoto`], [`scan::Scan`] | pictures of the bed, and of burnt test sheets |
//! | [`picture`] | SVG text | the same values, to look at |
//!
//! Everywhere: millimetres, seconds, radians, power as a fraction of full, y away from the operator. Nothing here
//! prints, opens files, or asks the clock or the environment. What is wrong is a [`problem::Problem`] with its place and
//! what to do.
//!
//! # A drawing, read
//!
//! ```
//! use tinkite_core::artwork::{self, Reading};
//!
//! let svg = r#"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">
//!   <circle id="hole" cx="20" cy="20" r="5" fill="none" stroke="red"/></svg>"#;
//! let drawing = artwork::read("hub.svg", svg.as_bytes(), &Reading::default()).unwrap();
//! let (width, height) = drawing.page.unwrap();
//! assert!((width - 60.0).abs() < 1e-4 && (height - 40.0).abs() < 1e-4);
//! assert_eq!(drawing.shapes[0].source.id.as_deref(), Some("hole"));
//! ```
//!
//! # A job, built
//!
//! A job is text; code that builds one writes that text, and every check of a job file is its check as well.
//!
//! ```
//! # use tinkite_core::doc::{JOB, MACHINE};
//! use tinkite_core::{job, machine};
//!
//! let machine = machine::read("small", MACHINE).unwrap();
//! let job = job::read("hub.kite.toml", JOB, machine.clone()).unwrap();
//! assert_eq!(job.steps[0].name, "outline");
//!
//! // What is wrong is told with its place.
//! let problems = job::read("hub.kite.toml", &JOB.replace("20 mm/s", "20"), machine).unwrap_err();
//! assert_eq!(problems.iter().next().unwrap().code.text(), "quantity");
//! ```
//!
//! # A plan
//!
//! ```
//! # use tinkite_core::doc::{DRAWING, JOB, MACHINE};
//! use tinkite_core::{Choice, artwork, compile, job, machine};
//!
//! let job = job::read("hub.kite.toml", JOB, machine::read("small", MACHINE).unwrap()).unwrap();
//! let drawing = artwork::read("hub.svg", DRAWING.as_bytes(), &Default::default()).unwrap();
//! let compiled = compile(drawing, &job, &Choice::default()).unwrap();
//! let totals = &compiled.within.planned().totals;
//! // A circle of 5 mm radius.
//! assert!((totals.burn() - 31.416).abs() < 0.01);
//! assert!(totals.seconds() > 31.4 / 20.0);
//! ```
//!
//! # A program, written
//!
//! ```
//! # use tinkite_core::doc::{DRAWING, JOB, MACHINE};
//! # use tinkite_core::{Choice, artwork, compile, job, machine};
//! use tinkite_core::program::{Comments, Program};
//!
//! # let job = job::read("hub.kite.toml", JOB, machine::read("small", MACHINE).unwrap()).unwrap();
//! # let drawing = artwork::read("hub.svg", DRAWING.as_bytes(), &Default::default()).unwrap();
//! # let compiled = compile(drawing, &job, &Choice::default()).unwrap();
//! let mut text = Vec::new();
//! Program::new(compiled.within).write(Comments::None, &mut text).unwrap();
//! let text = String::from_utf8(text).unwrap();
//! assert!(text.lines().any(|line| line.starts_with("G2") || line.starts_with("G3")));
//! ```
//!
//! # A program, read back
//!
//! ```
//! # use tinkite_core::doc::MACHINE;
//! use tinkite_core::machine;
//! use tinkite_core::program::measure::Measure;
//!
//! let machine = machine::read("small", MACHINE).unwrap();
//! let mut measure = Measure::new("any.nc", Some(&machine), None);
//! for line in ["G21 G90", "M4 S0", "G0 X10 Y10", "G1 X30 S300 F1200", "M5", "M2"] {
//!     measure.line(line.as_bytes());
//! }
//! let report = measure.finish();
//! assert!((report.burn - 20.0).abs() < 1e-9 && report.beam_off_at_end);
//! ```

mod begin;
mod compile;
#[doc(hidden)]
pub mod doc;
pub mod faster;
pub mod found;
mod paints;
pub mod picture;

pub use begin::{
    BegunSize, Decision, Deed, RENDER_DPI, Said, Setting, SettingKey, SizeBy, Started, WORDS,
    Wishes, starter,
};
pub use compile::{Choice, Compiled, compile, survey};
pub use paints::{ColourBy, StepPaint};

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
        without_texts,
    };
}

/// Programs: written by this house, and read from anywhere.
pub mod program {
    pub use tinkite_program::program::*;
    pub use tinkite_reader::*;
}
