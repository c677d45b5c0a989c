//! Lines that lie on one another: drawn twice, they would be burnt twice.

use super::contour::{Contour, Piece};
use super::near::{ContourPiece, Findings, Parts};
use super::{Point, Vec2, round_to_grid};
use std::collections::HashMap;
use std::f64::consts::TAU;

/// Lines nearer than this all along are the same line, mm.
pub const SAME_LINE: f64 = 0.01;

/// Shorter overlaps (mm) are where lines cross or meet, not duplicates; unless nearly the whole piece
/// is covered.
const SHORTEST: f64 = 0.5;

/// Share of a piece that counts as nearly the whole.
const WHOLE: f64 = 0.9;

/// Sine of the largest angle between lines that can be the same (3 degrees).
const PARALLEL: f64 = 0.05;

/// A stretch of a contour that an earlier one covers.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Duplicate {
    /// The earlier contour.
    pub first: usize,
    /// The later contour, which burns the stretch again.
    pub second: usize,
    /// Which piece of the later contour.
    pub piece: usize,
    /// From which to which share (0 to 1) of the piece it is covered.
    pub covered: (f64, f64),
    /// Its length, mm.
    pub length: f64,
    /// Where it begins.
    pub at: Point,
}

/// Every stretch of a contour that lies on an earlier contour, or on an earlier piece of itself,
/// in either direction, in whole or in part; what several cover is counted once. In the order of
/// the later contour.
#[must_use]
pub fn duplicates(contours: &[Contour]) -> Findings<Duplicate> {
    duplicates_of(&Parts::of(contours, SAME_LINE))
}

/// [`duplicates`] of contours that are held against what comes within [`SAME_LINE`].
pub fn duplicates_of(parts: &Parts) -> Findings<Duplicate> {
    // What is drawn many times over is searched once: a piece that repeats an earlier one lies on
    // that, and whatever lies on it lies on that as well.
    let mut firsts: HashMap<Ends, usize> = HashMap::new();
    let repeats: Vec<Option<usize>> = parts
        .all
        .iter()
        .enumerate()
        .map(|(n, part)| {
            if parts.is_alone(part.contour) {
                return None;
            }
            let first = *firsts.entry(ends(part)).or_insert(n);
            (first != n).then_some(first)
        })
        .collect();
    parts.earlier(
        |n| repeats[n].is_none(),
        |n, near| match repeats[n] {
            Some(first) => overlap(&parts.all[first], &parts.all[n]).into_iter().collect(),
            None => new_overlaps(&parts.all, n, near),
        },
    )
}

/// The stretches of a part that lie on earlier ones, without those that others cover already.
fn new_overlaps(parts: &[ContourPiece], n: usize, near: &[usize]) -> Vec<Duplicate> {
    let length = parts[n].shape.length(parts[n].from);
    let mut covered: Vec<(f64, f64)> = Vec::new();
    let mut found = Vec::new();
    for earlier in near {
        let Some(duplicate) = overlap(&parts[*earlier], &parts[n]) else { continue };
        if uncovered_share(&covered, duplicate.covered) * length > SAME_LINE {
            covered.push(duplicate.covered);
            covered.sort_by(|a, b| a.0.total_cmp(&b.0));
            found.push(duplicate);
        }
        if uncovered_share(&covered, (0.0, 1.0)) * length <= SAME_LINE {
            break;
        }
    }
    found
}

/// How much of a stretch others, sorted by their start, leave.
fn uncovered_share(covered: &[(f64, f64)], (from, to): (f64, f64)) -> f64 {
    let (mut at, mut left) = (from, 0.0);
    for (a, b) in covered {
        left += (a.min(to) - at).max(0.0);
        at = at.max(*b);
    }
    left + (to - at).max(0.0)
}

/// Both ends of a piece, in either direction, and its middle, which tells arcs apart.
type Ends = [(i64, i64); 3];

fn ends(piece: &ContourPiece) -> Ends {
    let (a, b) = (round_to_grid(piece.from), round_to_grid(piece.shape.end()));
    [a.min(b), a.max(b), round_to_grid(piece.shape.point_at(piece.from, 0.5))]
}

/// The stretch of `later` that lies on `earlier`.
fn overlap(earlier: &ContourPiece, later: &ContourPiece) -> Option<Duplicate> {
    let covered = match (earlier.shape, later.shape) {
        (Piece::Line { to: a }, Piece::Line { to: b }) => {
            line_on_line((earlier.from, a), (later.from, b))?
        }
        (Piece::Arc { .. }, Piece::Arc { .. }) => arc_on_arc(earlier, later)?,
        _ => return None,
    };
    let length = (covered.1 - covered.0) * later.shape.length(later.from);
    let enough = length >= SHORTEST || covered.1 - covered.0 >= WHOLE;
    (enough && length > SAME_LINE).then(|| Duplicate {
        first: earlier.contour,
        second: later.contour,
        piece: later.piece,
        covered,
        length,
        at: later.shape.point_at(later.from, covered.0),
    })
}

fn line_on_line(earlier: (Point, Point), later: (Point, Point)) -> Option<(f64, f64)> {
    let along = later.1 - later.0;
    let length = along.hypot();
    let other = earlier.1 - earlier.0;
    if length < SAME_LINE || along.cross(other).abs() > PARALLEL * length * other.hypot() {
        return None;
    }
    let unit = along / length;
    let place = |p: Point| (unit.dot(p - later.0), unit.cross(p - later.0));
    let (a, b) = (place(earlier.0), place(earlier.1));
    let (from, to) = (a.0.min(b.0).max(0.0), a.0.max(b.0).min(length));
    if to - from < SAME_LINE {
        return None;
    }
    // The earlier line's distance at both ends of the stretch; it is straight between.
    let distance = |s: f64| a.1 + (b.1 - a.1) * (s - a.0) / (b.0 - a.0);
    let near = distance(from).abs() <= SAME_LINE && distance(to).abs() <= SAME_LINE;
    near.then_some((from / length, to / length))
}

fn arc_on_arc(earlier: &ContourPiece, later: &ContourPiece) -> Option<(f64, f64)> {
    let (Piece::Arc { centre: c1, sweep: s1, .. }, Piece::Arc { centre: c2, sweep: s2, .. }) =
        (earlier.shape, later.shape)
    else {
        return None;
    };
    let (r1, r2) = (earlier.from.distance(c1), later.from.distance(c2));
    if c1.distance(c2) + (r1 - r2).abs() > SAME_LINE {
        return None;
    }
    // Angles along the later arc, counted from its start in its own direction.
    let turn = s2.signum();
    let start = (later.from - c2).atan2();
    let place = |v: Vec2| ((v.atan2() - start) * turn).rem_euclid(TAU);
    let begin = if s1.signum() == turn {
        place(earlier.from - c1)
    } else {
        place(earlier.shape.end() - c1)
    };
    // The earlier arc covers begin … begin + |s1|, perhaps wrapping round to the start.
    let whole = s2.abs();
    let stretches = [(begin, begin + s1.abs()), (begin - TAU, begin - TAU + s1.abs())];
    stretches
        .into_iter()
        .map(|(a, b)| (a.max(0.0), b.min(whole)))
        .filter(|(a, b)| b > a)
        .max_by(|p, q| (p.1 - p.0).total_cmp(&(q.1 - q.0)))
        .map(|(a, b)| (a / whole, b / whole))
}

/// The contours without the stretches that `duplicates` covers. A contour that loses a stretch comes
/// apart into open lines; one that loses all of itself is gone.
#[must_use]
pub fn without(contours: &[Contour], duplicates: &[Duplicate]) -> Vec<Vec<Contour>> {
    let mut by_contour: Vec<Vec<&Duplicate>> = vec![Vec::new(); contours.len()];
    for duplicate in duplicates {
        by_contour[duplicate.second].push(duplicate);
    }
    contours
        .iter()
        .zip(by_contour)
        .map(
            |(contour, covered)| {
                if covered.is_empty() { vec![contour.clone()] } else { subtract(contour, &covered) }
            },
        )
        .collect()
}

fn subtract(contour: &Contour, covered: &[&Duplicate]) -> Vec<Contour> {
    let mut chains: Vec<Contour> = Vec::new();
    for (n, (from, piece)) in contour.walk().enumerate() {
        let mut gone: Vec<(f64, f64)> =
            covered.iter().filter(|d| d.piece == n).map(|d| d.covered).collect();
        gone.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut at = 0.0;
        for (a, b) in gone.into_iter().chain([(1.0, 1.0)]) {
            if (a - at) * piece.length(from) > SAME_LINE {
                keep(&mut chains, piece, from, (at, a));
            }
            at = at.max(b);
        }
    }
    // A closed line that still runs through its start is one line there.
    if contour.closed && chains.len() > 1 {
        let meets = chains.last().map(Contour::end) == Some(chains[0].start);
        if meets && let Some(mut last) = chains.pop() {
            last.pieces.append(&mut chains[0].pieces);
            chains[0] = last;
        }
    }
    if contour.closed { chains.into_iter().flat_map(part_from_spur).collect() } else { chains }
}

/// An outline from which a spur was drawn there and back: of the way back only the outline is left, which is
/// closed, and the spur is a line of its own.
fn part_from_spur(chain: Contour) -> Vec<Contour> {
    let same = |a: Point, b: Point| a.distance(b) <= SAME_LINE;
    let ends: Vec<Point> = chain.pieces.iter().map(Piece::end).collect();
    let (start, end, last) = (chain.start, chain.end(), ends.len() - 1);
    let close = |start: Point, mut pieces: Vec<Piece>| {
        if let Some(Piece::Line { to } | Piece::Arc { to, .. }) = pieces.last_mut() {
            *to = start;
        }
        Contour { start, pieces, closed: true }
    };
    let open = |start, pieces| Contour { start, pieces, closed: false };
    let mut pieces = chain.pieces;
    // It comes back to where it began, and goes on; or to where it was before, and ends there.
    if let Some(n) = (1..last).find(|n| same(ends[*n], start)) {
        let rest = pieces.split_off(n + 1);
        return vec![close(start, pieces), open(ends[n], rest)];
    }
    if let Some(n) = (0..last.saturating_sub(1)).rev().find(|n| same(ends[*n], end)) {
        let round = pieces.split_off(n + 1);
        return vec![open(start, pieces), close(ends[n], round)];
    }
    if pieces.len() > 1 && same(start, end) {
        return vec![close(start, pieces)];
    }
    vec![open(start, pieces)]
}

/// Appends the part of a piece between two shares of its length, to the last chain if it goes on
/// from there.
fn keep(chains: &mut Vec<Contour>, piece: &Piece, from: Point, (a, b): (f64, f64)) {
    let start = if a > 0.0 { piece.point_at(from, a) } else { from };
    let end = if b < 1.0 { piece.point_at(from, b) } else { piece.end() };
    let part = match *piece {
        Piece::Line { .. } => Piece::Line { to: end },
        Piece::Arc { centre, sweep, .. } => Piece::Arc { to: end, centre, sweep: sweep * (b - a) },
    };
    match chains.last_mut() {
        Some(chain) if chain.end() == start => chain.pieces.push(part),
        _ => chains.push(Contour { start, pieces: vec![part], closed: false }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::fit;
    use kurbo::BezPath;

    fn contours(paths: &[&str]) -> Vec<Contour> {
        paths.iter().flat_map(|d| fit::contours(&BezPath::from_svg(d).unwrap(), 0.01)).collect()
    }

    fn total(paths: &[&str]) -> f64 {
        duplicates(&contours(paths)).found.iter().map(|d| d.length).sum()
    }

    #[test]
    fn whole_part_and_reversed_lines_are_found() {
        let square = "M0 0H10V10H0Z";
        assert!((total(&[square, square]) - 40.0).abs() < 1e-9);
        assert!((total(&[square, "M10 10H0V0H10Z"]) - 40.0).abs() < 1e-9, "other start, other way");
        assert!((total(&[square, "M5 0H25"]) - 5.0).abs() < 1e-9, "in part");
        assert!(
            (total(&["M0 0L30 40", "M3 4.005L15 20.005"]) - 20.0).abs() < 0.02,
            "slanting, a little off"
        );
        assert!((total(&["M0 0H10H2"]) - 8.0).abs() < 1e-9, "back on itself");
    }

    #[test]
    fn neighbours_and_crossings_are_no_doubles() {
        assert_eq!(total(&["M0 0H10V10H0Z", "M10 0H20V10H10.5"]), 0.0);
        assert_eq!(total(&["M0 0H10", "M5 -5V5", "M0 0.1H10", "M10 0H20"]), 0.0);
        assert_eq!(total(&["M0 0H10", "M0 -0.3L10 0.3"]), 0.0, "crossing at a small angle");
        // Two squares that share an edge do double it.
        assert!((total(&["M0 0H10V10H0Z", "M10 0H20V10H10Z"]) - 10.0).abs() < 1e-9);
    }

    #[test]
    fn circles_are_found_whatever_their_start_and_turn() {
        let circle = "M10 0A10 10 0 0 1 -10 0A10 10 0 0 1 10 0Z";
        let turned = "M0 10A10 10 0 0 0 0 -10A10 10 0 0 0 0 10Z";
        let round = TAU * 10.0;
        assert!((total(&[circle, circle]) - round).abs() < 1e-3);
        let both = contours(&[circle, turned]);
        let left: f64 =
            without(&both, &duplicates(&both).found)[1].iter().map(Contour::length).sum();
        assert!(left < 0.01, "{left}");
    }

    #[test]
    fn an_outline_keeps_closed_when_its_spur_is_drawn_once() {
        // From a corner, from the middle of a side, from where it begins, and one that is an arc.
        for (drawn, spur) in [
            ("M0 0H10V10L15 15L10 10H0Z", 50.0_f64.sqrt()),
            ("M0 0H5V-5V0H10V10H0Z", 5.0),
            ("M0 0L-5 0L0 0H10V10H0Z", 5.0),
            ("M0 0H10V10H0V0L-5 0Z", 5.0),
            ("M0 0H10V10A5 5 0 0 1 15 15A5 5 0 0 0 10 10H0Z", TAU / 4.0 * 5.0),
        ] {
            let all = contours(&[drawn]);
            let left = without(&all, &duplicates(&all).found).remove(0);
            let (closed, open): (Vec<&Contour>, Vec<&Contour>) =
                left.iter().partition(|contour| contour.closed);
            assert_eq!((closed.len(), open.len()), (1, 1), "{drawn}: {left:?}");
            assert!((closed[0].length() - 40.0).abs() < 1e-6, "{drawn}");
            assert!((open[0].length() - spur).abs() < 1e-3, "{drawn}");
        }
    }

    #[test]
    fn what_is_left_is_what_was_not_covered() {
        let all = contours(&["M0 0H10V10H0Z", "M5 0H15V5H5Z"]);
        let left = without(&all, &duplicates(&all).found);
        assert_eq!(left[0], vec![all[0].clone()]);
        // The second loses 5 mm of its lower edge: one open line from there round to its start.
        assert_eq!(left[1].len(), 1, "{:?}", left[1]);
        assert!(!left[1][0].closed);
        assert!((left[1][0].length() - 25.0).abs() < 1e-9);
        assert_eq!((left[1][0].start, left[1][0].end()), (Point::new(10., 0.), Point::new(5., 0.)));
        let same = contours(&["M0 0H10V10H0Z", "M0 10V0H10V10Z"]);
        assert!(without(&same, &duplicates(&same).found)[1].is_empty());
    }
}
