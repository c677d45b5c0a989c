//! Supply: when each line of a program reaches the controller's planner.
//!
//! A line goes over the cable when there is room for it in the controller's receive buffer; the
//! controller works through so many lines a second; and its planner has room for a line's moves when
//! enough of those before have run. Where the head has run everything that is known before the next
//! line is there, it waits: the program is starved.

use crate::Supply as Rates;
use std::collections::VecDeque;

/// What has gone over the link so far.
#[derive(Debug)]
pub struct Supply {
    /// Seconds for each line and each byte.
    line_gap: f64,
    byte_gap: f64,
    /// Bytes that the controller holds unread.
    buffer: usize,
    /// Bytes since the last question, with it; none where nothing is asked among the lines.
    since: Option<usize>,
    /// When the cable is free again.
    cable: f64,
    /// When the last line was read.
    read: f64,
    /// LineBytes in the buffer: when each is read, and its bytes.
    unread: VecDeque<(f64, usize)>,
    held: usize,
}

impl Supply {
    /// A link at rest; `None` where lines come as fast as they are wanted.
    #[must_use]
    pub fn new(rates: Rates) -> Option<Self> {
        let gap = |rate: Option<f64>| rate.map_or(0.0, |rate| 1.0 / rate);
        rates.is_limited().then(|| Self {
            line_gap: gap(rates.lines_per_second),
            byte_gap: gap(rates.bytes_per_second),
            buffer: rates.buffer,
            since: rates.asks.then_some(0),
            cable: 0.0,
            read: 0.0,
            unread: VecDeque::new(),
            held: 0,
        })
    }

    /// Sends lines of so many bytes each; there is room for what they say from `room` (s) on. When
    /// the last of them is read, s.
    pub(super) fn read(&mut self, lines: &LineBytes, room: f64) -> f64 {
        for bytes in lines.sizes() {
            if self.since.is_some_and(|since| since >= question_interval(self.buffer)) {
                self.since = Some(QUESTION);
                self.line(QUESTION, room);
            }
            self.since = self.since.map(|since| since + bytes);
            self.line(bytes, room);
        }
        self.read
    }

    fn line(&mut self, bytes: usize, room: f64) {
        while self.held + bytes >= self.buffer
            && let Some((read, before)) = self.unread.pop_front()
        {
            self.cable = self.cable.max(read);
            self.held -= before;
        }
        self.cable += bytes as f64 * self.byte_gap;
        self.read = self.cable.max(self.read + self.line_gap).max(room);
        self.unread.push_back((self.read, bytes));
        self.held += bytes;
    }
}

/// Bytes of a question among the lines, with its end.
const QUESTION: usize = 3;

/// Bytes from one question to the next: two fit into the receive buffer.
fn question_interval(buffer: usize) -> usize {
    (buffer / 2).saturating_sub(QUESTION).clamp(1, 256)
}

/// What stands round a line of 3-D-printer firmware: `N`, a number of five digits, a blank, `*` and a
/// sum of three digits.
pub const NUMBERED: usize = 11;

/// The bytes of the few lines that a move, or what stands between moves, is said in.
#[derive(Debug, Clone, Copy, Default)]
pub struct LineBytes {
    sizes: [u32; Self::MOST],
    count: u32,
}

impl LineBytes {
    /// A pierce on a controller that keeps its power constant has as many.
    const MOST: usize = 6;

    /// Adds a line of so many bytes with its end. Were there ever more than a pierce has, the last
    /// would count for all of those.
    pub fn add(&mut self, bytes: usize) {
        self.count = (self.count + 1).min(Self::MOST as u32);
        let size = &mut self.sizes[self.count as usize - 1];
        *size = size.saturating_add(u32::try_from(bytes).unwrap_or(u32::MAX));
    }

    /// All of them.
    #[must_use]
    pub fn total(&self) -> u32 {
        self.sizes[..self.count as usize].iter().fold(0, |sum, size| sum.saturating_add(*size))
    }

    fn sizes(&self) -> impl Iterator<Item = usize> {
        self.sizes[..self.count as usize].iter().map(|size| *size as usize)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_waits_for_the_cable_the_reader_and_room_on_either_side_of_it() {
        // 100 bytes and 100 lines a second, two lines of 20 bytes in the buffer.
        let rates = Rates {
            lines_per_second: Some(100.0),
            bytes_per_second: Some(100.0),
            buffer: 50,
            asks: false,
        };
        let mut supply = Supply::new(rates).unwrap();
        let mut read = |room: f64| {
            let mut line = LineBytes::default();
            line.add(20);
            supply.read(&line, room)
        };
        // When there is room for each in the planner, and when it is read.
        let expected = [
            // The cable takes 0.2 s.
            (0.0, 0.2),
            // It is there at 0.4 s, and the planner has room later.
            (10.0, 10.0),
            // A line takes the reader 0.01 s.
            (10.0, 10.01),
            // The buffer has room for it once the second is read, at 10 s.
            (0.0, 10.2),
            (20.0, 20.0),
            // Those before it are read at 10.2 s and 20 s: it has to wait for the first alone.
            (0.0, 20.01),
            // And this one for the line that was read at 20 s.
            (0.0, 20.2),
        ];
        for (n, (room, at)) in expected.into_iter().enumerate() {
            let is = read(room);
            assert!((is - at).abs() < 1e-9, "line {n}: {is}, not {at}");
        }
        assert!(
            Supply::new(Rates {
                lines_per_second: None,
                bytes_per_second: None,
                buffer: 50,
                asks: false
            })
            .is_none()
        );
    }
}
