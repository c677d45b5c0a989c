//! Rows: parallel lines with stretches that are burnt, each with its power.

use super::gaps::Gaps;
use std::borrow::Cow;
use std::sync::Arc;
use tinkite_base::geometry::scan::Span;
use tinkite_base::geometry::{Point, Vec2};
use tinkite_base::quantity::Power;
use tinkite_job::{Advance, Directions, Job, Step};

/// How rows lie and how they are walked.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RowOrder {
    /// Unit vector along the rows.
    pub along: Vec2,
    /// Height of row 0 in the frame of the rows, mm.
    pub first: f64,
    /// From row to row, mm.
    pub spacing: f64,
    /// In which directions they are walked.
    pub directions: Directions,
    /// Whether the last row is run first.
    pub reversed: bool,
    /// Length before and after each row at speed with the beam off, mm.
    pub run_up: f64,
    /// How gaps are crossed.
    pub gaps: Gaps,
    /// How far rows that are walked backwards land beyond where they should, mm.
    pub offset: f64,
}

impl RowOrder {
    /// For rows at `angle` radians. Left to itself, the advance is upwards, or rightwards for rows
    /// that run away from the operator.
    #[must_use]
    pub fn new(angle: f64, spacing: f64, advance: Option<Advance>) -> Self {
        let along = Vec2::new(angle.cos(), angle.sin());
        let across = Vec2::new(-along.y, along.x);
        let steep = across.y.abs() < 1e-9;
        let towards = match advance {
            None if steep => Vec2::new(1.0, 0.0),
            None | Some(Advance::Upwards) => Vec2::new(0.0, 1.0),
            Some(Advance::Downwards) => Vec2::new(0.0, -1.0),
            Some(Advance::Rightwards) => Vec2::new(1.0, 0.0),
            Some(Advance::Leftwards) => Vec2::new(-1.0, 0.0),
        };
        Self {
            along,
            first: 0.0,
            spacing,
            directions: Directions::Both,
            reversed: across.dot(towards) < 0.0,
            run_up: 0.0,
            gaps: Gaps::NONE,
            offset: 0.0,
        }
    }

    /// Rows that fill heights from `low` to `high`: how many, each in the middle of its strip, so
    /// that both edges are left alike.
    pub(super) fn fill(&mut self, low: f64, high: f64) -> u32 {
        // Half a row more is one: rounding of the drawing's numbers must not decide.
        let rows = ((high - low) / self.spacing + 1e-6).round().max(1.0);
        self.first = f64::midpoint(low, high) - (rows - 1.0) / 2.0 * self.spacing;
        rows as u32
    }

    /// How the head gets up to the speed of a step: with a run-up as given, or as long as it must be.
    pub(super) fn get_up_to_speed(&mut self, given: Option<f64>, step: &Step, job: &Job) {
        self.run_up = given.unwrap_or_else(|| job.run_up(step, self.along));
        self.gaps = Gaps::of(self.along, self.run_up, step, job);
    }
}

/// Pixels in rows: level 0 is not burnt.
#[derive(Debug, Clone, PartialEq)]
pub struct PixelRows {
    /// Levels, row by row.
    pub levels: Vec<u8>,
    /// Pixels in a row; above zero.
    pub width: usize,
    /// Where the first pixel of a row begins along it, mm.
    pub start: f64,
    /// Length of a pixel along the row, mm.
    pub pitch: f64,
}

/// What is burnt in the rows.
#[derive(Debug, Clone, PartialEq)]
pub enum Content {
    /// Stretches, by row as they are run and by place along it.
    Spans(Vec<Span>),
    /// Pixels.
    PixelRows(PixelRows),
}

/// Parallel lines. The rows are known, not walked: what the head does at the ends of a row is
/// worked out when the moves are made, so a million lines stay small.
#[derive(Debug, Clone, PartialEq)]
pub struct Rows {
    /// How they lie and are walked.
    pub walk: RowOrder,
    content: Content,
    /// Power of each level in the first pass, as a share of full; level 0 is dark.
    powers: Arc<[f64; 256]>,
    ends: (Point, Point),
    stretches: usize,
}

/// One row as it is walked.
#[derive(Debug)]
pub struct Row<'h> {
    rows: &'h Rows,
    spans: Cow<'h, [Span]>,
    backwards: bool,
}

impl Row<'_> {
    /// The stretches from start to end with their power, in walking order.
    pub fn stretches(&self) -> impl Iterator<Item = (Point, Point, Power)> + '_ {
        let count = self.spans.len();
        // What lands beyond where it should is begun that much earlier.
        let shift =
            if self.backwards { self.rows.walk.along * self.rows.walk.offset } else { Vec2::ZERO };
        (0..count).map(move |n| {
            let span = self.spans[if self.backwards { count - 1 - n } else { n }];
            let from = self.rows.point(span, span.from) + shift;
            let to = self.rows.point(span, span.to) + shift;
            let power = Power(self.rows.powers[usize::from(span.level)]);
            if self.backwards { (to, from, power) } else { (from, to, power) }
        })
    }

    /// The unit direction in which the row is walked.
    #[must_use]
    pub fn direction(&self) -> Vec2 {
        if self.backwards { -self.rows.walk.along } else { self.rows.walk.along }
    }
}

impl Rows {
    /// Rows of stretches, ascending by row; `None` when there are no stretches.
    pub(super) fn of_spans(
        walk: RowOrder,
        mut spans: Vec<Span>,
        powers: Arc<[f64; 256]>,
    ) -> Option<Self> {
        if walk.reversed {
            // Rows the other way round, each row's stretches still in ascending order.
            spans.sort_by(|a, b| b.row.cmp(&a.row).then(a.from.total_cmp(&b.from)));
        }
        let stretches = spans.len();
        Self::new(walk, Content::Spans(spans), powers, stretches)
    }

    /// Rows of pixels; `None` when all of them are blank.
    pub(super) fn of_grid(
        walk: RowOrder,
        grid: PixelRows,
        powers: Arc<[f64; 256]>,
    ) -> Option<Self> {
        let runs = |row: &[u8]| row.chunk_by(|a, b| a == b).filter(|run| run[0] > 0).count();
        let stretches = grid.levels.chunks(grid.width).map(runs).sum();
        Self::new(walk, Content::PixelRows(grid), powers, stretches)
    }

    fn new(
        walk: RowOrder,
        content: Content,
        powers: Arc<[f64; 256]>,
        stretches: usize,
    ) -> Option<Self> {
        let mut made = Self { walk, content, powers, ends: (Point::ZERO, Point::ZERO), stretches };
        let (mut count, mut last, mut start) = (0_usize, None, None);
        for row in made.rows_unturned() {
            if start.is_none() {
                start = row.stretches().next().map(|(from, ..)| from);
            }
            count += 1;
            last = Some(row);
        }
        let end = last.and_then(|row| {
            let backwards = made.backwards(count - 1);
            Row { backwards, ..row }.stretches().last().map(|(_, to, _)| to)
        });
        made.ends = (start?, end?);
        Some(made)
    }

    fn point(&self, span: Span, u: f64) -> Point {
        let v = self.walk.first + f64::from(span.row) * self.walk.spacing;
        let across = Vec2::new(-self.walk.along.y, self.walk.along.x);
        (self.walk.along * u + across * v).to_point()
    }

    fn backwards(&self, n: usize) -> bool {
        self.walk.directions == Directions::Both && n % 2 == 1
    }

    /// Rows in which something is burnt, all walked forwards.
    fn rows_unturned(&self) -> Box<dyn Iterator<Item = Row<'_>> + '_> {
        let row = |spans| Row { rows: self, spans, backwards: false };
        match &self.content {
            Content::Spans(spans) => {
                Box::new(spans.chunk_by(|a, b| a.row == b.row).map(move |s| row(Cow::Borrowed(s))))
            }
            Content::PixelRows(grid) => {
                let count = grid.levels.len() / grid.width;
                let reversed = self.walk.reversed;
                let numbers = (0..count).map(move |n| if reversed { count - 1 - n } else { n });
                let rows = numbers.map(move |n| grid.row(n)).filter(|spans| !spans.is_empty());
                Box::new(rows.map(move |spans| row(Cow::Owned(spans))))
            }
        }
    }

    /// Its rows in the order in which they are run.
    pub fn rows(&self) -> impl Iterator<Item = Row<'_>> + '_ {
        self.rows_unturned().enumerate().map(|(n, row)| Row { backwards: self.backwards(n), ..row })
    }

    /// Where every stretch begins and ends, in walking order.
    pub(super) fn all_stretches(&self) -> impl Iterator<Item = (Point, Point)> + '_ {
        self.rows()
            .flat_map(|row| row.stretches().map(|(from, to, _)| (from, to)).collect::<Vec<_>>())
    }

    /// How many stretches are burnt.
    #[must_use]
    pub fn line_count(&self) -> usize {
        self.stretches
    }

    /// Where the first line begins and the last one ends, without run-up.
    #[must_use]
    pub fn ends(&self) -> (Point, Point) {
        self.ends
    }

    /// The area that its stretches cover, each as wide as the rows are apart, mm².
    #[must_use]
    pub fn area(&self) -> f64 {
        let length = |row: &Row<'_>| row.spans.iter().map(|s| s.to - s.from).sum::<f64>();
        self.rows_unturned().map(|row| length(&row)).sum::<f64>() * self.walk.spacing
    }

    /// What is burnt in it.
    #[must_use]
    pub fn content(&self) -> &Content {
        &self.content
    }

    /// Power of a level in the first pass.
    #[must_use]
    pub fn power(&self, level: u8) -> Power {
        Power(self.powers[usize::from(level)])
    }
}

impl PixelRows {
    /// The burnt stretches of a row: neighbours of one level are one stretch.
    fn row(&self, n: usize) -> Vec<Span> {
        let row = &self.levels[n * self.width..(n + 1) * self.width];
        let mut spans = Vec::new();
        let mut at = 0;
        for run in row.chunk_by(|a, b| a == b) {
            let place = |pixel: usize| self.start + pixel as f64 * self.pitch;
            if run[0] > 0 {
                spans.push(Span {
                    row: n as u32,
                    from: place(at),
                    to: place(at + run.len()),
                    level: run[0],
                });
            }
            at += run.len();
        }
        spans
    }
}
