//! Areas that are walked together, and what merging two groups of them saves.

use super::pacing::{Pacing, RowSum};
use std::cmp::Ordering;
use tinkite_base::geometry::scan::Span;

/// Areas that are walked together.
#[derive(Debug, Clone)]
pub(super) struct Group {
    rows: Vec<RowSum>,
    /// Of each row, sorted by place.
    pub(super) spans: Vec<Vec<Span>>,
    /// Along the rows.
    pub(super) reach: (f64, f64),
    /// All of its rows and what lies between them, s.
    pub(super) seconds: f64,
}

impl Group {
    pub(super) fn new(spans: &[Span], pacing: &Pacing) -> Self {
        let spans: Vec<Vec<Span>> =
            spans.chunk_by(|a, b| a.row == b.row).map(<[_]>::to_vec).collect();
        let rows: Vec<RowSum> = spans.iter().map(|row| sum(row, pacing)).collect();
        let reach = rows.iter().fold((f64::MAX, f64::MIN), |(low, high), row| {
            (low.min(row.first), high.max(row.last))
        });
        let seconds = rows_take(rows.iter().copied(), pacing);
        Self { rows, spans, reach, seconds }
    }

    /// Its stretches, sorted by row and place.
    pub(super) fn into_spans(self) -> Vec<Span> {
        self.spans.concat()
    }

    fn low(&self) -> u32 {
        self.rows.first().map_or(0, |row| row.row)
    }

    fn high(&self) -> u32 {
        self.rows.last().map_or(0, |row| row.row)
    }

    pub(super) fn shares_rows(&self, other: &Self) -> bool {
        self.low() <= other.high() && other.low() <= self.high()
    }

    /// How far it lies from another along the rows, mm.
    pub(super) fn distance(&self, other: &Self) -> f64 {
        (other.reach.0 - self.reach.1).max(self.reach.0 - other.reach.1).max(0.0)
    }

    /// The two as one, which saves so much time.
    pub(super) fn with(self, other: Self, saves: f64, pacing: &Pacing) -> Self {
        let seconds = self.seconds + other.seconds + self.link(&other, pacing) - saves;
        let reach = (self.reach.0.min(other.reach.0), self.reach.1.max(other.reach.1));
        let count = self.rows.len() + other.rows.len();
        let (mut rows, mut spans) = (Vec::with_capacity(count), Vec::with_capacity(count));
        let mut a = self.rows.into_iter().zip(self.spans).peekable();
        let mut b = other.rows.into_iter().zip(other.spans).peekable();
        loop {
            let order = match (a.peek(), b.peek()) {
                (Some((x, _)), Some((y, _))) => x.row.cmp(&y.row),
                (Some(_), None) => Ordering::Less,
                (None, Some(_)) => Ordering::Greater,
                (None, None) => break,
            };
            let next = match order {
                Ordering::Less => a.next(),
                Ordering::Greater => b.next(),
                Ordering::Equal => a.next().zip(b.next()).map(|((x, of_x), (y, of_y))| {
                    (join(&x, &y, (&of_x, &of_y), pacing), side_by_side(of_x, of_y))
                }),
            };
            if let Some((row, of_row)) = next {
                rows.push(row);
                spans.push(of_row);
            }
        }
        Self { rows, spans, reach, seconds }
    }

    /// From here to another group: from an end of its last row to one of the other's first, the shorter way round, s.
    pub(super) fn link(&self, other: &Self, pacing: &Pacing) -> f64 {
        let way = |a: &Self, b: &Self| {
            let (Some(from), Some(to)) = (a.rows.last(), b.rows.first()) else { return 0.0 };
            let up = f64::from(from.row.abs_diff(to.row)) * pacing.spacing;
            let along = (to.first - from.last).max(from.first - to.last).max(0.0);
            pacing.hop(up.hypot(along))
        };
        way(self, other).min(way(other, self))
    }
}

/// The stretches of two rows at the same height, sorted by place.
fn side_by_side(mut a: Vec<Span>, mut b: Vec<Span>) -> Vec<Span> {
    let after = |a: &[Span], b: &[Span]| match (a.last(), b.first()) {
        (Some(x), Some(y)) => x.to <= y.from,
        _ => true,
    };
    if after(&a, &b) {
        a.append(&mut b);
        return a;
    }
    if after(&b, &a) {
        b.append(&mut a);
        return b;
    }
    a.append(&mut b);
    a.sort_by(before);
    a
}

pub(super) fn before(a: &Span, b: &Span) -> Ordering {
    a.row.cmp(&b.row).then(a.from.total_cmp(&b.from)).then(a.to.total_cmp(&b.to))
}

/// What the stretches of one row come to.
fn sum(row: &[Span], pacing: &Pacing) -> RowSum {
    let mut inside = 0.0;
    for (n, span) in row.iter().enumerate() {
        if n > 0 {
            inside += pacing.gap((span.from - row[n - 1].to).max(0.0));
        }
        inside += (span.to - span.from) / pacing.speed;
    }
    let (first, last) = (row[0].from, row[row.len() - 1].to);
    RowSum { row: row[0].row, first, last, inside }
}

/// Rows one after the other, s.
fn rows_take(rows: impl Iterator<Item = RowSum>, pacing: &Pacing) -> f64 {
    let (mut all, mut last): (f64, Option<RowSum>) = (0.0, None);
    for row in rows {
        all += row.inside + pacing.ends();
        all += last.map_or(0.0, |last| pacing.turn(&last, &row));
        last = Some(row);
    }
    all
}

/// Two rows at the same height as one.
fn join(a: &RowSum, b: &RowSum, (of_a, of_b): (&[Span], &[Span]), pacing: &Pacing) -> RowSum {
    let (left, right) = if a.first <= b.first { (a, b) } else { (b, a) };
    if left.last <= right.first {
        let inside = left.inside + pacing.gap(right.first - left.last) + right.inside;
        return RowSum { row: a.row, first: left.first, last: right.last, inside };
    }
    sum(&side_by_side(of_a.to_vec(), of_b.to_vec()), pacing)
}

/// How much time it saves to walk two groups together, and how many rows were looked at for that.
pub(super) fn time_saved(a: &Group, b: &Group, pacing: &Pacing) -> (f64, usize) {
    let (small, large) = if a.rows.len() <= b.rows.len() { (a, b) } else { (b, a) };
    // Only where they share rows is anything different; and at the steps into and out of there.
    let from = large.rows.partition_point(|row| row.row < small.low()).saturating_sub(1);
    let to = (large.rows.partition_point(|row| row.row <= small.high()) + 1).min(large.rows.len());
    let (part, of_part) = (&large.rows[from..to], &large.spans[from..to]);
    let apart = small.seconds + rows_take(part.iter().copied(), pacing);
    let mut rows = Vec::with_capacity(part.len() + small.rows.len());
    let (mut x, mut y) = (0, 0);
    loop {
        rows.push(match (part.get(x), small.rows.get(y)) {
            (Some(p), Some(q)) if p.row == q.row => {
                let both = join(p, q, (&of_part[x], &small.spans[y]), pacing);
                (x, y) = (x + 1, y + 1);
                both
            }
            (Some(p), Some(q)) if p.row < q.row => {
                x += 1;
                *p
            }
            (_, Some(q)) => {
                y += 1;
                *q
            }
            (Some(p), None) => {
                x += 1;
                *p
            }
            (None, None) => break,
        });
    }
    let steps = rows.len();
    let together = rows_take(rows.into_iter(), pacing);
    (apart + a.link(b, pacing) - together, steps)
}
