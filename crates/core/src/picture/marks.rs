//! Where paths start, in which order, and which way they run.

use super::detail::Detail;
use super::frame::{self, View};
use super::legend;
use super::palette::{BED, INK, step_colour};
use crate::geometry::{Point, Rect, Vec2};
use crate::job::Job;
use crate::segment::Segments;
use crate::toolpath::Burn;

/// A label's rough place on the canvas: labels that would touch are left out.
struct Labels {
    taken: Vec<Rect>,
}

impl Labels {
    fn place(&mut self, at: Point, words: &str) -> Option<Point> {
        let width = 7.0 * words.len() as f64;
        let candidates = [(6.0, -5.0), (6.0, 13.0), (-6.0 - width, -5.0), (-6.0 - width, 13.0)];
        for (dx, dy) in candidates {
            let rect = Rect::new(at.x + dx, at.y + dy - 10.0, at.x + dx + width, at.y + dy + 1.0);
            if !self.taken.iter().any(|r| r.overlaps(rect)) {
                self.taken.push(rect);
                return Some(Point::new(rect.x0, rect.y1 - 1.0));
            }
        }
        None
    }
}

/// Start points with their turn, and arrows.
pub(super) fn draw(out: &mut String, view: &View, segments: &Segments, job: &Job, detail: &Detail) {
    let mut labels = Labels { taken: Vec::new() };
    for (number, path) in segments.sequence().paths().iter().enumerate() {
        let colour = step_colour(path.step);
        if detail.arrows
            && let Some((at, direction)) = arrow_place(view, &path.burn)
        {
            legend::arrow(out, at, direction, colour);
        }
        if !detail.starts {
            continue;
        }
        let at = view.px(path.burn.ends().0);
        let pierces = job.steps[path.step].operation.follow().is_some_and(|f| f.pierce.is_some());
        if pierces {
            legend::pierce_point(out, at, colour);
        } else {
            legend::start_point(out, at, colour);
        }
        let words = (number + 1).to_string();
        if let Some(at) = detail.numbers.then(|| labels.place(at, &words)).flatten() {
            let style = format!(
                r#"font-size="11" fill="{INK}" stroke="{BED}" stroke-width="2.5" paint-order="stroke""#
            );
            frame::text(out, at, &style, &words);
        }
    }
}

/// The middle of the longest piece, and which way it is walked there (canvas, y down).
fn arrow_place(view: &View, burn: &Burn) -> Option<(Point, Vec2)> {
    let down = |v: Vec2| Vec2::new(v.x, -v.y);
    match burn {
        Burn::Line(line) => {
            let (from, piece) =
                line.contour.walk().max_by(|a, b| a.1.length(a.0).total_cmp(&b.1.length(b.0)))?;
            if piece.length(from) * view.scale < 26.0 {
                return None;
            }
            let (before, after) = (piece.point_at(from, 0.49), piece.point_at(from, 0.51));
            let direction = down(after - before) / (after - before).hypot();
            Some((view.px(before.midpoint(after)), direction))
        }
        Burn::Rows(rows) => {
            let row = rows.rows().next()?;
            let (from, to, _) = row.stretches().next()?;
            let long = from.distance(to) * view.scale > 26.0;
            long.then(|| (view.px(from.midpoint(to)), down(row.direction())))
        }
    }
}
