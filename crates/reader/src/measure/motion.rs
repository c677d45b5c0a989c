//! What a line of a program does.

use crate::axes::Axes;
use tinkite_base::geometry::{Piece, Point};

/// One motion that a line commands, in the machine's own positions: mm and degrees.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Motion {
    pub(crate) from: Axes,
    pub(crate) to: Axes,
    /// Its line or arc in X and Y.
    pub(crate) piece: Piece,
    /// As fast as the axes can.
    pub(crate) rapid: bool,
    /// Beam off whatever S says, in a controller's laser mode.
    pub(crate) travel: bool,
    /// How fast, mm/s of [`Self::length`]; zero where no feed is in force.
    pub(crate) speed: f64,
}

impl Motion {
    /// Where it starts in X and Y.
    pub(crate) fn start(&self) -> Point {
        Point::new(self.from[0], self.from[1])
    }

    /// How far the head moves, mm.
    pub(crate) fn linear(&self) -> f64 {
        let rise = self.to[2] - self.from[2];
        let flat = self.piece.length(self.start());
        if rise == 0.0 { flat } else { flat.hypot(rise) }
    }

    /// How far it turns, degrees, with its sign where one axis turns.
    pub(crate) fn turn(&self) -> f64 {
        let [a, b, c] = [3, 4, 5].map(|n| self.to[n] - self.from[n]);
        match (a != 0.0, b != 0.0, c != 0.0) {
            (false, false, false) => 0.0,
            (true, false, false) => a,
            (false, true, false) => b,
            (false, false, true) => c,
            _ => a.hypot(b).hypot(c),
        }
    }

    /// Its length as the controller counts it: mm and degrees alike.
    pub(crate) fn length(&self) -> f64 {
        self.linear().hypot(self.turn())
    }
}

/// What a line does.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Act {
    /// The head stands still, for so long.
    Stop {
        seconds: f64,
    },
    /// The controller waits for the operator, for as long as that takes.
    Wait,
    Move(Motion),
    /// The focus goes up or down, at a speed (mm/s; infinite for a rapid), and nothing else moves.
    Lift {
        from: f64,
        to: f64,
        speed: f64,
    },
    /// A move to a place that only the controller knows.
    Home,
}
