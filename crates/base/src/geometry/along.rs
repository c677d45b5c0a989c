//! Places along a contour, counted in mm from its start.

use super::contour::{Contour, Piece};
use super::{Point, Vec2};

/// Corners are where a line turns by more than this, radians: 20 degrees.
pub const CORNER: f64 = 0.35;

/// Places nearer than this (mm) are the same place.
const SAME: f64 = 1e-7;

/// Arcs whose radii or centres are nearer than this are of one corner, mm.
const SAME_RADIUS: f64 = 1e-4;

impl Piece {
    /// The stretch between two shares (0 to 1) of its length, as its start and what follows.
    #[must_use]
    pub fn between(&self, from: Point, low: f64, high: f64) -> (Point, Self) {
        let start = if low <= 0.0 { from } else { self.point_at(from, low) };
        let to = if high >= 1.0 { self.end() } else { self.point_at(from, high) };
        match *self {
            Self::Line { .. } => (start, Self::Line { to }),
            Self::Arc { centre, sweep, .. } => {
                (start, Self::Arc { to, centre, sweep: sweep * (high - low) })
            }
        }
    }
}

impl Contour {
    /// The point at `place` mm, and the unit direction in which the line goes on from there. A
    /// place beyond the end is the end.
    #[must_use]
    pub fn at(&self, place: f64) -> (Point, Vec2) {
        let mut left = place.max(0.0);
        let mut last = (self.start, Vec2::ZERO);
        for (from, piece) in self.walk() {
            let length = piece.length(from);
            if left < length {
                let (start, rest) = piece.between(from, left / length, 1.0);
                return (start, rest.directions(start).0);
            }
            left -= length;
            last = (piece.end(), piece.directions(from).1);
        }
        last
    }

    /// The open stretch from `low` to `high` mm; `None` where nothing lies between.
    #[must_use]
    pub fn part(&self, low: f64, high: f64) -> Option<Self> {
        let mut place = 0.0;
        let mut part: Option<Self> = None;
        for (from, piece) in self.walk() {
            let length = piece.length(from);
            let (a, b) = ((low - place).max(0.0), (high - place).min(length));
            place += length;
            if b - a <= SAME {
                continue;
            }
            let share = |at: f64| {
                if at <= SAME {
                    0.0
                } else if at >= length - SAME {
                    1.0
                } else {
                    at / length
                }
            };
            let (start, piece) = piece.between(from, share(a), share(b));
            part.get_or_insert_with(|| Self { start, pieces: Vec::new(), closed: false })
                .pieces
                .push(piece);
        }
        part
    }

    /// A closed line begun at `place` mm instead.
    #[must_use]
    pub fn begun_at(&self, place: f64) -> Self {
        let length = self.length();
        let place = place.rem_euclid(length.max(f64::MIN_POSITIVE));
        let (Some(mut first), rest) = (self.part(place, length), self.part(0.0, place)) else {
            return self.clone();
        };
        if let Some(rest) = rest {
            first.pieces.extend(rest.pieces);
        }
        first.closed = true;
        // To the bit: what was split is joined where it was split.
        let start = first.start;
        if let Some(Piece::Line { to } | Piece::Arc { to, .. }) = first.pieces.last_mut() {
            *to = start;
        }
        first
    }

    /// Where it has corners, mm from its start, rising. An open line's ends are none.
    #[must_use]
    pub fn corners(&self) -> Vec<f64> {
        let mut corners = Vec::new();
        let mut place = 0.0;
        let mut before = self
            .closed
            .then(|| self.walk().last().map(|(from, piece)| piece.directions(from).1))
            .flatten();
        for (from, piece) in self.walk() {
            let (start, end) = piece.directions(from);
            if before.is_some_and(|before| turn(before, start) > CORNER) {
                corners.push(place);
            }
            before = Some(end);
            place += piece.length(from);
        }
        corners
    }

    /// The same with the middles of arcs of this radius, mm: half a kerf away from it a line goes round a corner.
    #[must_use]
    pub fn corners_and_rounds(&self, radius: f64) -> Vec<f64> {
        let mut corners = self.corners();
        if radius <= 0.0 {
            return corners;
        }
        let round = |from: Point, piece: &Piece| match piece {
            Piece::Arc { centre, sweep, .. } => {
                let same = ((from - *centre).hypot() - radius).abs() <= SAME_RADIUS;
                (same && sweep.abs() < std::f64::consts::PI).then_some((*centre, sweep.abs()))
            }
            Piece::Line { .. } => None,
        };
        let pieces: Vec<(Point, &Piece)> = self.walk().collect();
        // One that the line begins in is one all the same.
        let ends = (pieces.first(), pieces.last());
        let across = match ends {
            (Some((a, first)), Some((b, last))) if self.closed && pieces.len() > 1 => {
                let (first, last) = (round(*a, first), round(*b, last));
                first.zip(last).filter(|(a, b)| a.0.distance(b.0) <= SAME_RADIUS).is_some()
            }
            _ => false,
        };
        let mut place = 0.0;
        for (n, (from, piece)) in pieces.iter().enumerate() {
            let length = piece.length(*from);
            let split = across && (n == 0 || n + 1 == pieces.len());
            if round(*from, piece).is_some_and(|(_, sweep)| sweep > CORNER) && !split {
                corners.push(place + length / 2.0);
            }
            place += length;
        }
        if across {
            corners.push(0.0);
        }
        corners.sort_by(f64::total_cmp);
        corners
    }

    /// The place (mm from the start) that lies nearest to `p`.
    #[must_use]
    pub fn nearest(&self, p: Point) -> f64 {
        let mut best = (f64::INFINITY, 0.0);
        let mut place = 0.0;
        for (from, piece) in self.walk() {
            let length = piece.length(from);
            for share in [0.0, 1.0, nearest_share(from, piece, p)] {
                let distance = piece.point_at(from, share).distance(p);
                if distance < best.0 - 1e-9 {
                    best = (distance, place + share * length);
                }
            }
            place += length;
        }
        best.1
    }
}

/// By how much a line turns between two unit directions, radians from 0 to π.
fn turn(before: Vec2, after: Vec2) -> f64 {
    before.cross(after).atan2(before.dot(after)).abs()
}

fn nearest_share(from: Point, piece: &Piece, p: Point) -> f64 {
    match *piece {
        Piece::Line { to } => {
            let d = to - from;
            ((p - from).dot(d) / d.hypot2().max(f64::MIN_POSITIVE)).clamp(0.0, 1.0)
        }
        Piece::Arc { centre, sweep, .. } => {
            let (a, b) = (from - centre, p - centre);
            let angle = a.cross(b).atan2(a.dot(b)) * sweep.signum();
            let share = angle.rem_euclid(std::f64::consts::TAU) / sweep.abs();
            if share <= 1.0 { share } else { 0.0 }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::PI;

    /// A slot: two straights of 20 mm and two half circles of radius 5, from the lower left.
    fn slot() -> Contour {
        let p = |x, y| Point::new(x, y);
        Contour {
            start: p(0., 0.),
            pieces: vec![
                Piece::Line { to: p(20., 0.) },
                Piece::Arc { to: p(20., 10.), centre: p(20., 5.), sweep: PI },
                Piece::Line { to: p(0., 10.) },
                Piece::Arc { to: p(0., 0.), centre: p(0., 5.), sweep: PI },
            ],
            closed: true,
        }
    }

    #[test]
    fn parts_add_up_to_the_whole() {
        let slot = slot();
        let length = slot.length();
        for cut in [0.0, 3.0, 20.0, 27.5, 50.0, length] {
            let parts = [slot.part(0.0, cut), slot.part(cut, length)];
            let sum: f64 = parts.iter().flatten().map(Contour::length).sum();
            assert!((sum - length).abs() < 1e-9);
            let turned = slot.begun_at(cut);
            assert!((turned.length() - length).abs() < 1e-9 && turned.end() == turned.start);
            assert!(turned.start.distance(slot.at(cut % length).0) < 1e-9);
        }
        assert!(slot.part(5.0, 5.0).is_none());
    }

    #[test]
    fn a_slot_has_no_corners_and_a_half_disc_has_two() {
        assert!(slot().corners().is_empty());
        let half = Contour { pieces: slot().pieces[..2].to_vec(), ..slot() };
        let half = Contour {
            pieces: [half.pieces, vec![Piece::Line { to: Point::ZERO }]].concat(),
            ..half
        };
        assert_eq!(half.corners().len(), 2);
        assert_eq!(half.corners()[0], 0.0);
    }

    #[test]
    fn the_nearest_place_lies_on_lines_and_on_arcs() {
        let slot = slot();
        assert!((slot.nearest(Point::new(7.0, -3.0)) - 7.0).abs() < 1e-9);
        let on_arc = slot.nearest(Point::new(40.0, 5.0));
        assert!((on_arc - (20.0 + 2.5 * PI)).abs() < 1e-9, "{on_arc}");
    }
}
