//! The legend: what each line is, in numbers.

use super::frame::{LEGEND, View, line, rect, text};
use super::palette::{BED, DRAWN, FAINT_INK, INK, PAPER, TRAVEL, ramp};
use std::fmt::Write as _;
use tinkite_base::geometry::{Point, Rect, Vec2};

/// One line of work in the legend.
#[derive(Debug, Clone)]
pub(super) struct Entry {
    /// The colour of its lines; none where colours stand for something else.
    pub(super) colour: Option<String>,
    /// The colour that was drawn, where that is another.
    pub(super) drawn: Option<String>,
    pub(super) title: String,
    pub(super) lines: Vec<String>,
}

/// Everything the legend says.
#[derive(Debug, Clone)]
pub(super) struct Legend {
    pub(super) title: String,
    pub(super) subtitle: String,
    pub(super) entries: Vec<Entry>,
    pub(super) totals: Vec<String>,
    pub(super) notes: Vec<String>,
    /// What colours mean, when they do not tell steps apart.
    pub(super) scale: Option<ColourScale>,
    pub(super) signs: Signs,
}

/// What the colours from little to much stand for.
#[derive(Debug, Clone)]
pub(super) struct ColourScale {
    pub(super) title: String,
    pub(super) low: String,
    pub(super) high: String,
}

/// Which signs are in the picture and so want explaining.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Signs {
    pub(super) starts: bool,
    pub(super) arrows: bool,
    pub(super) travel: bool,
    pub(super) origin: Option<&'static str>,
    pub(super) pierces: bool,
    pub(super) drawn: bool,
    pub(super) bridges: bool,
    pub(super) leads: bool,
    /// Colours of the drawing beside those of steps.
    pub(super) paints: bool,
}

/// Characters that fit into the column at 12 px.
const COLUMN: usize = 42;

fn cut(content: &str, most: usize) -> String {
    if content.chars().count() <= most {
        return content.to_string();
    }
    content.chars().take(most - 1).chain(['…']).collect()
}

/// Draws the legend in its column; `inset` shows where on the bed the picture looks. What is left of the column below
/// it, px.
pub(super) fn draw(
    out: &mut String,
    view: &View,
    legend: &Legend,
    inset: Option<(Rect, Rect)>,
) -> Rect {
    let x = view.width - LEGEND + 24.0;
    let mut y = 30.0;
    let ink = |size: u32, more: &str| format!(r#"font-size="{size}" fill="{INK}" {more}"#);
    let faint = format!(r#"font-size="12" fill="{FAINT_INK}""#);
    text(out, Point::new(x, y), &ink(16, r#"font-weight="bold""#), &cut(&legend.title, 30));
    y += 19.0;
    text(out, Point::new(x, y), &faint, &cut(&legend.subtitle, COLUMN));
    y += 28.0;
    // What does not fit is said, not squeezed.
    let below = if inset.is_some() { 460.0 } else { 330.0 };
    let room = ((view.height - below).max(60.0) / 62.0) as usize;
    for entry in legend.entries.iter().take(room) {
        if let Some(colour) = &entry.colour {
            let swatch = Rect::new(x, y - 10.0, x + 18.0, y + 2.0);
            rect(out, swatch, &format!(r#"fill="{colour}" rx="2""#));
        }
        if let Some(drawn) = &entry.drawn {
            drawn_chip(out, Point::new(x + 9.0, y + 11.0), drawn);
        }
        text(
            out,
            Point::new(x + 26.0, y),
            &ink(13, r#"font-weight="bold""#),
            &cut(&entry.title, 32),
        );
        for content in &entry.lines {
            y += 16.0;
            text(out, Point::new(x + 26.0, y), &ink(12, ""), &cut(content, COLUMN - 4));
        }
        y += 26.0;
    }
    if legend.entries.len() > room {
        text(
            out,
            Point::new(x, y),
            &faint,
            &format!("and {} more steps", legend.entries.len() - room),
        );
        y += 20.0;
    }
    for content in &legend.totals {
        text(out, Point::new(x, y), &ink(12, ""), &cut(content, COLUMN));
        y += 17.0;
    }
    if let Some(scale) = &legend.scale {
        draw_scale(out, Point::new(x, y + 12.0), scale);
        y += 62.0;
    }
    y = signs(out, Point::new(x, y + 12.0), legend.signs);
    for note in &legend.notes {
        text(out, Point::new(x, y), &faint, &cut(note, COLUMN));
        y += 17.0;
    }
    let mut base = view.height - 20.0;
    if let Some((bed, shown)) = inset {
        base -= INSET.1 + 30.0;
        draw_inset(out, view, bed, shown);
    }
    Rect::new(x, y.min(base), view.width - 24.0, base)
}

/// Most that the bed in small takes, px.
const INSET: (f64, f64) = (150.0, 96.0);

/// The colour that was drawn, small.
fn drawn_chip(out: &mut String, at: Point, colour: &str) {
    let chip = Rect::from_center_size(at, (8.0, 8.0));
    rect(out, chip, &format!(r#"fill="{colour}" stroke="{FAINT_INK}" stroke-width="0.6""#));
}

fn signs(out: &mut String, at: Point, signs: Signs) -> f64 {
    let Point { x, mut y } = at;
    let style = format!(r#"font-size="12" fill="{INK}""#);
    let mut row = |out: &mut String, draw: &dyn Fn(&mut String, Point), words: &str| {
        draw(out, Point::new(x + 9.0, y - 4.0));
        text(out, Point::new(x + 26.0, y), &style, words);
        y += 17.0;
    };
    if signs.starts {
        row(out, &|out, p| start_point(out, p, INK), "path start, numbered in order");
    }
    if signs.arrows {
        row(out, &|out, p| arrow(out, p, Vec2::new(1.0, 0.0), INK), "direction");
    }
    let colour = |dash: &str, width: f64| {
        format!(r#"stroke="{INK}" stroke-width="{width}" stroke-dasharray="{dash}""#)
    };
    if signs.pierces {
        row(out, &|out, p| pierce_point(out, p, INK), "start with a pierce");
    }
    if signs.leads {
        let style = colour("", 1.0);
        row(
            out,
            &|out, p| line(out, p - Vec2::new(9.0, 0.0), p + Vec2::new(9.0, 0.0), &style),
            "way in or out, thinner",
        );
    }
    if signs.bridges {
        let style = colour("", 1.2);
        row(
            out,
            &|out, p| {
                line(out, p - Vec2::new(9.0, 0.0), p - Vec2::new(4.0, 0.0), &style);
                line(out, p + Vec2::new(4.0, 0.0), p + Vec2::new(9.0, 0.0), &style);
                for x in [-4.0, 4.0] {
                    line(out, p + Vec2::new(x, -4.0), p + Vec2::new(x, 4.0), &style);
                }
            },
            "bridge: stays attached",
        );
    }
    if signs.drawn {
        let style = format!(r#"stroke="{DRAWN}" stroke-dasharray="3 2""#);
        row(
            out,
            &|out, p| line(out, p - Vec2::new(9.0, 0.0), p + Vec2::new(9.0, 0.0), &style),
            "as drawn; the beam runs beside it",
        );
    }
    if signs.paints {
        row(out, &|out, p| drawn_chip(out, p, BED), "small: its colour in the drawing");
    }
    if signs.travel {
        let style = format!(r#"stroke="{TRAVEL}" stroke-dasharray="5 4""#);
        row(
            out,
            &|out, p| line(out, p - Vec2::new(9.0, 0.0), p + Vec2::new(9.0, 0.0), &style),
            "travel, beam off",
        );
    }
    if let Some(origin) = signs.origin {
        row(
            out,
            &|out, p| {
                let _ = writeln!(
                    out,
                    r#"<circle cx="{:.1}" cy="{:.1}" r="4" fill="{BED}" stroke="{INK}" stroke-width="2"/>"#,
                    p.x, p.y
                );
            },
            origin,
        );
    }
    y + 8.0
}

/// Where a path starts.
pub(super) fn start_point(out: &mut String, at: Point, colour: &str) {
    let _ = writeln!(
        out,
        r#"<circle cx="{:.1}" cy="{:.1}" r="3" fill="{PAPER}" stroke="{colour}" stroke-width="1.4"/>"#,
        at.x, at.y
    );
}

/// Where a path starts with the beam standing still.
pub(super) fn pierce_point(out: &mut String, at: Point, colour: &str) {
    let _ = writeln!(
        out,
        r#"<circle cx="{:.1}" cy="{:.1}" r="3.6" fill="{colour}" stroke="{BED}" stroke-width="1"/>"#,
        at.x, at.y
    );
}

/// The scale of colours from little to much.
fn draw_scale(out: &mut String, at: Point, scale: &ColourScale) {
    let ink = format!(r#"font-size="12" fill="{INK}""#);
    text(out, at, &ink, &scale.title);
    let (width, parts) = (200.0, 40);
    for n in 0..parts {
        let x = at.x + width * f64::from(n) / f64::from(parts);
        let colour = ramp(f64::from(n) / f64::from(parts - 1));
        let bar = Rect::new(x, at.y + 8.0, x + width / f64::from(parts) + 0.5, at.y + 20.0);
        rect(out, bar, &format!(r#"fill="{colour}""#));
    }
    text(out, at + Vec2::new(0.0, 34.0), &ink, &scale.low);
    let right = format!(r#"{ink} text-anchor="end""#);
    text(out, at + Vec2::new(width, 34.0), &right, &scale.high);
}

/// An arrow head at `at`, pointing along `direction` (canvas, y down).
pub(super) fn arrow(out: &mut String, at: Point, direction: Vec2, colour: &str) {
    let side = Vec2::new(-direction.y, direction.x) * 3.4;
    let (tip, tail) = (at + direction * 4.5, at - direction * 3.5);
    let (a, b) = (tail + side, tail - side);
    let _ = writeln!(
        out,
        r#"<path d="M{:.1} {:.1}L{:.1} {:.1}L{:.1} {:.1}Z" fill="{colour}"/>"#,
        tip.x, tip.y, a.x, a.y, b.x, b.y
    );
}

/// The whole bed in small, with what the picture shows of it.
fn draw_inset(out: &mut String, view: &View, bed: Rect, shown: Rect) {
    let scale = (INSET.0 / bed.width()).min(INSET.1 / bed.height());
    let corner = Point::new(view.width - LEGEND + 24.0, view.height - 26.0);
    let px = |r: Rect| {
        Rect::new(
            corner.x + (r.x0 - bed.x0) * scale,
            corner.y - (r.y1 - bed.y0) * scale,
            corner.x + (r.x1 - bed.x0) * scale,
            corner.y - (r.y0 - bed.y0) * scale,
        )
    };
    rect(out, px(bed), &format!(r#"fill="{BED}" stroke="{FAINT_INK}""#));
    rect(out, px(shown), &format!(r#"fill="{PAPER}" stroke="{INK}""#));
    let style = format!(r#"font-size="11" fill="{FAINT_INK}""#);
    let words = format!("the bed, {} x {} mm, and the part shown", bed.width(), bed.height());
    text(out, corner + Vec2::new(0.0, 14.0), &style, &words);
}
