//! A photo of the bed, made flat and true to size.

mod blots;
mod flat;
mod lens;
mod marks;
mod pixels;
pub mod scan;

pub use flat::{FlatPhoto, Trueness, flat};
pub use lens::Lens;
pub use marks::found_marks;
pub use pixels::{MOST_PIXELS, Pixels};
