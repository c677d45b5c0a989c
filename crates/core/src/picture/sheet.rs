//! The chart of a test sheet that was read: how dark each square is, over what was varied.

use super::frame::{chart, rect, text};
use super::palette::{FAINT_INK, GRID, INK};
use std::fmt::Write as _;
use tinkite_base::geometry::{Point, Rect};
use tinkite_base::quantity::plain;
use tinkite_job::ToneCurve;
use tinkite_job::swatch::Swatch;
use tinkite_photo::scan::Scan;

const SIZE: (f64, f64) = (1280.0, 800.0);

/// Room for squares, and for the curve beside them.
const SQUARES: Rect = Rect { x0: 110.0, y0: 120.0, x1: 800.0, y1: 740.0 };
const CURVE: Rect = Rect { x0: 890.0, y0: 120.0, x1: 1220.0, y1: 740.0 };

/// Squares as dark as they were found, each with its figure; `named` is set off. Beside them darkness over the
/// first thing that was varied, a line for each row, and the tone curve where there is one.
#[must_use]
pub fn sheet_chart(
    swatch: &Swatch,
    scan: &Scan,
    named: Option<usize>,
    curve: Option<&ToneCurve>,
    title: &str,
) -> String {
    let under = match swatch.varied.len() {
        2 => format!(
            "darkness in %, from bare stock to black; {} to the right, {} downwards",
            swatch.varied[0].title(),
            swatch.varied[1].title()
        ),
        _ => "darkness in %, from bare stock to black".into(),
    };
    let mut out = chart(SIZE, 40.0, title, &under);
    squares(&mut out, swatch, scan, named);
    lines(&mut out, swatch, scan, curve);
    out.push_str("</svg>\n");
    out
}

fn squares(out: &mut String, swatch: &Swatch, scan: &Scan, named: Option<usize>) {
    let all =
        swatch.cells.iter().map(|cell| cell.rect).reduce(|a, b| a.union(b)).unwrap_or_default();
    let scale = (SQUARES.width() / all.width().max(1e-6))
        .min(SQUARES.height() / all.height().max(1e-6))
        .min(9.0);
    let place = |r: Rect| {
        Rect::new(
            SQUARES.x0 + (r.x0 - all.x0) * scale,
            SQUARES.y0 + (all.y1 - r.y1) * scale,
            SQUARES.x0 + (r.x1 - all.x0) * scale,
            SQUARES.y0 + (all.y1 - r.y0) * scale,
        )
    };
    for (n, (cell, found)) in swatch.cells.iter().zip(&scan.cells).enumerate() {
        let square = place(cell.rect);
        let grey = found.map_or(1.0, |found| 1.0 - found.mean.clamp(0.0, 1.0));
        let value = (235.0 * grey + 10.0) as u8;
        let edge = match (named == Some(n), found) {
            (true, _) => r##"stroke="#d1495b" stroke-width="4""##.to_string(),
            (false, None) => format!(r#"stroke="{GRID}" stroke-dasharray="4 3""#),
            (false, Some(_)) => format!(r#"stroke="{GRID}""#),
        };
        rect(out, square, &format!(r##"fill="#{value:02x}{value:02x}{value:02x}" {edge}"##));
        let size = (square.width() * 0.3).clamp(7.0, 20.0);
        let ink = if grey < 0.55 { "#ffffff" } else { INK };
        let style = |size: f64, ink: &str| {
            format!(r#"font-size="{size:.1}" text-anchor="middle" fill="{ink}""#)
        };
        let middle = square.center();
        let figure = found.map_or("blank".into(), |found| plain(found.mean * 100.0, 0));
        text(out, Point::new(middle.x, middle.y + size * 0.55), &style(size, ink), &figure);
        text(
            out,
            Point::new(middle.x, middle.y - size * 0.55),
            &style(size * 0.6, ink),
            &cell.name,
        );
    }
    // Values over the first row and before the first column.
    let small = format!(r#"font-size="12" text-anchor="middle" fill="{INK}""#);
    let rows = swatch.varied.get(1).map_or(0, |down| down.numbers.len());
    let Some(across) = swatch.varied.first().filter(|_| rows > 0) else { return };
    for (n, number) in across.numbers.iter().enumerate() {
        let square = place(swatch.cells[n].rect);
        text(out, Point::new(square.center().x, SQUARES.y0 - 8.0), &small, number);
    }
    for row in 0..rows {
        let square = place(swatch.cells[row * across.numbers.len()].rect);
        let right = format!(r#"font-size="12" text-anchor="end" fill="{INK}""#);
        let at = Point::new(SQUARES.x0 - 8.0, square.center().y + 4.0);
        text(out, at, &right, &swatch.varied[1].numbers[row]);
    }
}

/// Darkness over the first thing that was varied.
fn lines(out: &mut String, swatch: &Swatch, scan: &Scan, curve: Option<&ToneCurve>) {
    let Some(across) = swatch.varied.first() else { return };
    let numbers: Vec<f64> = across.numbers.iter().filter_map(|n| n.parse().ok()).collect();
    let least = numbers.iter().copied().fold(f64::INFINITY, f64::min);
    let most = numbers.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    if numbers.len() < 2 || most <= least {
        return;
    }
    let at = |value: f64, darkness: f64| {
        Point::new(
            CURVE.x0 + CURVE.width() * (value - least) / (most - least),
            CURVE.y1 - CURVE.height() * darkness.clamp(0.0, 1.0),
        )
    };
    rect(out, CURVE, &format!(r##"fill="#ffffff" stroke="{FAINT_INK}""##));
    for tenth in (0..=10).step_by(2) {
        let y = at(least, f64::from(tenth) / 10.0).y;
        let _ =
            writeln!(out, r#"<path d="M{:.1} {y:.1}H{:.1}" stroke="{GRID}"/>"#, CURVE.x0, CURVE.x1);
        let style = format!(r#"font-size="12" text-anchor="end" fill="{INK}""#);
        text(out, Point::new(CURVE.x0 - 6.0, y + 4.0), &style, &format!("{}", tenth * 10));
    }
    let style = format!(r#"font-size="12" text-anchor="middle" fill="{INK}""#);
    for value in [least, (least + most) / 2.0, most] {
        text(out, Point::new(at(value, 0.0).x, CURVE.y1 + 20.0), &style, &plain(value, 2));
    }
    text(
        out,
        Point::new(CURVE.center().x, CURVE.y1 + 40.0),
        &style,
        &format!("darkness % over {}", across.title()),
    );
    let per_row = if swatch.varied.len() == 2 { numbers.len() } else { swatch.cells.len() };
    for (row, (cells, _)) in
        scan.cells.chunks(per_row).zip(swatch.cells.chunks(per_row)).enumerate()
    {
        let points: Vec<String> = cells
            .iter()
            .zip(&numbers)
            .filter_map(|(found, number)| Some(at(*number, (*found)?.mean)))
            .map(|p| format!("{:.1} {:.1}", p.x, p.y))
            .collect();
        let colour = super::palette::step_colour(row);
        let _ = writeln!(
            out,
            r#"<path d="M{}" fill="none" stroke="{colour}" stroke-width="2"/>"#,
            points.join(" L")
        );
        if let (Some(down), Some((x, y))) =
            (swatch.varied.get(1), points.last().and_then(|last| last.split_once(' ')))
        {
            let _ = writeln!(
                out,
                r#"<text x="{x}" y="{y}" dx="8" dy="4" font-size="12" fill="{colour}">{}</text>"#,
                down.numbers[row]
            );
        }
        for point in &points {
            if let Some((x, y)) = point.split_once(' ') {
                let _ = writeln!(out, r#"<circle cx="{x}" cy="{y}" r="3.5" fill="{colour}"/>"#);
            }
        }
    }
    if let Some(curve) = curve {
        let points: Vec<String> = curve
            .0
            .iter()
            .map(|(darkness, power)| at(power * 100.0, *darkness))
            .map(|p| format!("{:.1} {:.1}", p.x, p.y))
            .collect();
        let _ = writeln!(
            out,
            r#"<path d="M{}" fill="none" stroke="{INK}" stroke-width="1.5" stroke-dasharray="6 4"/>"#,
            points.join(" L")
        );
        text(
            out,
            Point::new(CURVE.x0 + 10.0, CURVE.y0 + 22.0),
            &format!(r#"font-size="12" fill="{INK}""#),
            "dashed: the tone curve",
        );
    }
}
