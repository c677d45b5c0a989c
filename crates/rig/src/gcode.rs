//! Reading program lines as a controller does: modal state in, orders out, or an `error:` code of
//! the public `grbl` interface.

use crate::axes::{Axes, distance};
use crate::modal_groups::Groups;
use crate::offsets::Offsets;
use crate::settings::{ARC_TOLERANCE, Protocol};

/// The beam's switch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Beam {
    Off,
    Constant,
    Dynamic,
}

/// What a line orders.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Command {
    /// Straight moves, one after the other: to where, how fast (mm/s; none for a rapid).
    Moves { to: Vec<Axes>, feed: Option<f64> },
    /// Down until the probe touches (`G38.2`), no further than there, at a feed in mm/s.
    Probe { to: Axes, feed: f64 },
    /// Stand still for so many seconds, after everything before is done.
    Dwell(f64),
    /// Wait until everything before is done.
    Sync,
    /// Wait until everything before is done, and then for somebody who lets it go on.
    Pause,
    /// Nothing to wait for.
    Nothing,
}

/// The modal state (only what a laser on two axes needs).
#[derive(Debug, Clone)]
pub(crate) struct Modal {
    pub(crate) motion: u8,
    pub(crate) inches: bool,
    pub(crate) relative: bool,
    pub(crate) inverse_time: bool,
    pub(crate) beam: Beam,
    pub(crate) air: bool,
    /// The line at hand ends the program.
    pub(crate) ending: bool,
    pub(crate) feed: f64,
    pub(crate) s: f64,
    /// Where the last planned move ends, work coordinates.
    pub(crate) at: Axes,
    /// Work offsets: machine = work + offset.
    pub(crate) offsets: Offsets,
    /// Which language is spoken.
    pub(crate) protocol: Protocol,
}

impl Default for Modal {
    fn default() -> Self {
        Self {
            motion: 0,
            inches: false,
            relative: false,
            inverse_time: false,
            beam: Beam::Off,
            air: false,
            ending: false,
            feed: 0.0,
            s: 0.0,
            at: [0.0; 4],
            offsets: Offsets::default(),
            protocol: Protocol::Grbl,
        }
    }
}

/// One word: letter and number.
type Word = (u8, f64);

/// Splits a line into words; comments and blanks do not count.
pub(crate) fn split(line: &str) -> Result<Vec<Word>, u16> {
    let mut words = Vec::new();
    let mut depth = false;
    let text: String = line
        .chars()
        .take_while(|c| *c != ';')
        .filter(|c| {
            let was = depth;
            depth = if *c == '(' { true } else { *c != ')' && depth };
            !was && !depth && *c != ')' && !c.is_ascii_whitespace() && *c != '%' && *c != '/'
        })
        .collect();
    let mut rest = text.as_str();
    while let Some(letter) = rest.bytes().next() {
        // No parameters and no arithmetic.
        if letter == b'#' {
            return Err(20);
        }
        if !letter.is_ascii_alphabetic() {
            return Err(1);
        }
        rest = &rest[1..];
        let end =
            rest.find(|c: char| !(c.is_ascii_digit() || "+-.".contains(c))).unwrap_or(rest.len());
        let value =
            rest[..end].parse().map_err(|_| if rest.starts_with('#') { 20_u16 } else { 2 })?;
        words.push((letter.to_ascii_uppercase(), value));
        rest = &rest[end..];
    }
    Ok(words)
}

/// The line without codes that its firmware has beyond the interface, and without the words that those take; `None`
/// where it has none of them.
pub(crate) fn without_own(line: &str, own: &[(u8, f64)]) -> Option<String> {
    let words = split(line).ok().filter(|_| !own.is_empty())?;
    let is_own = |word: &&Word| own.contains(word);
    words.iter().find(is_own)?;
    let taken = |(letter, _): &Word| matches!(letter, b'P' | b'Q' | b'E' | b'D' | b'H' | b'L');
    let rest = words.iter().filter(|word| !is_own(word) && !taken(word));
    Some(rest.map(|(letter, value)| format!("{}{value}", *letter as char)).collect())
}

#[derive(Default)]
struct Line {
    motion: Option<u8>,
    dwell: bool,
    probe: bool,
    set_offset: bool,
    shift: bool,
    forget_shift: bool,
    /// A feed stands in it.
    feeds: bool,
    /// A motion is named in it.
    names_motion: bool,
    /// The work offset that is to count, from 0 (`G54` to `G59`).
    system: Option<usize>,
    /// On the machine's own axes (`G53`).
    machine: bool,
    sync: bool,
    pause: bool,
    words: Vec<Word>,
}

impl Line {
    fn get(&self, letter: u8) -> Option<f64> {
        self.words.iter().find(|(l, _)| *l == letter).map(|(_, v)| *v)
    }
}

impl Modal {
    /// Carries a line out on the modal state.
    pub(crate) fn line(&mut self, text: &str) -> Result<Command, u16> {
        // Nothing of a refused line takes effect.
        let mut next = self.clone();
        let order = next.carry_out(&split(text)?)?;
        *self = next;
        Ok(order)
    }

    fn carry_out(&mut self, words: &[Word]) -> Result<Command, u16> {
        let mut line = Line::default();
        let strict = self.protocol == Protocol::Grbl;
        let (mut groups, mut feeds, mut powers) = (Groups::default(), 0, 0);
        for (letter, value) in words {
            if strict && matches!(letter, b'G' | b'M') {
                if *letter == b'M' && value.fract() != 0.0 {
                    return Err(23);
                }
                groups.take(*letter, (value * 10.0).round() as i32)?;
            }
            feeds += usize::from(*letter == b'F');
            powers += usize::from(*letter == b'S');
            if strict && (feeds > 1 || powers > 1) {
                return Err(25);
            }
            match letter {
                b'G' => self.g(*value, &mut line)?,
                b'M' => self.m(*value, &mut line)?,
                b'F' | b'S' | b'N' | b'P' | b'T' if *value < 0.0 => return Err(4),
                b'F' => (self.feed, line.feeds) = (*value, true),
                b'S' => self.s = *value,
                b'N' => {}
                b'X' | b'Y' | b'Z' | b'A' | b'B' | b'C' | b'I' | b'J' | b'P' | b'R' | b'L' => {
                    if line.get(*letter).is_some() {
                        return Err(25);
                    }
                    line.words.push((*letter, *value));
                }
                b'T' => {}
                _ => return Err(20),
            }
        }
        if strict {
            self.all_are_used(&line)?;
        }
        if line.dwell {
            let time = line.get(b'P').ok_or(28_u16)?.max(0.0);
            let printer = self.protocol == Protocol::Reprap;
            return Ok(Command::Dwell(if printer { time / 1000.0 } else { time }));
        }
        if let Some(n) = line.system {
            self.keep_place(|offsets| offsets.choose(n));
        }
        if line.forget_shift {
            self.keep_place(Offsets::forget_shift);
        }
        let to = self.target(&line);
        if line.set_offset || line.shift {
            self.set_offset(&line)?;
            return Ok(Command::Sync);
        }
        let moves = [b'X', b'Y', b'A', b'B', b'C'].iter().any(|axis| line.get(*axis).is_some());
        if let Some(motion) = line.motion {
            self.motion = motion;
        }
        let lifts = line.get(b'Z').is_some();
        if moves && lifts || line.pause && (moves || lifts) {
            // One axis at a time: a program for a laser never slants. A pause has its own line.
            return Err(20);
        }
        if line.probe {
            // Nothing stands beside the head: it is a surface below that is looked for.
            if moves || !lifts || line.pause {
                return Err(20);
            }
            if self.feed <= 0.0 {
                return Err(22);
            }
            return Ok(Command::Probe { to, feed: self.mm(self.feed) / 60.0 });
        }
        if line.pause {
            return Ok(Command::Pause);
        }
        if moves || lifts || (self.motion >= 2 && line.get(b'I').or(line.get(b'J')).is_some()) {
            return self.moves(&line, to);
        }
        Ok(if line.sync { Command::Sync } else { Command::Nothing })
    }

    /// Whether everything in a line has its use: two commands that both want a place, and words that none wants, are
    /// refused.
    fn all_are_used(&self, line: &Line) -> Result<(), u16> {
        let place = |letters: &[u8]| letters.iter().any(|letter| line.get(*letter).is_some());
        let axes = place(b"XYZABC");
        let sets = line.set_offset || line.shift;
        if sets && line.names_motion {
            return Err(24);
        }
        let motion = line.motion.unwrap_or(self.motion);
        let arc = (axes || line.names_motion) && !sets && !line.probe && motion >= 2;
        if arc && !axes {
            return Err(26);
        }
        if sets && !axes {
            return Err(26);
        }
        let used: &[u8] = match () {
            () if line.dwell => b"P",
            () if line.set_offset => b"PL",
            // A number of turns is not known.
            () if arc => b"IJR",
            () => b"",
        };
        if line.dwell && axes {
            // A dwell and a move in one line: which comes first depends on the board.
            return Err(24);
        }
        let left =
            b"IJRPL".iter().any(|letter| line.get(*letter).is_some() && !used.contains(letter));
        if left { Err(36) } else { Ok(()) }
    }

    /// The offsets change, and the head stays where it is.
    fn keep_place(&mut self, change: impl FnOnce(&mut Offsets)) {
        let before = self.offsets.total();
        change(&mut self.offsets);
        let now = self.offsets.total();
        self.at = std::array::from_fn(|n| self.at[n] + before[n] - now[n]);
    }

    /// The line at hand is carried out: if it ended the program, everything is as at the start. A
    /// move on that line comes before.
    pub(crate) fn end_line(&mut self) {
        if std::mem::take(&mut self.ending) {
            self.beam = Beam::Off;
            self.air = false;
            self.motion = 1;
            (self.relative, self.inverse_time) = (false, false);
        }
    }

    fn g(&mut self, value: f64, line: &mut Line) -> Result<(), u16> {
        let tenths = (value * 10.0).round() as i32;
        line.names_motion |= matches!(tenths, 0 | 10 | 20 | 30);
        match tenths {
            0 => line.motion = Some(0),
            10 => line.motion = Some(1),
            20 => line.motion = Some(2),
            30 => line.motion = Some(3),
            40 => line.dwell = true,
            100 => line.set_offset = true,
            382 if self.protocol == Protocol::Grbl => line.probe = true,
            530 => line.machine = true,
            540 | 550 | 560 | 570 | 580 | 590 => {
                line.system = Some(((tenths - 540) / 10) as usize);
            }
            920 => line.shift = true,
            921 => line.forget_shift = true,
            200 => self.inches = true,
            210 => self.inches = false,
            900 => self.relative = false,
            910 => self.relative = true,
            930 => self.inverse_time = true,
            940 => self.inverse_time = false,
            170 | 400 | 490 | 610 | 800 | 911 => {}
            _ => return Err(20),
        }
        Ok(())
    }

    fn m(&mut self, value: f64, line: &mut Line) -> Result<(), u16> {
        line.sync = true;
        match value as i32 {
            // Printers wait for a button that this one does not have; an M1 is passed over.
            0 if self.protocol == Protocol::Grbl => line.pause = true,
            0 | 1 => {}
            2 | 30 => self.ending = true,
            3 => self.beam = Beam::Constant,
            4 => self.beam = Beam::Dynamic,
            5 => self.beam = Beam::Off,
            7 | 8 => self.air = true,
            9 => self.air = false,
            106 if self.protocol == Protocol::Reprap => {
                (line.sync, self.beam) = (false, Beam::Constant);
            }
            107 if self.protocol == Protocol::Reprap => {
                (line.sync, self.beam, self.s) = (false, Beam::Off, 0.0);
            }
            // An output of the board that is not the beam.
            42 if self.protocol == Protocol::Reprap => line.sync = false,
            400 if self.protocol == Protocol::Reprap => {}
            _ => return Err(20),
        }
        Ok(())
    }

    fn mm(&self, value: f64) -> f64 {
        if self.inches { value * 25.4 } else { value }
    }

    fn target(&self, line: &Line) -> Axes {
        let offset = self.offsets.total();
        let axis = |n: usize, value: Option<f64>| match (value, self.at[n]) {
            (None, now) => now,
            (Some(value), _) if line.machine => value - offset[n],
            (Some(value), now) if self.relative => now + value,
            (Some(value), _) => value,
        };
        let mm = |letter: u8| line.get(letter).map(|value| self.mm(value));
        let turn = [b'A', b'B', b'C'].into_iter().find_map(|letter| line.get(letter));
        [axis(0, mm(b'X')), axis(1, mm(b'Y')), axis(2, turn), axis(3, mm(b'Z'))]
    }

    /// `G92`, and `G10 L20`: the present position gets these work coordinates; `G10 L2`: the zero lies at these machine
    /// coordinates.
    fn set_offset(&mut self, line: &Line) -> Result<(), u16> {
        let axes = [(0, b'X'), (1, b'Y'), (3, b'Z')];
        let said = axes.map(|(axis, letter)| Some((axis, self.mm(line.get(letter)?))));
        let total = self.offsets.total();
        let machine: Axes = std::array::from_fn(|n| self.at[n] + total[n]);
        if line.shift {
            self.keep_place(|offsets| {
                for (axis, value) in said.into_iter().flatten() {
                    offsets.shift_to(axis, machine[axis], value);
                }
            });
            return Ok(());
        }
        let (kind, system) = line.get(b'L').zip(line.get(b'P')).ok_or(28_u16)?;
        if !(0.0..=6.0).contains(&system) || system.fract() != 0.0 {
            return Err(29);
        }
        let system = (system as usize).checked_sub(1).unwrap_or(self.offsets.in_force());
        let called = match kind as i64 {
            20 => true,
            2 => false,
            _ => return Err(20),
        };
        self.keep_place(|offsets| {
            for (axis, value) in said.into_iter().flatten() {
                if called {
                    offsets.call(system, axis, machine[axis], value);
                } else {
                    offsets.put(system, axis, value);
                }
            }
        });
        Ok(())
    }

    fn moves(&mut self, line: &Line, to: Axes) -> Result<Command, u16> {
        let from = self.at;
        let points = match self.motion {
            0 | 1 => vec![to],
            _ => self.chords(line, from, to)?,
        };
        let feed = match self.motion {
            // A printer's firmware knows no rapids.
            0 if self.protocol == Protocol::Grbl => None,
            _ if self.feed <= 0.0 || self.inverse_time && !line.feeds => return Err(22),
            _ if self.inverse_time => {
                let mut at = from;
                let length: f64 =
                    points.iter().map(|p| distance(std::mem::replace(&mut at, *p), *p)).sum();
                Some(length * self.feed / 60.0)
            }
            _ => Some(self.mm(self.feed) / 60.0),
        };
        self.at = to;
        Ok(Command::Moves { to: points, feed })
    }

    /// An arc as chords, the way boards do it.
    fn chords(&self, line: &Line, from: Axes, to: Axes) -> Result<Vec<Axes>, u16> {
        let clockwise = self.motion == 2;
        let centre = match line.get(b'R') {
            Some(r) => radius_centre(from, to, self.mm(r), clockwise).ok_or(34_u16)?,
            None => {
                let (i, j) = (line.get(b'I'), line.get(b'J'));
                if i.is_none() && j.is_none() {
                    return Err(35);
                }
                let (i, j) = (self.mm(i.unwrap_or(0.0)), self.mm(j.unwrap_or(0.0)));
                [from[0] + i, from[1] + j, from[2], from[3]]
            }
        };
        let (r, r_end) = (distance(from, centre), distance(to, centre));
        let off = (r - r_end).abs();
        if off > 0.5 || (off > 0.005 && off > 0.001 * r) {
            return Err(33);
        }
        let angle = |p: Axes| (p[1] - centre[1]).atan2(p[0] - centre[0]);
        let begin = angle(from);
        let turn = std::f64::consts::TAU;
        let mut sweep = (angle(to) - begin).rem_euclid(turn);
        if clockwise {
            sweep -= turn;
        }
        if distance(from, to) < 1e-9 || sweep == 0.0 {
            sweep = if clockwise { -turn } else { turn };
        }
        let count = (0.5 * sweep.abs() * r
            / (ARC_TOLERANCE * (2.0 * r - ARC_TOLERANCE)).max(1e-12).sqrt())
        .floor() as usize;
        let mut points: Vec<_> = (1..count.clamp(1, 100_000))
            .map(|n| {
                let a = begin + sweep * n as f64 / count as f64;
                [centre[0] + r * a.cos(), centre[1] + r * a.sin(), from[2], from[3]]
            })
            .collect();
        points.push(to);
        Ok(points)
    }
}

fn radius_centre(from: Axes, to: Axes, r: f64, clockwise: bool) -> Option<Axes> {
    let (dx, dy) = (to[0] - from[0], to[1] - from[1]);
    let chord = dx.hypot(dy);
    let height = (r * r - chord * chord / 4.0).max(0.0).sqrt();
    if chord <= 0.0 || chord > 2.001 * r.abs() {
        return None;
    }
    let side = if clockwise == (r > 0.0) { -1.0 } else { 1.0 };
    Some([
        (from[0] + to[0]) / 2.0 - dy / chord * height * side,
        (from[1] + to[1]) / 2.0 + dx / chord * height * side,
        from[2],
        from[3],
    ])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_become_orders_and_refused_lines_change_nothing() {
        let mut modal = Modal::default();
        assert_eq!(modal.line("G21 G90 (set up)").unwrap(), Command::Nothing);
        assert_eq!(
            modal.line("g1x10f600"),
            Ok(Command::Moves { to: vec![[10.0, 0.0, 0.0, 0.0]], feed: Some(10.0) })
        );
        assert_eq!(modal.line("X20 Q5"), Err(20));
        assert_eq!(modal.line("X20 X30"), Err(25));
        assert_eq!(modal.at, [10.0, 0.0, 0.0, 0.0]);
        assert_eq!(modal.line("G2X5Y5"), Err(35));
        assert_eq!(modal.line("G2 X5 Y5 I9 J0"), Err(33));
        assert_eq!(modal.line("5"), Err(1));
        assert_eq!(modal.line("GX"), Err(2));
        assert_eq!(Modal::default().line("G1 X5"), Err(22));
        assert_eq!(modal.line("G4 P0.5"), Ok(Command::Dwell(0.5)));
    }

    #[test]
    fn chords_stay_near_the_circle_and_end_where_the_arc_ends() {
        let mut modal = Modal::default();
        modal.line("G1 X10 F600").unwrap();
        let Command::Moves { to, .. } = modal.line("G3 X-10 Y0 I-10 J0").unwrap() else { panic!() };
        assert!(to.len() > 50 && to.last() == Some(&[-10.0, 0.0, 0.0, 0.0]));
        for pair in to.windows(2) {
            let middle = [0, 1, 2, 3].map(|n| (pair[0][n] + pair[1][n]) / 2.0);
            assert!((10.0 - distance(middle, [0.0; 4])).abs() < 0.0025);
        }
        assert!(to.iter().all(|p| p[1] >= -1e-9), "the upper half, counter-clockwise");
    }
}
