//! A photo of the bed, made flat and true to size.

mod flat;
mod lens;
mod marks;
mod pixels;

pub use flat::{FlatPhoto, Trueness, flat};
pub use lens::Lens;
pub use marks::found_marks;
pub use pixels::{MOST_PIXELS, Pixels};

use crate::geometry::Point;

/// A photo, and places on it that are known on the machine's axes as well.
#[derive(Debug, Clone, PartialEq)]
pub struct Photo {
    /// The picture's file, as the job names it.
    pub file: String,
    /// Places on the picture, pixels from its upper left corner; at least four, or none: then there are marks at the
    /// places on the bed, which are looked for.
    pub corners: Vec<Point>,
    /// The same places on the machine's axes, mm.
    pub found: Vec<Point>,
}
