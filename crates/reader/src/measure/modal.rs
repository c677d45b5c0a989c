//! What a controller remembers from line to line (NIST IR 6556, section 3.4), and what a line
//! therefore does.

use super::arc;
use super::motion::{Act, Motion};
use super::not_understood::NotUnderstood;
use super::place::Offsets;
use crate::axes::Axes;
use tinkite_base::geometry::{Piece, Point};
use tinkite_base::rs274::Word;
use tinkite_machine::Dialect;

/// How F words are meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum FeedMode {
    PerMinute,
    InverseTime,
}

/// The beam's switch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum BeamMode {
    Off,
    /// M3: constant power.
    Constant,
    /// M4: power follows speed where the controller has a laser mode.
    FollowsSpeed,
}

/// The modal state.
#[derive(Debug)]
pub(crate) struct Modal {
    pub(crate) inches: bool,
    pub(crate) s: f64,
    pub(crate) ended: bool,
    /// Where the axes stand, in the machine's own positions.
    pub(crate) at: Axes,
    /// Whether it is a controller that reads whole programs.
    ngc: bool,
    /// Whether G4 counts milliseconds and G0 goes at the feed: 3-D-printer firmware.
    pub(crate) printer: bool,
    /// Whether feeds on mixed moves count the linear axes alone (section 3.5.1).
    pub(crate) linear_feed: bool,
    /// Whether a power was said so far.
    pub(crate) s_said: bool,
    /// An M code that is not known, on the line at hand.
    pub(crate) unknown: Option<f64>,
    pub(crate) relative: bool,
    absolute_centres: bool,
    plane: Plane,
    /// G0, G1, G2 or G3.
    pub(crate) motion: Option<u8>,
    /// The F word in force, as it was said.
    pub(crate) feed: f64,
    pub(crate) feed_mode: FeedMode,
    pub(crate) beam: BeamMode,
    /// Whether the last line lit the beam with a power that an earlier line has said.
    pub(crate) lights: bool,
    pub(crate) offsets: Offsets,
    /// The offsets before the program.
    before: Offsets,
}

/// The plane of arcs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Plane {
    Xy,
    Zx,
    Yz,
}

impl Plane {
    /// Its axes, the first, the second and the one across.
    fn axes(self) -> [usize; 3] {
        match self {
            Self::Xy => [0, 1, 2],
            Self::Zx => [2, 0, 1],
            Self::Yz => [1, 2, 0],
        }
    }
}

impl Default for Modal {
    fn default() -> Self {
        Self {
            inches: false,
            s: 0.0,
            ended: false,
            at: [0.0; 6],
            ngc: true,
            printer: false,
            linear_feed: true,
            s_said: false,
            unknown: None,
            relative: false,
            absolute_centres: false,
            plane: Plane::Xy,
            motion: None,
            feed: 0.0,
            feed_mode: FeedMode::PerMinute,
            beam: BeamMode::Off,
            lights: false,
            offsets: Offsets::default(),
            before: Offsets::default(),
        }
    }
}

/// What the words of one line say, before it is done.
#[derive(Debug, Default)]
struct LineWords {
    axes: [Option<f64>; 6],
    centre: [Option<f64>; 3],
    r: Option<f64>,
    p: Option<f64>,
    l: Option<f64>,
    s: Option<f64>,
    dwell: bool,
    stop: bool,
    /// The controller waits for the operator.
    waits: bool,
    /// The beam is switched to constant power.
    lights: bool,
    /// `M106`, which is full power where no S stands beside it.
    fan: bool,
    /// A feed stands on the line.
    feeds: bool,
    machine: bool,
    /// A code that uses the axis words for itself, in tenths: G10, G28, G30, G92.
    other: Option<i64>,
}

impl LineWords {
    fn moves(&self) -> bool {
        self.axes.iter().any(Option::is_some) || self.centre.iter().any(Option::is_some)
    }
}

/// What `M106` without a value means: the fan's output all on.
const FAN_FULL: f64 = 255.0;

/// Chords that an arc across the bed is measured as.
const CHORDS: usize = 64;

impl Modal {
    /// As a controller of this dialect begins; none: not known.
    pub(crate) fn new(dialect: Option<Dialect>) -> Self {
        Self {
            ngc: dialect == Some(Dialect::Ngc),
            printer: dialect == Some(Dialect::Reprap),
            linear_feed: matches!(dialect, None | Some(Dialect::Ngc)),
            offsets: Offsets::default().with_others_unknown(),
            before: Offsets::default().with_others_unknown(),
            ..Self::default()
        }
    }

    /// Where the machine stands, and which work offsets it has, from G54 on.
    pub(crate) fn stand(&mut self, at: Axes, systems: &[Axes]) {
        self.at = at;
        self.offsets = Offsets::of(systems);
        self.before = self.offsets;
    }

    /// By how much the program leaves X, Y and Z called otherwise than before, in any system, mm. In
    /// `ngc` the end of a program takes G92 back (NIST IR 6556, section 3.6.1).
    pub(crate) fn left_offset(&self) -> [f64; 3] {
        self.offsets.away_from(&self.before, !(self.ended && self.ngc))
    }

    /// Whether the beam burns on a motion. A rapid with constant power does, except in a laser mode
    /// that a program cannot know of.
    pub(crate) fn burns(&self, m: &Motion) -> bool {
        self.lit() && !(m.travel && self.follows_speed())
    }

    /// Whether a move of the focus alone would be made with the beam on.
    pub(crate) fn lit_lift(&self) -> bool {
        self.lit() && (self.motion != Some(0) || self.beam == BeamMode::Constant)
    }

    /// Whether the beam would burn on a feed move.
    pub(crate) fn lit(&self) -> bool {
        self.beam != BeamMode::Off && self.s > 0.0
    }

    pub(crate) fn follows_speed(&self) -> bool {
        self.beam == BeamMode::FollowsSpeed
    }

    /// Takes the words of one line and adds what it does to `acts` (cleared first).
    ///
    /// # Errors
    /// What is not understood.
    pub(crate) fn line(
        &mut self,
        words: &[Word],
        acts: &mut Vec<Act>,
    ) -> Result<(), NotUnderstood> {
        acts.clear();
        let mut said = LineWords::default();
        let mut end = false;
        for word in words {
            let value = word.value;
            match word.letter {
                b'G' => self.g(value, &mut said)?,
                b'M' => end |= self.m(value, &mut said)?,
                b'F' => (self.feed, said.feeds) = (value, true),
                b'S' => said.s = Some(value),
                b'X' => said.axes[0] = Some(value),
                b'Y' => said.axes[1] = Some(value),
                b'Z' => said.axes[2] = Some(value),
                b'A' => said.axes[3] = Some(value),
                b'B' => said.axes[4] = Some(value),
                b'C' => said.axes[5] = Some(value),
                b'I' => said.centre[0] = Some(value),
                b'J' => said.centre[1] = Some(value),
                b'K' => said.centre[2] = Some(value),
                b'R' => said.r = Some(value),
                b'P' => said.p = Some(value),
                b'L' => said.l = Some(value),
                // Tools and the like do not change where the beam goes.
                b'T' | b'H' | b'D' | b'Q' | b'E' => {}
                other => {
                    return Err(NotUnderstood::Word { letter: other, value });
                }
            }
        }
        // In 3-D-printer firmware S of a dwell is its seconds; elsewhere it is the power.
        if let Some(s) = said.s
            && !(said.dwell && self.printer)
        {
            (self.s, self.s_said) = (s, true);
        } else if said.fan {
            (self.s, self.s_said) = (FAN_FULL, true);
        }
        // It holds for its line only (NIST IR 6556, section 3.5.19).
        if self.feed_mode == FeedMode::InverseTime
            && !said.feeds
            && said.moves()
            && self.motion != Some(0)
        {
            self.feed = 0.0;
        }
        self.lights = said.lights && said.s.is_none() && self.lit();
        if said.dwell {
            acts.push(Act::Stop { seconds: self.dwell(&said) });
        } else if let Some(code) = said.other {
            self.other(code, &said, acts)?;
        } else if said.moves() {
            self.motion(&said, acts)?;
        } else if said.waits {
            acts.push(Act::Wait);
        } else if said.stop {
            acts.push(Act::Stop { seconds: 0.0 });
        }
        self.ended |= end;
        Ok(())
    }

    /// What the line at hand does is done. The end of a program stops the spindle (NIST IR 6556,
    /// section 3.6.1), but a move on its line comes first (section 3.8).
    pub(crate) fn end_line(&mut self) {
        if self.ended {
            self.beam = BeamMode::Off;
        }
    }

    fn dwell(&self, said: &LineWords) -> f64 {
        let seconds = match (self.printer, said.p, said.s) {
            (true, Some(p), _) => p / 1000.0,
            (true, None, Some(s)) => s,
            (_, p, _) => p.unwrap_or(0.0),
        };
        seconds.max(0.0)
    }

    fn g(&mut self, value: f64, said: &mut LineWords) -> Result<(), NotUnderstood> {
        // Codes have at most one decimal: G38.2.
        let code = (value * 10.0).round() as i64;
        match code {
            0 | 10 | 20 | 30 => self.motion = Some(value as u8),
            40 => said.dwell = true,
            100 | 280 | 300 | 920 | 921 | 922 | 923 => said.other = Some(code),
            170 => self.plane = Plane::Xy,
            180 => self.plane = Plane::Zx,
            190 => self.plane = Plane::Yz,
            200 => self.inches = true,
            210 => self.inches = false,
            530 => said.machine = true,
            540..=589 if code % 10 == 0 => self.offsets.select((code / 10 - 54) as usize),
            590..=593 => self.offsets.select((5 + code % 10) as usize),
            900 => self.relative = false,
            910 => self.relative = true,
            901 => self.absolute_centres = true,
            911 => self.absolute_centres = false,
            930 => self.feed_mode = FeedMode::InverseTime,
            940 => self.feed_mode = FeedMode::PerMinute,
            400 | 490 | 610 | 611 | 640 => {}
            800 => self.motion = None,
            _ => return Err(NotUnderstood::Code(value)),
        }
        Ok(())
    }

    /// Whether the code ends the program.
    fn m(&mut self, value: f64, said: &mut LineWords) -> Result<bool, NotUnderstood> {
        said.stop = true;
        match value as i64 {
            // Pauses; tool changes; overrides allowed or not; waiting for the motion to end.
            0 | 1 | 6 | 60 => said.waits = true,
            48 | 49 | 400 => {}
            2 | 30 => return Ok(true),
            3 => {
                said.lights = self.beam != BeamMode::Constant;
                self.beam = BeamMode::Constant;
            }
            4 => self.beam = BeamMode::FollowsSpeed,
            5 => self.beam = BeamMode::Off,
            106 => {
                (self.printer, said.stop, said.fan) = (true, false, true);
                self.beam = BeamMode::Constant;
            }
            107 => {
                (self.printer, said.stop) = (true, false);
                (self.beam, self.s, self.s_said) = (BeamMode::Off, 0.0, true);
            }
            7..=9 => {}
            // Digital and analogue outputs: they switch what the profile says, not the beam's place.
            42 | 62..=68 => said.stop = false,
            // Whatever it switches, positions stay what they are.
            _ => {
                said.stop = false;
                self.unknown = Some(value);
            }
        }
        Ok(false)
    }

    fn mm(&self, axis: usize, value: f64) -> f64 {
        if self.inches && axis < 3 { value * 25.4 } else { value }
    }

    /// Codes that use the axis words for themselves.
    fn other(
        &mut self,
        code: i64,
        said: &LineWords,
        acts: &mut Vec<Act>,
    ) -> Result<(), NotUnderstood> {
        let named =
            (0..6).filter_map(|axis| said.axes[axis].map(|value| (axis, self.mm(axis, value))));
        let named: Vec<(usize, f64)> = named.collect();
        match (code, said.l.map(|l| l as i64)) {
            (100, Some(l @ (2 | 20))) => {
                let system = said.p.unwrap_or(0.0);
                if !(0.0..=9.0).contains(&system) {
                    return Err(NotUnderstood::System(system));
                }
                for (axis, value) in named {
                    match l {
                        2 => self.offsets.set(system as usize, axis, value),
                        _ => self.offsets.call(system as usize, axis, self.at[axis], value),
                    }
                }
            }
            (100, l) => return Err(NotUnderstood::Setting(l.unwrap_or(0))),
            (920, _) => {
                for (axis, value) in named {
                    self.offsets.shift(axis, self.at[axis], value);
                }
            }
            (921, _) => self.offsets.unshift(false),
            (922, _) => self.offsets.unshift(true),
            (923, _) => self.offsets.reshift(),
            _ => {
                // By way of the named point, if there is one, to a place that the controller keeps.
                let axes: Vec<usize> = if named.is_empty() {
                    vec![0, 1]
                } else {
                    named.iter().map(|(axis, _)| *axis).collect()
                };
                if !named.is_empty() && !self.printer {
                    let to = self.target(said);
                    self.straight(to, 0, acts);
                }
                let mut to = self.at;
                axes.into_iter().for_each(|axis| to[axis] = 0.0);
                self.straight(to, 0, acts);
                acts.push(Act::Home);
            }
        }
        Ok(())
    }

    /// Where the axis words of a line lead, in the machine's own positions.
    fn target(&self, said: &LineWords) -> Axes {
        let mut to = self.at;
        for (axis, word) in said.axes.iter().enumerate() {
            let Some(value) = word.map(|value| self.mm(axis, value)) else { continue };
            to[axis] = if said.machine {
                value
            } else if self.relative {
                self.at[axis] + value
            } else {
                self.offsets.machine(axis, value)
            };
        }
        to
    }

    fn motion(&mut self, said: &LineWords, acts: &mut Vec<Act>) -> Result<(), NotUnderstood> {
        let Some(mode) = self.motion else {
            return Err(NotUnderstood::NoMotion);
        };
        let to = self.target(said);
        if mode >= 2 {
            return self.arc(said, to, mode, acts);
        }
        self.straight(to, mode, acts);
        Ok(())
    }

    fn straight(&mut self, to: Axes, mode: u8, acts: &mut Vec<Act>) {
        let from = std::mem::replace(&mut self.at, to);
        let only_height =
            from[2] != to[2] && (0..6).all(|axis| axis == 2 || from[axis] == to[axis]);
        if only_height {
            let piece = Piece::Line { to: Point::new(to[0], to[1]) };
            let m = self.motion_of(from, to, piece, mode);
            let speed = if m.rapid || m.speed <= 0.0 { f64::INFINITY } else { m.speed };
            acts.push(Act::Lift { from: from[2], to: to[2], speed });
            return;
        }
        let piece = Piece::Line { to: Point::new(to[0], to[1]) };
        acts.push(Act::Move(self.motion_of(from, to, piece, mode)));
    }

    /// A motion with its speed, by the feed rule in force.
    fn motion_of(&self, from: Axes, to: Axes, piece: Piece, mode: u8) -> Motion {
        let rapid = mode == 0 && !self.printer;
        let mut motion = Motion { from, to, piece, rapid, travel: mode == 0, speed: 0.0 };
        if rapid {
            return motion;
        }
        let flat = motion.turn() == 0.0;
        motion.speed = match self.feed_mode {
            FeedMode::InverseTime => motion.length() * self.feed / 60.0,
            FeedMode::PerMinute if flat => self.mm(0, self.feed) / 60.0,
            FeedMode::PerMinute => {
                let linear = motion.linear();
                let feed = if linear > 0.0 { self.mm(0, self.feed) } else { self.feed } / 60.0;
                let counted =
                    if self.linear_feed && linear > 0.0 { linear } else { motion.length() };
                motion.length() * feed / counted.max(1e-12)
            }
        };
        motion
    }

    fn arc(
        &mut self,
        said: &LineWords,
        to: Axes,
        mode: u8,
        acts: &mut Vec<Act>,
    ) -> Result<(), NotUnderstood> {
        let [first, second, across] = self.plane.axes();
        let flat = |axes: &Axes| Point::new(axes[first], axes[second]);
        let from = self.at;
        let clockwise = mode == 2;
        let piece = match said.r {
            Some(r) => arc::of_radius(flat(&from), flat(&to), self.mm(0, r), clockwise)?,
            None => {
                let centre = |axis: usize| {
                    let word = said.centre[axis].map(|value| self.mm(axis, value));
                    if self.absolute_centres {
                        word.map_or(from[axis], |value| self.offsets.machine(axis, value))
                    } else {
                        from[axis] + word.unwrap_or(0.0)
                    }
                };
                let centre = Point::new(centre(first), centre(second));
                arc::centre_of(flat(&from), flat(&to), centre, clockwise)?
            }
        };
        self.at = to;
        if self.plane == Plane::Xy {
            acts.push(Act::Move(self.motion_of(from, to, piece, mode)));
            return Ok(());
        }
        // Across the bed an arc is a line to and fro with a changing height.
        let mut before = from;
        let whole = self.motion_of(from, to, piece, mode);
        for n in 1..=CHORDS {
            let share = n as f64 / CHORDS as f64;
            let p = piece.point_at(flat(&from), share);
            let mut next = from;
            (next[first], next[second]) = (p.x, p.y);
            next[across] = from[across] + (to[across] - from[across]) * share;
            let piece = Piece::Line { to: Point::new(next[0], next[1]) };
            acts.push(Act::Move(Motion { from: before, to: next, piece, ..whole }));
            before = next;
        }
        Ok(())
    }

    /// What the program calls the place where the head stands: X, Y, Z, A, B, C.
    pub(crate) fn named(&self) -> Axes {
        std::array::from_fn(|axis| self.offsets.value_in_program(axis, self.at[axis]))
    }
}
