//! Arcs from their words.

use super::not_understood::NotUnderstood;
use tinkite_base::geometry::{Piece, Point, Vec2};

/// The arc from `from` to `to` about a centre that its words name.
///
/// # Errors
/// Ends that do not lie equally far from the centre.
pub(super) fn centre_of(
    from: Point,
    to: Point,
    centre: Point,
    clockwise: bool,
) -> Result<Piece, NotUnderstood> {
    let (start, end) = (from.distance(centre), to.distance(centre));
    // Tolerance of NIST IR 6556, section 3.5.3, for mm: what rounding of the words can explain.
    if start <= 0.0 || (start - end).abs() > 0.005_f64.max(0.001 * start) {
        return Err(NotUnderstood::Centre { start, end });
    }
    Ok(arc_piece(from, to, centre, clockwise))
}

/// The arc of radius |r|; more than a half turn when r is negative (NIST IR 6556, section 3.5.3.1).
///
/// # Errors
/// A chord that no circle of that radius has.
pub(super) fn of_radius(
    from: Point,
    to: Point,
    r: f64,
    clockwise: bool,
) -> Result<Piece, NotUnderstood> {
    let chord = to - from;
    let half = chord.hypot() / 2.0;
    if half <= 0.0 || half > r.abs() * 1.001 {
        return Err(NotUnderstood::Radius { radius: r, chord: 2.0 * half });
    }
    let height = (r * r - half * half).max(0.0).sqrt();
    let left = Vec2::new(-chord.y, chord.x) / (2.0 * half);
    let side = if clockwise == (r > 0.0) { -1.0 } else { 1.0 };
    let centre = from.midpoint(to) + left * height * side;
    Ok(arc_piece(from, to, centre, clockwise))
}

/// Where an arc ends and how far it turns.
pub(crate) fn arc_piece(from: Point, to: Point, centre: Point, clockwise: bool) -> Piece {
    let angle = |p: Point| (p - centre).atan2();
    let turn = std::f64::consts::TAU;
    let forward = (angle(to) - angle(from)).rem_euclid(turn);
    // Equal ends mean a full circle (NIST IR 6556, section 3.5.3).
    let forward = if from.distance(to) < 1e-9 { turn } else { forward };
    let sweep = if !clockwise {
        forward
    } else if forward >= turn {
        -turn
    } else {
        forward - turn
    };
    Piece::Arc { to, centre, sweep }
}
