//! The measured power of a source as a picture.

use super::frame::{chart, rect, text};
use super::palette::{FAINT_INK, GRID, INK, step_colour};
use std::fmt::Write as _;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::quantity::plain;
use tinkite_machine::source::table::{Measured, Table};

const SIZE: (f64, f64) = (1280.0, 800.0);
const PLOT: Rect = Rect { x0: 110.0, y0: 90.0, x1: 1150.0, y1: 700.0 };

/// How many points of a curve are drawn.
const POINTS: usize = 200;

/// What a source gives over what it is asked for: readings as dots, and the curve that rises
/// through them. Current counts on the left, light on the right.
#[must_use]
pub fn power_curve(table: &Table, rows: &[Measured], title: &str) -> String {
    let under = "what the source gives over what is asked for, as it was measured";
    let mut out = chart(SIZE, PLOT.x0, title, under);
    rect(&mut out, PLOT, &format!(r##"fill="#ffffff" stroke="{FAINT_INK}""##));
    for tenth in 0..=10 {
        let x = PLOT.x0 + PLOT.width() * f64::from(tenth) / 10.0;
        let _ =
            writeln!(out, r#"<path d="M{x:.1} {:.1}V{:.1}" stroke="{GRID}"/>"#, PLOT.y0, PLOT.y1);
        let middle = format!(r#"fill="{INK}" text-anchor="middle""#);
        text(&mut out, Point::new(x, PLOT.y1 + 22.0), &middle, &format!("{} %", tenth * 10));
    }
    let last = rows.iter().map(|row| row.share).fold(0.0, f64::max);
    let current = Series {
        unit: "mA",
        step: 0,
        left: true,
        dots: rows.iter().filter_map(|row| Some((row.share, row.current?))).collect(),
        curve: sample(last, |share| table.current(share)),
    };
    let light = Series {
        unit: "W",
        step: 1,
        left: false,
        dots: rows.iter().filter_map(|row| Some((row.share, row.watts?))).collect(),
        curve: sample(last, |share| table.watts(share)),
    };
    for series in [current, light] {
        series.draw(&mut out);
    }
    out.push_str("</svg>\n");
    out
}

fn sample(last: f64, value: impl Fn(f64) -> Option<f64>) -> Vec<(f64, f64)> {
    (0..=POINTS)
        .filter_map(|n| {
            let share = last * n as f64 / POINTS as f64;
            Some((share, value(share)?))
        })
        .collect()
}

struct Series {
    unit: &'static str,
    step: usize,
    left: bool,
    dots: Vec<(f64, f64)>,
    curve: Vec<(f64, f64)>,
}

impl Series {
    fn draw(&self, out: &mut String) {
        if self.dots.is_empty() {
            return;
        }
        let most = self.dots.iter().map(|(_, v)| *v).fold(0.0, f64::max);
        let unit = round_up(most / 5.0);
        let top = unit * (most / unit).ceil();
        let colour = step_colour(self.step);
        let px = |(share, value): (f64, f64)| {
            Point::new(PLOT.x0 + PLOT.width() * share, PLOT.y1 - PLOT.height() * value / top)
        };
        let mut d = String::new();
        for (n, point) in self.curve.iter().enumerate() {
            let p = px(*point);
            let _ = write!(d, "{}{:.1} {:.1}", if n == 0 { "M" } else { "L" }, p.x, p.y);
        }
        let _ =
            writeln!(out, r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="2.2"/>"#);
        for dot in &self.dots {
            let p = px(*dot);
            let _ =
                writeln!(out, r#"<circle cx="{:.1}" cy="{:.1}" r="5" fill="{colour}"/>"#, p.x, p.y);
            let label = format!("{} {}", plain(dot.1, 2), self.unit);
            let aside = if self.left { Vec2::new(-10.0, -8.0) } else { Vec2::new(10.0, 16.0) };
            let anchor = if self.left { "end" } else { "start" };
            text(out, p + aside, &format!(r#"fill="{colour}" text-anchor="{anchor}""#), &label);
        }
        let ticks = (top / unit).round() as usize;
        for n in 0..=ticks {
            let y = PLOT.y1 - PLOT.height() * n as f64 / ticks as f64;
            let (x, anchor) =
                if self.left { (PLOT.x0 - 10.0, "end") } else { (PLOT.x1 + 10.0, "start") };
            let label = format!("{} {}", plain(unit * n as f64, 3), self.unit);
            text(
                out,
                Point::new(x, y + 5.0),
                &format!(r#"fill="{colour}" text-anchor="{anchor}""#),
                &label,
            );
        }
    }
}

/// The next round number (1, 2 or 5 times a power of ten).
fn round_up(value: f64) -> f64 {
    let power = 10_f64.powf(value.max(1e-9).log10().floor());
    [1.0, 2.0, 5.0, 10.0].iter().map(|m| m * power).find(|n| *n >= value).unwrap_or(10.0 * power)
}
