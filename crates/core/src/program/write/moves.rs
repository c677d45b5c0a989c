//! Moves and what stands between them: focus, dwells, piercing.

use super::Writer;
use crate::geometry::{Piece, Vec2};
use crate::job::machine::{FeedMode, Switch, Travel};
use crate::mapping::{Move, Pace, Purpose};
use crate::program::number::{Micron, microns, push_length, push_rounded};
use crate::program::page::Pages;
use crate::quantity::SValue;
use std::io;

impl<P: Pages> Writer<'_, '_, P> {
    /// Lifts or lowers the focus, the beam off.
    pub(super) fn height(&mut self, to: Micron) -> io::Result<()> {
        if self.said.z == to {
            return Ok(());
        }
        self.dark()?;
        self.said.motion = Some(b'0');
        let from = std::mem::replace(&mut self.said.z, to);
        self.line.extend_from_slice(b"G0");
        push_length(&mut self.line, b'Z', if self.relative { to - from } else { to });
        if let Travel::Feed(_) = self.program.job().machine.travel
            && self.style.travel_named
            && let Some(z) = self.program.job().machine.z
        {
            // Where a travel move goes at the last feed it is told its own.
            self.said.feed = Some(z.axis.top_speed * 60.0);
            push_rounded(&mut self.line, b'F', z.axis.top_speed * 60.0, 1);
        }
        self.end_line()
    }

    pub(super) fn dwell(&mut self, seconds: f64) -> io::Result<()> {
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
    pub(super) fn pierce(&mut self, seconds: f64, s: SValue) -> io::Result<()> {
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
    pub(super) fn power_line(&mut self, s: f64) -> io::Result<()> {
        self.said.s = Some(s);
        self.line.extend_from_slice(b"M106 ");
        push_rounded(&mut self.line, b'S', (s + 1e-6).floor(), 0);
        self.end_line()
    }

    pub(super) fn write_move(&mut self, m: &Move, s: SValue) -> io::Result<()> {
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
    pub(super) fn feed(&mut self, start: [Micron; 2], end: [Micron; 2], speed: f64) {
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
