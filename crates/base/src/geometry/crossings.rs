//! Where lines cross, themselves or each other.

use super::contour::{Contour, Piece};
use super::near::{ContourPiece, Findings, Parts};
use super::{Point, SAME_POINT, Vec2, round_to_grid};
use std::collections::{BTreeMap, HashSet};

/// Two contours that cross, or one that crosses itself.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Crossing {
    /// The earlier contour.
    pub first: usize,
    /// The later one; the same for a contour that crosses itself.
    pub second: usize,
    /// A place where they cross.
    pub at: Point,
}

/// A straight line.
#[derive(Debug, Clone, Copy)]
struct Chord {
    from: Point,
    to: Point,
}

/// All pairs of contours that cross, each with one place, on chords within `tolerance` mm. Lines
/// that only touch, meet or lie on one another do not cross.
#[must_use]
pub fn crossings(contours: &[Contour], tolerance: f64) -> Findings<Crossing> {
    crossings_of(&Parts::of(contours, 0.0), |_| true, tolerance)
}

/// [`crossings`] of those contours for which `which` holds.
pub fn crossings_of(
    parts: &Parts,
    which: impl Fn(usize) -> bool,
    tolerance: f64,
) -> Findings<Crossing> {
    // What is drawn many times over crosses others where its first drawing does.
    let mut seen = HashSet::new();
    let mut first = |n: usize| {
        seen.insert(
            parts.of_contour(n).iter().map(|part| round_to_grid(part.from)).collect::<Vec<_>>(),
        )
    };
    let may_cross = |n: usize| !(parts.is_alone(n) && is_star(parts.of_contour(n)));
    let searched: Vec<bool> = (0..parts.contours())
        .map(|n| which(n) && may_cross(n) && (parts.is_alone(n) || first(n)))
        .collect();
    let all = parts.earlier(
        |n| searched[parts.all[n].contour],
        |n, near| {
            // Arcs become chords only where something is near.
            let own = if near.is_empty() { Vec::new() } else { chords(&parts.all[n], tolerance) };
            near.iter()
                .filter_map(|other| {
                    let one = &parts.all[*other];
                    let at = chords(one, tolerance)
                        .into_iter()
                        .find_map(|a| own.iter().find_map(|b| cross(a, *b)))?;
                    Some(Crossing { first: one.contour, second: parts.all[n].contour, at })
                })
                .collect()
        },
    );
    let mut pairs: BTreeMap<(usize, usize), Crossing> = BTreeMap::new();
    for crossing in all.found {
        pairs.entry((crossing.first, crossing.second)).or_insert(crossing);
    }
    Findings { found: pairs.into_values().collect(), complete: all.complete }
}

/// Whether straight pieces walk once round their middle and never back: such a line does not cross itself.
fn is_star(pieces: &[ContourPiece]) -> bool {
    let (Some(first), Some(last)) = (pieces.first(), pieces.last()) else { return true };
    let straight = |part: &ContourPiece| matches!(part.shape, Piece::Line { .. });
    if last.shape.end() != first.from || !pieces.iter().all(straight) {
        return false;
    }
    let sum = pieces.iter().fold(Vec2::ZERO, |sum, part| sum + part.from.to_vec2());
    let middle = (sum / pieces.len() as f64).to_point();
    let (mut left, mut right, mut rounds) = (0, 0, 0);
    for part in pieces {
        let (a, b) = (part.from - middle, part.shape.end() - middle);
        let turn = a.cross(b);
        left += usize::from(turn > 0.0);
        right += usize::from(turn < 0.0);
        // Whoever only ever turns one way goes up once in each round.
        rounds += usize::from(a.y < 0.0 && b.y >= 0.0);
    }
    left.max(right) == pieces.len() && rounds == 1
}

fn chords(part: &ContourPiece, tolerance: f64) -> Vec<Chord> {
    let mut from = part.from;
    let mut chords = Vec::new();
    part.shape.flatten(part.from, tolerance, |to| {
        chords.push(Chord { from: std::mem::replace(&mut from, to), to });
    });
    chords
}

/// Where two chords cross properly: the ends of each lie clearly on both sides of the other.
fn cross(a: Chord, b: Chord) -> Option<Point> {
    let side = |chord: Chord, p: Point| {
        let along: Vec2 = chord.to - chord.from;
        along.cross(p - chord.from) / along.hypot().max(f64::MIN_POSITIVE)
    };
    let (b0, b1) = (side(a, b.from), side(a, b.to));
    let (a0, a1) = (side(b, a.from), side(b, a.to));
    let apart = |x: f64, y: f64| x * y < 0.0 && x.abs().min(y.abs()) > SAME_POINT;
    (apart(b0, b1) && apart(a0, a1)).then(|| b.from.lerp(b.to, b0 / (b0 - b1)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::{BezPath, fit};

    fn found(svg: &str) -> Vec<(usize, usize, Point)> {
        let contours = fit::contours(&BezPath::from_svg(svg).unwrap(), 0.01);
        crossings(&contours, 0.005).found.into_iter().map(|c| (c.first, c.second, c.at)).collect()
    }

    #[test]
    fn stars_of_many_points_do_not_cross_themselves_and_pentagrams_do() {
        let ring = |order: &[usize], radius: &dyn Fn(usize) -> f64| {
            let at = |n: usize| {
                let angle = std::f64::consts::TAU * n as f64 / order.len() as f64;
                format!("{:.4} {:.4}", radius(n) * angle.cos(), radius(n) * angle.sin())
            };
            format!("M{}Z", order.iter().map(|n| at(*n)).collect::<Vec<_>>().join("L"))
        };
        let uneven = |n: usize| 10.0 + 6.0 * ((n * 7 % 5) as f64 - 2.0) / 2.0;
        let around: Vec<usize> = (0..23).collect();
        assert!(found(&ring(&around, &uneven)).is_empty());
        let back: Vec<usize> = (0..23).rev().collect();
        assert!(found(&ring(&back, &uneven)).is_empty());
        // Twice round in five points, and a pair of points exchanged.
        assert_eq!(found(&ring(&[0, 2, 4, 1, 3], &|_| 10.0)).len(), 1);
        let mut exchanged = around.clone();
        exchanged.swap(4, 5);
        assert_eq!(found(&ring(&exchanged, &|_| 10.0)).len(), 1);
    }

    #[test]
    fn crossing_is_told_and_touching_is_not() {
        let bow = found("M0 0 L20 20 V0 L0 20 Z");
        assert_eq!(bow.len(), 1);
        assert!(bow[0].0 == bow[0].1 && bow[0].2.distance(Point::new(10.0, 10.0)) < 1e-9);
        let two = found("M0 0 H20 V20 H0 Z M10 10 H30 V30 H10 Z");
        assert_eq!(two.len(), 1);
        assert_eq!((two[0].0, two[0].1), (0, 1));
        // Side by side with a shared edge, a T, a corner on an edge, one inside another.
        for apart in [
            "M0 0 H20 V20 H0 Z M20 0 H40 V20 H20 Z",
            "M0 0 H20 M10 0 V10",
            "M0 0 H20 V20 H0 Z M20 10 L30 5 V15 Z",
            "M0 0 H20 V20 H0 Z M5 5 H15 V15 H5 Z",
        ] {
            assert_eq!(found(apart), [], "{apart}");
        }
    }
}
