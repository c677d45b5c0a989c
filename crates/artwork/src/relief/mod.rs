//! Reliefs: height fields from solids and depth pictures, and the layers that they are cut in.
//!
//! A [`Field`] says for each of its square cells how deep the stock is taken away there. Known here are places and
//! depths; neither jobs nor machines.

mod detail;
mod field;
mod from_above;
mod slice;

pub use detail::{finest, mean_detail_lost};
pub use field::Field;
pub use from_above::{Seen, seen_from_above};
pub use slice::{LayerRows, Slicing, layer};
