//! Walking rows: run-up, stretches with their power, gaps, run-out.

use super::{Instruction, Pace, Purpose, Walker};
use tinkite_base::geometry::{Piece, Point};
use tinkite_base::quantity::Power;
use tinkite_job::Step;
use tinkite_toolpath::rows::{Row, RowOrder, Rows};

/// Stretches nearer than this (mm) follow one another without a gap.
const TOUCHING: f64 = 1e-6;

impl<'p, E, F: FnMut(Instruction<'p>) -> Result<(), E>> Walker<'p, F> {
    pub(super) fn rows(&mut self, rows: &Rows, step: &Step, pass: usize) -> Result<(), E> {
        self.begin_pass(step, pass);
        let how = &step.passes[pass];
        // Levels hold the powers of the first pass; further passes are stronger or weaker as one.
        let share = step.share(pass);
        let feed = Pace::Feed(how.speed);
        let mut height = Some(step.height(pass) - self.sunk);
        rows.rows().try_for_each(|row| self.row(&row, &rows.walk, feed, share, height.take()))
    }

    fn row(
        &mut self,
        row: &Row<'_>,
        walk: &RowOrder,
        feed: Pace,
        share: f64,
        height: Option<f64>,
    ) -> Result<(), E> {
        let shift = self.placed.shift;
        let reach = row.direction() * walk.run_up;
        let settle = row.direction() * walk.gaps.settle;
        let mut end_before: Option<Point> = None;
        let mut height = height;
        for (from, to, power) in row.stretches() {
            let (from, to) = (from + shift, to + shift);
            let power = [Power(power.0 * share); 2];
            let enter = match end_before {
                Some(end) if end.distance(from) <= walk.gaps.short + 1e-6 => None,
                // The head goes faster and comes back to its speed without a halt.
                Some(end) => {
                    self.dark(Purpose::Dark, end + settle, feed)?;
                    Some(from - settle)
                }
                None => Some(from - reach),
            };
            if let Some(enter) = enter {
                match height.take() {
                    // The first row of all is travelled to like any path.
                    Some(height) => self.travel(enter, height)?,
                    None => self.dark(Purpose::Travel, enter, self.placed.travel)?,
                }
            }
            if self.at.distance(from) > TOUCHING {
                self.dark(Purpose::Dark, from, feed)?;
            }
            self.go(Purpose::Burn, Piece::Line { to }, feed, power)?;
            end_before = Some(to);
        }
        match end_before {
            Some(end) => self.dark(Purpose::Dark, end + reach, feed),
            None => Ok(()),
        }
    }
}
