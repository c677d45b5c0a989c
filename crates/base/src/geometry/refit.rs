//! Arcs found again in a closed polyline.

use super::Point;
use super::contour::{Contour, Piece};
use super::fit::arc_through;
use std::f64::consts::PI;

/// Fewer chords than this are not taken for an arc: any three points lie on a circle.
const FEWEST: usize = 3;

/// Points lie this near to the arc that they were taken from, as a share of the tolerance; chords
/// stray by the rest.
const NEAR: f64 = 0.1;

/// Arcs are at most a little more than half a turn, radians.
const MOST_SWEEP: f64 = 1.1 * PI;

/// A ring of points as lines and arcs, none further than `tolerance` mm from the ring's chords, and
/// a tenth of that from its points.
#[must_use]
pub fn with_arcs(ring: &[Point], tolerance: f64) -> Contour {
    let count = ring.len();
    let first = corner(ring);
    let at = |n: usize| ring[(first + n) % count.max(1)];
    let start = ring.get(first).copied().unwrap_or_default();
    let mut pieces = Vec::new();
    let mut from = 0;
    // A circle is two halves.
    let half = count / 2;
    if half >= FEWEST
        && let Some(one) = arc(&at, 0, half, tolerance)
        && let Some(two) = arc(&at, half, count, tolerance)
    {
        return Contour { start, pieces: vec![one, two], closed: true };
    }
    while from < count {
        let reach = farthest(from, count, |to| arc(&at, from, to, tolerance).is_some());
        let (to, piece) = match reach.and_then(|to| Some((to, arc(&at, from, to, tolerance)?))) {
            Some(found) => found,
            None => (from + 1, Piece::Line { to: at(from + 1) }),
        };
        pieces.push(piece);
        from = to;
    }
    Contour { start, pieces, closed: true }
}

/// The number of the point at which the ring turns most: no arc runs across it.
fn corner(ring: &[Point]) -> usize {
    let count = ring.len();
    let turn = |n: usize| {
        let (before, after) = (ring[(n + count - 1) % count], ring[(n + 1) % count]);
        let (a, b) = (ring[n] - before, after - ring[n]);
        a.cross(b).atan2(a.dot(b)).abs()
    };
    let widest =
        (0..count).map(|n| (turn(n), n)).max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)));
    widest.map_or(0, |(_, n)| n)
}

/// The farthest end at which `holds`, by doubling and then halving; an arc that reaches far reaches
/// near as well.
fn farthest(from: usize, last: usize, holds: impl Fn(usize) -> bool) -> Option<usize> {
    let mut good = from + FEWEST;
    if good > last || !holds(good) {
        return None;
    }
    let mut bad = last + 1;
    let mut step = FEWEST;
    while good + step < bad {
        if holds(good + step) {
            good += step;
            step *= 2;
        } else {
            bad = good + step;
        }
    }
    while bad - good > 1 {
        let middle = usize::midpoint(good, bad);
        if holds(middle) { good = middle } else { bad = middle }
    }
    Some(good)
}

/// The arc through the points `from` to `to`, when all of them and their chords lie on it.
fn arc(at: &impl Fn(usize) -> Point, from: usize, to: usize, tolerance: f64) -> Option<Piece> {
    let (start, end) = (at(from), at(to));
    let (centre, sweep) = arc_through(start, at(usize::midpoint(from, to)), end)?;
    if sweep.abs() > MOST_SWEEP {
        return None;
    }
    let radius = start.distance(centre);
    let off = |p: Point| (p.distance(centre) - radius).abs();
    let mut last = start;
    for p in (from + 1..=to).map(at) {
        let step = (last - centre).cross(p - centre) * sweep.signum();
        if off(p) > NEAR * tolerance || off(last.midpoint(p)) > tolerance || step <= 0.0 {
            return None;
        }
        last = p;
    }
    Some(Piece::Arc { to: end, centre, sweep })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::{BezPath, fit};

    fn arcs(svg: &str, tolerance: f64) -> (Contour, Contour) {
        let drawn = fit::contours(&BezPath::from_svg(svg).unwrap(), 0.01).remove(0);
        let again = with_arcs(&drawn.flatten(tolerance * 0.9), tolerance);
        (drawn, again)
    }

    #[test]
    fn what_was_flattened_comes_back_within_the_tolerance() {
        let slot = "M0 0 H20 A5 5 0 0 1 20 10 H0 A5 5 0 0 1 0 0 Z";
        for (svg, most) in [
            (slot, 6),
            ("M10 0 A10 10 0 1 1 -10 0 A10 10 0 1 1 10 0 Z", 4),
            ("M0 0 H20 V10 H0 Z", 4),
            ("M0 0 C10 20 30 20 40 0 C30 5 10 5 0 0 Z", 40),
        ] {
            let (drawn, again) = arcs(svg, 0.01);
            assert!(again.pieces.len() <= most, "{svg}: {:?}", again.pieces);
            assert_eq!(again.end(), again.start);
            for p in again.flatten(1e-4) {
                let stray = drawn.at(drawn.nearest(p)).0.distance(p);
                assert!(stray < 0.012, "{svg}: {stray}");
            }
        }
        assert!(with_arcs(&[], 0.01).pieces.is_empty());
    }
}
