//! A small drawing of where the job lies, and where its zero is.

use maud::{Markup, html};
use tinkite_core::geometry::{Point, Rect};
use tinkite_core::layout::LaidStock;
use tinkite_core::quantity::plain;
use tinkite_files::load::Made;

/// How large it is, and the room round it for words, px.
const SIZE: (f64, f64) = (400.0, 240.0);
const ROOM: (f64, f64) = (14.0, 32.0);

/// The bed (or, where nobody knows yet where the job will lie on it, what is burnt alone), the stock and what is
/// burnt, with their measures and a cross at the zero.
pub(super) fn sketch(made: &Made) -> Markup {
    let field = made.job.field();
    let totals = &made.compiled.within.planned().totals;
    let burns = totals.burnt.map_or(Rect::ZERO, |r| r + field.zero);
    let zero = field.zero.to_point();
    let stock = made.compiled.stock.as_ref();
    let whole = if field.fixed {
        field.rect
    } else {
        let near = stock.map_or(burns, |stock| stock.bounds.union(burns));
        near.union_pt(zero).inflate(1.0, 1.0)
    };
    let scale = ((SIZE.0 - 2.0 * ROOM.0) / whole.width().max(1e-6))
        .min((SIZE.1 - 2.0 * ROOM.1) / whole.height().max(1e-6));
    let (left, foot) =
        ((SIZE.0 - whole.width() * scale) / 2.0, (SIZE.1 + whole.height() * scale) / 2.0);
    let px = |p: Point| (left + (p.x - whole.x0) * scale, foot - (p.y - whole.y0) * scale);
    let rectangle = |r: Rect, class: &str| {
        let (x, y) = px(Point::new(r.x0, r.y1));
        html! {
            rect class=(class) x=(two(x)) y=(two(y)) width=(two(r.width() * scale)) height=(two(r.height() * scale)) {}
        }
    };
    let outline = |stock: &LaidStock| -> String {
        let ring = |ring: &Vec<Point>| -> String {
            let points = ring.iter().map(|p| px(*p)).enumerate();
            let parts = points.map(|(n, (x, y))| {
                format!("{}{} {}", if n == 0 { 'M' } else { 'L' }, two(x), two(y))
            });
            parts.collect::<String>() + "Z"
        };
        stock.rings().iter().map(ring).collect()
    };
    let (zx, zy) = px(zero);
    let (bx, by) = px(burns.origin());
    let across = burns.width() * scale;
    // Words of the zero stand on the side where there is room.
    let (anchor, aside) = if zx > SIZE.0 / 2.0 { ("end", -10.0) } else { ("start", 10.0) };
    let below = if zy > SIZE.1 / 2.0 { 22.0 } else { -14.0 };
    let measure = format!("{} x {} mm", plain(burns.width(), 1), plain(burns.height(), 1));
    html! {
        svg viewBox={ "0 0 " (SIZE.0) " " (SIZE.1) } role="img" aria-label="where the job lies" {
            @if field.fixed { (rectangle(field.rect, "bed")) }
            @if let Some(stock) = stock { path class="stock" fill-rule="evenodd" d=(outline(stock)) {} }
            (rectangle(burns, "burns"))
            text x=(two(bx + across / 2.0)) y=(two(by - burns.height() * scale - 6.0)) text-anchor="middle" { (measure) }
            path class="zero" d=(format!("M{} {}h20M{} {}v20", two(zx - 10.0), two(zy), two(zx), two(zy - 10.0))) {}
            text class="zero-word" x=(two(zx + aside)) y=(two(zy + below)) text-anchor=(anchor) { "0, 0" }
            @if field.fixed && field.around.is_none() {
                text x=(two(SIZE.0 / 2.0)) y=(two(SIZE.1 - 8.0)) text-anchor="middle" { "the front, where you stand" }
            }
        }
    }
}

fn two(px: f64) -> String {
    plain(px, 2)
}
