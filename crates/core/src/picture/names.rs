//! The picture of names: every shape in its own colour, and what it is called.

use super::Canvas;
use super::frame::{View, text};
use super::palette::{BED, FAINT_INK, INK};
use super::subject::{Shown, Subject};
use std::fmt::Write as _;
use tinkite_artwork::Artwork;
use tinkite_base::geometry::{Contour, Point, Rect, Vec2, hull};
use tinkite_base::quantity::plain;
use tinkite_layout::Sheet;

/// Size of the letters, px.
const LETTERS: f64 = 11.0;

/// Width of a letter for its size, of letters as wide as most.
const WIDE: f64 = 0.6;

/// So many places along a line are tried for its name.
const TRIED: usize = 24;

/// Lines of the list lie so far apart, px.
const LINE: f64 = 16.0;

/// The names of a drawing's shapes, on its page.
#[must_use]
pub fn drawing_names(artwork: &Artwork, canvas: Canvas) -> String {
    draw(&Subject::drawing(artwork), canvas)
}

/// The names of a job's shapes, on its bed; copies have the name of what they are copies of.
#[must_use]
pub fn job_names(sheet: &Sheet, job: &tinkite_job::Job, canvas: Canvas) -> String {
    draw(&Subject::job(sheet, job), canvas)
}

/// A name, and where it stands, px.
struct Placed {
    /// Left end of the line on which the letters stand.
    at: Point,
    /// The point of the shape's line that it names.
    of: Point,
}

fn draw(subject: &Subject<'_>, canvas: Canvas) -> String {
    let view = subject.view(std::iter::empty(), canvas);
    let placed = place(&subject.shapes, &view);
    let without = placed.iter().filter(|place| place.is_none()).count();
    subject.draw(
        &view,
        |out| {
            for (shape, placed) in subject.shapes.iter().zip(&placed) {
                if let Some(placed) = placed {
                    write_name(out, placed, &shape.name);
                }
            }
        },
        |out, at| list(out, &view, at, (&subject.shapes, without)),
    )
}

/// Where each name stands: beside its own line, where no other name stands yet; none where there is no room.
fn place(shapes: &[Shown], view: &View) -> Vec<Option<Placed>> {
    let mut taken: Vec<Rect> = Vec::new();
    let corner = |p: Point| view.px(p);
    let (low, high) = (view.shown.origin(), Point::new(view.shown.x1, view.shown.y1));
    let plot = Rect::from_points(corner(low), corner(high));
    let one = |shape: &Shown| {
        let size = Vec2::new(shape.name.chars().count() as f64 * LETTERS * WIDE, LETTERS);
        for n in 0..TRIED {
            for contour in &shape.contours {
                let of = view.px(point_at(contour, n as f64 / TRIED as f64));
                // Above and to the right of the point, then on the other sides.
                for (right, down) in
                    [(4.0, -4.0), (-4.0 - size.x, -4.0), (4.0, 13.0), (-4.0 - size.x, 13.0)]
                {
                    let at = of + Vec2::new(right, down);
                    let letters =
                        Rect::from_origin_size(at - Vec2::new(0.0, size.y), size.to_size());
                    let inside = plot.contains(letters.origin())
                        && plot.contains(Point::new(letters.x1, letters.y1));
                    if inside
                        && !taken.iter().any(|other| other.inflate(1.0, 1.0).overlaps(letters))
                    {
                        taken.push(letters);
                        return Some(Placed { at, of });
                    }
                }
            }
        }
        None
    };
    shapes.iter().map(one).collect()
}

/// A point of a contour, by its share of the way.
fn point_at(contour: &Contour, share: f64) -> Point {
    let mut left = share * contour.length();
    for (from, piece) in contour.walk() {
        let length = piece.length(from);
        if left <= length {
            return piece.point_at(from, if length > 0.0 { left / length } else { 0.0 });
        }
        left -= length;
    }
    contour.start
}

fn write_name(out: &mut String, placed: &Placed, name: &str) {
    let (x, y) = (placed.of.x, placed.of.y);
    let _ = writeln!(out, r#"<circle cx="{x:.1}" cy="{y:.1}" r="2" fill="{INK}"/>"#);
    // A light edge keeps letters readable over lines.
    let style = format!(
        r#"font-size="{LETTERS}" fill="{INK}" stroke="{BED}" stroke-width="3" paint-order="stroke""#
    );
    text(out, placed.at, &style, name);
}

fn list(out: &mut String, view: &View, at: Point, (shapes, without): (&[Shown], usize)) {
    let ink = format!(r#"font-size="12" fill="{INK}""#);
    let faint = format!(r#"font-size="12" fill="{FAINT_INK}""#);
    let mut y = at.y;
    let mut line = |style: &str, content: &str| {
        text(out, Point::new(at.x, y), style, content);
        y += LINE;
    };
    if without > 0 {
        line(&faint, &format!("{without} names find no room; a larger picture shows them"));
    }
    let room = ((view.height - 30.0 - at.y) / LINE) as usize;
    let room = room.saturating_sub(usize::from(without > 0));
    let shown = if shapes.len() > room { room.saturating_sub(1) } else { shapes.len() };
    for shape in &shapes[..shown] {
        let size = hull(shape.contours.iter().map(Contour::bounds)).unwrap_or_default();
        let name: String = shape.name.chars().take(24).collect();
        let (width, height) = (plain(size.width(), 1), plain(size.height(), 1));
        line(&ink, &format!("{name}: {width} x {height} mm"));
    }
    if shown < shapes.len() {
        line(&faint, &format!("and {} more, which the list of shapes has", shapes.len() - shown));
    }
}
