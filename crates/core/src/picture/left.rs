//! What of a program is burnt and what is left, after a run that broke off.

use super::burnt::{Words, on_the_bed};
use super::canvas::Canvas;
use tinkite_base::geometry::{Piece, Point};
use tinkite_machine::Machine;
use tinkite_reader::LineMotion;

/// What became of a stretch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Left {
    /// It is burnt.
    Burnt,
    /// It may be burnt.
    Uncertain,
    /// It is not burnt.
    Open,
}

impl Left {
    /// In the order in which a program leads through them.
    pub const ALL: [Self; 3] = [Self::Burnt, Self::Uncertain, Self::Open];
    /// Char, a warning, and bare wood that is still to come; what matters most is drawn last.
    const COLOURS: [&'static str; 3] = ["#d9c7a8", "#3a2412", "#d62f2f"];

    fn colour(self) -> usize {
        match self {
            Self::Open => 0,
            Self::Burnt => 1,
            Self::Uncertain => 2,
        }
    }
}

/// A straight stretch, the machine's own positions (mm).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LeftMark {
    from: Point,
    to: Point,
    left: Left,
}

/// An arc is drawn as chords of this many radians at most.
const CHORD: f64 = 0.1;

impl LeftMark {
    /// A motion from one share of it to another (0 to 1).
    pub fn of(way: &LineMotion, from: f64, to: f64, left: Left) -> impl Iterator<Item = Self> {
        let parts = match way.piece {
            Piece::Line { .. } => 1,
            Piece::Arc { sweep, .. } => ((sweep.abs() * (to - from) / CHORD).ceil() as u32).max(1),
        };
        let way = *way;
        let at = move |n: u32| {
            let at = way.at(from + (to - from) * f64::from(n) / f64::from(parts));
            Point::new(at[0], at[1])
        };
        (0..parts).map(move |n| Self { from: at(n), to: at(n + 1), left })
    }
}

/// What is burnt, what may be, and what is left, on the bed.
#[must_use]
pub fn left(
    marks: &[LeftMark],
    machine: &Machine,
    words: &Words<'_>,
    facts: Vec<String>,
    canvas: Canvas,
) -> String {
    let lines: Vec<(Point, Point, usize)> =
        marks.iter().map(|mark| (mark.from, mark.to, mark.left.colour())).collect();
    on_the_bed(&lines, &Left::COLOURS, machine, words, facts, canvas)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_arc_is_drawn_as_chords_that_meet() {
        let quarter = std::f64::consts::FRAC_PI_2;
        let piece = Piece::Arc { to: Point::new(0.0, 10.0), centre: Point::ORIGIN, sweep: quarter };
        let mut way = LineMotion { from: [0.0; 6], to: [0.0; 6], piece, s: 100.0, speed: 10.0 };
        (way.from[0], way.to[1]) = (10.0, 10.0);
        let marks: Vec<LeftMark> = LeftMark::of(&way, 0.5, 1.0, Left::Uncertain).collect();
        assert_eq!(marks.len(), 8);
        assert!(marks.windows(2).all(|pair| pair[0].to == pair[1].from));
        assert!(marks.iter().all(|mark| (mark.to.to_vec2().hypot() - 10.0).abs() < 1e-9));
        assert!((marks[0].from.x - marks[0].from.y).abs() < 1e-9);
    }
}
