//! What a controller remembers from line to line (NIST IR 6556, section 3.4), and what a line
//! therefore does.

use super::arc_piece;
use crate::geometry::{Piece, Point, Vec2};
use crate::mapping::Pace;
use crate::program::read::Word;
use crate::quantity::{Speed, plain};

/// How F words are meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum FeedMode {
    PerMinute,
    InverseTime,
}

/// The beam's switch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum BeamMode {
    Off,
    /// M3: constant power.
    Constant,
    /// M4: power follows speed where the controller has a laser mode.
    FollowsSpeed,
}

/// One motion that a line commands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Motion {
    pub(super) from: Point,
    pub(super) piece: Piece,
    pub(super) pace: Pace,
}

/// What a line does.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Act {
    Nothing,
    /// The head stands still, for so long.
    Stop {
        seconds: f64,
    },
    Move(Motion),
    /// The focus goes up or down, and nothing else moves.
    Lift {
        from: f64,
        to: f64,
    },
}

/// The modal state.
#[derive(Debug)]
pub(super) struct Modal {
    pub(super) inches: bool,
    pub(super) s: f64,
    pub(super) ended: bool,
    relative: bool,
    motion: Option<u8>,
    feed: f64,
    feed_mode: FeedMode,
    beam: BeamMode,
    at: Point,
    height: f64,
}

impl Default for Modal {
    fn default() -> Self {
        Self {
            inches: false,
            s: 0.0,
            ended: false,
            relative: false,
            motion: None,
            feed: 0.0,
            feed_mode: FeedMode::PerMinute,
            beam: BeamMode::Off,
            at: Point::ZERO,
            height: 0.0,
        }
    }
}

/// Words of one line that are not modal.
#[derive(Debug, Default)]
struct Said {
    x: Option<f64>,
    y: Option<f64>,
    z: Option<f64>,
    i: Option<f64>,
    j: Option<f64>,
    r: Option<f64>,
    p: Option<f64>,
    dwell: bool,
    stop: bool,
}

impl Modal {
    /// Whether the beam would burn on a feed move.
    pub(super) fn lit(&self) -> bool {
        self.beam != BeamMode::Off && self.s > 0.0
    }

    pub(super) fn follows_speed(&self) -> bool {
        self.beam == BeamMode::FollowsSpeed
    }

    /// Takes the words of one line; says what it does, or what is not understood.
    pub(super) fn line(&mut self, words: &[Word]) -> Result<Act, String> {
        let mut said = Said::default();
        let mut end = false;
        for word in words {
            match word.letter {
                b'G' => self.g(word.value, &mut said)?,
                b'M' => end |= self.m(word.value, &mut said)?,
                b'F' => self.feed = word.value,
                b'S' => self.s = word.value,
                b'X' => said.x = Some(word.value),
                b'Y' => said.y = Some(word.value),
                b'I' => said.i = Some(word.value),
                b'J' => said.j = Some(word.value),
                b'R' => said.r = Some(word.value),
                b'P' => said.p = Some(word.value),
                b'Z' => said.z = Some(word.value),
                // Tools and the like do not change where the beam goes on a flat bed.
                b'T' | b'K' | b'H' | b'D' | b'L' => {}
                other => {
                    return Err(format!("the word {}{}", other as char, plain(word.value, 3)));
                }
            }
        }
        let height = said.z.map_or(self.height, |z| {
            if self.relative { self.height + self.mm(z) } else { self.mm(z) }
        });
        let lifted = std::mem::replace(&mut self.height, height);
        let act = if said.dwell {
            Act::Stop { seconds: said.p.unwrap_or(0.0).max(0.0) }
        } else if said.x.is_some() || said.y.is_some() || said.i.is_some() || said.j.is_some() {
            Act::Move(self.motion(&said)?)
        } else if lifted != height {
            Act::Lift { from: lifted, to: height }
        } else if said.stop {
            Act::Stop { seconds: 0.0 }
        } else {
            Act::Nothing
        };
        self.ended |= end;
        Ok(act)
    }

    fn g(&mut self, value: f64, said: &mut Said) -> Result<(), String> {
        // Codes have at most one decimal: G38.2.
        match (value * 10.0).round() as i64 {
            0 | 10 | 20 | 30 => self.motion = Some(value as u8),
            40 => said.dwell = true,
            200 => self.inches = true,
            210 => self.inches = false,
            900 => self.relative = false,
            910 => self.relative = true,
            930 => self.feed_mode = FeedMode::InverseTime,
            940 => self.feed_mode = FeedMode::PerMinute,
            170 | 400 | 490 | 540 | 610 | 611 | 640 | 911 => {}
            800 => self.motion = None,
            _ => return Err(format!("G{}", plain(value, 1))),
        }
        Ok(())
    }

    /// Whether the code ends the program.
    fn m(&mut self, value: f64, said: &mut Said) -> Result<bool, String> {
        said.stop = true;
        match value as i64 {
            0 | 1 => {}
            2 | 30 => {
                // The end of a program stops the spindle (NIST IR 6556, section 3.6.1).
                self.beam = BeamMode::Off;
                return Ok(true);
            }
            3 => self.beam = BeamMode::Constant,
            4 => self.beam = BeamMode::FollowsSpeed,
            5 => self.beam = BeamMode::Off,
            7..=9 => {}
            _ => return Err(format!("M{}", plain(value, 1))),
        }
        Ok(false)
    }

    fn mm(&self, value: f64) -> f64 {
        if self.inches { value * 25.4 } else { value }
    }

    fn motion(&mut self, said: &Said) -> Result<Motion, String> {
        let Some(mode) = self.motion else {
            return Err("a position without a motion (G0, G1, G2 or G3) before it".into());
        };
        let from = self.at;
        let axis = |word: Option<f64>, now: f64| match word {
            None => now,
            Some(value) if self.relative => now + self.mm(value),
            Some(value) => self.mm(value),
        };
        let to = Point::new(axis(said.x, from.x), axis(said.y, from.y));
        let piece = match mode {
            0 | 1 => Piece::Line { to },
            _ => self.arc(said, from, to, mode == 2)?,
        };
        let pace = match (mode, self.feed_mode) {
            (0, _) => Pace::Rapid,
            (_, FeedMode::PerMinute) => Pace::Feed(Speed(self.mm(self.feed) / 60.0)),
            (_, FeedMode::InverseTime) => Pace::Feed(Speed(piece.length(from) * self.feed / 60.0)),
        };
        self.at = to;
        Ok(Motion { from, piece, pace })
    }

    fn arc(&self, said: &Said, from: Point, to: Point, clockwise: bool) -> Result<Piece, String> {
        if let Some(r) = said.r {
            return radius_arc(from, to, self.mm(r), clockwise);
        }
        let offset = Vec2::new(self.mm(said.i.unwrap_or(0.0)), self.mm(said.j.unwrap_or(0.0)));
        let centre = from + offset;
        let (start, end) = (from.distance(centre), to.distance(centre));
        // Tolerance of NIST IR 6556, section 3.5.3, for mm: what rounding of the words can explain.
        if start <= 0.0 || (start - end).abs() > 0.005_f64.max(0.001 * start) {
            return Err(format!(
                "an arc whose ends lie {} and {} mm from its centre",
                plain(start, 3),
                plain(end, 3)
            ));
        }
        Ok(arc_piece(from, to, centre, clockwise))
    }
}

/// The arc of radius |r|; more than a half turn when r is negative (NIST IR 6556, section 3.5.3.1).
fn radius_arc(from: Point, to: Point, r: f64, clockwise: bool) -> Result<Piece, String> {
    let chord = to - from;
    let half = chord.hypot() / 2.0;
    if half <= 0.0 || half > r.abs() * 1.001 {
        return Err(format!(
            "an arc of radius {} mm over a chord of {} mm",
            plain(r, 3),
            plain(2.0 * half, 3)
        ));
    }
    let height = (r * r - half * half).max(0.0).sqrt();
    let left = Vec2::new(-chord.y, chord.x) / (2.0 * half);
    let side = if clockwise == (r > 0.0) { -1.0 } else { 1.0 };
    let centre = from.midpoint(to) + left * height * side;
    Ok(arc_piece(from, to, centre, clockwise))
}
