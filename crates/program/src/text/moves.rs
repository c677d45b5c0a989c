//! Moves and what stands between them: focus, dwells, piercing.

use super::Writer;
use super::number::{push_feed, push_length, push_level, push_rounded};
use super::page::Pages;
use crate::mapping::Purpose;
use crate::segment::{AxisMove, Feed, Micron};
use std::io;
use tinkite_machine::source::Level;
use tinkite_machine::{FeedMode, Switch, Travel};

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
        if let Travel::Feed(_) = self.segments.job().machine.travel
            && self.style.travel_named
            && let Some(z) = self.segments.job().machine.z
        {
            // Where a travel move goes at the last feed it is told its own.
            if let Some(feed) = Feed::new(z.axis.top_speed * 60.0) {
                self.said.feed = Some(feed);
                push_feed(&mut self.line, feed);
            }
        }
        self.end_line()
    }

    pub(super) fn dwell(&mut self, ms: u32) -> io::Result<()> {
        self.line.extend_from_slice(b"G4 ");
        if self.style.milliseconds {
            push_rounded::<0>(&mut self.line, b'P', f64::from(ms));
        } else {
            push_rounded::<3>(&mut self.line, b'P', f64::from(ms) / 1000.0);
        }
        self.end_line()
    }

    /// Stands still with the beam on. Power that follows the speed is nothing at standstill, and a
    /// controller in laser mode keeps the beam off while it is in rapid motion: so a feed move of no
    /// length comes first, and power that stays.
    pub(super) fn pierce(&mut self, ms: u32, level: Level) -> io::Result<()> {
        self.dark()?;
        if self.style.switch == Switch::Lines {
            // The head must stand before the beam lights.
            self.code("M400")?;
            self.power_line(level)?;
            self.dwell(ms)?;
            return self.dark();
        }
        self.said.motion = Some(b'1');
        self.line.extend_from_slice(b"G1");
        for n in 0..2 {
            let at = if self.relative { 0 } else { self.said.at[n].unwrap_or(0) };
            push_length(&mut self.line, self.frame.letters()[n], at);
        }
        let inverse = self.frame.feed_mode() == FeedMode::InverseTime;
        let step = self.of.map_or(0, |of| of.step);
        let speed = self.segments.job().steps[step].speed().0 * 60.0;
        let feed = Feed::new(if inverse { 600.0 } else { speed });
        if self.said.feed != feed || inverse {
            self.said.feed = feed;
            feed.into_iter().for_each(|feed| push_feed(&mut self.line, feed));
        }
        self.end_line()?;
        self.line.extend_from_slice(b"M3 ");
        push_level(&mut self.line, level);
        self.end_line()?;
        self.dwell(ms)?;
        let follows = self.said.follows;
        self.said.level = Some(level);
        if follows == Some(true) { self.beam_mode(true) } else { self.dark() }
    }

    /// Power in a line of its own.
    fn power_line(&mut self, level: Level) -> io::Result<()> {
        self.said.level = Some(level);
        self.line.extend_from_slice(b"M106 ");
        push_level(&mut self.line, level);
        self.end_line()
    }

    pub(super) fn write_move(&mut self, way: &AxisMove) -> io::Result<()> {
        let before = self.said.at;
        let motion = match (way.feed, way.arc) {
            (None, _) => b'0',
            (Some(_), None) if way.purpose == Purpose::Travel && self.style.travel_named => b'0',
            (Some(_), None) => b'1',
            (Some(_), Some(arc)) if arc.clockwise => b'2',
            (Some(_), Some(_)) => b'3',
        };
        if self.style.switch == Switch::Lines && self.said.level != Some(way.level) {
            if way.level.is_lit() { self.power_line(way.level)? } else { self.dark()? }
        }
        if self.said.motion != Some(motion) || self.style.one_code {
            self.said.motion = Some(motion);
            self.line.extend_from_slice(&[b'G', motion]);
        }
        for (n, said) in before.iter().enumerate() {
            // An arc names both ends, which every controller understands alike.
            if *said != Some(way.to[n]) || way.arc.is_some() {
                // A file that goes on begins where the head came home to, not where the move did.
                let from = said.unwrap_or(way.from[n]);
                let word = if self.relative { way.to[n] - from } else { way.to[n] };
                push_length(&mut self.line, self.frame.letters()[n], word);
            }
        }
        if let Some(arc) = way.arc {
            push_length(&mut self.line, b'I', arc.centre[0]);
            push_length(&mut self.line, b'J', arc.centre[1]);
        }
        self.said.at = way.to.map(Some);
        // A travel move switches the beam off by its own word, laser mode or not.
        if self.style.switch == Switch::Inline && self.said.level != Some(way.level) {
            self.said.level = Some(way.level);
            push_level(&mut self.line, way.level);
        }
        if let Some(feed) = way.feed
            && (self.said.feed != Some(feed) || self.frame.feed_mode() == FeedMode::InverseTime)
        {
            self.said.feed = Some(feed);
            push_feed(&mut self.line, feed);
        }
        self.end_line()
    }
}
