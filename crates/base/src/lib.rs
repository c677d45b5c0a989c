//! What every other crate stands on: lengths and other quantities, geometry, colours, problems, and the words of
//! programs (RS-274/NGC).
//!
//! Millimetres, seconds, radians, power as a fraction of full, y away from the operator. Units exist at the doors
//! alone: [`quantity`] reads and writes them.

pub mod checksum;
pub mod colour;
pub mod geometry;
pub mod problem;
pub mod quantity;
pub mod random;
pub mod rs274;
pub mod shield;
