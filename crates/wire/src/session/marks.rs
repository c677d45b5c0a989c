//! Marks among the lines of a program: questions whose answers cannot be taken for those of other lines.
//!
//! An `ok` says nothing of the line that it belongs to. When some come twice, lines go out that find no room, melt into
//! each other, and are answered once for two: every count adds up, and a line is missing. So `$G`, which a controller
//! answers in motion as well, goes out among the lines. Its `[GC:…]` comes behind the answers to all lines in front of it:
//! then the counts must agree. And no more goes out behind the last mark that was answered than the receive buffer
//! holds, whatever else was answered: nothing can run over.

use super::Miscount;
use std::collections::VecDeque;

/// The mark itself.
pub(super) const MARK: &[u8] = b"$G";

/// The most bytes from one mark to the next.
const MOST_APART: usize = 256;

/// The marks of a stream.
#[derive(Debug, Default)]
pub(super) struct Marks {
    /// Whether the controller answers them.
    answers: bool,
    /// Bytes that went out behind each mark that was not answered, the oldest first; with the mark itself.
    behind: VecDeque<usize>,
    /// Bytes behind the last mark that was answered, up to the next.
    first: usize,
    /// A mark was answered, and its `ok` has not come.
    owes_ok: bool,
}

impl Marks {
    /// For a controller that has answered the question when it stood.
    pub(super) fn new(answers: bool) -> Self {
        Self { answers, ..Self::default() }
    }

    /// No marks any more: the controller does not answer them in motion.
    pub(super) fn give_up(&mut self) {
        *self = Self::default();
    }

    /// Bytes that may lie in the receive buffer.
    fn under_way(&self) -> usize {
        self.first + self.behind.iter().sum::<usize>()
    }

    /// Bytes since the last mark.
    fn since(&self) -> usize {
        self.behind.back().copied().unwrap_or(self.first)
    }

    /// Whether so many bytes, and a mark behind them, fit into a receive buffer of `buffer` bytes.
    pub(super) fn have_room(&self, bytes: usize, buffer: usize) -> bool {
        // A ring buffer of n bytes holds n - 1.
        !self.answers || self.under_way() + bytes + MARK.len() + 1 < buffer
    }

    /// Whether a mark is due in front of the next line, of so many bytes: half a buffer after the last one, or where
    /// the line finds no room and no mark is under way. Without one nothing would ever make room for it.
    pub(super) fn is_due(&self, bytes: usize, buffer: usize) -> bool {
        let apart = (buffer / 2).saturating_sub(MARK.len() + 1).clamp(1, MOST_APART);
        let stuck = self.behind.is_empty() && !self.have_room(bytes, buffer);
        self.want_a_last() && (self.since() >= apart || stuck)
    }

    /// The longest line for which there can be room in a receive buffer of `buffer` bytes.
    pub(super) fn longest_line(&self, buffer: usize) -> usize {
        buffer.saturating_sub(if self.answers { MARK.len() + 2 } else { 1 })
    }

    /// Whether lines went out behind the last mark, or a mark is not answered.
    pub(super) fn are_open(&self) -> bool {
        self.answers && (self.under_way() > 0 || self.owes_ok)
    }

    /// Whether the last lines have no mark behind them.
    pub(super) fn want_a_last(&self) -> bool {
        let only_a_mark = !self.behind.is_empty() && self.since() <= MARK.len() + 1;
        self.answers && self.since() > 0 && !only_a_mark
    }

    /// A line goes out.
    pub(super) fn line(&mut self, bytes: usize) {
        *self.behind.back_mut().unwrap_or(&mut self.first) += bytes;
    }

    /// A mark goes out.
    pub(super) fn mark(&mut self) {
        self.behind.push_back(MARK.len() + 1);
    }

    /// A mark was answered; so many lines in front of it were not answered before it.
    pub(super) fn answered(&mut self, lines: usize) -> Option<Miscount> {
        // Nobody asked: it may have been said twice.
        let behind = self.behind.pop_front()?;
        self.first = behind - (MARK.len() + 1);
        self.owes_ok = true;
        (lines > 0).then_some(Miscount::Lost(lines))
    }

    /// The `ok` of a mark came, as it seems: it comes behind its answer.
    pub(super) fn ok(&mut self) -> Option<Miscount> {
        (!std::mem::take(&mut self.owes_ok)).then_some(Miscount::Surplus)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_more_goes_out_behind_an_answered_mark_than_the_buffer_holds() {
        let mut marks = Marks::new(true);
        let mut sent = 0;
        while marks.have_room(20, 128) {
            if marks.is_due(20, 128) {
                marks.mark();
                sent += 3;
            }
            marks.line(20);
            sent += 20;
        }
        assert!(sent + 3 < 128 && sent + 23 + 3 >= 128, "{sent}");
        // Answers to lines give no room; the answer to the mark does.
        assert_eq!(marks.answered(0), None);
        assert_eq!(marks.ok(), None);
        assert!(marks.have_room(20, 128));
    }

    #[test]
    fn counts_that_do_not_agree_are_found_at_the_mark() {
        let mut marks = Marks::new(true);
        marks.line(10);
        marks.mark();
        assert_eq!(marks.answered(2), Some(Miscount::Lost(2)));
        let mut marks = Marks::new(true);
        marks.line(10);
        marks.mark();
        assert_eq!(marks.ok(), Some(Miscount::Surplus), "its ok came before its answer");
    }

    #[test]
    fn the_last_lines_get_a_mark_and_a_controller_without_answers_gets_none() {
        let mut marks = Marks::new(true);
        assert!(!marks.want_a_last() && !marks.are_open());
        marks.line(9);
        assert!(marks.want_a_last());
        marks.mark();
        assert!(!marks.want_a_last() && marks.are_open());
        let _ = marks.answered(0);
        let _ = marks.ok();
        assert!(!marks.want_a_last() && !marks.are_open());
        let mut none = Marks::new(false);
        none.line(500);
        assert!(none.have_room(500, 128) && !none.is_due(500, 128) && !none.want_a_last());
    }
}
