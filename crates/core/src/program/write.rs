//! Program → text, by dialect.

use super::Program;
use super::number::{Micron, microns, push_length, push_rounded};
use crate::geometry::{Piece, Rect, Vec2};
use crate::job::machine::Dialect;
use crate::mapping::{Instruction, Move, Pace, Purpose};
use crate::motion::Action;
use crate::quantity::{SValue, clock, plain};
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
    /// Writes the program's text in its machine's dialect. The same program always gives the same
    /// bytes, on any number of cores.
    ///
    /// The beam is off in the first line that can move nothing, on every travel move, and at the
    /// end; positions are absolute, in mm, with at most three decimals.
    ///
    /// # Errors
    /// Whatever `out` returns.
    pub fn write(&self, comments: Comments, out: &mut impl Write) -> io::Result<()> {
        let mut writer = Writer::new(self, comments, out);
        writer.opening()?;
        self.within().timed().walk(|action| writer.action(action))?;
        writer.closing()
    }
}

/// What the controller would still remember, so that nothing is said twice.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
struct Said {
    motion: Option<u8>,
    x: Option<Micron>,
    y: Option<Micron>,
    feed: Option<f64>,
    s: Option<f64>,
    air: bool,
    /// Whether power follows the speed (M4), once that was said.
    follows: Option<bool>,
}

struct Writer<'p, 'o, W> {
    program: &'p Program<'p>,
    comments: Comments,
    out: &'o mut W,
    line: Vec<u8>,
    said: Said,
    step: usize,
    parts: usize,
}

impl<'p, 'o, W: Write> Writer<'p, 'o, W> {
    fn new(program: &'p Program<'p>, comments: Comments, out: &'o mut W) -> Self {
        let line = Vec::with_capacity(CHUNK + 256);
        Self { program, comments, out, line, said: Said::default(), step: 0, parts: 0 }
    }

    fn dialect(&self) -> Dialect {
        self.program.job().machine.dialect
    }

    fn end_line(&mut self) -> io::Result<()> {
        self.line.push(b'\n');
        if self.line.len() >= CHUNK { self.flush() } else { Ok(()) }
    }

    fn flush(&mut self) -> io::Result<()> {
        self.out.write_all(&self.line)?;
        self.line.clear();
        Ok(())
    }

    fn code(&mut self, code: &str) -> io::Result<()> {
        self.line.extend_from_slice(code.as_bytes());
        self.end_line()
    }

    /// A comment line, in the style of the dialect.
    fn comment(&mut self, text: &str) -> io::Result<()> {
        if self.comments == Comments::None {
            return Ok(());
        }
        let (open, close, most) = match self.dialect() {
            Dialect::Grbl => ("; ", "", 78),
            Dialect::Ngc => ("(", ")", 120),
        };
        self.line.extend_from_slice(open.as_bytes());
        self.line.extend(harmless(text).take(most - open.len() - close.len()));
        self.line.extend_from_slice(close.as_bytes());
        self.end_line()
    }

    fn opening(&mut self) -> io::Result<()> {
        if self.dialect() == Dialect::Ngc {
            self.code("%")?;
        }
        for line in header(self.program) {
            self.comment(&line)?;
        }
        // Before anything else: the beam is off. Then what every number means.
        self.code("M5 S0")?;
        self.code("G21 G90 G94 G17")?;
        self.said.s = Some(0.0);
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
        if self.said.follows == Some(follows) {
            return Ok(());
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
        self.code("S0")
    }

    fn closing(&mut self) -> io::Result<()> {
        self.comment("end: beam and air off")?;
        self.code("M5 S0")?;
        if self.said.air {
            self.code("M9")?;
        }
        self.code("M2")?;
        if self.dialect() == Dialect::Ngc {
            self.code("%")?;
        }
        self.flush()?;
        self.out.flush()
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
            Action::Plain(Instruction::Height { to, .. }) => {
                self.dark()?;
                self.said.motion = Some(b'0');
                self.line.extend_from_slice(b"G0");
                push_length(&mut self.line, b'Z', microns(to));
                self.end_line()
            }
            Action::Plain(Instruction::Move(_) | Instruction::Dwell(..)) => Ok(()),
        }
    }

    fn dwell(&mut self, seconds: f64) -> io::Result<()> {
        self.line.extend_from_slice(b"G4");
        push_rounded(&mut self.line, b'P', seconds, 3);
        self.end_line()
    }

    /// Stands still with the beam on. Power that follows the speed is nothing at standstill, and a
    /// controller in laser mode keeps the beam off while it is in rapid motion: so a feed move of no
    /// length comes first, and power that stays.
    fn pierce(&mut self, seconds: f64, s: SValue) -> io::Result<()> {
        self.dark()?;
        self.said.motion = Some(b'1');
        self.line.extend_from_slice(b"G1");
        push_length(&mut self.line, b'X', self.said.x.unwrap_or(0));
        push_length(&mut self.line, b'Y', self.said.y.unwrap_or(0));
        let feed = self.program.job().steps[self.step].speed().0 * 60.0;
        if self.said.feed != Some(feed) {
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
        self.beam_mode(self.wants_follow(self.step))
    }

    fn begin_step(&mut self, number: usize) -> io::Result<()> {
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
        if let Some(air) = job.machine.air
            && step.air != self.said.air
        {
            self.dark()?;
            self.said.air = step.air;
            self.code(if step.air { air.on } else { "M9" })?;
        }
        self.beam_mode(self.wants_follow(number))
    }

    fn one_move(&mut self, m: &Move, s: SValue) -> io::Result<()> {
        let end = m.piece.end();
        let (x, y) = (microns(end.x), microns(end.y));
        let moved = self.said.x != Some(x) || self.said.y != Some(y);
        // Below the resolution of the text there is no move; an arc without a chord would even be
        // read as a full circle.
        if !moved {
            return Ok(());
        }
        let arc = match m.piece {
            Piece::Arc { centre, sweep, .. } => {
                let start = [
                    self.said.x.unwrap_or_else(|| microns(m.from.x)),
                    self.said.y.unwrap_or_else(|| microns(m.from.y)),
                ];
                let middle = [microns(centre.x), microns(centre.y)];
                survives_rounding(start, [x, y], middle, sweep)
                    .then_some((sweep, [middle[0] - start[0], middle[1] - start[1]]))
            }
            Piece::Line { .. } => None,
        };
        let motion = match (m.pace, arc) {
            (Pace::Rapid, _) => b'0',
            (Pace::Feed(_), None) => b'1',
            (Pace::Feed(_), Some((sweep, _))) if sweep < 0.0 => b'2',
            (Pace::Feed(_), Some(_)) => b'3',
        };
        let s = s.0;
        if self.said.motion != Some(motion) {
            self.said.motion = Some(motion);
            self.line.extend_from_slice(&[b'G', motion]);
        }
        // An arc names both ends, which every controller understands alike.
        if self.said.x != Some(x) || arc.is_some() {
            push_length(&mut self.line, b'X', x);
        }
        if self.said.y != Some(y) || arc.is_some() {
            push_length(&mut self.line, b'Y', y);
        }
        if let Some((_, [i, j])) = arc {
            // From the start as it was written, so that rounding does not shift the centre.
            push_length(&mut self.line, b'I', i);
            push_length(&mut self.line, b'J', j);
        }
        (self.said.x, self.said.y) = (Some(x), Some(y));
        // A travel move switches the beam off by its own word, laser mode or not.
        if self.said.s != Some(s) {
            self.said.s = Some(s);
            push_rounded(&mut self.line, b'S', s, 1);
        }
        if let Pace::Feed(speed) = m.pace {
            let feed = speed.0 * 60.0;
            if self.said.feed != Some(feed) {
                self.said.feed = Some(feed);
                push_rounded(&mut self.line, b'F', feed, 1);
            }
        }
        debug_assert!(m.purpose == Purpose::Burn || self.said.s == Some(0.0));
        self.end_line()
    }
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

/// Text that no controller can mistake for anything: plain ASCII without comment ends and without
/// the bytes that some controllers act upon wherever they stand.
fn harmless(text: &str) -> impl Iterator<Item = u8> + '_ {
    text.chars().map(|c| match c {
        '(' | ')' | '!' | '?' | '~' | ';' => b'_',
        ' '..='}' => c as u8,
        _ => b'_',
    })
}

fn header(program: &Program<'_>) -> Vec<String> {
    let job = program.job();
    let totals = &program.within().timed().totals;
    let span = |rect: Option<Rect>| {
        let r = rect.unwrap_or_default();
        let n = |v: f64| plain(v, 3);
        format!("X {} to {}, Y {} to {} mm", n(r.x0), n(r.x1), n(r.y0), n(r.y1))
    };
    let mut lines = vec![
        job.name.clone(),
        format!(
            "laser program, tinkite {}, dialect {}",
            env!("CARGO_PKG_VERSION"),
            job.machine.dialect.name()
        ),
        format!("machine: {}, origin {}", job.machine.name, job.machine.bed.origin.name()),
    ];
    lines.extend(job.material.as_ref().map(|material| format!("material: {material}")));
    lines.extend([
        format!("burns {}", span(totals.burnt)),
        format!("moves {}", span(totals.worked)),
        format!(
            "burn {} mm, beam-off moves {} mm, about {}",
            plain(totals.burn(), 1),
            plain(totals.travel(), 1),
            clock(totals.seconds())
        ),
    ]);
    lines
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

    #[test]
    fn comments_hold_nothing_that_a_controller_acts_upon() {
        let text: Vec<u8> = harmless("Größe (60 %) !?~;\n\u{18}[x]").collect();
        assert_eq!(String::from_utf8(text).unwrap(), "Gr__e _60 %_ ______[x]");
    }
}
