//! Engraving by parallel lines.

use crate::geometry::region::FillRule;
use crate::geometry::scan::{Area, Span, scan};
use crate::geometry::{Affine, Point, Vec2};
use crate::job::{Advance, Directions, Job, Lines, Step};
use crate::layout::LaidShape;
use crate::problem::{Problem, count, few};
use crate::quantity::plain;

/// Parallel lines that fill areas. The rows are known, not walked: what the head does at the ends
/// of a row is worked out when the moves are made, so a million lines stay small.
#[derive(Debug, Clone, PartialEq)]
pub struct Hatch {
    /// Unit vector along the lines.
    along: Vec2,
    /// Height of row 0 in the turned frame, mm.
    first: f64,
    /// How the lines are walked.
    pub lines: Lines,
    /// The stretches to burn, in the order of their rows as they are run; never empty.
    spans: Vec<Span>,
}

/// More rows or crossings than this are a slip of the pen: days of burning.
const MOST_CROSSINGS: f64 = 2e7;

/// Fills closed shapes with lines; none when the lines miss all of them.
///
/// # Errors
/// Open shapes, with how many and which, and far too many lines.
pub(super) fn fill(
    shapes: &[&LaidShape],
    lines: &Lines,
    step: &Step,
    job: &Job,
) -> Result<Option<Hatch>, Problem> {
    let open: Vec<_> = shapes.iter().filter(|laid| laid.open).collect();
    if let Some(first) = open.first() {
        let names: Vec<_> = open.iter().map(|laid| with_gap(laid)).collect();
        return Err(Problem::error(
            "open-shape",
            format!("step \"{}\" engraves, but {} not closed: {}", step.name, are(open.len()), few(&names, 8)),
            "close them in the drawing program, join small gaps (join-gaps in [[artwork]]), or take only closed ones: take = { kind = \"closed\", … }",
        )
        .at(first.place())
        .seen_at(open.iter().flat_map(|laid| &laid.contours).filter(|c| !c.closed).map(|c| c.end()).collect()));
    }
    let to_frame = Affine::rotate(-lines.angle);
    // Arcs and curves may each stray by the tolerance; half each keeps their sum within it.
    let area = |laid: &&LaidShape| Area {
        rings: laid
            .contours
            .iter()
            .map(|c| c.flatten(job.tolerance / 2.0).into_iter().map(|p| to_frame * p).collect())
            .collect(),
        rule: laid.shape.fill.map_or(FillRule::NonZero, |fill| fill.rule),
    };
    let areas: Vec<Area> = shapes.iter().map(area).collect();
    let heights = |f: fn(f64, f64) -> f64, from| {
        areas.iter().flat_map(|a| a.rings.iter().flatten()).map(|p| p.y).fold(from, f)
    };
    let (low, high) = (heights(f64::min, f64::MAX), heights(f64::max, f64::MIN));
    let climb: f64 = areas.iter().flat_map(|a| &a.rings).map(|ring| climb(ring)).sum();
    if climb / lines.spacing > MOST_CROSSINGS {
        return Err(Problem::error(
            "too-many-lines",
            format!(
                "step \"{}\" would engrave more than {:.0} million lines",
                step.name,
                climb / lines.spacing / 2e6
            ),
            "check spacing and its unit",
        ));
    }
    // Rows lie in the middle of their strip, so that both edges are left alike.
    let rows = ((high - low) / lines.spacing).round().max(1.0);
    let first = (low + high) / 2.0 - (rows - 1.0) / 2.0 * lines.spacing;
    let mut spans = scan(&areas, first, lines.spacing, rows as u32);
    let across = Vec2::new(-lines.angle.sin(), lines.angle.cos());
    let advance = match lines.advance {
        Advance::Upwards => Vec2::new(0.0, 1.0),
        Advance::Downwards => Vec2::new(0.0, -1.0),
        Advance::Rightwards => Vec2::new(1.0, 0.0),
        Advance::Leftwards => Vec2::new(-1.0, 0.0),
    };
    if across.dot(advance) < 0.0 {
        // Rows the other way round, each row's stretches still in ascending order.
        spans.sort_by(|a, b| b.row.cmp(&a.row).then(a.from.total_cmp(&b.from)));
    }
    let along = Vec2::new(lines.angle.cos(), lines.angle.sin());
    Ok((!spans.is_empty()).then_some(Hatch { along, first, lines: *lines, spans }))
}

/// A shape's name with the widest gap between the ends of one of its lines.
fn with_gap(laid: &LaidShape) -> String {
    let open = laid.contours.iter().filter(|c| !c.closed);
    let gap = open.map(|c| c.start.distance(c.end())).fold(0.0, f64::max);
    format!("{} (ends {} mm apart)", laid.shape.source.label(), plain(gap, 2))
}

fn are(n: usize) -> String {
    format!("{} {}", count(n, "shape"), if n == 1 { "is" } else { "are" })
}

/// How far a ring goes up and down in all: what its number of crossings is proportional to.
fn climb(ring: &[Point]) -> f64 {
    let next = ring.iter().cycle().skip(1);
    ring.iter().zip(next).map(|(a, b)| (a.y - b.y).abs()).sum()
}

/// One row as it is walked: the stretches in walking order.
#[derive(Debug)]
pub struct Row<'h> {
    hatch: &'h Hatch,
    spans: &'h [Span],
    backwards: bool,
}

impl Row<'_> {
    /// The stretches from start to end, in walking order.
    pub fn stretches(&self) -> impl Iterator<Item = (Point, Point)> + '_ {
        let count = self.spans.len();
        (0..count).map(move |n| {
            let span = self.spans[if self.backwards { count - 1 - n } else { n }];
            let (from, to) = (self.hatch.point(span, span.from), self.hatch.point(span, span.to));
            if self.backwards { (to, from) } else { (from, to) }
        })
    }

    /// The unit direction in which the row is walked.
    #[must_use]
    pub fn direction(&self) -> Vec2 {
        if self.backwards { -self.hatch.along } else { self.hatch.along }
    }
}

impl Hatch {
    fn point(&self, span: Span, u: f64) -> Point {
        let v = self.first + f64::from(span.row) * self.lines.spacing;
        let across = Vec2::new(-self.along.y, self.along.x);
        (self.along * u + across * v).to_point()
    }

    /// Its rows in the order in which they are run.
    pub fn rows(&self) -> impl Iterator<Item = Row<'_>> + '_ {
        let alternate = self.lines.directions == Directions::Both;
        self.spans.chunk_by(|a, b| a.row == b.row).enumerate().map(move |(n, spans)| Row {
            hatch: self,
            spans,
            backwards: alternate && n % 2 == 1,
        })
    }

    /// How many lines there are.
    #[must_use]
    pub fn line_count(&self) -> usize {
        self.spans.len()
    }

    /// Where the first line begins and the last one ends, without run-up.
    #[must_use]
    pub fn ends(&self) -> (Point, Point) {
        let start = self.rows().next().and_then(|row| row.stretches().next());
        let rows = self.spans.chunk_by(|a, b| a.row == b.row).count();
        let end = self.rows().nth(rows.saturating_sub(1)).and_then(|row| row.stretches().last());
        (start.unwrap_or_default().0, end.unwrap_or_default().1)
    }
}
