//! Measuring a program: what its text really does, wherever it came from.
//!
//! Lines go in one at a time; nothing of the program is kept but sums, extents and the first
//! place of each kind of trouble.

mod modal;
mod trouble;

use super::read::{LineError, Word, words};
use crate::geometry::{Piece, Point, Rect};
use crate::job::Machine;
use crate::job::machine::Dialect;
use crate::limits::beyond;
use crate::mapping::{Move, Pace, Purpose};
use crate::motion::planner::Planner;
use crate::motion::{block, lift_seconds};
use crate::problem::Problems;
use crate::quantity::{Power, Speed, plain};
use modal::{Act, Modal};
use trouble::Troubles;

/// What a program comes to.
#[derive(Debug, Clone)]
pub struct Report {
    /// Lines of text.
    pub lines: u32,
    /// Which dialect its style is that of.
    pub dialect: Dialect,
    /// Units it is written in.
    pub units: &'static str,
    /// Length with the beam on, mm.
    pub burn: f64,
    /// Length with the beam off, mm.
    pub travel: f64,
    /// Time, s. Without a machine only feed moves and dwells count, at their full feed.
    pub seconds: f64,
    /// The rectangle round all moves but the first approach.
    pub extents: Option<Rect>,
    /// The rectangle round all moves with the beam on.
    pub burn_extents: Option<Rect>,
    /// Least and greatest S of moves with the beam on.
    pub s: Option<(f64, f64)>,
    /// Whether the beam is off when the program ends.
    pub beam_off_at_end: bool,
    /// What is wrong or doubtful.
    pub problems: Problems,
    /// When each line is done.
    pub timeline: Timeline,
}

/// When lines are done, at every 64th line.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Timeline {
    at: Vec<f64>,
}

impl Timeline {
    const EVERY: usize = 64;

    /// Lines are planned together, so their times come in any order; until [`Self::finish`] every
    /// slot holds its own.
    fn add(&mut self, line: u32, seconds: f64) {
        let slot = line as usize / Self::EVERY + 1;
        if self.at.len() <= slot {
            self.at.resize(slot + 1, 0.0);
        }
        self.at[slot] += seconds;
    }

    fn finish(&mut self) {
        let mut sum = 0.0;
        for slot in &mut self.at {
            sum += *slot;
            *slot = sum;
        }
    }

    /// Seconds of the program that are over when `line` (from 1) is done, to within 64 lines.
    #[must_use]
    pub fn seconds_at(&self, line: u32) -> f64 {
        let (slot, part) = (line as usize / Self::EVERY, line as usize % Self::EVERY);
        let last = self.at.last().copied().unwrap_or(0.0);
        let before = self.at.get(slot).copied().unwrap_or(last);
        let after = self.at.get(slot + 1).copied().unwrap_or(last);
        before + (after - before) * part as f64 / Self::EVERY as f64
    }

    /// Seconds of the whole program.
    #[must_use]
    pub fn seconds(&self) -> f64 {
        self.at.last().copied().unwrap_or(0.0)
    }
}

/// Measures a program line by line.
#[derive(Debug)]
pub struct Measure<'m> {
    machine: Option<&'m Machine>,
    modal: Modal,
    planner: Planner<u32>,
    words: Vec<Word>,
    troubles: Troubles,
    report: Report,
    moved_yet: bool,
    semicolons: bool,
    units_said: bool,
}

/// Corner rounding when no machine says otherwise, mm.
const CORNER: f64 = 0.01;

impl<'m> Measure<'m> {
    /// Begins with the program called `file`; `machine` is what it is held against.
    #[must_use]
    pub fn new(file: &str, machine: Option<&'m Machine>) -> Self {
        Self {
            machine,
            modal: Modal::default(),
            planner: Planner::new(
                machine.map_or(CORNER, |m| m.corner),
                machine.and_then(|m| m.window),
            ),
            words: Vec::new(),
            troubles: Troubles::new(file),
            report: Report {
                lines: 0,
                dialect: Dialect::Ngc,
                units: "mm",
                burn: 0.0,
                travel: 0.0,
                seconds: 0.0,
                extents: None,
                burn_extents: None,
                s: None,
                beam_off_at_end: true,
                problems: Problems::new(),
                timeline: Timeline::default(),
            },
            moved_yet: false,
            semicolons: false,
            units_said: false,
        }
    }

    /// Takes the next line, without its end.
    pub fn line(&mut self, line: &[u8]) {
        self.report.lines += 1;
        let number = self.report.lines;
        self.semicolons |= line.contains(&b';') || line.first() == Some(&b'$');
        if let Err(error) = words(line, &mut self.words) {
            self.troubles.unread(number, line, error);
            return;
        }
        if self.words.is_empty() {
            return;
        }
        if self.modal.ended {
            self.troubles.after_end(number);
            return;
        }
        self.units_said |=
            self.words.iter().any(|w| w.letter == b'G' && matches!(w.value, 20.0 | 21.0));
        let words = std::mem::take(&mut self.words);
        match self.modal.line(&words) {
            Ok(Act::Nothing) => {}
            Ok(Act::Stop { seconds }) => self.pause(number, seconds),
            Ok(Act::Move(m)) => self.one_move(number, &m),
            Ok(Act::Lift { from, to }) => {
                self.planner.stop();
                let seconds = self.machine.map_or(0.0, |m| lift_seconds(from, to, m));
                self.report.timeline.add(number, seconds);
            }
            Err(error) => self.troubles.not_understood(number, &error),
        }
        self.words = words;
    }

    fn pause(&mut self, number: u32, seconds: f64) {
        self.planner.stop();
        if seconds > 0.0 {
            self.report.timeline.add(number, seconds);
            if self.modal.lit() && !self.modal.follows_speed() {
                self.troubles.dwell_lit(number, seconds);
                if let Some(machine) = self.machine {
                    let most = machine.beam.full * machine.beam.ceiling.0;
                    if self.modal.s > most + 0.05 {
                        self.troubles.over_ceiling(number, self.modal.s, most);
                    }
                }
            }
        }
    }

    fn one_move(&mut self, number: u32, m: &modal::Motion) {
        let rapid = matches!(m.pace, Pace::Rapid);
        let lit = self.modal.lit();
        let purpose = match (rapid, lit) {
            (true, _) => Purpose::Travel,
            (false, true) => Purpose::Burn,
            (false, false) => Purpose::Dark,
        };
        let power = [Power(0.0); 2];
        let plain_move =
            Move { purpose, from: m.from, piece: m.piece, pace: m.pace, power, slow: 1.0 };
        let length = plain_move.length();
        if rapid && lit {
            self.troubles.lit_travel(number, self.modal.follows_speed(), self.modal.s);
        }
        if matches!(m.pace, Pace::Feed(Speed(speed)) if speed <= 0.0) {
            self.troubles.no_feed(number);
            return;
        }
        self.measure_extents(number, &plain_move);
        if length <= 0.0 {
            return;
        }
        if purpose == Purpose::Burn {
            self.report.burn += length;
            let (least, most) = self.report.s.unwrap_or((f64::MAX, f64::MIN));
            self.report.s = Some((least.min(self.modal.s), most.max(self.modal.s)));
        } else {
            self.report.travel += length;
        }
        self.time(number, &plain_move, length);
    }

    fn measure_extents(&mut self, number: u32, m: &Move) {
        // Where the head stands at first nobody knows: the first move counts by its end.
        let bounds = if self.moved_yet {
            m.piece.bounds(m.from)
        } else {
            let end = m.piece.end();
            Rect::from_points(end, end)
        };
        self.moved_yet = true;
        let grow = |rect: &mut Option<Rect>| *rect = Some(rect.map_or(bounds, |r| r.union(bounds)));
        grow(&mut self.report.extents);
        if m.purpose == Purpose::Burn {
            grow(&mut self.report.burn_extents);
        }
        let Some(machine) = self.machine else { return };
        let corner = (-machine.bed.origin_offset()).to_point();
        let far = Point::new(corner.x + machine.bed.width, corner.y + machine.bed.depth);
        let outside = beyond(bounds, Rect::from_points(corner, far));
        if !outside.is_empty() {
            self.troubles.off_bed(number, &outside.join(", "));
        }
        if m.purpose == Purpose::Burn {
            let (s, beam) = (self.modal.s, &machine.beam);
            let most = beam.full * beam.ceiling.0;
            if s > most + 0.05 {
                self.troubles.over_ceiling(number, s, most);
            } else if s < beam.floor {
                self.troubles.below_floor(number, s, beam.floor);
            }
        }
        if let Pace::Feed(speed) = m.pace {
            let top = machine.x.top_speed.max(machine.y.top_speed);
            if speed.0 > top * 1.000_1 {
                self.troubles.over_speed(number, speed, top);
            }
        }
    }

    fn time(&mut self, number: u32, m: &Move, length: f64) {
        let timeline = &mut self.report.timeline;
        match (self.machine, m.pace) {
            (Some(machine), _) => {
                self.planner.push(block(m, machine), number, &mut |line, ran| {
                    timeline.add(line, ran.seconds)
                });
            }
            (None, Pace::Feed(speed)) => timeline.add(number, length / speed.0),
            (None, Pace::Rapid) => {}
        }
    }

    /// Ends the program and says what it comes to.
    #[must_use]
    pub fn finish(mut self) -> Report {
        let timeline = &mut self.report.timeline;
        self.planner.finish(&mut |line, ran| timeline.add(line, ran.seconds));
        timeline.finish();
        let mut report = self.report;
        report.seconds = report.timeline.seconds();
        report.beam_off_at_end = !self.modal.lit();
        if !report.beam_off_at_end {
            self.troubles.lit_at_end(report.lines, self.modal.s);
        }
        if self.moved_yet && !self.units_said {
            self.troubles.no_units();
        }
        if self.modal.inches {
            report.units = "in";
        }
        if self.semicolons {
            report.dialect = Dialect::Grbl;
        }
        if !self.moved_yet {
            self.troubles.no_moves(report.lines);
        }
        report.problems = self.troubles.into_problems();
        report
    }
}

/// How a piece of a line that could not be read is shown.
fn excerpt(line: &[u8], at: usize) -> String {
    let end = line.len().min(at + 12);
    String::from_utf8_lossy(&line[at.min(line.len())..end]).into_owned()
}

impl LineError {
    /// What is wrong with `line`, in words.
    #[must_use]
    pub fn describe(self, line: &[u8]) -> String {
        match self {
            Self::BadNumber(at) => format!("\"{}\" has no proper number", excerpt(line, at)),
            Self::Stray(at) => format!("\"{}\" is not a word", excerpt(line, at)),
            Self::OpenComment(at) => format!("the comment \"{}\" has no end", excerpt(line, at)),
            Self::Expression(at) => {
                format!(
                    "\"{}\" is a parameter or expression, which this version does not evaluate",
                    excerpt(line, at)
                )
            }
        }
    }
}

/// How a rectangle is written in messages.
#[must_use]
pub fn span(rect: Rect) -> String {
    let n = |v: f64| plain(v, 3);
    format!("X {} to {}, Y {} to {} mm", n(rect.x0), n(rect.x1), n(rect.y0), n(rect.y1))
}

/// Where an arc ends and how far it turns, when its words make sense.
pub(crate) fn arc_piece(from: Point, to: Point, centre: Point, clockwise: bool) -> Piece {
    let angle = |p: Point| (p - centre).atan2();
    let turn = std::f64::consts::TAU;
    let forward = (angle(to) - angle(from)).rem_euclid(turn);
    // Equal ends mean a full circle (NIST IR 6556, section 3.5.3).
    let forward = if from.distance(to) < 1e-9 { turn } else { forward };
    let sweep = if !clockwise {
        forward
    } else if forward >= turn {
        -turn
    } else {
        forward - turn
    };
    Piece::Arc { to, centre, sweep }
}

#[cfg(test)]
mod tests;
