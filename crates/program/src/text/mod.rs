//! Segments → text, by dialect: what each line says. The plan reckons with the same lines that a
//! program is written of.

mod lines;
mod moves;
mod number;
mod page;
mod paging;
mod sizes;
mod style;

use crate::segment::{Act, Feed, Micron, Provenance, Segment, Segments};
pub use lines::{Lines, write_numbered};
use number::push_rounded;
pub(crate) use page::One;
pub use page::Pages;
use paging::Paging;
pub(crate) use sizes::count;
use std::io;
use style::Style;
use tinkite_job::Zero;
use tinkite_machine::frame::Frame;
use tinkite_machine::source::Level;
use tinkite_machine::{Dialect, FeedMode, Switch};

/// Text is handed on in pieces of about this many bytes.
const CHUNK: usize = 64 << 10;

/// What a program says of itself in comments.
pub trait Remarks: Sync {
    /// The lines at its head; `part` is which file of it, from 1, where it has more than one.
    fn head(&self, part: Option<usize>) -> Vec<String>;

    /// What the step `of` which segments are does.
    fn step(&self, of: Provenance) -> String;

    /// How many paths that step has.
    fn paths(&self, of: Provenance) -> usize;
}

/// Writes the text of segments in their machine's dialect. The same segments always give the same
/// bytes, on any number of cores.
///
/// The beam is off in the first line that can move nothing, on every travel move, and at the end;
/// positions have at most three decimals. With `largest` (bytes) it becomes files that are no larger,
/// each a program of its own: cut only where the head travels, and dark at both ends.
///
/// # Errors
/// Whatever `pages` returns; a stretch without travel that is larger than a file may be.
pub(crate) fn write(
    segments: &Segments,
    remarks: Option<&dyn Remarks>,
    largest: Option<u64>,
    pages: &mut impl Pages,
) -> io::Result<()> {
    let mut writer = Writer::new(segments, remarks, largest, pages);
    writer.opening()?;
    segments.walk_ahead(|segment| segment, |segment| writer.segment(&segment))?;
    writer.end_page()?;
    writer.closing()?;
    writer.pages.finish()
}

/// What the controller would still remember, so that nothing is said twice.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
struct Remembered {
    motion: Option<u8>,
    /// Where the two axes stand, once that is known.
    at: [Option<Micron>; 2],
    feed: Option<Feed>,
    level: Option<Level>,
    air: bool,
    /// Whether power follows the speed (M4), once that was said.
    follows: Option<bool>,
    /// Height of the focus.
    z: Micron,
    /// Pulse frequency, Hz.
    frequency: Option<f64>,
}

struct Writer<'p, 'o, P> {
    segments: &'p Segments,
    /// What it says in comments, if any.
    remarks: Option<&'p dyn Remarks>,
    style: Style,
    frame: &'p Frame,
    /// Whether positions are said from where the head is (G91).
    relative: bool,
    pages: &'o mut P,
    line: Vec<u8>,
    said: Remembered,
    /// What the last segment belonged to.
    of: Option<Provenance>,
    paging: Option<Paging>,
}

impl<'p, 'o, P: Pages> Writer<'p, 'o, P> {
    fn new(
        segments: &'p Segments,
        remarks: Option<&'p dyn Remarks>,
        largest: Option<u64>,
        pages: &'o mut P,
    ) -> Self {
        Self {
            segments,
            remarks,
            style: Style::of(&segments.job().machine),
            frame: segments.frame(),
            relative: segments.job().placement.zero == Zero::Head,
            pages,
            line: Vec::with_capacity(CHUNK + 256),
            said: Remembered::default(),
            of: None,
            paging: largest.map(|largest| Paging { largest, bytes: 0, number: 1, pending: None }),
        }
    }

    fn end_line(&mut self) -> io::Result<()> {
        if self.segments.job().machine.text.carriage_return {
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
        if self.remarks.is_none() {
            return Ok(());
        }
        let (open, close) = self.style.comment;
        let room = self.style.longest - open.len() - close.len();
        self.line.extend_from_slice(open.as_bytes());
        self.line.extend(harmless(text).take(room));
        self.line.extend_from_slice(close.as_bytes());
        self.end_line()
    }

    fn opening(&mut self) -> io::Result<()> {
        let machine = &self.segments.job().machine;
        if self.style.percent {
            self.code("%")?;
        }
        let part = self.paging.as_ref().filter(|p| p.number > 1).map(|paging| paging.number);
        for line in self.remarks.map(|remarks| remarks.head(part)).unwrap_or_default() {
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
            push_rounded::<4>(&mut self.line, b'P', machine.junction_deviation);
            self.end_line()?;
        }
        self.said = Remembered { level: Some(Level::DARK), ..Remembered::default() };
        if self.relative {
            self.said.at = [Some(0); 2];
        }
        Ok(())
    }

    /// Switches between power that follows the speed and power that stays.
    fn beam_mode(&mut self, follows: bool) -> io::Result<()> {
        if self.style.switch == Switch::Lines {
            return self.dark();
        }
        (self.said.follows, self.said.level) = (Some(follows), Some(Level::DARK));
        self.code(if follows { "M4 S0" } else { "M3 S0" })
    }

    /// The beam off before anything that is no move: on a controller that keeps power constant it
    /// would burn on where the head stands.
    fn dark(&mut self) -> io::Result<()> {
        if self.said.level == Some(Level::DARK) {
            return Ok(());
        }
        self.said.level = Some(Level::DARK);
        self.code(match (self.style.switch, self.style.one_code) {
            (Switch::Lines, _) => "M107",
            (Switch::Inline, true) => "M3 S0",
            (Switch::Inline, false) => "S0",
        })
    }

    fn closing(&mut self) -> io::Result<()> {
        self.comment("end: beam and air off")?;
        self.code(self.style.off())?;
        let machine = &self.segments.job().machine;
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
        self.flush()?;
        self.check()
    }

    fn segment(&mut self, segment: &Segment) -> io::Result<()> {
        self.belongs(segment.of)?;
        match segment.act {
            Act::Move(way) => self.one_move(&way),
            Act::Dwell(ms, level) if level.is_lit() => self.pierce(ms, level),
            Act::Dwell(ms, _) => {
                self.dark()?;
                self.dwell(ms)
            }
            Act::Lift(_, to) => self.height(to),
            Act::Air(on) => self.air(on),
            Act::Frequency(hertz) => self.frequency(hertz),
            Act::Follow(follows) => self.beam_mode(follows),
        }
    }

    /// Names the step, pass and path that begin.
    fn belongs(&mut self, of: Provenance) -> io::Result<()> {
        let before = self.of.replace(of);
        if before == Some(of) {
            return Ok(());
        }
        // What comes now belongs to the next stretch as little as to the last.
        self.end_page()?;
        let Some(remarks) = self.remarks else { return Ok(()) };
        if before.is_none_or(|before| before.step != of.step) {
            self.comment(&remarks.step(of))?;
        }
        if of.path == 0 {
            return Ok(());
        }
        let passes = self.segments.job().steps[of.step].passes.len();
        let by_path = of.pass == 0;
        let another = before.is_none_or(|before| {
            (before.step, before.pass) != (of.step, of.pass) || before.path == 0
        });
        if !by_path && another {
            self.comment(&format!("pass {} of {passes}", of.pass))?;
        }
        let repeat =
            if by_path && passes > 1 { format!(", {passes} passes") } else { String::new() };
        let label = self.segments.label(of);
        self.comment(&format!("part {} of {}: {label}{repeat}", of.path, remarks.paths(of)))
    }

    fn frequency(&mut self, hertz: f64) -> io::Result<()> {
        self.dark()?;
        self.said.frequency = Some(hertz);
        let line = self.segments.job().machine.text.frequency_line(hertz);
        line.map_or(Ok(()), |line| self.code(&line))
    }

    fn air(&mut self, on: bool) -> io::Result<()> {
        self.dark()?;
        self.said.air = on;
        let air = self.segments.job().machine.air.as_ref();
        air.map_or(Ok(()), |air| self.code(if on { &air.on } else { &air.off }))
    }
}

/// Text that no controller can mistake for anything: plain ASCII without comment ends and without
/// the bytes that some controllers act upon wherever they stand.
fn harmless(text: &str) -> impl Iterator<Item = u8> + '_ {
    text.chars().map(|c| match c {
        '(' | ')' | '!' | '?' | '~' | ';' | '*' => b'_',
        ' '..='}' => c as u8,
        _ => b'_',
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn comments_hold_nothing_that_a_controller_acts_upon() {
        let text: Vec<u8> = harmless("Größe (60 %) !?~;\n\u{18}[x]").collect();
        assert_eq!(String::from_utf8(text).unwrap(), "Gr__e _60 %_ ______[x]");
    }
}
