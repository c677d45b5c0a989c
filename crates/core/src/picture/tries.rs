//! What was tried on a material: power against speed, and how each went.

use super::frame::{chart, line, rect, text};
use super::palette::{FAINT_INK, GRID, INK};
use std::fmt::Write as _;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::quantity::plain;

const SIZE: (f64, f64) = (1280.0, 800.0);
const PLOT: Rect = Rect { x0: 110.0, y0: 100.0, x1: 1180.0, y1: 710.0 };

/// How one try went.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TryMark {
    /// It worked.
    Worked,
    /// It did not.
    Failed,
    /// Nobody noted it.
    Unknown,
}

/// One try: mm/s, percent of full in all passes together, and how it went.
#[derive(Debug, Clone, PartialEq)]
pub struct TryPoint {
    /// Speed, mm/s.
    pub speed: f64,
    /// Power of all passes together, %.
    pub power: f64,
    /// How it went.
    pub mark: TryMark,
    /// What stands beside it: the run.
    pub label: String,
}

/// The least of 1, 2, 2.5, 5 and 10 times a power of ten that is not below.
fn round_above(value: f64) -> f64 {
    let tens = 10f64.powf(value.log10().floor());
    let steps = [1.0, 2.0, 2.5, 5.0, 10.0].map(|step| step * tens);
    steps.into_iter().find(|step| *step >= value).unwrap_or(10.0 * tens)
}

/// Tries as marks, over lines along which each mm of line gets the same energy.
#[must_use]
pub fn tries_chart(tries: &[TryPoint], title: &str) -> String {
    let under = "dot: it worked; cross: it did not; ring: not noted. Along a slanting line each mm of line gets the same energy";
    let mut out = chart(SIZE, PLOT.x0, title, under);
    rect(&mut out, PLOT, &format!(r##"fill="#ffffff" stroke="{FAINT_INK}""##));
    let most = |of: fn(&TryPoint) -> f64| {
        round_above(tries.iter().map(of).fold(0.0, f64::max).max(1.0) * 1.05)
    };
    let (fastest, strongest) = (most(|one| one.speed), most(|one| one.power));
    let at = |speed: f64, power: f64| {
        Point::new(
            PLOT.x0 + PLOT.width() * speed / fastest,
            PLOT.y1 - PLOT.height() * power / strongest,
        )
    };
    for fifth in 0..=5 {
        let share = f64::from(fifth) / 5.0;
        let (speed, power) = (fastest * share, strongest * share);
        let style = |anchor: &str| format!(r#"font-size="12" text-anchor="{anchor}" fill="{INK}""#);
        text(
            &mut out,
            Point::new(at(speed, 0.0).x, PLOT.y1 + 20.0),
            &style("middle"),
            &plain(speed, 1),
        );
        text(
            &mut out,
            Point::new(PLOT.x0 - 8.0, at(0.0, power).y + 4.0),
            &style("end"),
            &plain(power, 1),
        );
    }
    let middle = format!(r#"text-anchor="middle" fill="{INK}""#);
    text(&mut out, Point::new(PLOT.center().x, PLOT.y1 + 46.0), &middle, "mm/s");
    text(&mut out, Point::new(PLOT.x0, PLOT.y0 - 12.0), &middle, "power %, all passes");
    // The same energy: power over speed. Twice as much from line to line.
    let whole = strongest / fastest;
    for doubling in -3..=3 {
        let energy = whole * 2f64.powi(doubling);
        let (speed, power) = if energy > whole {
            (strongest / energy, strongest)
        } else {
            (fastest, fastest * energy)
        };
        line(
            &mut out,
            at(0.0, 0.0),
            at(speed, power),
            &format!(r#"stroke="{GRID}" stroke-width="1.5""#),
        );
        let label = at(speed * 0.93, power * 0.93) + Vec2::new(4.0, -4.0);
        text(
            &mut out,
            label,
            &format!(r#"font-size="11" fill="{FAINT_INK}""#),
            &format!("{} % s/mm", plain(energy, 2)),
        );
    }
    for one in tries {
        let p = at(one.speed, one.power);
        let _ = match one.mark {
            TryMark::Worked => {
                writeln!(out, r##"<circle cx="{:.1}" cy="{:.1}" r="7" fill="#2e7d4f"/>"##, p.x, p.y)
            }
            TryMark::Unknown => writeln!(
                out,
                r##"<circle cx="{:.1}" cy="{:.1}" r="6.5" fill="none" stroke="{FAINT_INK}" stroke-width="2"/>"##,
                p.x, p.y
            ),
            TryMark::Failed => writeln!(
                out,
                r##"<path d="M{:.1} {:.1}l12 12m0 -12l-12 12" stroke="#b3261e" stroke-width="3"/>"##,
                p.x - 6.0,
                p.y - 6.0
            ),
        };
        let style = format!(r#"font-size="11" fill="{INK}""#);
        text(&mut out, p + Vec2::new(10.0, -8.0), &style, &one.label);
    }
    out.push_str("</svg>\n");
    out
}
