//! Pictures: the job on its bed, as SVG text.
//!
//! A picture is made from the same placed and timed job as the program, never from a second
//! computation. Detail falls away as it gets too small to see: numbers first, then arrows and start
//! points, then travel, and engraved lines are thinned so that they never melt into a blot.

mod detail;
mod frame;
mod ghost;
mod legend;
mod palette;
mod scene;
mod trouble;

pub use palette::step_colour;
pub use scene::{Canvas, Mark, burnt, job};
pub use trouble::{drawing_trouble, job_trouble};
