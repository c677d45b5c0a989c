//! The rest of a program that was broken off: everything that the controller remembered at that place
//! is set up again, the head travels there dark, and what was left of the line is run from there.

use super::axes::Axes;
use super::kept::Kept;
use super::measure::modal::{BeamMode, FeedMode, Modal};
use super::trail::{LineMotion, Place, Trail, Ways};
use std::io::{self, BufRead, Write};
use thiserror::Error;
use tinkite_base::geometry::{Piece, Point, Vec2};
use tinkite_base::quantity::plain;
use tinkite_base::rs274::{Evaluator, Word};
use tinkite_machine::Dialect;
use tinkite_machine::Machine;

/// Where a machine stands and from where it counts: machine positions, and the offset of its program's
/// zero; mm and degrees.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Standing {
    /// Where the axes stand.
    pub at: Axes,
    /// Where the zero of programs lies.
    pub offset: Axes,
}

/// Why there is no rest of a program.
#[derive(Debug, Error)]
pub enum RestError {
    /// The program cannot be read, or the rest not be written.
    #[error("{0}")]
    Io(#[from] io::Error),
    /// It has not so many lines.
    #[error("the program has no line {0}")]
    NoLine(u32),
    /// At that place only the controller knew where the head stood.
    #[error("line {0} follows a homing, and the program does not say where the head stands then")]
    Lost(u32),
}

/// What was made.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Resumed {
    /// The number of lines that set up what was in force and finish the line that was broken off; they count as it.
    pub head: u32,
    /// The line of the whole program that comes behind them.
    pub next: u32,
    /// A `G92` that the program had set and that is set again, mm.
    pub shift: Option<[f64; 3]>,
}

/// Offsets nearer than this are the same, mm.
const SAME: f64 = 0.000_5;

/// Less of an arc than this is as good as straight, mm.
const SHORT: f64 = 0.05;

/// Lines that are looked at for the next motion.
const MOST_AHEAD: usize = 1000;

/// The head comes to its speed over this much more than it needs, mm.
const SPARE: f64 = 0.5;

/// Writes what is left of `program` at `place`. `began` is how the machine stood when the whole program
/// began, `now` how it stands when the rest will. `step` is told in the first line.
///
/// # Errors
/// Those of reading and writing, and places that are not known.
pub fn rest(
    mut program: impl BufRead,
    place: Place,
    began: Standing,
    now: Standing,
    machine: &Machine,
    out: &mut impl Write,
) -> Result<Resumed, RestError> {
    let mut reader = Reader {
        trail: Trail::new(machine.dialect, began.at, began.offset),
        evaluator: Evaluator::default(),
        kept: Kept::default(),
        beam_code: None,
        step: None,
        number: 0,
    };
    while reader.number + 1 < place.line {
        if reader.next(&mut program)?.is_none() {
            return Err(RestError::NoLine(place.line));
        }
    }
    let before = reader.trail.stands();
    let Some((text, ways)) = reader.next(&mut program)? else {
        return Err(RestError::NoLine(place.line));
    };
    let mut head = Head { machine, now, reader: &reader, lines: Vec::new() };
    let shift = head.set_up(place.line);
    let left = ways.motions.get(place.way..).unwrap_or_default();
    let mut approach = 0..0;
    let mut pending = if left.is_empty() {
        let at = before.ok_or(RestError::Lost(place.line))?;
        let begins = head.lines.len();
        head.travel(at);
        // A focus that moves there is not left out.
        approach = if at[2..] == now.at[2..] { begins..head.lines.len() } else { 0..0 };
        head.ready();
        head.count_feeds();
        Pending::of(&reader)
    } else {
        head.finish(left, place.share)
    };
    head.restore();
    if head.lights_by_code() && left.is_empty() {
        head.lines.push(format!("M106S{}", plain(reader.modal().s, 3)));
    }
    let mut lines = head.lines;
    if left.is_empty() {
        lines.push(pending.filled(&reader, &text));
    } else if let Some(end) = reader.words().iter().find(|word| ends(word)) {
        lines.push(format!("M{}", plain(end.value, 0)));
    }
    // Up to the next motion nothing depends on where the head stands. Where that is a dark rapid to a
    // place of its own, the head need not go back first to where it stood: it may have been put there.
    let mut ahead = Vec::new();
    while !approach.is_empty()
        && ahead.len() < MOST_AHEAD
        && let Some((text, ways)) = reader.next(&mut program)?
    {
        ahead.push(pending.filled(&reader, &text));
        if let Some(way) = ways.motions.first() {
            if reader.goes_anywhere(way) {
                lines.drain(approach);
            }
            break;
        }
    }
    for line in lines.iter().chain(&ahead) {
        writeln!(out, "{line}")?;
    }
    let resumed = Resumed { head: lines.len() as u32, next: place.line + 1, shift };
    while let Some((text, _)) = reader.next(&mut program)? {
        writeln!(out, "{}", pending.filled(&reader, &text))?;
    }
    Ok(resumed)
}

/// Whether a word ends the program.
fn ends(word: &Word) -> bool {
    word.letter == b'M' && matches!(word.value as i64, 2 | 30)
}

/// The program, read as the controller reads it.
struct Reader {
    trail: Trail,
    evaluator: Evaluator,
    kept: Kept,
    /// M3, M4 or M106: how the beam was lit last.
    beam_code: Option<i64>,
    /// The comment that announced the step at hand.
    step: Option<String>,
    number: u32,
}

impl Reader {
    /// The next line, with its arithmetic done, and what it does.
    fn next(&mut self, program: &mut impl BufRead) -> Result<Option<(String, Ways)>, RestError> {
        let mut line = Vec::new();
        if program.read_until(b'\n', &mut line)? == 0 {
            return Ok(None);
        }
        self.number += 1;
        while line.last().is_some_and(|byte| matches!(byte, b'\n' | b'\r')) {
            line.pop();
        }
        if let Some(plain) = self.evaluator.line(&line).ok().flatten() {
            line = plain;
        }
        let ways = self.trail.line(&line);
        if line.first() != Some(&b'$') {
            self.kept.take(self.trail.words());
            let lights = |w: &Word| matches!(w.value as i64, 3 | 4 | 106) && w.letter == b'M';
            let code = self.trail.words().iter().find(|word| lights(word));
            self.beam_code = code.map(|word| word.value as i64).or(self.beam_code);
        }
        let text = String::from_utf8_lossy(&line).into_owned();
        if text.trim_start_matches([';', '(', ' ']).starts_with("step ") {
            self.step = Some(text.clone());
        }
        Ok(Some((text, ways)))
    }

    fn modal(&self) -> &Modal {
        self.trail.modal()
    }

    fn words(&self) -> &[Word] {
        self.trail.words()
    }

    /// Whether the line that was read goes dark to a place in the plane, wherever the head comes from.
    fn goes_anywhere(&self, way: &LineMotion) -> bool {
        let says = |letter| self.words().iter().any(|word| word.letter == letter);
        let dark = way.speed.is_infinite() && way.s <= 0.0;
        dark && !self.modal().relative && says(b'X') && says(b'Y')
    }

    /// A length in the program's units.
    fn length(&self, mm: f64) -> String {
        if self.modal().inches { plain(mm / INCH, 5) } else { plain(mm, 3) }
    }
}

/// One inch, mm.
const INCH: f64 = 25.4;

/// Letters of the axes in their order.
const AXES: [char; 6] = ['X', 'Y', 'Z', 'A', 'B', 'C'];

/// The lines that come before what is left of the program.
struct Head<'h> {
    machine: &'h Machine,
    now: Standing,
    reader: &'h Reader,
    lines: Vec<String>,
}

impl Head<'_> {
    /// Everything that was in force, with the beam off. What was set again of a `G92`.
    fn set_up(&mut self, line: u32) -> Option<[f64; 3]> {
        let modal = self.reader.modal();
        let printer = self.machine.dialect == Dialect::Reprap;
        self.lines.extend(self.reader.step.clone());
        let comment = format!("going on in line {line} of the whole program");
        self.lines.push(if printer || self.machine.dialect == Dialect::Grbl {
            format!("; {comment}")
        } else {
            format!("({comment})")
        });
        let units = if modal.inches { "G20" } else { "G21" };
        let mode = if printer { "" } else { "G94" };
        self.lines.push(format!("{units}G90{mode}"));
        let off = match (self.reader.beam_code, printer) {
            (Some(106), _) | (None, true) => "M107",
            (_, true) => "M5",
            (_, false) => "M5S0",
        };
        self.lines.push(off.into());
        self.lines.extend(self.reader.kept.lines());
        let away: [f64; 3] = [0, 1, 2].map(|n| modal.offsets.total(n) - self.now.offset[n]);
        if away.iter().all(|by| by.abs() < SAME) {
            return None;
        }
        let called = [0, 1, 2].map(|n| self.now.at[n] - modal.offsets.total(n));
        let words: String =
            [0, 1, 2].map(|n| format!("{}{}", AXES[n], self.reader.length(called[n]))).concat();
        self.lines.push(format!("G92{words}"));
        Some(away)
    }

    /// Axis words that lead from one position to another, in the program's own coordinates.
    fn words(&self, from: &Axes, to: &Axes, all: bool) -> String {
        let offsets = &self.reader.modal().offsets;
        let differs = |n: usize| (from[n] - to[n]).abs() > 1e-9;
        let told = (0..6).filter(|n| differs(*n) || (all && *n < 2));
        let word = |n: usize| {
            let said = offsets.value_in_program(n, to[n]);
            let number = if n < 3 { self.reader.length(said) } else { plain(said, 4) };
            format!("{}{number}", AXES[n])
        };
        told.map(word).collect()
    }

    /// Dark from where the head stands to a place: the focus first when it must go up.
    fn travel(&mut self, to: Axes) {
        let mut from = self.now.at;
        let speed = self.machine.slower_top_speed() * 60.0;
        // Printers know no rapids, and this speed is not the program's.
        let feed = if self.machine.dialect == Dialect::Reprap {
            format!("F{}", self.reader.length(speed))
        } else {
            String::new()
        };
        let lift = |from: &mut Axes| {
            let mut there = *from;
            there[2] = to[2];
            let words = self.words(from, &there, false);
            *from = there;
            (!words.is_empty()).then(|| format!("G0{words}{feed}"))
        };
        let lifts_first = to[2] > from[2];
        let first = if lifts_first { lift(&mut from) } else { None };
        let mut there = to;
        there[2] = from[2];
        let over = format!("G0{}{feed}", self.words(&from, &there, true));
        from = there;
        let last = lift(&mut from);
        self.lines.extend(first);
        self.lines.push(over);
        self.lines.extend(last);
    }

    /// The beam is ready, and dark.
    fn ready(&mut self) {
        match (self.reader.modal().beam, self.reader.beam_code) {
            (BeamMode::Off, _) | (_, Some(106)) => {}
            (BeamMode::Constant, _) => self.lines.push("M3S0".into()),
            (BeamMode::FollowsSpeed, _) => self.lines.push("M4S0".into()),
        }
    }

    /// Whether the beam is lit by a code of its own that no motion carries.
    fn lights_by_code(&self) -> bool {
        self.reader.beam_code == Some(106) && self.reader.modal().lit()
    }

    /// Runs what is left of the line's motions, the first from `share` of it on.
    fn finish(&mut self, left: &[LineMotion], share: f64) -> Pending {
        let Some(first) = left.first() else { return Pending::of(self.reader) };
        let at = first.at(share);
        let lit = first.s > 0.0;
        let from_anywhere = first.speed.is_infinite() && !lit;
        if from_anywhere {
            // Nothing burns on the way: the travel may begin anywhere.
        } else if lit && let Some(start) = self.run_up(first, share) {
            self.travel(start);
            self.ready();
            let feed = self.feed_per_minute(first);
            self.lines.push(format!("G1{}F{feed}S0", self.words(&start, &at, true)));
        } else {
            self.travel(at);
            self.ready();
        }
        if from_anywhere {
            self.ready();
        }
        let mut pending = Pending::of(self.reader);
        self.count_feeds();
        if self.lights_by_code() && lit {
            self.lines.push(format!("M106S{}", plain(first.s, 3)));
        }
        for (n, way) in left.iter().enumerate() {
            let share = if n == 0 { share } else { 0.0 };
            self.lines.push(self.motion(way, share, &mut pending));
        }
        pending
    }

    fn motion(&self, way: &LineMotion, share: f64, pending: &mut Pending) -> String {
        let from = way.at(share);
        let modal = self.reader.modal();
        let travel = modal.motion == Some(0);
        // Rounded, the ends of what is left of an arc may coincide, which would mean a full circle.
        let short = way.length() * (1.0 - share) < SHORT;
        let (code, centre) = match way.piece {
            Piece::Arc { .. } if short => (1, String::new()),
            Piece::Line { .. } => (u8::from(!travel), String::new()),
            Piece::Arc { centre, sweep, .. } => (
                if sweep < 0.0 { 2 } else { 3 },
                format!(
                    "I{}J{}",
                    self.reader.length(centre.x - from[0]),
                    self.reader.length(centre.y - from[1])
                ),
            ),
        };
        let words = self.words(&from, &way.to, true);
        if way.speed.is_infinite() {
            let s = pending.s.filter(|_| way.s > 0.0);
            pending.s = pending.s.filter(|_| way.s <= 0.0);
            return format!(
                "G0{words}{}",
                s.map_or(String::new(), |s| format!("S{}", plain(s, 3)))
            );
        }
        pending.motion = pending.motion.filter(|motion| *motion != code);
        pending.f = None;
        let feed = match modal.feed_mode {
            FeedMode::PerMinute => plain(modal.feed, 4),
            FeedMode::InverseTime => {
                let length = (way.length() * (1.0 - share)).max(1e-6);
                plain((60.0 * way.speed / length).min(1e6), 4)
            }
        };
        let by_code = self.reader.beam_code == Some(106);
        let s = if by_code { String::new() } else { format!("S{}", plain(modal.s, 3)) };
        if !by_code {
            pending.s = None;
        }
        format!("G{code}{words}{centre}F{feed}{s}")
    }

    /// The F word for a motion by the minute.
    fn feed_per_minute(&self, way: &LineMotion) -> String {
        let modal = self.reader.modal();
        match modal.feed_mode {
            FeedMode::PerMinute => plain(modal.feed, 4),
            FeedMode::InverseTime => self.reader.length(way.speed * 60.0),
        }
    }

    /// Where a dark run-up to a place on a lit motion begins: so that the head has its speed there, as
    /// far as the bed reaches. None where there is no room, or nothing is lit by motions.
    fn run_up(&self, way: &LineMotion, share: f64) -> Option<Axes> {
        if self.reader.beam_code == Some(106) || way.speed.is_infinite() {
            return None;
        }
        let at = way.at(share);
        let length = way.length();
        let mut along: Axes = std::array::from_fn(|n| (way.to[n] - way.from[n]) / length);
        if let Piece::Arc { centre, sweep, .. } = way.piece {
            let out = Point::new(at[0], at[1]) - centre;
            let side = sweep.signum() / out.hypot();
            (along[0], along[1]) = (-out.y * side, out.x * side);
        }
        if along[2] != 0.0 || !along.iter().all(|v| v.is_finite()) {
            return None;
        }
        let axes = [&self.machine.x, &self.machine.y].map(|axis| axis.acceleration);
        let turning = self.machine.rotary.map_or(f64::INFINITY, |r| r.axis.acceleration);
        let limits = [axes[0], axes[1], f64::INFINITY, turning, turning, turning];
        let most = (0..6).map(|n| limits[n] / along[n].abs().max(1e-12));
        let acceleration = most.fold(f64::INFINITY, f64::min);
        let wanted = way.speed * way.speed / (2.0 * acceleration) + SPARE;
        let (low, high) = bed(self.machine);
        let room = [0, 1].into_iter().map(|n| {
            let edge = if along[n] > 0.0 { at[n] - low[n] } else { high[n] - at[n] };
            if along[n] == 0.0 { f64::INFINITY } else { edge.max(0.0) / along[n].abs() }
        });
        let length = room.fold(wanted, f64::min);
        let start = std::array::from_fn(|n| at[n] - along[n] * length);
        (length > 0.01).then_some(start)
    }

    /// Feeds are counted as the program has it.
    fn count_feeds(&mut self) {
        if self.reader.modal().feed_mode == FeedMode::InverseTime {
            self.lines.push("G93".into());
        }
    }

    /// Positions are told as the program has it.
    fn restore(&mut self) {
        if self.reader.modal().relative {
            self.lines.push("G91".into());
        }
    }
}

/// The corners of the bed as the controller counts them, mm.
fn bed(machine: &Machine) -> ([f64; 2], [f64; 2]) {
    let corner = -machine.bed.origin_offset();
    let ends = [corner, corner + Vec2::new(machine.bed.width, machine.bed.depth)]
        .map(|end| machine.pointing.to_machine(end) + machine.bed.offset.to_vec2());
    let (mut low, mut high) = (
        [ends[0].x.min(ends[1].x), ends[0].y.min(ends[1].y)],
        [ends[0].x.max(ends[1].x), ends[0].y.max(ends[1].y)],
    );
    if let Some(rotary) = machine.rotary.filter(|rotary| rotary.per_turn.is_some()) {
        // A turn has no end.
        let axis = usize::from(rotary.letter == b'Y');
        (low[axis], high[axis]) = (f64::NEG_INFINITY, f64::INFINITY);
    }
    (low, high)
}

/// Words in force that no line of the rest has said yet: they go into the first that needs them.
struct Pending {
    motion: Option<u8>,
    f: Option<f64>,
    s: Option<f64>,
}

impl Pending {
    fn of(reader: &Reader) -> Self {
        let modal = reader.modal();
        Self {
            motion: modal.motion,
            f: (modal.feed > 0.0 && modal.feed_mode == FeedMode::PerMinute).then_some(modal.feed),
            s: (reader.beam_code != Some(106)).then_some(modal.s),
        }
    }

    /// A line of the program, with what it relies upon.
    fn filled(&mut self, reader: &Reader, text: &str) -> String {
        let words = reader.words();
        if text.starts_with('$') || words.is_empty() {
            return text.to_string();
        }
        let says = |letter: u8| words.iter().any(|w| w.letter == letter);
        let code = |code: f64| words.iter().any(|w| w.letter == b'G' && w.value == code);
        let moves = b"XYZABCIJ".iter().any(|letter| says(*letter));
        let dwells = code(4.0);
        self.motion = self.motion.filter(|_| ![0.0, 1.0, 2.0, 3.0].into_iter().any(code));
        self.f = self.f.filter(|_| !says(b'F'));
        self.s = self.s.filter(|_| !says(b'S'));
        let mut told = String::new();
        if moves && !dwells {
            told.extend(self.motion.take().map(|motion| format!("G{motion}")));
            told.extend(self.f.take().map(|f| format!("F{}", plain(f, 4))));
        }
        if moves || dwells {
            told.extend(self.s.take().map(|s| format!("S{}", plain(s, 3))));
        }
        format!("{told}{text}")
    }
}

#[cfg(test)]
mod tests;
