//! Where a program leads the head, line by line: what a run is followed with.

use super::axes::Axes;
use super::measure::modal::Modal;
use super::measure::motion::{Act, Motion};
use super::measure::parsed;
use tinkite_base::geometry::Piece;
use tinkite_base::rs274::{Parameters, Word};
use tinkite_machine::Dialect;

/// A place in a program: everything before it is done. The end of a line is the beginning of the next.
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Default)]
pub struct Place {
    /// Line of the text, from 1.
    pub line: u32,
    /// Which of its motions, from 0.
    pub way: usize,
    /// How much of that motion is done, 0 to 1.
    pub share: f64,
}

impl Place {
    /// Before anything of a line is done.
    #[must_use]
    pub fn before(line: u32) -> Self {
        Self { line, way: 0, share: 0.0 }
    }

    /// The later of two.
    #[must_use]
    pub fn later(self, other: Self) -> Self {
        if other > self { other } else { self }
    }
}

/// One motion of a line.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LineMotion {
    /// Where it begins.
    pub from: Axes,
    /// Where it ends.
    pub to: Axes,
    /// Its line or arc in X and Y.
    pub piece: Piece,
    /// S; 0 with the beam off.
    pub s: f64,
    /// How fast, mm/s of [`Self::length`]; infinite for a rapid.
    pub speed: f64,
}

impl LineMotion {
    fn of(motion: &Motion, s: f64) -> Self {
        let speed = if motion.rapid { f64::INFINITY } else { motion.speed };
        Self { from: motion.from, to: motion.to, piece: motion.piece, s, speed }
    }

    /// The position at a share of it, 0 to 1.
    #[must_use]
    pub fn at(&self, share: f64) -> Axes {
        let flat = self.piece.point_at((self.from[0], self.from[1]).into(), share);
        let mut at: Axes =
            std::array::from_fn(|n| self.from[n] + (self.to[n] - self.from[n]) * share);
        if matches!(self.piece, Piece::Arc { .. }) {
            (at[0], at[1]) = (flat.x, flat.y);
        }
        at
    }

    /// How long it is, mm and degrees alike.
    #[must_use]
    pub fn length(&self) -> f64 {
        let flat = self.piece.length((self.from[0], self.from[1]).into());
        (2..6).fold(flat, |length, n| length.hypot(self.to[n] - self.from[n]))
    }

    /// The share of it that lies nearest to a position of which some axes are known, and how far away
    /// that is, mm and degrees alike.
    #[must_use]
    pub fn nearest(&self, position: &[Option<f64>; 6]) -> (f64, f64) {
        let share = match self.piece {
            Piece::Line { .. } => self.straight_share(position),
            Piece::Arc { centre, sweep, .. } => {
                let ([Some(x), Some(y)], [fx, fy]) =
                    ([position[0], position[1]], [self.from[0], self.from[1]])
                else {
                    return (0.0, f64::INFINITY);
                };
                let angle = |x: f64, y: f64| (y - centre.y).atan2(x - centre.x);
                let turned = (angle(x, y) - angle(fx, fy)) * sweep.signum();
                let turn = std::f64::consts::TAU;
                let share = turned.rem_euclid(turn) / sweep.abs();
                // Beyond its end: whichever end is nearer by angle.
                if share <= 1.0 {
                    share
                } else if share * sweep.abs() - sweep.abs() < turn - share * sweep.abs() {
                    1.0
                } else {
                    0.0
                }
            }
        };
        (share, self.away(share, position))
    }

    /// How far a position of which some axes are known lies from a share of it, mm and degrees alike.
    #[must_use]
    pub fn away(&self, share: f64, position: &[Option<f64>; 6]) -> f64 {
        let at = self.at(share);
        let away = (0..6).filter_map(|n| Some(position[n]? - at[n]));
        away.fold(0.0, f64::hypot)
    }

    fn straight_share(&self, position: &[Option<f64>; 6]) -> f64 {
        let (mut along, mut whole) = (0.0, 0.0);
        for (n, known) in position.iter().enumerate() {
            let Some(known) = known else { continue };
            let by = self.to[n] - self.from[n];
            along += (known - self.from[n]) * by;
            whole += by * by;
        }
        if whole > 0.0 { (along / whole).clamp(0.0, 1.0) } else { 0.0 }
    }
}

/// What a line does with the head.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Ways {
    /// Its motions, in order; an arc is one.
    pub motions: Vec<LineMotion>,
    /// The head stands for so long, s, before the line is done.
    pub seconds: f64,
    /// For how much of that the beam is on, s.
    pub lit_seconds: f64,
    /// The line sends the head to a place that only the controller knows, or is a command of the
    /// controller's own: where it stands afterwards is not known.
    pub lost: bool,
}

impl Ways {
    /// How long the line lasts at most, s: each motion begins and ends at rest, and gains and loses speed with no less
    /// than `acceleration` (mm/s^2, above zero); a rapid goes at `rapid` mm/s.
    #[must_use]
    pub fn lasts(&self, rapid: f64, acceleration: f64) -> f64 {
        let time = |way: &LineMotion| {
            let speed = if way.speed.is_finite() { way.speed } else { rapid };
            let length = way.length();
            if speed <= 0.0 {
                0.0
            } else if length * acceleration >= speed * speed {
                // Uniform acceleration to the speed, and back to rest.
                length / speed + speed / acceleration
            } else {
                2.0 * (length / acceleration).sqrt()
            }
        };
        self.motions.iter().map(time).sum::<f64>() + self.seconds
    }
}

/// Follows a program line by line.
#[derive(Debug)]
pub struct Trail {
    modal: Modal,
    parameters: Parameters,
    words: Vec<Word>,
    acts: Vec<Act>,
    /// Whether the position of X and Y is known.
    known: [bool; 2],
}

impl Trail {
    /// For a program in this dialect, on a machine that stands at `at` with a work offset; both as
    /// the controller counts.
    #[must_use]
    pub fn new(dialect: Dialect, at: Axes, offset: Axes) -> Self {
        let mut modal = Modal::new(Some(dialect));
        modal.stand(at, &[offset]);
        Self {
            modal,
            parameters: Parameters::default(),
            words: Vec::new(),
            acts: Vec::new(),
            known: [true; 2],
        }
    }

    /// Nobody knows where the head stands.
    pub fn forget(&mut self) {
        self.known = [false; 2];
    }

    /// Takes the next line, without its end. A line that cannot be read does nothing.
    pub fn line(&mut self, line: &[u8]) -> Ways {
        let mut ways = Ways::default();
        if line.first() == Some(&b'$') {
            // Homing moves; what else a command does is the controller's affair.
            ways.lost = line.get(1) == Some(&b'H');
            self.known = if ways.lost { [false; 2] } else { self.known };
            return ways;
        }
        if self.modal.ended || parsed(line, &mut self.parameters, &mut self.words).is_err() {
            return ways;
        }
        let mut acts = std::mem::take(&mut self.acts);
        // What is not understood was refused before anything was sent.
        let _ = self.modal.line(&self.words, &mut acts);
        for act in acts.drain(..) {
            match act {
                Act::Stop { seconds } => {
                    ways.seconds += seconds;
                    if self.modal.lit() && !self.modal.follows_speed() {
                        ways.lit_seconds += seconds;
                    }
                }
                Act::Wait => {}
                Act::Move(motion) => {
                    let lit = self.modal.burns(&motion);
                    ways.motions
                        .push(LineMotion::of(&motion, if lit { self.modal.s } else { 0.0 }));
                }
                Act::Lift { from, to, speed } => {
                    let (mut start, mut end) = (self.modal.at, self.modal.at);
                    (start[2], end[2]) = (from, to);
                    let piece = Piece::Line { to: (end[0], end[1]).into() };
                    ways.motions.push(LineMotion { from: start, to: end, piece, s: 0.0, speed });
                }
                Act::Home => {
                    ways.lost = true;
                    self.known = [false; 2];
                }
            }
        }
        if !ways.lost && !self.modal.relative {
            for (axis, letter) in [b'X', b'Y'].into_iter().enumerate() {
                self.known[axis] |=
                    !ways.motions.is_empty() && self.words.iter().any(|w| w.letter == letter);
            }
        }
        self.acts = acts;
        self.modal.end_line();
        ways
    }

    /// Where the head stands when every line so far is done; `None` where only the controller knows.
    #[must_use]
    pub fn stands(&self) -> Option<Axes> {
        self.known.iter().all(|known| *known).then_some(self.modal.at)
    }

    /// The same as the program counts it: X, Y, Z from its zero, mm.
    #[must_use]
    pub fn stands_for_program(&self) -> Option<[f64; 3]> {
        let [x, y, z, ..] = self.modal.named();
        self.stands().map(|_| [x, y, z])
    }

    /// Whether the beam would burn on a feed move now, or burns where the head stands.
    #[must_use]
    pub fn is_lit(&self) -> bool {
        self.modal.lit()
    }

    /// The controller's memory at this place.
    pub(super) fn modal(&self) -> &Modal {
        &self.modal
    }

    /// The words of the last line.
    pub(super) fn words(&self) -> &[Word] {
        &self.words
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn trail(lines: &[&str]) -> Vec<LineMotion> {
        let mut trail = Trail::new(Dialect::Grbl, [0.0; 6], [0.0; 6]);
        lines.iter().flat_map(|line| trail.line(line.as_bytes()).motions).collect()
    }

    fn flat(x: f64, y: f64) -> [Option<f64>; 6] {
        [Some(x), Some(y), None, None, None, None]
    }

    #[test]
    fn a_place_on_a_line_has_its_share_and_one_beside_it_its_distance() {
        let ways = trail(&["G21G90", "M4", "G0X10Y10", "G1X20Y10S300F600", "G91X0Y10"]);
        assert_eq!(ways.iter().map(|way| way.s).collect::<Vec<_>>(), [0.0, 300.0, 300.0]);
        assert_eq!(ways[1].nearest(&flat(12.5, 10.0)), (0.25, 0.0));
        assert_eq!(ways[1].nearest(&flat(12.5, 13.0)), (0.25, 3.0));
        assert_eq!(ways[1].nearest(&flat(25.0, 10.0)), (1.0, 5.0));
        assert_eq!(ways[2].nearest(&flat(20.0, 12.0)), (0.2, 0.0));
    }

    #[test]
    fn a_place_on_an_arc_is_found_by_its_angle() {
        // A quarter counter-clockwise about the zero, and the three quarters back the same way round.
        let ways = trail(&["G21G90M4", "G0X10Y0", "G3X0Y10I-10J0S300F600", "G3X10Y0I0J-10"]);
        let half = 10.0 * std::f64::consts::FRAC_1_SQRT_2;
        let (share, away) = ways[1].nearest(&flat(half, half));
        assert!((share - 0.5).abs() < 1e-9 && away < 1e-9);
        let (share, away) = ways[2].nearest(&flat(-10.0, 0.0));
        assert!((share - 1.0 / 3.0).abs() < 1e-9 && away < 1e-9);
        // What lies on the other arc is nearest to an end of this one.
        assert_eq!(ways[1].nearest(&flat(half, -half)).0, 0.0);
        let (share, away) = ways[1].nearest(&flat(-half, half));
        assert!(share == 1.0 && (away - half.hypot(10.0 - half)).abs() < 1e-9);
        for share in [0.0, 0.3, 1.0] {
            let at = ways[2].at(share);
            assert!((at[0].hypot(at[1]) - 10.0).abs() < 1e-9);
            let (found, away) = ways[2].nearest(&flat(at[0], at[1]));
            assert!((found - share).abs() < 1e-9 && away < 1e-9);
        }
    }

    #[test]
    fn after_homing_the_place_is_known_once_both_axes_were_told() {
        let mut trail = Trail::new(Dialect::Grbl, [1.0; 6], [0.0; 6]);
        assert!(trail.line(b"$H").lost);
        assert_eq!(trail.stands(), None);
        trail.line(b"G0X5");
        assert_eq!(trail.stands(), None);
        trail.line(b"Y7");
        assert_eq!(trail.stands().map(|at| [at[0], at[1]]), Some([5.0, 7.0]));
    }

    #[test]
    fn a_lift_and_a_dwell_are_told() {
        let mut trail = Trail::new(Dialect::Grbl, [0.0; 6], [0.0; 6]);
        let lift = trail.line(b"G0Z5").motions;
        assert_eq!((lift[0].from[2], lift[0].to[2], lift[0].length()), (0.0, 5.0, 5.0));
        assert_eq!(trail.line(b"G4P1.5").seconds, 1.5);
        // Power that follows the speed is none where the head stands.
        for (beam, lit) in [("M5", 0.0), ("M4S100", 0.0), ("M3S100", 0.5), ("M3S0", 0.0)] {
            trail.line(beam.as_bytes());
            let ways = trail.line(b"G4P0.5");
            assert_eq!((ways.seconds, ways.lit_seconds), (0.5, lit), "{beam}");
        }
    }
}
