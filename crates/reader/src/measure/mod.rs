//! Measuring a program: what its text really does, wherever it came from.
//!
//! Lines go in one at a time; nothing of the program is kept but sums, extents and the first
//! place of each kind of trouble.

mod arc;
mod explain;
pub(super) mod modal;
pub(super) mod motion;
mod not_understood;
pub(super) mod place;
mod report;
mod timeline;
mod trouble;

use crate::line_rules::fault;
use crate::vocabulary::Vocabulary;
pub use explain::Explainer;
use modal::{BeamMode, Modal};
use motion::{Act, Motion};
pub use not_understood::NotUnderstood;
pub use report::Report;
pub use timeline::Timeline;
use tinkite_base::geometry::{Piece, Point, Rect};
use tinkite_base::quantity::{LengthUnit, Speed};
use tinkite_base::rs274::{LineError, Parameters, Word, words};
use tinkite_machine::Machine;
use tinkite_machine::edges::{beyond, is_beyond};
use tinkite_machine::frame::Frame;
use tinkite_machine::motion::block::{Block, Leg};
use tinkite_machine::motion::course::{Circle, Course};
use tinkite_machine::motion::lift;
use tinkite_machine::motion::planner::Planner;
use tinkite_machine::motion::supply::{LineBytes, NUMBERED, Supply};
use tinkite_machine::{Axis, Dialect};
use trouble::Troubles;

/// A stretch that the head moves over, in the machine's own positions (mm).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stroke {
    /// Where it starts.
    pub from: Point,
    /// The line or arc it follows.
    pub piece: Piece,
    /// S; 0 with the beam off.
    pub s: f64,
}

/// Measures a program line by line.
#[derive(Debug)]
pub struct Measure<'m> {
    machine: Option<&'m Machine>,
    frame: Option<Frame>,
    /// Which words the controller has, where that is known.
    vocabulary: Option<Vocabulary>,
    /// Of what a turning axis turns, mm.
    diameter: Option<f64>,
    /// The letter of X and Y that turns in its place, if one does.
    endless: Option<u8>,
    modal: Modal,
    parameters: Parameters,
    planner: Planner<u32>,
    words: Vec<Word>,
    acts: Vec<Act>,
    troubles: Troubles,
    report: Report,
    moved_yet: bool,
    semicolons: bool,
    units_said: bool,
    /// The line of the first move before units were said.
    moves_without_units: Option<u32>,
    /// Whether the program may count from another zero than the machine's own.
    zero_unsaid: bool,
    /// The last line that set an offset.
    offset_line: u32,
    /// Lines that no move was made of yet.
    lines: LineBytes,
}

/// Corner rounding when no machine says otherwise, mm.
const CORNER: f64 = 0.01;

impl<'m> Measure<'m> {
    /// Begins with the program called `file`; `machine` is what it is held against, `diameter` (mm)
    /// what its turning axis turns.
    #[must_use]
    pub fn new(file: &str, machine: Option<&'m Machine>, diameter: Option<f64>) -> Self {
        let modal = Modal::new(machine.map(|machine| machine.dialect));
        Self {
            machine,
            frame: machine.map(Frame::flat),
            vocabulary: machine.filter(|m| m.dialect == Dialect::Grbl).map(Vocabulary::of),
            diameter,
            endless: None,
            modal,
            parameters: Parameters::default(),
            planner: Planner::new(
                machine.map_or(CORNER, |m| m.junction_deviation),
                machine.and_then(|m| m.look_ahead),
            )
            .with_supply(machine.and_then(|m| Supply::new(m.supply))),
            words: Vec::new(),
            acts: Vec::new(),
            troubles: Troubles::new(file),
            report: Report::new(),
            moved_yet: false,
            semicolons: false,
            units_said: false,
            moves_without_units: None,
            zero_unsaid: false,
            offset_line: 0,
            lines: LineBytes::default(),
        }
    }

    /// Says where the machine stands before the program, and which work offsets it has, from G54 on: X, Y and Z
    /// in mm, A, B and C in degrees, from the zero of the profile's bed.
    #[must_use]
    pub fn standing(mut self, at: [f64; 6], systems: &[[f64; 6]]) -> Self {
        self.modal.stand(at, systems);
        self
    }

    /// One of X and Y stands for a turn (`b'X'` or `b'Y'`): along it there is no edge of the bed.
    #[must_use]
    pub fn turning(mut self, letter: u8) -> Self {
        self.endless = Some(letter);
        self
    }

    /// Nobody says from which zero the program counts. Places are held against the bed as if it were
    /// the machine's own; where they leave it and would find room from another zero, that is doubtful
    /// and not wrong.
    #[must_use]
    pub fn zero_unsaid(mut self) -> Self {
        self.zero_unsaid = true;
        self
    }

    /// Does not hold places against the bed: nobody knows yet what the program will count from.
    #[must_use]
    pub fn anywhere(mut self) -> Self {
        self.frame = None;
        self
    }

    /// Takes the next line, without its end.
    pub fn line(&mut self, line: &[u8]) {
        self.line_with(line, &mut |_| {});
    }

    /// Takes the next line, without its end, and hands on where the head goes.
    pub fn line_with(&mut self, line: &[u8], stroke: &mut dyn FnMut(Stroke)) {
        self.report.lines += 1;
        let number = self.report.lines;
        self.semicolons |= line.contains(&b';') || line.first() == Some(&b'$');
        if line.trim_ascii() == b"$H" && !self.modal.printer {
            // A controller of the `grbl` interface finds its zero.
            self.halt(number, 0.0);
            self.modal.at[..3].fill(0.0);
            self.troubles.home(number);
            return;
        }
        match parsed(line, &mut self.parameters, &mut self.words) {
            Ok(evaluated) if evaluated && self.vocabulary.is_some() => {
                let why = "the controller has no parameters and does no arithmetic";
                self.troubles.no_such_word(number, why);
            }
            Ok(_) => {}
            Err(error) => {
                self.troubles.unread(number, line, error);
                return;
            }
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
        self.lines.add(bytes_of(line) + if self.modal.printer { NUMBERED } else { 0 });
        let arcs = matches!(self.modal.motion, Some(2 | 3));
        let mut acts = std::mem::take(&mut self.acts);
        match self.modal.line(&self.words, &mut acts) {
            Ok(()) => self.hold_words(number, line, arcs),
            Err(error) => self.troubles.not_understood(number, error),
        }
        if !acts.is_empty()
            && let Some(system) = self.modal.offsets.unknown_in_force()
        {
            self.troubles.offset_unknown(number, system);
        }
        if std::mem::take(&mut self.modal.lights) {
            self.troubles.lit_start(number, self.modal.s);
        }
        // Where it is known which words there are, it was held against those.
        if let Some(code) = self.modal.unknown.take()
            && self.vocabulary.is_none()
        {
            self.troubles.unknown_code(number, code);
        }
        if self.words.iter().any(|w| w.letter == b'G' && matches!(w.value, 10.0 | 92.0)) {
            self.offset_line = number;
        }
        for act in acts.drain(..) {
            match act {
                Act::Stop { seconds } => self.pause(number, seconds),
                Act::Wait => {
                    self.halt(number, 0.0);
                    if self.modal.lit() && !self.modal.follows_speed() {
                        self.troubles.lit_wait(number, self.modal.s);
                        self.hold_power(number);
                    }
                }
                Act::Move(m) => {
                    let s = if self.modal.burns(&m) { self.modal.s } else { 0.0 };
                    stroke(Stroke { from: m.start(), piece: m.piece, s });
                    self.one_move(number, &m);
                }
                Act::Lift { from, to, speed } => {
                    let block = self.machine.and_then(|m| lift(from, to, speed, m));
                    block.into_iter().for_each(|block| self.plan(number, block));
                    self.hold_height(number, to);
                    if self.modal.lit_lift() {
                        self.troubles.lit_lift(number, self.modal.s);
                        self.hold_power(number);
                    }
                }
                Act::Home => self.troubles.home(number),
            }
        }
        self.acts = acts;
        self.modal.end_line();
    }

    /// Holds the words of a line against what every controller refuses, and against those that this one has. `arcs`: an
    /// arc was the motion in force.
    fn hold_words(&mut self, number: u32, line: &[u8], arcs: bool) {
        let held = self.machine.is_some();
        if line.trim_ascii_start().first() == Some(&b'/') {
            self.troubles.block_delete(number, held);
        }
        if let Some(fault) = fault(&self.words, arcs, self.modal.printer) {
            self.troubles.fault(number, &fault, held);
        } else if let Some(vocabulary) = &self.vocabulary
            && let Some(why) = vocabulary.lacks(&self.words)
        {
            self.troubles.no_such_word(number, &why);
        }
    }

    /// Gives a block of a line to the planner.
    fn plan(&mut self, number: u32, block: Block) {
        let timeline = &mut self.report.timeline;
        let told = std::mem::take(&mut self.lines);
        self.planner.push_told(block, told, number, &mut |line, planned| {
            timeline.add(line, planned.seconds + planned.waits);
        });
    }

    /// The head comes to a halt, and stands for so long, s.
    fn halt(&mut self, number: u32, seconds: f64) {
        let timeline = &mut self.report.timeline;
        self.planner.finish(&mut |line, planned| {
            timeline.add(line, planned.seconds + planned.waits);
        });
        self.planner.stop();
        let lines = std::mem::take(&mut self.lines);
        timeline.add(number, self.planner.rest(&lines, seconds) + seconds);
    }

    fn pause(&mut self, number: u32, seconds: f64) {
        self.halt(number, seconds);
        if seconds <= 0.0 {
            return;
        }
        if self.modal.lit() && !self.modal.follows_speed() {
            self.troubles.dwell_lit(number, seconds);
            self.hold_power(number);
        }
    }

    /// Holds S against what the source takes; whether it is low enough.
    fn hold_power(&mut self, number: u32) -> bool {
        let Some(Machine { beam, .. }) = self.machine else { return true };
        let (s, most) = (self.modal.s, beam.full * beam.ceiling.0);
        if s > beam.full + 0.05 {
            self.troubles.over_full(number, s, beam.full);
        } else if s > most + 0.05 {
            self.troubles.over_ceiling(number, s, most);
        } else {
            return true;
        }
        false
    }

    fn hold_height(&mut self, number: u32, to: f64) {
        let Some(machine) = self.machine else { return };
        match machine.z {
            None => self.troubles.no_height(number),
            Some(z) if to < z.range.0 - 1e-6 || to > z.range.1 + 1e-6 => {
                self.troubles.off_height(number, to, z.range);
            }
            Some(_) => {}
        }
    }

    fn one_move(&mut self, number: u32, m: &Motion) {
        let lit = self.modal.lit();
        let burns = self.modal.burns(m);
        let length = m.length();
        if m.travel && lit && length > 0.0 {
            self.troubles.lit_travel(number, self.modal.follows_speed(), self.modal.s);
        }
        if !m.rapid && m.speed <= 0.0 {
            if length > 0.0 {
                self.troubles.no_feed(number);
                self.moved_yet = true;
            }
            return;
        }
        self.measure_extents(number, m, burns);
        if m.from[2] != m.to[2] {
            self.hold_height(number, m.to[2]);
        }
        if length <= 0.0 {
            return;
        }
        if !self.units_said {
            self.moves_without_units.get_or_insert(number);
        }
        if !m.travel && self.modal.beam != BeamMode::Off && !self.modal.s_said {
            self.troubles.no_power(number, self.machine.is_some());
        }
        let way = self.way(number, m);
        if burns {
            if !self.modal.follows_speed() {
                self.report.constant.get_or_insert(number);
            }
            self.report.burn += way;
            let (least, most) = self.report.s.unwrap_or((f64::MAX, f64::MIN));
            self.report.s = Some((least.min(self.modal.s), most.max(self.modal.s)));
        } else {
            self.report.travel += way;
        }
        if let (Some(machine), false) = (self.machine, m.rapid)
            && m.turn() == 0.0
        {
            let top = machine.x.top_speed.max(machine.y.top_speed);
            if m.speed > top * 1.000_1 {
                self.troubles.over_speed(number, Speed(m.speed), top);
            }
        }
        self.time(number, m, length);
    }

    /// How long a move is on the stock, mm.
    fn way(&mut self, number: u32, m: &Motion) -> f64 {
        let turn = m.turn();
        if turn == 0.0 {
            return m.linear();
        }
        let (low, high) = self.report.rotary.unwrap_or((f64::MAX, f64::MIN));
        let angles = (3..6).filter(|n| m.from[*n] != m.to[*n]).flat_map(|n| [m.from[n], m.to[n]]);
        let (low, high) = angles.fold((low, high), |(low, high), a| (low.min(a), high.max(a)));
        self.report.rotary = Some((low, high));
        match self.diameter {
            Some(diameter) => m.linear().hypot(turn.to_radians() * diameter / 2.0),
            None => {
                self.troubles.no_diameter(number);
                m.linear()
            }
        }
    }

    fn measure_extents(&mut self, number: u32, m: &Motion, burns: bool) {
        // Where the head stands at first nobody knows: the first move counts by its end. What it
        // burns on the way is counted from where it is taken to stand.
        let bounds = if self.moved_yet || burns {
            m.piece.bounds(m.start())
        } else {
            let end = m.piece.end();
            Rect::from_points(end, end)
        };
        self.moved_yet = true;
        let grow = |rect: &mut Option<Rect>| *rect = Some(rect.map_or(bounds, |r| r.union(bounds)));
        grow(&mut self.report.extents);
        if burns {
            grow(&mut self.report.burn_extents);
        }
        let Some(machine) = self.machine else { return };
        let floor = machine.beam.floor;
        if burns && self.hold_power(number) && self.modal.s < floor {
            self.troubles.below_floor(number, self.modal.s, floor);
        }
        let Some(frame) =
            self.frame.as_ref().filter(|_| self.modal.offsets.unknown_in_force().is_none())
        else {
            return;
        };
        let corner = |x, y| frame.point([x, y]) + machine.bed.origin_offset();
        let mut on_bed =
            Rect::from_points(corner(bounds.x0, bounds.y0), corner(bounds.x1, bounds.y1));
        let bed = machine.bed.rect();
        match self.endless.map(|letter| (letter == b'X') != machine.pointing.exchanged) {
            Some(true) => (on_bed.x0, on_bed.x1) = (bed.x0, bed.x1),
            Some(false) => (on_bed.y0, on_bed.y1) = (bed.y0, bed.y1),
            None => {}
        }
        if is_beyond(on_bed, bed) {
            self.troubles.off_bed(number, || beyond(on_bed, bed).join(", "));
        }
    }

    fn time(&mut self, number: u32, m: &Motion, length: f64) {
        match self.machine {
            Some(machine) => {
                blocks(m, machine, length, |block| self.plan(number, block));
            }
            None if !m.rapid => self.report.timeline.add(number, length / m.speed),
            None => {}
        }
    }

    /// Where the head stands now: what the program calls it, X, Y and Z in mm, A, B and C in degrees.
    #[must_use]
    pub fn stands(&self) -> [f64; 6] {
        self.modal.named()
    }

    /// Ends the program and says what it comes to.
    #[must_use]
    pub fn finish(mut self) -> Report {
        let timeline = &mut self.report.timeline;
        self.planner.finish(&mut |line, planned| {
            timeline.add(line, planned.seconds + planned.waits);
        });
        timeline.finish();
        let mut report = self.report;
        report.seconds = report.timeline.seconds();
        report.beam_off_at_end = !self.modal.lit();
        if !report.beam_off_at_end {
            self.troubles.lit_at_end(report.lines, self.modal.s);
        }
        if let Some(line) = self.moves_without_units {
            self.troubles.no_units(line);
        }
        if self.modal.inches {
            report.units = "in";
        }
        report.dialect = match (self.modal.printer, self.semicolons) {
            (true, _) => Dialect::Reprap,
            (false, true) => Dialect::Grbl,
            (false, false) => Dialect::Ngc,
        };
        let left = self.modal.left_offset();
        if left.iter().any(|by| by.abs() > 1e-6) {
            self.troubles.offset_left(self.offset_line, left);
        }
        if let (true, Some(machine), Some(extents)) =
            (self.zero_unsaid, self.machine, report.extents)
        {
            let bed = machine.bed.rect();
            let free = self.endless.map(|letter| (letter == b'X') != machine.pointing.exchanged);
            let (width, height) = if machine.pointing.exchanged {
                (extents.height(), extents.width())
            } else {
                (extents.width(), extents.height())
            };
            let fits = (width <= bed.width() || free == Some(true))
                && (height <= bed.height() || free == Some(false));
            self.troubles.zero_unsaid(fits);
        }
        if !self.moved_yet {
            self.troubles.no_moves(report.lines);
        }
        report.problems = self.troubles.into_problems();
        report
    }
}

/// How many bytes of a line go over the cable, with its end: comments stay at home.
fn bytes_of(line: &[u8]) -> usize {
    let end = line.iter().position(|byte| matches!(byte, b';' | b'(')).unwrap_or(line.len());
    line[..end].trim_ascii().len() + 1
}

/// Takes a line apart; expressions only where there are any, which is seldom. Whether there were.
pub(super) fn parsed(
    line: &[u8],
    parameters: &mut Parameters,
    into: &mut Vec<Word>,
) -> Result<bool, LineError> {
    match words(line, into) {
        Err(LineError::Expression(_)) => parameters.words(line, into).map(|()| true),
        done => done.map(|()| false),
    }
}

/// What the planner makes of a motion that is so long as the controller counts it.
fn blocks(m: &Motion, machine: &Machine, length: f64, mut each: impl FnMut(Block)) {
    let asked = if m.rapid { f64::INFINITY } else { m.speed };
    let turn = m.turn();
    if turn == 0.0 {
        let circle = match m.piece {
            Piece::Arc { centre, sweep, .. } => {
                Some(Circle { centre: [centre.x, centre.y], sweep })
            }
            Piece::Line { .. } => None,
        };
        let (from, end) = (m.start(), m.piece.end());
        let flat = m.piece.length(from).max(1e-12);
        let course = Course::new(machine, [machine.x, machine.y]);
        return course.blocks([from.x, from.y], [end.x, end.y], circle.as_ref(), asked, |block| {
            // What rises on the way is longer by as much.
            each(longer(block, block.leg.length * length / flat));
        });
    }
    // A controller plans turns as it does lengths. Two directions are enough: along and round.
    let (dx, dy) = (m.to[0] - m.from[0], m.to[1] - m.from[1]);
    let (along, axis) = if dx.abs() >= dy.abs() { (dx, machine.x) } else { (dy, machine.y) };
    let turning = machine.rotary.filter(|r| r.per_turn.is_none()).map(|rotary| rotary.axis);
    let free = Axis { top_speed: f64::INFINITY, acceleration: 1e9 };
    let course = Course::new(machine, [axis, turning.unwrap_or(free)]);
    course.blocks([0.0; 2], [along, turn], None, asked, |block| each(longer(block, length)));
}

/// A block that is so long, mm.
fn longer(block: Block, length: f64) -> Block {
    Block { leg: Leg { length, ..block.leg }, ..block }
}

/// How a rectangle is written in messages and reports.
#[must_use]
pub fn span(rect: Rect, unit: LengthUnit) -> String {
    let n = |v: f64| unit.number(v, 3);
    let (x0, x1, y0, y1) = (n(rect.x0), n(rect.x1), n(rect.y0), n(rect.y1));
    format!("X {x0} to {x1}, Y {y0} to {y1} {}", unit.symbol())
}

#[cfg(test)]
mod tests;
