//! A round object: its surface unrolled, and itself from above with the artwork on it.

use super::canvas::Canvas;
use super::frame::{self, View};
use super::palette::{FAINT_INK, INK, STOCK, STOCK_EDGE};
use super::step_colours::StepColours;
use std::fmt::Write as _;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::quantity::plain;
use tinkite_job::Job;
use tinkite_machine::frame::Field;
use tinkite_machine::frame::Surface;
use tinkite_program::mapping::Purpose;
use tinkite_program::plan::Planned;
use tinkite_program::segment::Act;

/// More stretches than this are not drawn one by one on the object.
const MOST: u64 = 40_000;

/// Less than this beyond the seam is no overlap, mm.
const OVER: f64 = 0.05;

/// Lines bend no more than this from what is wrapped, mm.
const CHORD: f64 = 0.5;

/// A job that takes less of the way round than this is shown larger, without the rest of it.
const FEW: f64 = 0.5;

/// Shows all the way round, or where little of it is worked on that with some room; and along the object what is
/// worked on.
pub(super) fn view(surface: &Surface, field: &Field, reach: Rect, canvas: Canvas) -> (View, Vec2) {
    let around = field.around.unwrap_or_default();
    let margin = 0.15 * reach.width().max(around / 4.0);
    let (low, high) = surface.measured().unwrap_or((reach.x0, reach.x1));
    let (low, high) = (low + field.zero.x, high + field.zero.x);
    let x0 = (reach.x0.min(low) - margin).max(field.rect.x0);
    let x1 = (reach.x1.max(high) + margin).min(field.rect.x1);
    let near = reach.inflate(0.0, 0.25 * reach.height().max(around / 8.0));
    let (y0, y1) = if reach.height() < FEW * around && near.height() < 0.8 * around {
        (near.y0, near.y1)
    } else if field.fixed {
        (reach.y0.min(0.0), reach.y1.max(around))
    } else {
        let middle = f64::midpoint(reach.y0, reach.y1);
        (reach.y0.min(middle - around / 2.0), reach.y1.max(middle + around / 2.0))
    };
    let diameter = around / std::f64::consts::PI;
    View::with_object(canvas.width, canvas.height, Rect::new(x0, y0, x1, y1), diameter)
}

/// Seam, top and overlap on the unrolled surface, and the object, its middle moved to `middle`.
pub(super) fn draw(
    out: &mut String,
    view: &View,
    middle: Vec2,
    planned: &Planned,
    (job, colours): (&Job, &StepColours),
) {
    let field = job.field();
    let Some(surface) = planned.segments().frame().surface() else { return };
    let around = field.around.unwrap_or_default();
    unroll(out, view, &field, around);
    let diameter = around / std::f64::consts::PI;
    let axis = middle.y;
    let onto = Onto { view, field, surface, axis, aside: middle.x };
    onto.body(out);
    onto.artwork(out, planned, colours);
    let style = format!(r#"font-size="11" fill="{FAINT_INK}""#);
    let left = view.px(view.shown.origin()).x + middle.x;
    let at = Point::new(left, axis + diameter / 2.0 * view.scale + 16.0);
    let words = format!("as the beam sees it, {} mm in diameter at most", plain(diameter, 2));
    frame::text(out, at, &style, &words);
    frame::text(out, at + Vec2::new(0.0, 15.0), &style, "faint is on the far side");
}

/// A line across all that is shown, with a word at its right end; where that place is shown.
pub(super) fn across(out: &mut String, view: &View, y: f64, dashes: &str, word: &str) {
    if !(view.shown.y0 - OVER..=view.shown.y1 + OVER).contains(&y) {
        return;
    }
    let (a, b) = (view.px(Point::new(view.shown.x0, y)), view.px(Point::new(view.shown.x1, y)));
    let style = format!(r#"stroke="{INK}" stroke-width="1" stroke-dasharray="{dashes}""#);
    frame::line(out, a, b, &style);
    let style = format!(r#"font-size="11" fill="{INK}" text-anchor="start""#);
    frame::text(out, Point::new(b.x + 6.0, b.y + 4.0), &style, word);
}

fn unroll(out: &mut String, view: &View, field: &Field, around: f64) {
    if field.fixed {
        across(out, view, 0.0, "none", "seam");
        across(out, view, around, "none", "seam");
        across(out, view, field.zero.y, "7 4", "top");
        for (low, high) in [(view.shown.y0, 0.0), (around, view.shown.y1)] {
            if high - low > OVER {
                let (a, b) = (Point::new(view.shown.x0, low), Point::new(view.shown.x1, high));
                let over = Rect::from_points(view.px(a), view.px(b));
                frame::rect(out, over, r##"fill="#c0392b" fill-opacity="0.10""##);
                let style = r##"font-size="11" fill="#c0392b" text-anchor="start""##;
                let at = Point::new(over.x1 + 6.0, over.center().y + 4.0);
                frame::text(out, at, style, "overlap");
            }
        }
    } else {
        across(out, view, 0.0, "7 4", "zero");
        // Where less or more is shown, nothing is once round.
        if (view.shown.height() - around).abs() <= OVER {
            let style = format!(r#"font-size="11" fill="{FAINT_INK}" text-anchor="start""#);
            let at = view.px(Point::new(view.shown.x1, view.shown.y1));
            frame::text(out, Point::new(at.x + 6.0, at.y + 14.0), &style, "once round");
        }
    }
}

/// The object as it is seen from above.
struct Onto<'a> {
    view: &'a View,
    field: Field,
    surface: &'a Surface,
    /// Where its axis lies on the canvas.
    axis: f64,
    /// How far to the right of its place in the plot it is drawn, px.
    aside: f64,
}

impl Onto<'_> {
    /// Where a point of the plane (mm from the program's zero) is seen, and whether it is in sight.
    fn px(&self, p: Point) -> (Point, bool) {
        let (along, angle) = self.surface.place(p);
        let radius = self.surface.diameter_at(p.x) / 2.0;
        let x = self.view.px(Point::new(along + self.field.zero.x, 0.0)).x + self.aside;
        let y = self.axis - radius * angle.sin() * self.view.scale;
        (Point::new(x, y), angle.cos() > -1e-9)
    }

    fn body(&self, out: &mut String) {
        let (low, high) =
            (self.view.shown.x0 - self.field.zero.x, self.view.shown.x1 - self.field.zero.x);
        let (low, high) = self.surface.measured().unwrap_or((low, high));
        let inner = self.surface.breaks().filter(|x| (low..high).contains(x));
        let places: Vec<f64> = [low].into_iter().chain(inner).chain([high]).collect();
        let edge = |x: f64, side: f64| {
            let (along, _) = self.surface.place(Point::new(x, 0.0));
            let px = self.view.px(Point::new(along + self.field.zero.x, 0.0)).x + self.aside;
            (px, self.axis + side * self.surface.diameter_at(x) / 2.0 * self.view.scale)
        };
        let mut d = String::new();
        let near = places.iter().map(|x| edge(*x, -1.0));
        let far = places.iter().rev().map(|x| edge(*x, 1.0));
        for (n, (x, y)) in near.chain(far).enumerate() {
            let _ = write!(d, "{}{x:.1} {y:.1}", if n == 0 { "M" } else { "L" });
        }
        let _ = writeln!(out, r#"<path d="{d}Z" fill="{STOCK}" stroke="{STOCK_EDGE}"/>"#);
        let (a, b) = (edge(low, 0.0).0, edge(high, 0.0).0);
        let style =
            format!(r#"stroke="{FAINT_INK}" stroke-width="0.8" stroke-dasharray="9 3 2 3""#);
        let ends = (Point::new(a - 8.0, self.axis), Point::new(b + 8.0, self.axis));
        frame::line(out, ends.0, ends.1, &style);
    }

    fn artwork(&self, out: &mut String, planned: &Planned, colours: &StepColours) {
        let every = planned.totals.moves / MOST + 1;
        let (mut number, mut runs): (u64, Vec<[String; 2]>) = (0, Vec::new());
        planned.trace(|traced| {
            let Act::Move(way) = traced.segment.act else { return };
            if way.purpose != Purpose::Burn {
                return;
            }
            number += 1;
            if number.is_multiple_of(every) {
                let step = traced.segment.of.step;
                if runs.len() <= step {
                    runs.resize(step + 1, Default::default());
                }
                let (from, piece) = planned.segments().piece(&way);
                self.wrap(&mut runs[step], from, piece.end());
            }
        });
        for (step, [near, far]) in runs.iter().enumerate() {
            let colour = colours.step(step);
            for (d, opacity) in [(far, 0.15), (near, 0.9)] {
                if !d.is_empty() {
                    let _ = writeln!(
                        out,
                        r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="1" stroke-opacity="{opacity}"/>"#
                    );
                }
            }
        }
    }

    /// Adds a line of the plane to what is seen and to what is hidden.
    fn wrap(&self, [near, far]: &mut [String; 2], from: Point, to: Point) {
        let count = ((to.y - from.y).abs() / CHORD).ceil().clamp(1.0, 400.0) as usize;
        let mut before = self.px(from);
        let mut pen: Option<bool> = None;
        for n in 1..=count {
            let next = self.px(from.lerp(to, n as f64 / count as f64));
            let seen = before.1 && next.1;
            let d = if seen { &mut *near } else { &mut *far };
            if pen != Some(seen) {
                let _ = write!(d, "M{:.1} {:.1}", before.0.x, before.0.y);
            }
            let _ = write!(d, "L{:.1} {:.1}", next.0.x, next.0.y);
            (before, pen) = (next, Some(seen));
        }
    }
}
