//! Positions of what the machine moves.

/// Positions of X and Y, mm, of the one axis that turns, degrees, and of the focus, mm.
pub(crate) type Axes = [f64; 4];

/// How far apart two positions are as a board counts it: mm and degrees alike.
pub(crate) fn distance(a: Axes, b: Axes) -> f64 {
    (a[0] - b[0]).hypot(a[1] - b[1]).hypot(a[2] - b[2]).hypot(a[3] - b[3])
}
