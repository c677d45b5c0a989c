//! Positions of all axes.

/// Positions of X, Y, Z (mm) and A, B, C (degrees), from the machine's own zero.
pub type Axes = [f64; 6];
