//! A corner of the picture where engraved lines are seen as they are: how near each other, and as wide as the spot.

use super::burns::MANY_LINES;
use super::detail::thinning;
use super::frame::{View, line, rect, text};
use super::palette::{BED, FAINT_INK, INK};
use super::step_colours::StepColours;
use std::fmt::Write as _;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::quantity::plain;
use tinkite_job::Job;
use tinkite_program::segment::Segments;
use tinkite_toolpath::Burn;
use tinkite_toolpath::rows::{Content, Rows};

/// Size of the sample, px.
const SIZE: (f64, f64) = (200.0, 110.0);

/// Between the lines of the sample, px.
const APART: f64 = 11.0;

/// Room under it for its words, px.
const WORDS: f64 = 34.0;

/// Lines of an engraving that the picture itself only tints.
pub(super) struct Sample<'s> {
    rows: &'s Rows,
    step: usize,
    name: &'s str,
    /// What is seen of it, mm on the bed.
    window: Rect,
    /// Pixels in a millimetre.
    scale: f64,
    /// How many times as large as in the picture.
    times: f64,
    /// Width of the spot, mm.
    spot: f64,
}

/// The first engraving that is tinted.
pub(super) fn sample<'s>(view: &View, segments: &'s Segments, job: &'s Job) -> Option<Sample<'s>> {
    let steps = segments.sequence().paths().chunk_by(|a, b| a.step == b.step);
    for group in steps {
        let spans = group.iter().filter_map(|path| match &path.burn {
            Burn::Rows(rows) if matches!(rows.content(), Content::Spans(_)) => Some(rows),
            _ => None,
        });
        let all: Vec<&Rows> = spans.collect();
        let lines: usize = all.iter().map(|rows| rows.line_count()).sum();
        let largest = all.into_iter().max_by_key(|rows| rows.line_count())?;
        let spacing = largest.walk.spacing;
        if lines <= MANY_LINES || thinning(spacing * view.scale) <= 1 {
            continue;
        }
        let middle = largest.rows().nth(largest.rows().count() / 2)?;
        let length = |(from, to, _): &(Point, Point, _)| from.distance(*to);
        let longest = middle.stretches().max_by(|a, b| length(a).total_cmp(&length(b)))?;
        let scale = APART / spacing;
        // An end of it, so that it is seen how lines turn.
        let at = longest.1.lerp(longest.0, 0.3 * SIZE.0 / scale / length(&longest).max(1e-9));
        let window = Rect::from_center_size(at, (SIZE.0 / scale, SIZE.1 / scale));
        let step = group[0].step;
        return Some(Sample {
            rows: largest,
            step,
            name: &job.steps[step].name,
            window,
            scale,
            times: scale / view.scale,
            spot: job.machine.beam.width,
        });
    }
    None
}

impl Sample<'_> {
    /// Marks in the picture what is magnified.
    pub(super) fn mark(&self, out: &mut String, view: &View) {
        let at = view.px_rect(self.window);
        let grow = |side: f64| (7.0 - side).max(0.0) / 2.0;
        let seen = at.inflate(grow(at.width()), grow(at.height()));
        rect(out, seen, &format!(r#"fill="none" stroke="{BED}" stroke-width="3""#));
        rect(out, seen, &format!(r#"fill="none" stroke="{INK}" stroke-width="1""#));
    }

    /// Draws it into the lower end of a free room, if that is large enough.
    pub(super) fn draw(&self, out: &mut String, room: Rect, colours: &StepColours) {
        if room.height() < SIZE.1 + WORDS + 8.0 || room.width() < SIZE.0 {
            return;
        }
        let base = room.y1 - WORDS;
        let frame = Rect::new(room.x0, base - SIZE.1, room.x0 + SIZE.0, base);
        let _ = writeln!(
            out,
            r#"<clipPath id="sample"><rect x="{:.2}" y="{:.2}" width="{:.2}" height="{:.2}"/></clipPath><g clip-path="url(#sample)">"#,
            frame.x0, frame.y0, SIZE.0, SIZE.1
        );
        rect(out, frame, &format!(r#"fill="{BED}""#));
        let px = |p: Point| {
            let from = p - self.window.origin();
            Point::new(frame.x0, base) + Vec2::new(from.x, -from.y) * self.scale
        };
        let colour = colours.step(self.step);
        let wide = (self.spot * self.scale).max(1.0);
        let style = format!(r#"stroke="{colour}" stroke-width="{wide:.2}" stroke-opacity="0.7""#);
        for row in self.rows.rows() {
            for (from, to, _) in row.stretches() {
                let seen = self.window.inflate(self.spot, self.spot);
                if seen.overlaps(Rect::from_points(from, to).inflate(1e-9, 1e-9)) {
                    line(out, px(from), px(to), &style);
                }
            }
        }
        out.push_str("</g>\n");
        rect(out, frame, &format!(r#"fill="none" stroke="{INK}" stroke-width="1""#));
        let faint = format!(r#"font-size="11" fill="{FAINT_INK}""#);
        let at = Point::new(room.x0, base + 15.0);
        text(out, at, &faint, &format!("{}, {} times as large;", self.name, plain(self.times, 1)));
        text(out, at + Vec2::new(0.0, 14.0), &faint, "lines as wide as the spot");
    }
}
