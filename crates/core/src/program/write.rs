//! Program → text, by dialect.

use super::number::{Micron, microns, push_length, push_rounded};
use super::page::{One, Pages};
use super::style::Style;
use super::{Program, header};
use crate::geometry::{Piece, Point, Vec2};
use crate::job::Zero;
use crate::job::machine::{Dialect, FeedMode, Switch};
use crate::mapping::frame::Frame;
use crate::mapping::{Instruction, Move, Pace, Purpose};
use crate::motion::Action;
use crate::quantity::{SValue, plain};
use std::io::{self, Write};

/// Whether a program explains itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Comments {
    /// A header, and every step and part by name.
    Full,
    /// None at all.
    None,
}

/// Text is handed on in pieces of about this many bytes.
const CHUNK: usize = 64 << 10;

impl Program<'_> {
    /// Writes the program's text in its machine's dialect, all in one. The same program always
    /// gives the same bytes, on any number of cores.
    ///
    /// The beam is off in the first line that can move nothing, on every travel move, and at the
    /// end; positions have at most three decimals.
    ///
    /// # Errors
    /// Whatever `out` returns.
    pub fn write(&self, comments: Comments, out: &mut impl Write) -> io::Result<()> {
        self.text(comments, None, &mut One(out))
    }

    /// Writes the program's text as files that are no larger than the machine takes. Each is a
    /// program of its own: cut only where the head travels, and dark at both ends.
    ///
    /// # Errors
    /// Whatever `pages` returns; a stretch without travel that is larger than a file may be.
    pub fn write_pages(&self, comments: Comments, pages: &mut impl Pages) -> io::Result<()> {
        self.text(comments, self.job().machine.text.largest, pages)
    }

    fn text(
        &self,
        comments: Comments,
        largest: Option<u64>,
        pages: &mut impl Pages,
    ) -> io::Result<()> {
        let mut writer = Writer::new(self, comments, largest, pages);
        writer.opening()?;
        self.within().timed().walk(|action| writer.action(action))?;
        writer.end_page()?;
        writer.closing()?;
        writer.pages.finish()
    }
}

/// What the controller would still remember, so that nothing is said twice.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
struct Said {
    motion: Option<u8>,
    /// Where the two axes stand, once that is known.
    at: [Option<Micron>; 2],
    feed: Option<f64>,
    s: Option<f64>,
    air: bool,
    /// Whether power follows the speed (M4), once that was said.
    follows: Option<bool>,
    /// Height of the focus.
    z: Micron,
    /// Pulse frequency, Hz.
    frequency: Option<f64>,
}

struct Writer<'p, 'o, P> {
    program: &'p Program<'p>,
    comments: Comments,
    style: Style,
    frame: &'p Frame,
    /// Whether positions are said from where the head is (G91).
    relative: bool,
    pages: &'o mut P,
    line: Vec<u8>,
    said: Said,
    step: usize,
    parts: usize,
    paging: Option<Paging>,
}

/// What cutting a program into files needs to know.
struct Paging {
    largest: u64,
    /// Bytes of the file at hand, and which it is, from 1.
    bytes: u64,
    number: usize,
    /// The travel move that begins the stretch at hand, and what was so before it.
    pending: Option<(Move, Said, usize)>,
}

impl<'p, 'o, P: Pages> Writer<'p, 'o, P> {
    fn new(
        program: &'p Program<'p>,
        comments: Comments,
        largest: Option<u64>,
        pages: &'o mut P,
    ) -> Self {
        Self {
            program,
            comments,
            style: Style::of(&program.job().machine),
            frame: program.within().timed().placed.frame(),
            relative: program.job().placement.zero == Zero::Head,
            pages,
            line: Vec::with_capacity(CHUNK + 256),
            said: Said::default(),
            step: 0,
            parts: 0,
            paging: largest.map(|largest| Paging { largest, bytes: 0, number: 1, pending: None }),
        }
    }

    fn end_line(&mut self) -> io::Result<()> {
        if self.program.job().machine.text.carriage_return {
            self.line.push(b'\r');
        }
        self.line.push(b'\n');
        // A stretch is held back until it is known which file it goes to.
        let held = self.paging.as_ref().is_some_and(|paging| paging.pending.is_some());
        if self.line.len() >= CHUNK && !held { self.flush() } else { Ok(()) }
    }

    fn flush(&mut self) -> io::Result<()> {
        if let Some(paging) = &mut self.paging {
            paging.bytes += self.line.len() as u64;
        }
        self.pages.put(&self.line)?;
        self.line.clear();
        Ok(())
    }

    fn code(&mut self, code: &str) -> io::Result<()> {
        self.line.extend_from_slice(code.as_bytes());
        self.end_line()
    }

    /// Codes that mean something together: on one line where the dialect takes that.
    fn codes(&mut self, codes: &[&str]) -> io::Result<()> {
        if self.style.one_code {
            return codes.iter().try_for_each(|code| self.code(code));
        }
        self.code(&codes.join(" "))
    }

    /// A comment line, in the style of the dialect.
    fn comment(&mut self, text: &str) -> io::Result<()> {
        if self.comments == Comments::None {
            return Ok(());
        }
        let (open, close) = self.style.comment;
        let room = self.style.longest - open.len() - close.len();
        self.line.extend_from_slice(open.as_bytes());
        self.line.extend(header::harmless(text).take(room));
        self.line.extend_from_slice(close.as_bytes());
        self.end_line()
    }

    fn opening(&mut self) -> io::Result<()> {
        let machine = &self.program.job().machine;
        if self.style.percent {
            self.code("%")?;
        }
        let part = self.paging.as_ref().filter(|p| p.number > 1).map(|paging| paging.number);
        for line in header::lines(self.program, part) {
            self.comment(&line)?;
        }
        // Before anything else: the beam is off. Then what every number means.
        self.code(self.style.off())?;
        for line in &machine.text.opening {
            self.code(line)?;
        }
        let mode = if self.relative { "G91" } else { "G90" };
        let feed = match self.frame.feed_mode() {
            FeedMode::InverseTime => "G93",
            FeedMode::WorkedOut => "G94",
        };
        if self.style.one_code {
            self.codes(&["G21", mode])?;
        } else {
            self.codes(&["G21", mode, feed, "G17", "G54"])?;
        }
        if machine.dialect == Dialect::Ngc {
            // Corners are rounded as the profile says, and not brought to a halt.
            self.line.extend_from_slice(b"G64 ");
            push_rounded(&mut self.line, b'P', machine.corner, 4);
            self.end_line()?;
        }
        self.said = Said { s: Some(0.0), ..Said::default() };
        if self.relative {
            self.said.at = [Some(0); 2];
        }
        let first = self.program.within().timed().placed.sequence().paths().first();
        self.beam_mode(first.is_none_or(|path| self.wants_follow(path.step)))
    }

    /// Whether the controller is to make power follow the speed in a step: not where the program
    /// does so itself.
    fn wants_follow(&self, step: usize) -> bool {
        let timed = self.program.within().timed();
        self.program.job().machine.beam.follows_speed && !timed.follows_speed_itself(step)
    }

    /// Switches between power that follows the speed and power that stays.
    fn beam_mode(&mut self, follows: bool) -> io::Result<()> {
        let follows = follows && self.program.job().machine.beam.follows_speed;
        if self.style.switch == Switch::Lines || self.said.follows == Some(follows) {
            return self.dark();
        }
        (self.said.follows, self.said.s) = (Some(follows), Some(0.0));
        self.code(if follows { "M4 S0" } else { "M3 S0" })
    }

    /// The beam off before anything that is no move: on a controller that keeps power constant it
    /// would burn on where the head stands.
    fn dark(&mut self) -> io::Result<()> {
        if self.said.s == Some(0.0) {
            return Ok(());
        }
        self.said.s = Some(0.0);
        self.code(match (self.style.switch, self.style.one_code) {
            (Switch::Lines, _) => "M107",
            (Switch::Inline, true) => "M3 S0",
            (Switch::Inline, false) => "S0",
        })
    }

    fn closing(&mut self) -> io::Result<()> {
        self.comment("end: beam and air off")?;
        self.code(self.style.off())?;
        let machine = &self.program.job().machine;
        if let Some(air) = machine.air.as_ref().filter(|_| self.said.air) {
            self.code(&air.off)?;
        }
        let feed = if self.frame.feed_mode() == FeedMode::InverseTime { Some("G94") } else { None };
        let mode = if self.relative { Some("G90") } else { None };
        let back: Vec<&str> = mode.into_iter().chain(feed).collect();
        if !back.is_empty() {
            self.codes(&back)?;
        }
        for line in &machine.text.closing {
            self.code(line)?;
        }
        if self.style.ends {
            self.code("M2")?;
        }
        if self.style.percent {
            self.code("%")?;
        }
        self.flush()
    }

    /// The stretch at hand is complete: into this file if there is room, else into the next.
    fn end_page(&mut self) -> io::Result<()> {
        let Some(paging) = &mut self.paging else { return Ok(()) };
        let Some((travel, before, step)) = paging.pending.take() else { return Ok(()) };
        let stretch = std::mem::take(&mut self.line);
        let (after, now) = (self.said, self.step);
        let needed = (stretch.len() + ROOM) as u64;
        if paging.bytes + needed > paging.largest {
            if needed + header_bytes(self.program, self.comments) > paging.largest {
                return Err(io::Error::other(format!(
                    "a stretch of {} bytes without travel is larger than a file may be (largest in [program] is {} bytes)",
                    stretch.len(),
                    paging.largest
                )));
            }
            self.said = before;
            self.turn_page(before, step)?;
        } else {
            self.said = before;
        }
        self.write_move(&travel, SValue(0.0))?;
        self.line.extend_from_slice(&stretch);
        self.flush()?;
        (self.said, self.step) = (after, now);
        Ok(())
    }

    /// Ends one file and begins the next in the middle of a step.
    fn turn_page(&mut self, before: Said, step: usize) -> io::Result<()> {
        self.height(0)?;
        if self.relative {
            self.go_back()?;
        }
        self.closing()?;
        self.pages.turn()?;
        if let Some(paging) = &mut self.paging {
            (paging.bytes, paging.number) = (0, paging.number + 1);
        }
        self.opening()?;
        let job = self.program.job();
        self.comment(&format!(
            "goes on with step {} of {}: {}",
            step + 1,
            job.steps.len(),
            job.steps[step].name
        ))?;
        self.frequency(step)?;
        if let Some(air) = job.machine.air.as_ref().filter(|_| before.air) {
            self.said.air = true;
            self.code(&air.on)?;
            if air.settle > 0.0 {
                self.dwell(air.settle)?;
            }
        }
        self.beam_mode(before.follows.unwrap_or(false))?;
        self.height(before.z)
    }

    /// Back to where the head began, beam off.
    fn go_back(&mut self) -> io::Result<()> {
        let from = self.point();
        let pace = match self.program.job().machine.travel {
            crate::job::machine::Travel::Rapid => Pace::Rapid,
            crate::job::machine::Travel::Feed(speed) => Pace::Feed(speed),
        };
        let piece = Piece::Line { to: Point::ZERO };
        let power = [crate::quantity::Power(0.0); 2];
        let home = Move { purpose: Purpose::Travel, from, piece, pace, power, slow: 1.0 };
        self.write_move(&home, SValue(0.0))
    }

    /// Where the head stands in the plane, as far as the text says.
    fn point(&self) -> Point {
        self.frame.point(self.said.at.map(|at| at.unwrap_or(0) as f64 / 1000.0))
    }

    fn action(&mut self, action: Action<'_>) -> io::Result<()> {
        match action {
            Action::Move(m, s) => self.one_move(&m, s),
            Action::Dwell(seconds, s) if s.0 > 0.0 => self.pierce(seconds, s),
            Action::Dwell(seconds, _) => {
                self.dark()?;
                self.dwell(seconds)
            }
            Action::Plain(Instruction::Step(number)) => self.begin_step(number),
            Action::Plain(Instruction::Pass(pass, of)) => {
                self.comment(&format!("pass {pass} of {of}"))
            }
            Action::Plain(Instruction::Part { label, number, passes }) => {
                let repeat = if passes > 1 { format!(", {passes} passes") } else { String::new() };
                self.comment(&format!("part {number} of {}: {label}{repeat}", self.parts))
            }
            Action::Plain(Instruction::Height { to, .. }) => self.height(microns(to)),
            Action::Plain(Instruction::Move(_) | Instruction::Dwell(..)) => Ok(()),
        }
    }

    /// Lifts or lowers the focus, the beam off.
    fn height(&mut self, to: Micron) -> io::Result<()> {
        if self.said.z == to {
            return Ok(());
        }
        self.dark()?;
        self.said.motion = Some(b'0');
        let from = std::mem::replace(&mut self.said.z, to);
        self.line.extend_from_slice(b"G0");
        push_length(&mut self.line, b'Z', if self.relative { to - from } else { to });
        if let crate::job::machine::Travel::Feed(_) = self.program.job().machine.travel
            && self.style.travel_named
            && let Some(z) = self.program.job().machine.z
        {
            // Where a travel move goes at the last feed it is told its own.
            self.said.feed = Some(z.axis.top_speed * 60.0);
            push_rounded(&mut self.line, b'F', z.axis.top_speed * 60.0, 1);
        }
        self.end_line()
    }

    fn dwell(&mut self, seconds: f64) -> io::Result<()> {
        self.line.extend_from_slice(b"G4 ");
        if self.style.milliseconds {
            push_rounded(&mut self.line, b'P', seconds * 1000.0, 0);
        } else {
            push_rounded(&mut self.line, b'P', seconds, 3);
        }
        self.end_line()
    }

    /// Stands still with the beam on. Power that follows the speed is nothing at standstill, and a
    /// controller in laser mode keeps the beam off while it is in rapid motion: so a feed move of no
    /// length comes first, and power that stays.
    fn pierce(&mut self, seconds: f64, s: SValue) -> io::Result<()> {
        self.dark()?;
        if self.style.switch == Switch::Lines {
            // The head must stand before the beam lights.
            self.code("M400")?;
            self.power_line(s.0)?;
            self.dwell(seconds)?;
            return self.dark();
        }
        self.said.motion = Some(b'1');
        self.line.extend_from_slice(b"G1");
        for n in 0..2 {
            let at = if self.relative { 0 } else { self.said.at[n].unwrap_or(0) };
            push_length(&mut self.line, self.frame.letters()[n], at);
        }
        let inverse = self.frame.feed_mode() == FeedMode::InverseTime;
        let speed = self.program.job().steps[self.step].speed().0 * 60.0;
        let feed = if inverse { 600.0 } else { speed };
        if self.said.feed != Some(feed) || inverse {
            self.said.feed = Some(feed);
            push_rounded(&mut self.line, b'F', feed, 1);
        }
        self.end_line()?;
        self.line.extend_from_slice(b"M3 ");
        push_rounded(&mut self.line, b'S', s.0, 1);
        self.end_line()?;
        self.dwell(seconds)?;
        self.said.follows = Some(false);
        self.said.s = Some(s.0);
        if self.wants_follow(self.step) { self.beam_mode(true) } else { self.dark() }
    }

    /// Power in a line of its own; whole levels, never above what was asked for.
    fn power_line(&mut self, s: f64) -> io::Result<()> {
        self.said.s = Some(s);
        self.line.extend_from_slice(b"M106 ");
        push_rounded(&mut self.line, b'S', (s + 1e-6).floor(), 0);
        self.end_line()
    }

    fn frequency(&mut self, step: usize) -> io::Result<()> {
        let job = self.program.job();
        let Some(hertz) = job.steps[step].frequency else { return Ok(()) };
        if self.said.frequency == Some(hertz) {
            return Ok(());
        }
        self.dark()?;
        self.said.frequency = Some(hertz);
        let line = job.machine.text.frequency_line(hertz);
        line.map_or(Ok(()), |line| self.code(&line))
    }

    fn begin_step(&mut self, number: usize) -> io::Result<()> {
        // What comes now belongs to the next stretch as little as to the last.
        self.end_page()?;
        let job = self.program.job();
        let timed = self.program.within().timed();
        let step = &job.steps[number];
        (self.step, self.parts) = (number, timed.totals.steps[number].paths);
        let title = format!(
            "step {} of {}: {} - {}, {}, {} = {}",
            number + 1,
            job.steps.len(),
            step.name,
            step.make.name(),
            step.speed(),
            step.power(),
            s_words(timed.totals.steps[number].s)
        );
        self.comment(&title)?;
        self.frequency(number)?;
        if let Some(air) = &job.machine.air
            && step.air != self.said.air
        {
            self.dark()?;
            self.said.air = step.air;
            self.code(if step.air { &air.on } else { &air.off })?;
        }
        self.beam_mode(self.wants_follow(number))
    }

    /// A move; where files are cut, a travel move ends one stretch and begins the next.
    fn one_move(&mut self, m: &Move, s: SValue) -> io::Result<()> {
        if self.paging.is_none() || m.purpose != Purpose::Travel {
            return self.write_move(m, s);
        }
        self.end_page()?;
        if self.style.switch == Switch::Lines {
            self.dark()?;
        }
        self.flush()?;
        let (before, step) = (self.said, self.step);
        // As if it were said: the stretch goes on from where it ends.
        let kept = self.line.len();
        self.write_move(m, s)?;
        self.line.truncate(kept);
        if m.pace == Pace::Rapid {
            // The stretch may open a file, in which no feed was said yet.
            self.said.feed = None;
        }
        if let Some(paging) = &mut self.paging {
            paging.pending = Some((*m, before, step));
        }
        Ok(())
    }

    fn write_move(&mut self, m: &Move, s: SValue) -> io::Result<()> {
        let end = self.frame.words(m.piece.end()).map(microns);
        // Below the resolution of the text there is no move; an arc without a chord would even be
        // read as a full circle.
        if self.said.at == end.map(Some) {
            return Ok(());
        }
        let before = self.said.at;
        let start = {
            let from = self.frame.words(m.from).map(microns);
            [before[0].unwrap_or(from[0]), before[1].unwrap_or(from[1])]
        };
        let arc = match m.piece {
            Piece::Arc { centre, sweep, .. } => {
                let sweep = if self.frame.mirrors() { -sweep } else { sweep };
                let middle = self.frame.words(centre).map(microns);
                survives_rounding(start, end, middle, sweep)
                    .then_some((sweep, [middle[0] - start[0], middle[1] - start[1]]))
            }
            Piece::Line { .. } => None,
        };
        let travel = m.purpose == Purpose::Travel;
        let motion = match (m.pace, arc) {
            (Pace::Rapid, _) => b'0',
            (Pace::Feed(_), None) if travel && self.style.travel_named => b'0',
            (Pace::Feed(_), None) => b'1',
            (Pace::Feed(_), Some((sweep, _))) if sweep < 0.0 => b'2',
            (Pace::Feed(_), Some(_)) => b'3',
        };
        let s = s.0;
        if self.style.switch == Switch::Lines && self.said.s != Some(s) {
            if s > 0.0 { self.power_line(s)? } else { self.dark()? }
        }
        if self.said.motion != Some(motion) || self.style.one_code {
            self.said.motion = Some(motion);
            self.line.extend_from_slice(&[b'G', motion]);
        }
        for n in 0..2 {
            // An arc names both ends, which every controller understands alike.
            if before[n] != Some(end[n]) || arc.is_some() {
                let word = if self.relative { end[n] - start[n] } else { end[n] };
                push_length(&mut self.line, self.frame.letters()[n], word);
            }
        }
        if let Some((_, [i, j])) = arc {
            // From the start as it was written, so that rounding does not shift the centre.
            push_length(&mut self.line, b'I', i);
            push_length(&mut self.line, b'J', j);
        }
        self.said.at = end.map(Some);
        // A travel move switches the beam off by its own word, laser mode or not.
        if self.style.switch == Switch::Inline && self.said.s != Some(s) {
            self.said.s = Some(s);
            push_rounded(&mut self.line, b'S', s, 1);
        }
        if let Pace::Feed(speed) = m.pace {
            self.feed(start, end, speed.0);
        }
        debug_assert!(m.purpose == Purpose::Burn || self.said.s == Some(0.0));
        self.end_line()
    }

    /// The F word of a move at `speed` on the stock, between positions as they are written.
    fn feed(&mut self, start: [Micron; 2], end: [Micron; 2], speed: f64) {
        if self.frame.surface().is_none() {
            let feed = speed * 60.0;
            if self.said.feed != Some(feed) {
                self.said.feed = Some(feed);
                push_rounded(&mut self.line, b'F', feed, 1);
            }
            return;
        }
        let [from, to] = [start, end].map(|at| self.frame.point(at.map(|a| a as f64 / 1000.0)));
        // Four decimals keep a slow turn true to a thousandth.
        let feed = (self.frame.feed(from, to, speed) * 1e4).round() / 1e4;
        let inverse = self.frame.feed_mode() == FeedMode::InverseTime;
        if inverse || self.said.feed != Some(feed) {
            self.said.feed = Some(feed);
            push_rounded(&mut self.line, b'F', feed.max(1e-4), 4);
        }
    }
}

/// Bytes kept free for what ends a file: the way home, beam, air and the profile's own lines.
const ROOM: usize = 800;

/// About how many bytes the head of a file takes.
fn header_bytes(program: &Program<'_>, comments: Comments) -> u64 {
    let said: usize = match comments {
        Comments::Full => header::lines(program, Some(99)).iter().map(|line| line.len() + 4).sum(),
        Comments::None => 0,
    };
    let own: usize = program.job().machine.text.opening.iter().map(|line| line.len() + 2).sum();
    (said + own + 200) as u64
}

/// S values as people read them: one, or from the lowest to the highest.
#[must_use]
pub(crate) fn s_words(s: Option<(f64, f64)>) -> String {
    let (low, high) = s.unwrap_or_default();
    let (low, high) = (plain(low, 1), plain(high, 1));
    if low == high { format!("S{low}") } else { format!("S{low} to S{high}") }
}

/// Whether an arc is still the same arc after rounding. A tiny one may come out with its ends the
/// wrong way round, and would be run as nearly a full circle; its chord is as good.
fn survives_rounding(
    start: [Micron; 2],
    end: [Micron; 2],
    centre: [Micron; 2],
    sweep: f64,
) -> bool {
    let from_centre =
        |p: [Micron; 2]| Vec2::new((p[0] - centre[0]) as f64, (p[1] - centre[1]) as f64);
    let (a, b) = (from_centre(start), from_centre(end));
    let turned = a.cross(b).atan2(a.dot(b)) * sweep.signum();
    let turned = if turned < 0.0 { turned + std::f64::consts::TAU } else { turned };
    // Ends and centre are each off by half a micrometre at most.
    let radii_agree = (a.hypot() - b.hypot()).abs() < 4.0;
    radii_agree && (turned - sweep.abs()).abs() < 0.1 * sweep.abs() + 1e-6
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_arc_that_rounding_would_turn_round_is_no_arc() {
        let quarter = std::f64::consts::FRAC_PI_2;
        assert!(survives_rounding([1000, 0], [0, 1000], [0, 0], quarter));
        assert!(survives_rounding([1000, 0], [0, -1000], [0, 0], -quarter));
        // Meant to go a little to the left over the top; rounded, it goes to the right.
        assert!(!survives_rounding([0, 0], [1, 0], [0, -3], 0.3));
        // Rounded into a quarter more than it was.
        assert!(!survives_rounding([1, 0], [0, 1], [0, 0], 0.9));
        assert!(!survives_rounding([0, 0], [5, 5], [0, 0], 1.0));
    }
}
