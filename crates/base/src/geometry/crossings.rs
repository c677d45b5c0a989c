//! Where lines cross, themselves or each other.

use super::contour::{Contour, Piece};
use super::near::{ContourPiece, Findings, Parts};
use super::{Point, SAME_POINT, Vec2, round_to_grid};
use std::collections::{BTreeMap, HashSet};
use std::f64::consts::TAU;

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
            let own = if near.is_empty() { Run::default() } else { Run::of(parts, n, tolerance) };
            near.iter()
                .filter_map(|other| {
                    let one = Run::of(parts, *other, tolerance);
                    let at = one
                        .chords()
                        .iter()
                        .find_map(|a| own.chords().iter().find_map(|b| cross(*a, *b)))
                        .or_else(|| cross_at_a_corner(&one, &own))?;
                    let first = parts.all[*other].contour;
                    Some(Crossing { first, second: parts.all[n].contour, at })
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

/// The chords of a piece, and the first of the piece behind it.
#[derive(Debug, Clone, Default)]
struct Run {
    all: Vec<Chord>,
    /// How many of them are the piece's own.
    own: usize,
}

impl Run {
    fn of(parts: &Parts, n: usize, tolerance: f64) -> Self {
        let mut all = chords(&parts.all[n], tolerance);
        let own = all.len();
        let contour = parts.of_contour(parts.all[n].contour);
        let next = &contour[(parts.all[n].piece + 1) % contour.len()];
        if contour.len() > 1 && next.from == parts.all[n].shape.end() {
            all.extend(chords(next, tolerance).first());
        }
        Self { all, own }
    }

    fn chords(&self) -> &[Chord] {
        &self.all[..self.own]
    }

    /// The corners at the ends of its chords: from where, over what, to where.
    fn corners(&self) -> impl Iterator<Item = [Point; 3]> + '_ {
        let corners = self.all.windows(2).take(self.own);
        corners.map(|pair| [pair[0].from, pair[0].to, pair[1].to])
    }
}

/// Where two lines go through each other at a corner of one of them, or of both: there no chord lies on both
/// sides of another.
fn cross_at_a_corner(a: &Run, b: &Run) -> Option<Point> {
    let on_chord = |corner: [Point; 3], of: &Run| {
        let through = of.chords().iter().find(|chord| is_inside(corner[1], **chord))?;
        go_through(corner, [through.from, corner[1], through.to]).then_some(corner[1])
    };
    a.corners().find_map(|corner| on_chord(corner, b)).or_else(|| {
        b.corners().find_map(|corner| {
            let meets = |other: &[Point; 3]| other[1].distance(corner[1]) <= SAME_POINT;
            let at_corner = a.corners().filter(meets).any(|other| go_through(corner, other));
            on_chord(corner, a).or(at_corner.then_some(corner[1]))
        })
    })
}

/// Whether a point lies on a chord, away from its ends.
fn is_inside(p: Point, chord: Chord) -> bool {
    let along = chord.to - chord.from;
    let length = along.hypot();
    let (s, beside) = (along.dot(p - chord.from), along.cross(p - chord.from));
    beside.abs() <= SAME_POINT * length
        && s > SAME_POINT * length
        && s < (length - SAME_POINT) * length
}

/// Whether of two lines that meet at their middle points each goes from one side of the other to its other
/// side. Lines that lie on each other there do not.
fn go_through(a: [Point; 3], b: [Point; 3]) -> bool {
    let ways = |line: [Point; 3]| [line[0] - line[1], line[2] - line[1]];
    let (a, b) = (ways(a), ways(b));
    // As far from the middle all four are looked at.
    let near = a.iter().chain(&b).map(|way| way.hypot()).fold(f64::INFINITY, f64::min);
    if near <= 4.0 * SAME_POINT {
        return false;
    }
    let at = |way: Vec2| way * (near / way.hypot());
    if a.iter().any(|a| b.iter().any(|b| (at(*a) - at(*b)).hypot() <= 2.0 * SAME_POINT)) {
        return false;
    }
    let turn = |to: Vec2| b[0].cross(to).atan2(b[0].dot(to)).rem_euclid(TAU);
    let between = turn(b[1]);
    (turn(a[0]) < between) != (turn(a[1]) < between)
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
            // Corner to corner, a circle on a side, one in another from the same place, a tip on a circle.
            "M0 0 H20 V20 H0 Z M20 20 H40 V40 H20 Z",
            "M0 0 H20 V20 H0 Z M10 20A5 5 0 0 1 10 30A5 5 0 0 1 10 20Z",
            "M0 0A10 10 0 0 1 20 0A10 10 0 0 1 0 0Z M0 0A5 5 0 0 1 10 0A5 5 0 0 1 0 0Z",
            "M0 0A10 10 0 0 1 20 0A10 10 0 0 1 0 0Z M0 0L-5 2V-2Z",
        ] {
            assert_eq!(found(apart), [], "{apart}");
        }
    }

    #[test]
    fn lines_that_go_through_each_other_at_their_corners_cross() {
        for through in [
            // A circle whose ends lie on a side.
            "M0 0 H40 V20 H0 Z M30 20A10 10 0 0 1 10 20A10 10 0 0 1 30 20Z",
            "M0 0 H40 V20 H0 Z M10 20A10 10 0 0 0 30 20A10 10 0 0 0 10 20Z",
            // A corner on a side, from where it goes on to the other side.
            "M0 0 H20 V20 H0 Z M20 10 L30 5 V15 Z M20 10 L30 0 V-5 H10 V10 Z",
            // Corner on corner.
            "M0 0 H20 V20 H0 Z M20 20 L10 30 V10 H40 Z",
            // A line that meets itself at two of its corners.
            "M0 0 L10 10 L20 20 V0 L10 10 L0 20 Z",
        ] {
            assert!(!found(through).is_empty(), "{through}");
        }
    }
}
