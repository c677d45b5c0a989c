//! The frame of a picture: where millimetres lie on the canvas, bed, stock, rulers and origin.

use super::palette::{BED, FAINT_INK, GRID, INK, PAPER, STOCK, STOCK_EDGE};
use std::fmt::Write as _;
use tinkite_base::geometry::{Affine, Point, Rect, Vec2};
use tinkite_base::quantity::plain;
use tinkite_layout::LaidStock;
use tinkite_machine::frame::Field;
use tinkite_machine::{Machine, Pointing};

/// Left of the plot: room for the ruler's numbers.
const LEFT: f64 = 56.0;
/// Above the plot: room for the extents' number.
const TOP: f64 = 34.0;
/// Below the plot: room for the ruler's numbers.
const BOTTOM: f64 = 44.0;
/// Between the ruler and what stands below it.
const UNDER: f64 = 56.0;
/// Between the plot and what stands beside it: room for the words at the plot's right.
const ASIDE: f64 = 90.0;
/// The legend's column.
pub(super) const LEGEND: f64 = 330.0;

/// Where millimetres lie on the canvas. Bed coordinates: from the bed's front left corner.
#[derive(Debug, Clone, Copy)]
pub(super) struct View {
    pub(super) width: f64,
    pub(super) height: f64,
    /// What of the bed is shown, mm.
    pub(super) shown: Rect,
    /// Pixels in a millimetre.
    pub(super) scale: f64,
    corner: Point,
}

impl View {
    /// Shows `wanted` (mm) as large as the canvas allows, at true proportions.
    pub(super) fn new(width: u32, height: u32, wanted: Rect) -> Self {
        let (width, height) = (f64::from(width), f64::from(height));
        let (w, h) = ((width - LEFT - LEGEND).max(50.0), (height - TOP - BOTTOM).max(50.0));
        let scale = (w / wanted.width().max(1e-6)).min(h / wanted.height().max(1e-6));
        Self { width, height, shown: wanted, scale, corner: Point::new(LEFT, height - BOTTOM) }
    }

    /// Shows `wanted` and leaves room for an object of this size (mm, at the same scale) below its
    /// ruler or beside it, whichever lets both be larger; and where the object's middle comes to
    /// lie: how far to the right of its place in the plot, and how far down the canvas, px.
    pub(super) fn with_object(width: u32, height: u32, wanted: Rect, object: f64) -> (Self, Vec2) {
        let (width, height) = (f64::from(width), f64::from(height));
        let (w, h) = ((width - LEFT - LEGEND).max(50.0), (height - TOP - BOTTOM).max(50.0));
        let fit =
            |across: f64, down: f64, w: f64, h: f64| (w / across.max(1e-6)).min(h / down.max(1e-6));
        let below = fit(wanted.width(), wanted.height() + object, w, h - UNDER);
        let beside = fit(2.0 * wanted.width(), wanted.height().max(object), w - ASIDE, h);
        let (scale, base, aside) = if below >= beside {
            (
                below,
                height - BOTTOM - UNDER - object * below,
                Vec2::new(0.0, object / 2.0 * below + UNDER - 6.0),
            )
        } else {
            let right = wanted.width() * beside + ASIDE;
            // An object that is larger than what is shown of its surface stands on the same ground.
            let half = wanted.height().max(object) / 2.0;
            (beside, height - BOTTOM, Vec2::new(right, -half * beside))
        };
        let view = Self { width, height, shown: wanted, scale, corner: Point::new(LEFT, base) };
        (view, Vec2::new(aside.x, base + aside.y))
    }

    /// Where a point of the bed lies on the canvas.
    pub(super) fn px(&self, p: Point) -> Point {
        Point::new(
            self.corner.x + (p.x - self.shown.x0) * self.scale,
            self.corner.y - (p.y - self.shown.y0) * self.scale,
        )
    }

    /// Carries the bed to the canvas.
    pub(super) fn transform(&self) -> Affine {
        let s = self.scale;
        let (x, y) = (self.corner.x - self.shown.x0 * s, self.corner.y + self.shown.y0 * s);
        Affine::new([s, 0.0, 0.0, -s, x, y])
    }

    pub(super) fn px_rect(&self, r: Rect) -> Rect {
        Rect::from_points(self.px(Point::new(r.x0, r.y0)), self.px(Point::new(r.x1, r.y1)))
    }
}

/// What the frame shows besides the job.
#[derive(Debug, Clone)]
pub(super) struct Ground {
    pub(super) bed: Rect,
    pub(super) stock: Option<LaidStock>,
}

/// Where the rulers count from, and which way.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Cross {
    pub(super) at: Vec2,
    pub(super) pointing: Pointing,
}

impl From<Field> for Cross {
    fn from(field: Field) -> Self {
        Self { at: field.zero, pointing: field.pointing }
    }
}

impl From<&Machine> for Cross {
    fn from(machine: &Machine) -> Self {
        Self { at: machine.bed.origin_offset(), pointing: machine.pointing }
    }
}

impl Cross {
    /// What the machine calls a place so far to the right of the zero.
    pub(super) fn right(self, by: f64) -> f64 {
        let Vec2 { x, y } = self.pointing.to_machine(Vec2::new(by, 0.0));
        if self.pointing.exchanged { y } else { x }
    }

    /// What the machine calls a place so far away from the zero.
    pub(super) fn away(self, by: f64) -> f64 {
        let Vec2 { x, y } = self.pointing.to_machine(Vec2::new(0.0, by));
        if self.pointing.exchanged { x } else { y }
    }
}

pub(super) fn rect(out: &mut String, r: Rect, style: &str) {
    let _ = writeln!(
        out,
        r#"<rect x="{:.2}" y="{:.2}" width="{:.2}" height="{:.2}" {style}/>"#,
        r.x0,
        r.y0,
        r.width(),
        r.height()
    );
}

pub(super) fn line(out: &mut String, a: Point, b: Point, style: &str) {
    let _ = writeln!(
        out,
        r#"<line x1="{:.2}" y1="{:.2}" x2="{:.2}" y2="{:.2}" {style}/>"#,
        a.x, a.y, b.x, b.y
    );
}

/// Text at `at`; `style` holds size, anchor and colour.
pub(super) fn text(out: &mut String, at: Point, style: &str, content: &str) {
    let _ = writeln!(
        out,
        r#"<text x="{:.1}" y="{:.1}" {style}>{}</text>"#,
        at.x,
        at.y,
        escape(content)
    );
}

pub(super) fn escape(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            c if c.is_control() => out.push(' '),
            c => out.push(c),
        }
    }
    out
}

/// Opens the document and draws everything that lies under the job.
pub(super) fn open(out: &mut String, view: &View, ground: &Ground) {
    let (w, h) = (view.width, view.height);
    let _ = writeln!(
        out,
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="{w}" height="{h}" viewBox="0 0 {w} {h}" font-family="DejaVu Sans, Verdana, sans-serif" font-size="12">"#
    );
    rect(out, Rect::new(0.0, 0.0, w, h), &format!(r#"fill="{PAPER}""#));
    let shown = view.px_rect(view.shown);
    let _ = writeln!(
        out,
        r#"<clipPath id="plot"><rect x="{:.2}" y="{:.2}" width="{:.2}" height="{:.2}"/></clipPath>"#,
        shown.x0,
        shown.y0,
        shown.width(),
        shown.height()
    );
    out.push_str("<g clip-path=\"url(#plot)\">\n");
    rect(out, view.px_rect(ground.bed), &format!(r#"fill="{BED}""#));
    if let Some(stock) = &ground.stock {
        let paint = format!(r#"fill="{STOCK}" stroke="{STOCK_EDGE}""#);
        match &stock.outline {
            None => rect(out, view.px_rect(stock.bounds), &paint),
            Some(outline) => {
                let mut d = String::new();
                for ring in outline.rings() {
                    for (n, p) in ring.iter().map(|p| view.px(*p)).enumerate() {
                        let _ =
                            write!(d, "{}{:.2} {:.2}", if n == 0 { 'M' } else { 'L' }, p.x, p.y);
                    }
                    d.push('Z');
                }
                let _ = writeln!(out, r#"<path d="{d}" {paint} fill-rule="evenodd"/>"#);
            }
        }
    }
    grid(out, view);
    out.push_str("</g>\n");
    let bed_in_view = ground.bed.intersect(view.shown);
    rect(out, view.px_rect(bed_in_view), &format!(r#"fill="none" stroke="{FAINT_INK}""#));
}

/// A round step (1, 2 or 5 times a power of ten, mm) of at least `least` pixels, where `scale` are in a mm.
pub(super) fn round_step(scale: f64, least: f64) -> f64 {
    let mm = least / scale;
    let power = 10_f64.powf(mm.log10().floor());
    [1.0, 2.0, 5.0, 10.0].iter().map(|m| m * power).find(|step| *step >= mm).unwrap_or(10.0 * power)
}

/// Multiples of a step from `low` to `high`.
pub(super) fn ticks(low: f64, high: f64, step: f64) -> impl Iterator<Item = f64> {
    let first = (low / step - 1e-9).ceil() as i64;
    let last = (high / step + 1e-9).floor() as i64;
    (first..=last).map(move |n| n as f64 * step)
}

/// A grid over a photo, counted from the zero: fine lines, and stronger ones where the rulers have numbers.
pub(super) fn grid_over(out: &mut String, view: &View, zero: Vec2) {
    let step = round_step(view.scale, 50.0);
    let (low, high) =
        (view.shown.origin() - zero, view.shown.origin() - zero + view.shown.size().to_vec2());
    for (pitch, width, opacity) in [(step / 5.0, 0.5, 0.35), (step, 1.0, 0.75)] {
        let style = |colour: &str, width: f64| {
            format!(r#"stroke="{colour}" stroke-width="{width}" stroke-opacity="{opacity}""#)
        };
        // Light beside dark, so that it is seen on any ground.
        for style in [style("#ffffff", width * 2.2), style(INK, width)] {
            for x in ticks(low.x, high.x, pitch) {
                let at = |y: f64| view.px(Point::new(x + zero.x, y));
                line(out, at(view.shown.y0), at(view.shown.y1), &style);
            }
            for y in ticks(low.y, high.y, pitch) {
                let at = |x: f64| view.px(Point::new(x, y + zero.y));
                line(out, at(view.shown.x0), at(view.shown.x1), &style);
            }
        }
    }
}

fn grid(out: &mut String, view: &View) {
    let step = round_step(view.scale, 50.0);
    let style = format!(r#"stroke="{GRID}""#);
    for x in ticks(view.shown.x0, view.shown.x1, step) {
        let (a, b) = (Point::new(x, view.shown.y0), Point::new(x, view.shown.y1));
        line(out, view.px(a), view.px(b), &style);
    }
    for y in ticks(view.shown.y0, view.shown.y1, step) {
        let (a, b) = (Point::new(view.shown.x0, y), Point::new(view.shown.x1, y));
        line(out, view.px(a), view.px(b), &style);
    }
}

/// Rulers along the lower and left edge, in the machine's own coordinates (mm).
pub(super) fn rulers(out: &mut String, view: &View, zero: Cross) {
    rulers_along(out, view, zero, &|x| x);
}

/// The same where the lower one counts along the axis of a round object: `along` is where on the unrolled surface a
/// place of the axis lies, mm from the zero.
pub(super) fn rulers_along(out: &mut String, view: &View, zero: Cross, along: &dyn Fn(f64) -> f64) {
    let origin = zero.at;
    let step = round_step(view.scale, 50.0);
    let small = step / 5.0;
    let ink = format!(r#"stroke="{INK}" stroke-width="1""#);
    let faint = format!(r#"stroke="{FAINT_INK}" stroke-width="0.7""#);
    let (low, high) =
        (view.shown.origin() - origin, view.shown.origin() - origin + view.shown.size().to_vec2());
    let base = view.px(view.shown.origin());
    let at_x = |x: f64| Point::new(view.px(Point::new(along(x) + origin.x, 0.0)).x, base.y);
    // The way along the surface is never shorter.
    let shown = |x: &f64| (low.x - 1e-6..=high.x + 1e-6).contains(&along(*x));
    let at_y = |y: f64| Point::new(base.x, view.px(Point::new(0.0, y + origin.y)).y);
    for x in ticks(low.x, high.x, small).filter(shown) {
        line(out, at_x(x), at_x(x) + Vec2::new(0.0, 4.0), &faint);
    }
    for y in ticks(low.y, high.y, small) {
        line(out, at_y(y), at_y(y) - Vec2::new(4.0, 0.0), &faint);
    }
    for x in ticks(low.x, high.x, step).filter(shown) {
        line(out, at_x(x), at_x(x) + Vec2::new(0.0, 8.0), &ink);
        let style = format!(r#"text-anchor="middle" font-size="11" fill="{INK}""#);
        text(out, at_x(x) + Vec2::new(0.0, 20.0), &style, &plain(zero.right(x), 3));
    }
    for y in ticks(low.y, high.y, step) {
        line(out, at_y(y), at_y(y) - Vec2::new(8.0, 0.0), &ink);
        let style = format!(r#"text-anchor="end" font-size="11" fill="{INK}""#);
        text(out, at_y(y) + Vec2::new(-11.0, 4.0), &style, &plain(zero.away(y), 3));
    }
    let style = format!(r#"font-size="11" fill="{FAINT_INK}""#);
    text(out, Point::new(12.0, base.y + 34.0), &style, "mm");
}

/// The machine's origin: two arrows along its axes and a zero.
pub(super) fn origin(out: &mut String, view: &View, zero: Cross) {
    let origin = zero.at;
    let at = view.px(origin.to_point());
    if !view.shown.inflate(1e-6, 1e-6).contains(origin.to_point()) {
        return;
    }
    let style = format!(r#"fill="none" stroke="{INK}" stroke-width="2" stroke-linejoin="round""#);
    let mut d = String::new();
    for axis in [Vec2::new(1.0, 0.0), Vec2::new(0.0, 1.0)] {
        // The canvas counts downwards.
        let Vec2 { x, y } = zero.pointing.to_plane(axis);
        let (along, across) = (Vec2::new(x, -y), Vec2::new(y, x));
        let tip = at + along * 26.0;
        let (a, b) = (tip - along * 6.0 + across * 4.0, tip - along * 6.0 - across * 4.0);
        let _ = write!(
            d,
            "M{:.1} {:.1}L{:.1} {:.1}M{:.1} {:.1}L{:.1} {:.1}L{:.1} {:.1}",
            at.x, at.y, tip.x, tip.y, a.x, a.y, tip.x, tip.y, b.x, b.y
        );
    }
    let _ = writeln!(out, r#"<path d="{d}" {style}/>"#);
    let _ = writeln!(
        out,
        r#"<circle cx="{:.1}" cy="{:.1}" r="4" fill="{BED}" stroke="{INK}" stroke-width="2"/>"#,
        at.x, at.y
    );
}

/// What of the plot lies off the bed is hatched, over everything that is drawn there.
pub(super) fn off_bed(out: &mut String, view: &View, bed: Rect) {
    /// Less is drawn so that a line on the bed's edge can be seen, mm.
    const BEYOND: f64 = 0.5;
    if bed.inflate(BEYOND, BEYOND).contains_rect(view.shown) {
        return;
    }
    out.push_str(
        r##"<pattern id="off-bed" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><rect width="2" height="9" fill="#c0392b" fill-opacity="0.45"/></pattern>"##,
    );
    out.push('\n');
    let box_of = |r: Rect| format!("M{:.2} {:.2}H{:.2}V{:.2}H{:.2}Z", r.x0, r.y0, r.x1, r.y1, r.x0);
    let (shown, bed) = (view.px_rect(view.shown), view.px_rect(bed));
    let _ = writeln!(
        out,
        r#"<path d="{}{}" fill="url(#off-bed)" fill-rule="evenodd"/>"#,
        box_of(shown),
        box_of(bed.intersect(shown))
    );
    let style = format!(
        r##"font-size="12" font-weight="bold" fill="#c0392b" stroke="{BED}" stroke-width="3" paint-order="stroke""##
    );
    // In the first margin that has room for the words.
    let at = [
        (shown.x1 - bed.x1, Point::new(bed.x1 + 6.0, shown.y0 + 16.0)),
        (bed.x0 - shown.x0, Point::new(shown.x0 + 6.0, shown.y0 + 16.0)),
        (bed.y0 - shown.y0, Point::new(shown.x0 + 6.0, shown.y0 + 16.0)),
        (shown.y1 - bed.y1, Point::new(shown.x0 + 6.0, shown.y1 - 6.0)),
    ];
    if let Some((_, at)) = at.into_iter().find(|(room, _)| *room >= 20.0) {
        text(out, at, &style, "off the bed");
    }
}

/// Where the words of [`extents`] stand, px.
pub(super) fn extents_words(view: &View, extents: Rect) -> [Rect; 2] {
    let r = view.px_rect(extents);
    let above = (r.y0 - 6.0).max(14.0);
    let (long, high) = (44.0, 13.0);
    [
        Rect::new(r.center().x - long, above - high, r.center().x + long, above + 3.0),
        Rect::new(r.x1 + 4.0, r.center().y - long, r.x1 + 4.0 + high + 6.0, r.center().y + long),
    ]
}

/// A thin bracket round `extents` with its width above and its depth beside it.
pub(super) fn extents(out: &mut String, view: &View, extents: Rect) {
    let r = view.px_rect(extents);
    // Corners alone: a box of dashes would look like a line that was drawn.
    let (x, y) = ((r.width() / 3.0).min(16.0), (r.height() / 3.0).min(16.0));
    let corner = |cx: f64, cy: f64, dx: f64, dy: f64| {
        format!("M{:.1} {cy:.1}H{cx:.1}V{:.1}", cx + dx, cy + dy)
    };
    let d: String = [
        corner(r.x0, r.y0, x, y),
        corner(r.x1, r.y0, -x, y),
        corner(r.x1, r.y1, -x, -y),
        corner(r.x0, r.y1, x, -y),
    ]
    .concat();
    let _ = writeln!(out, r#"<path d="{d}" fill="none" stroke="{INK}" stroke-width="1"/>"#);
    let number = |v: f64| format!("{} mm", plain(v, 2));
    let halo = format!(
        r#"font-size="12" fill="{INK}" stroke="{BED}" stroke-width="3" paint-order="stroke" text-anchor="middle""#
    );
    let above = (r.y0 - 6.0).max(14.0);
    text(out, Point::new(r.center().x, above), &halo, &number(extents.width()));
    let beside = Point::new(r.x1 + 14.0, r.center().y);
    let turned = format!(r#"{halo} transform="rotate(90 {:.1} {:.1})""#, beside.x, beside.y);
    text(out, beside + Vec2::new(0.0, 4.0), &turned, &number(extents.height()));
}

/// How a picture's root says how large it is, px.
pub(super) fn sides(width: f64, height: f64) -> String {
    format!(r#"width="{width}" height="{height}""#)
}

/// A chart's beginning: paper of this size, a title and what it shows under it, both from `x` on.
pub(super) fn chart(size: (f64, f64), x: f64, title: &str, under: &str) -> String {
    let (w, h) = size;
    let mut out = String::new();
    let _ = writeln!(
        out,
        r#"<svg xmlns="http://www.w3.org/2000/svg" {} viewBox="0 0 {w} {h}" font-family="DejaVu Sans, Verdana, sans-serif" font-size="13">"#,
        sides(w, h)
    );
    rect(&mut out, Rect::new(0.0, 0.0, w, h), &format!(r#"fill="{PAPER}""#));
    let heading = format!(r#"font-size="18" font-weight="bold" fill="{INK}""#);
    text(&mut out, Point::new(x, 44.0), &heading, title);
    text(&mut out, Point::new(x, 66.0), &format!(r#"fill="{FAINT_INK}""#), under);
    out
}
