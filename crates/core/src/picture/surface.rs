//! The finished surface of a relief, from the very rows that are sent: a shaded map, and a section with its layers.

use super::Canvas;
use super::frame::{Cross, chart, line, rect, round_step, text, ticks};
use super::palette::{FAINT_INK, GRID, INK};
use super::step_colours::StepColours;
use super::underlay::embed;
use crate::compile::Compiled;
use image::imageops::blur;
use image::{ImageBuffer, Luma};
use std::fmt::Write as _;
use tinkite_base::geometry::{Affine, Point, Rect, Vec2, hull};
use tinkite_base::quantity::{clock, plain};
use tinkite_job::{Fill, Job, Relief};
use tinkite_toolpath::{Burn, Toolpath};

/// Cells along the longer side of the map.
const CELLS: f64 = 1440.0;

/// Depths that were cut, cell by cell.
struct Surface {
    rect: Rect,
    cell: f64,
    columns: usize,
    rows: usize,
    depth: Vec<f32>,
}

impl Surface {
    fn over(rect: Rect) -> Self {
        let cell = (rect.width().max(rect.height()) / CELLS).max(1e-6);
        let count = |length: f64| (length / cell).ceil().max(1.0) as usize;
        let (columns, rows) = (count(rect.width()), count(rect.height()));
        Self { rect, cell, columns, rows, depth: vec![0.0; columns * rows] }
    }

    /// Takes a layer away where its rows burn, each as wide as they are apart.
    fn cut(&mut self, path: &Toolpath, thickness: f32) {
        let Burn::Rows(rows) = &path.burn else { return };
        let mut cut = vec![false; self.depth.len()];
        let step = self.cell / 2.0;
        let wide = rows.walk.spacing;
        let across = Vec2::new(-rows.walk.along.y, rows.walk.along.x);
        let lanes = (wide / step).ceil().max(1.0) as usize;
        for row in rows.rows() {
            for (from, to, _) in row.stretches() {
                let count = (from.distance(to) / step).ceil().max(1.0) as usize;
                for lane in 0..lanes {
                    let aside = ((lane as f64 + 0.5) / lanes as f64 - 0.5) * wide;
                    for n in 0..count {
                        let p = from.lerp(to, (n as f64 + 0.5) / count as f64) + across * aside;
                        if let Some(cell) = self.index(p) {
                            cut[cell] = true;
                        }
                    }
                }
            }
        }
        for (depth, cut) in self.depth.iter_mut().zip(cut) {
            *depth += if cut { thickness } else { 0.0 };
        }
    }

    fn index(&self, p: Point) -> Option<usize> {
        let (x, y) = ((p.x - self.rect.x0) / self.cell, (p.y - self.rect.y0) / self.cell);
        let inside =
            x >= 0.0 && y >= 0.0 && (x as usize) < self.columns && (y as usize) < self.rows;
        inside.then(|| y as usize * self.columns + x as usize)
    }

    /// How light each cell is, 0 to 255, row by row from the top: light falls from the upper left, and what
    /// lies deeper is darker. What is finer than rows of this spacing (mm) is smoothed: their ends make no teeth.
    fn shade(&self, spacing: f64) -> Vec<u8> {
        let deepest = self.depth.iter().copied().fold(1e-6, f32::max);
        // Heights are drawn so steep that the whole depth is a tenth of the width.
        let steep = 0.1 * (self.columns.max(self.rows) as f32) / deepest;
        let own = |x: u32, y: u32| Luma([self.depth[y as usize * self.columns + x as usize]]);
        let own = ImageBuffer::from_fn(self.columns as u32, self.rows as u32, own);
        let round = blur(&own, (0.8 * spacing / self.cell).max(1.0) as f32);
        let at = |x: usize, y: usize| round.get_pixel(x as u32, y as u32).0[0];
        let light = |x: usize, y: usize| {
            let (left, right) = (x.saturating_sub(1), (x + 1).min(self.columns - 1));
            let (low, high) = (y.saturating_sub(1), (y + 1).min(self.rows - 1));
            // Depth grows downwards: the ground falls where depth rises. Slopes are those of I. Sobel's operator,
            // whose weights smooth the steps that round edges have in square cells.
            let column = |x: usize| at(x, low) + 2.0 * at(x, y) + at(x, high);
            let row = |y: usize| at(left, y) + 2.0 * at(x, y) + at(right, y);
            let dx = (column(left) - column(right)) / 8.0 * steep;
            let dy = (row(low) - row(high)) / 8.0 * steep;
            let normal = (dx * dx + dy * dy + 1.0).sqrt();
            let shine = (dx * 0.5 - dy * 0.5 + 0.707) / normal;
            let sunk = 1.0 - 0.45 * at(x, y) / deepest;
            (255.0 * (0.35 + 0.65 * shine.max(0.0)) * sunk).clamp(0.0, 255.0) as u8
        };
        let rows = (0..self.rows).rev();
        rows.flat_map(|y| (0..self.columns).map(move |x| light(x, y))).collect()
    }
}

/// A step that cuts a relief, with its layers.
struct Cut<'j> {
    number: usize,
    relief: &'j Relief,
    paths: Vec<&'j Toolpath>,
}

/// The finished surface of a job's reliefs; `None` when it has none.
#[must_use]
pub fn surface(compiled: &Compiled, job: &Job, canvas: Canvas) -> Option<String> {
    let planned = compiled.within.planned();
    let paths = planned.segments().sequence().paths();
    let relief = |number: usize| match &job.steps[number].operation.engrave()?.fill {
        Fill::Relief(relief) if !relief.finishes => Some(relief),
        _ => None,
    };
    let cuts: Vec<Cut<'_>> = (0..job.steps.len())
        .filter_map(|number| {
            let own: Vec<&Toolpath> = paths.iter().filter(|path| path.step == number).collect();
            let relief = relief(number)?;
            (!own.is_empty()).then_some(Cut { number, relief, paths: own })
        })
        .collect();
    let ends = cuts.iter().flat_map(|cut| &cut.paths).flat_map(|path| reach(path));
    let reached = hull(ends.map(|p| Rect::from_points(p, p)))?;
    let margin = 0.04 * reached.width().max(reached.height());
    let mut cut_away = Surface::over(reached.inflate(margin, margin));
    for cut in &cuts {
        for path in &cut.paths {
            cut_away.cut(path, cut.relief.thickness() as f32);
        }
    }
    Some(draw(&cut_away, &cuts, compiled, job, canvas))
}

/// Both ends of every stretch.
fn reach(path: &Toolpath) -> Vec<Point> {
    match &path.burn {
        Burn::Rows(rows) => rows
            .rows()
            .flat_map(|row| row.stretches().flat_map(|(a, b, _)| [a, b]).collect::<Vec<_>>())
            .collect(),
        Burn::Line(_) => Vec::new(),
    }
}

/// Where the parts of the picture lie on the canvas, px.
struct Sketch {
    map: Rect,
    plot: Rect,
    words: Point,
}

impl Sketch {
    /// The map as large as fits: of a wide surface the section lies below the map, place by place; else beside it.
    fn of(surface: Rect, canvas: Canvas) -> Self {
        let (width, height) = (f64::from(canvas.width), f64::from(canvas.height));
        let map_in = |room: Rect| {
            let scale = (room.width() / surface.width()).min(room.height() / surface.height());
            let size = surface.size() * scale;
            Rect::from_origin_size(room.origin(), size)
        };
        let below = map_in(Rect::new(70.0, 90.0, width - 330.0, height - 230.0));
        let beside = map_in(Rect::new(70.0, 90.0, width * 0.6, height - 60.0));
        if below.area() > beside.area() {
            let plot = Rect::new(below.x0, height - 165.0, below.x1, height - 55.0);
            return Self { map: below, plot, words: Point::new(below.x1 + 40.0, 110.0) };
        }
        let left = beside.x1 + 80.0;
        let plot = Rect::new(left, height * 0.4, width - 40.0, height - 100.0);
        Self { map: beside, plot, words: Point::new(left, 110.0) }
    }
}

fn draw(
    cut_away: &Surface,
    cuts: &[Cut<'_>],
    compiled: &Compiled,
    job: &Job,
    canvas: Canvas,
) -> String {
    let deepest = f64::from(cut_away.depth.iter().copied().fold(0.0, f32::max));
    let y = cut_away.rect.center().y;
    let zero = Cross::from(job.field());
    let letter = if zero.pointing.exchanged { 'X' } else { 'Y' };
    let under = format!(
        "the surface as it will stand, from the rows that are sent; with it a section at {letter} {} mm",
        plain(zero.away(y - zero.at.y), 1)
    );
    let size = (f64::from(canvas.width), f64::from(canvas.height));
    let mut out = chart(size, 70.0, &job.name, &under);
    let spacing = cuts.iter().flat_map(|cut| &cut.paths).filter_map(|path| match &path.burn {
        Burn::Rows(rows) => Some(rows.walk.spacing),
        Burn::Line(_) => None,
    });
    let spacing = spacing.fold(0.0, f64::max);
    let Sketch { map, plot, words: mut at } = Sketch::of(cut_away.rect, canvas);
    let scale = map.width() / cut_away.rect.width();
    let pixel = cut_away.cell * scale;
    let place =
        Affine::new([pixel, 0.0, 0.0, pixel, map.x0, map.y1 - pixel * cut_away.rows as f64]);
    embed(&mut out, (cut_away.columns, cut_away.rows), &cut_away.shade(spacing), place);
    rect(&mut out, map, &format!(r#"fill="none" stroke="{FAINT_INK}""#));
    let at_y = map.y1 - (y - cut_away.rect.y0) * scale;
    let cut_line = r##"stroke="#b3261e" stroke-width="1" stroke-dasharray="6 4""##;
    line(&mut out, Point::new(map.x0, at_y), Point::new(map.x1, at_y), cut_line);
    section(&mut out, cut_away, (y, deepest), plot, zero);
    // What it takes.
    let totals = &compiled.within.planned().totals;
    let colours = StepColours::of(compiled, job);
    for cut in cuts {
        let step = &job.steps[cut.number];
        let heading = format!(r#"font-weight="bold" fill="{}""#, colours.step(cut.number));
        text(&mut out, at, &heading, &step.name);
        let area: f64 = cut
            .paths
            .iter()
            .filter_map(|path| match &path.burn {
                Burn::Rows(rows) => Some(rows.area()),
                Burn::Line(_) => None,
            })
            .sum();
        let told = [
            format!("{} mm deep", plain(cut.relief.depth, 3)),
            format!("{} layers of {} mm", cut.relief.layers, plain(cut.relief.thickness(), 4)),
            format!("{} burnt, the others are empty", cut.paths.len()),
            format!("passes each: {}", step.passes.len()),
            format!("{} mm³ taken away", plain(area * cut.relief.thickness(), 1)),
            format!("{} in all", clock(totals.steps[cut.number].seconds)),
        ];
        for (n, words) in told.iter().enumerate() {
            if n == 2 && cut.paths.len() == cut.relief.layers as usize {
                continue;
            }
            at.y += 22.0;
            text(&mut out, at, &format!(r#"fill="{INK}""#), words);
        }
        at.y += 40.0;
    }
    out.push_str("</svg>\n");
    out
}

/// The profile along a line across at `y` (mm), where the deepest place of all is `deepest` (mm); what is across is
/// counted on the machine's axis.
fn section(
    out: &mut String,
    cut_away: &Surface,
    (y, deepest): (f64, f64),
    plot: Rect,
    zero: Cross,
) {
    rect(out, plot, &format!(r##"fill="#ffffff" stroke="{FAINT_INK}""##));
    let row = ((y - cut_away.rect.y0) / cut_away.cell) as usize;
    let row = row.min(cut_away.rows - 1);
    let cells = &cut_away.depth[row * cut_away.columns..(row + 1) * cut_away.columns];
    let across = plot.width() / cut_away.columns as f64;
    let top = plot.y0 + 14.0;
    let down = (plot.height() - 24.0) / deepest.max(1e-9);
    let mut d = format!("M{:.1} {:.1}", plot.x0, plot.y1);
    for (n, depth) in cells.iter().enumerate() {
        let level = top + f64::from(*depth) * down;
        let x = plot.x0 + n as f64 * across;
        let _ = write!(d, "L{x:.1} {level:.1}L{:.1} {level:.1}", x + across);
    }
    let _ = writeln!(
        out,
        r##"<path d="{d}L{:.1} {:.1}Z" fill="#d9c3a0" stroke="{INK}" stroke-width="0.8"/>"##,
        plot.x1, plot.y1
    );
    for quarter in 0..=4 {
        let share = f64::from(quarter) / 4.0;
        let level = top + deepest * share * down;
        line(
            out,
            Point::new(plot.x0, level),
            Point::new(plot.x1, level),
            &format!(r#"stroke="{GRID}" stroke-width="0.8""#),
        );
        let style = format!(r#"font-size="11" text-anchor="end" fill="{INK}""#);
        let words = plain(deepest * share, 2);
        text(out, Point::new(plot.x0 - 6.0, level + 4.0), &style, &words);
    }
    let scale = plot.width() / cut_away.rect.width();
    let low = cut_away.rect.x0 - zero.at.x;
    for x in ticks(low, low + cut_away.rect.width(), round_step(scale, 60.0)) {
        let at = Point::new(plot.x0 + (x - low) * scale, plot.y1);
        line(out, at, at + Vec2::new(0.0, 5.0), &format!(r#"stroke="{INK}""#));
        let style = format!(r#"font-size="11" text-anchor="middle" fill="{INK}""#);
        text(out, at + Vec2::new(0.0, 18.0), &style, &plain(zero.right(x), 3));
    }
    let style = format!(r#"font-size="11" fill="{FAINT_INK}""#);
    let letter = if zero.pointing.exchanged { 'Y' } else { 'X' };
    let words = format!(
        "{letter} in mm, depth in mm; depths drawn {} times as large",
        plain(down / scale, 1)
    );
    text(out, Point::new(plot.x0, plot.y1 + 36.0), &style, &words);
}
