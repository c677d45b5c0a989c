//! A contour: one connected line of straight and circular pieces, open or closed.
//!
//! This is the only kind of line that exists from the toolpath stage onwards: a controller runs
//! lines and arcs and nothing else.

use kurbo::{Point, Rect, Vec2};
use std::f64::consts::TAU;

/// One piece of a contour; it starts where the piece before it ended.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Piece {
    /// A straight line.
    Line {
        /// Where it ends.
        to: Point,
    },
    /// A circular arc of less than a full turn.
    Arc {
        /// Where it ends.
        to: Point,
        /// Centre of its circle.
        centre: Point,
        /// Signed sweep in radians, counter-clockwise positive, `0 < |sweep| < 2π`.
        sweep: f64,
    },
}

impl Piece {
    /// Where the piece ends.
    #[must_use]
    pub fn end(&self) -> Point {
        match *self {
            Self::Line { to } | Self::Arc { to, .. } => to,
        }
    }

    /// Its length in mm when it starts at `from`.
    #[must_use]
    pub fn length(&self, from: Point) -> f64 {
        match *self {
            Self::Line { to } => from.distance(to),
            Self::Arc { centre, sweep, .. } => from.distance(centre) * sweep.abs(),
        }
    }

    /// Unit directions in which it leaves `from` and arrives at its end; zero for a zero length.
    #[must_use]
    pub fn directions(&self, from: Point) -> (Vec2, Vec2) {
        match *self {
            Self::Line { to } => {
                let d = unit(to - from);
                (d, d)
            }
            Self::Arc { to, centre, sweep } => {
                let turn = |r: Vec2| unit(Vec2::new(-r.y, r.x) * sweep.signum());
                (turn(from - centre), turn(to - centre))
            }
        }
    }

    /// The rectangle it covers when it starts at `from`, the arc's bulge included.
    #[must_use]
    pub fn bounds(&self, from: Point) -> Rect {
        let mut rect = Rect::from_points(from, self.end());
        if let Self::Arc { centre, sweep, .. } = *self {
            let radius = from.distance(centre);
            let start = (from - centre).atan2();
            for quarter in 0..4 {
                let angle = f64::from(quarter) * TAU / 4.0;
                let along = if sweep > 0.0 { angle - start } else { start - angle }.rem_euclid(TAU);
                if along < sweep.abs() {
                    rect = rect.union_pt(centre + Vec2::from_angle(angle) * radius);
                }
            }
        }
        rect
    }

    /// The point at `fraction` (0 to 1) of its length.
    #[must_use]
    pub fn point_at(&self, from: Point, fraction: f64) -> Point {
        match *self {
            Self::Line { to } => from.lerp(to, fraction),
            Self::Arc { centre, sweep, .. } => {
                let r = from - centre;
                centre + Vec2::from_angle(r.atan2() + sweep * fraction) * r.hypot()
            }
        }
    }

    /// Calls `each` with the ends of straight chords that stay within `tolerance` mm of the piece.
    pub fn flatten(&self, from: Point, tolerance: f64, mut each: impl FnMut(Point)) {
        if let Self::Arc { centre, sweep, .. } = *self {
            let radius = from.distance(centre);
            for n in 1..chords(radius, sweep, tolerance) {
                let fraction = n as f64 / chords(radius, sweep, tolerance) as f64;
                each(self.point_at(from, fraction));
            }
        }
        each(self.end());
    }

    fn reversed(&self, from: Point) -> Self {
        match *self {
            Self::Line { .. } => Self::Line { to: from },
            Self::Arc { centre, sweep, .. } => Self::Arc { to: from, centre, sweep: -sweep },
        }
    }

    /// The same piece, moved.
    #[must_use]
    pub fn shifted(&self, by: Vec2) -> Self {
        match *self {
            Self::Line { to } => Self::Line { to: to + by },
            Self::Arc { to, centre, sweep } => {
                Self::Arc { to: to + by, centre: centre + by, sweep }
            }
        }
    }
}

/// How many chords keep an arc's sagitta below `tolerance` (sagitta = r (1 − cos(angle / 2))).
fn chords(radius: f64, sweep: f64, tolerance: f64) -> usize {
    let cosine = (1.0 - tolerance / radius.max(tolerance)).clamp(-1.0, 1.0);
    let step = (2.0 * cosine.acos()).clamp(1e-3, TAU / 6.0);
    (sweep.abs() / step).ceil().max(1.0) as usize
}

fn unit(v: Vec2) -> Vec2 {
    let length = v.hypot();
    if length > 0.0 { v / length } else { Vec2::ZERO }
}

/// A connected line of pieces. When closed, the last piece ends exactly at the start.
#[derive(Debug, Clone, PartialEq)]
pub struct Contour {
    /// Where it starts.
    pub start: Point,
    /// Its pieces, in order; never empty.
    pub pieces: Vec<Piece>,
    /// Whether it ends where it started.
    pub closed: bool,
}

impl Contour {
    /// Where it ends.
    #[must_use]
    pub fn end(&self) -> Point {
        self.pieces.last().map_or(self.start, Piece::end)
    }

    /// Its pieces with the point from which each starts.
    pub fn walk(&self) -> impl Iterator<Item = (Point, &Piece)> {
        let mut from = self.start;
        self.pieces.iter().map(move |piece| (std::mem::replace(&mut from, piece.end()), piece))
    }

    /// Length in mm.
    #[must_use]
    pub fn length(&self) -> f64 {
        self.walk().map(|(from, piece)| piece.length(from)).sum()
    }

    /// The rectangle it covers.
    #[must_use]
    pub fn bounds(&self) -> Rect {
        let start = Rect::from_points(self.start, self.start);
        self.walk().map(|(from, piece)| piece.bounds(from)).fold(start, |a, b| a.union(b))
    }

    /// The points of a polyline within `tolerance` mm of it; a closed one does not repeat its start.
    #[must_use]
    pub fn flatten(&self, tolerance: f64) -> Vec<Point> {
        let mut points = Vec::with_capacity(self.pieces.len() + 1);
        points.push(self.start);
        for (from, piece) in self.walk() {
            piece.flatten(from, tolerance, |p| points.push(p));
        }
        if self.closed && points.len() > 1 {
            points.pop();
        }
        points
    }

    /// The same line walked the other way.
    #[must_use]
    pub fn reversed(&self) -> Self {
        let mut pieces: Vec<_> = self.walk().map(|(from, piece)| piece.reversed(from)).collect();
        pieces.reverse();
        Self { start: self.end(), pieces, closed: self.closed }
    }

    /// A closed line that starts where its piece `at` starts; an open one is left as it is.
    #[must_use]
    pub fn starting_at(mut self, at: usize) -> Self {
        if self.closed && at > 0 && at < self.pieces.len() {
            self.start = self.pieces[at - 1].end();
            self.pieces.rotate_left(at);
        }
        self
    }

    /// The same line, moved.
    #[must_use]
    pub fn shifted(&self, by: Vec2) -> Self {
        Self {
            start: self.start + by,
            pieces: self.pieces.iter().map(|piece| piece.shifted(by)).collect(),
            closed: self.closed,
        }
    }

    /// The same line turned half round about a point.
    #[must_use]
    pub fn rotate_half(&self, centre: Point) -> Self {
        let turn = |p: Point| Point::new(2.0 * centre.x - p.x, 2.0 * centre.y - p.y);
        let piece = |piece: &Piece| match *piece {
            Piece::Line { to } => Piece::Line { to: turn(to) },
            Piece::Arc { to, centre, sweep } => {
                Piece::Arc { to: turn(to), centre: turn(centre), sweep }
            }
        };
        Self {
            start: turn(self.start),
            pieces: self.pieces.iter().map(piece).collect(),
            closed: self.closed,
        }
    }

    /// The points from which it may be started: every vertex of a closed line.
    pub fn vertices(&self) -> impl Iterator<Item = Point> {
        self.walk().map(|(from, _)| from)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::PI;

    /// A half disc: the upper half circle of radius 10 about the origin and its diameter.
    fn half_disc() -> Contour {
        Contour {
            start: Point::new(10.0, 0.0),
            pieces: vec![
                Piece::Arc { to: Point::new(-10.0, 0.0), centre: Point::ZERO, sweep: PI },
                Piece::Line { to: Point::new(10.0, 0.0) },
            ],
            closed: true,
        }
    }

    #[test]
    fn bounds_hold_the_bulge() {
        let b = half_disc().bounds();
        assert!((b.y1 - 10.0).abs() < 1e-12 && b.y0.abs() < 1e-12 && (b.x0 + 10.0).abs() < 1e-12);
        assert!((half_disc().length() - (10.0 * PI + 20.0)).abs() < 1e-9);
    }

    #[test]
    fn reversing_twice_changes_nothing_and_keeps_the_length() {
        let there = half_disc();
        let back = there.reversed();
        assert!((there.length() - back.length()).abs() < 1e-9);
        assert_eq!(back.reversed(), there);
    }

    #[test]
    fn a_loop_may_start_at_any_vertex() {
        let turned = half_disc().starting_at(1);
        assert_eq!(turned.start, Point::new(-10.0, 0.0));
        assert_eq!(turned.end(), turned.start);
        assert!((turned.length() - half_disc().length()).abs() < 1e-9);
    }

    #[test]
    fn chords_stay_within_the_tolerance() {
        for tolerance in [0.5, 0.05, 0.005] {
            let points = half_disc().flatten(tolerance);
            for pair in points.windows(2).take(points.len() - 2) {
                let sagitta = 10.0 - pair[0].midpoint(pair[1]).to_vec2().hypot();
                assert!(sagitta <= tolerance * 1.0001, "{sagitta} > {tolerance}");
            }
        }
    }
}
