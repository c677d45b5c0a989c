//! Pictures: the job on its bed, as SVG text.
//!
//! A picture is made from the same planned job as the program, never from a second
//! computation. Detail falls away as it gets too small to see: numbers first, then arrows and start
//! points, then travel, and engraved lines are thinned so that they never melt into a blot.

mod book;
mod burns;
mod burnt;
mod canvas;
mod curve;
mod detail;
mod frame;
mod left;
mod legend;
mod magnified;
mod marks;
mod names;
mod palette;
mod photo;
mod playable;
mod playback;
mod room;
mod scene;
mod sheet;
mod show;
mod step_colours;
mod subject;
mod surface;
mod tones;
mod tries;
mod trouble;
mod turned;
mod underlay;

pub use book::{book_page, book_sheet};
pub use burnt::{BurntMark, Words, burnt, burnt_round};
pub use canvas::Canvas;
pub use curve::power_curve;
pub use left::{Left, LeftMark, left};
pub use names::{drawing_names, job_names};
pub use photo::photo_sheet;
pub use playable::{PathPass, Pen, Playable, STEP_MM, STEP_S, playable};
pub use playback::{Playback, PlaybackFrame, Stroke, playback};
pub use scene::{Look, job};
pub use sheet::sheet_chart;
pub use show::Show;
pub use step_colours::StepColours;
pub use surface::surface;
pub use tones::{Scaled, tones};
pub use tries::{TryMark, TryPoint, tries_chart};
pub use trouble::{drawing_trouble, job_trouble};
