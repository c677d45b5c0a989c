//! The whole picture: a job before it is burnt, and what a beam did.

use super::detail::{Detail, thinning};
use super::frame::{self, Ground, View};
use super::ghost;
use super::legend::{self, Entry, Legend, Signs};
use super::palette::{BED, INK, TRAVEL, step_colour};
use crate::compile::Compiled;
use crate::geometry::{Contour, Piece, Point, Rect, Vec2};
use crate::job::machine::Bed;
use crate::job::{Job, Make};
use crate::mapping::Placed;
use crate::quantity::{clock, plain};
use crate::toolpath::Burn;
use crate::toolpath::hatch::Hatch;
use std::fmt::Write as _;

/// Size of a picture, px.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Canvas {
    /// Across.
    pub width: u32,
    /// Down.
    pub height: u32,
}

impl Default for Canvas {
    fn default() -> Self {
        Self { width: 1280, height: 800 }
    }
}

/// What part of the bed is worth showing: all of it, unless the job would be lost on it.
fn worth_showing(bed: Rect, job: Rect) -> Rect {
    let fills = (job.width() / bed.width()).max(job.height() / bed.height());
    if fills > 0.7 {
        return bed.union(job);
    }
    let margin = 0.12 * job.width().max(job.height()).max(10.0);
    let near = job.inflate(margin, margin);
    // Near an edge of the bed the edge is shown, and with it the rulers' zero.
    near.intersect(bed)
}

/// The job on its bed, as an SVG document.
#[must_use]
pub fn job(compiled: &Compiled, job: &Job, canvas: Canvas) -> String {
    let timed = compiled.within.timed();
    let totals = &timed.totals;
    let bed = &job.machine.bed;
    let origin = bed.origin_offset();
    let to_bed = |r: Rect| r + origin;
    let stock = compiled.stock;
    let burnt = totals.burnt.map(to_bed).unwrap_or_default();
    let reach = totals.worked.map_or(burnt, to_bed).union(stock.unwrap_or(burnt));
    let ground = Ground { bed: Rect::new(0.0, 0.0, bed.width, bed.depth), stock };
    let view = View::new(canvas.width, canvas.height, worth_showing(ground.bed, reach));
    let paths = timed.placed.sequence().paths().len();
    let detail = Detail::for_paths(paths);

    let mut out = String::with_capacity(64 << 10);
    frame::open(&mut out, &view, &ground);
    out.push_str("<g clip-path=\"url(#plot)\">\n");
    for ghost in &compiled.ghosts {
        ghost::draw(&mut out, &view, ghost);
    }
    if detail.travel {
        draw_travel(&mut out, &view, &timed.placed, origin);
    }
    let thinned = draw_burns(&mut out, &view, &timed.placed, job, &detail);
    draw_marks(&mut out, &view, &timed.placed, &detail);
    frame::extents(&mut out, &view, burnt);
    out.push_str("</g>\n");
    frame::rulers(&mut out, &view, origin);
    frame::origin(&mut out, &view, origin);
    let mut notes = detail.notes(paths);
    notes.extend(thinned);
    let whole =
        view.shown.contains(ground.bed.center()) && view.shown.width() >= ground.bed.width();
    let signs = Signs {
        starts: detail.starts,
        arrows: detail.arrows,
        travel: detail.travel,
        origin: view.shown.inflate(1e-6, 1e-6).contains(origin.to_point()),
    };
    let legend = Legend {
        title: job.name.clone(),
        subtitle: job.machine.name.clone(),
        entries: entries(compiled, job),
        totals: vec![
            format!(
                "burn {} mm, beam off {} mm",
                plain(totals.burn(), 0),
                plain(totals.travel(), 0)
            ),
            format!("about {} in all", clock(totals.seconds())),
            totals.burnt.map_or_else(String::new, |r| {
                format!(
                    "X {} to {}, Y {} to {}",
                    plain(r.x0, 2),
                    plain(r.x1, 2),
                    plain(r.y0, 2),
                    plain(r.y1, 2)
                )
            }),
        ],
        notes,
        signs,
    };
    legend::draw(&mut out, &view, &legend, (!whole).then_some((ground.bed, view.shown)));
    out.push_str("</svg>\n");
    out
}

fn entries(compiled: &Compiled, job: &Job) -> Vec<Entry> {
    let timed = compiled.within.timed();
    let entry = |number: &usize| {
        let step = &job.steps[*number];
        let totals = &timed.totals.steps[*number];
        let passes =
            if step.passes > 1 { format!(", {} passes", step.passes) } else { String::new() };
        let how = match &step.make {
            Make::Engrave(lines) => format!(", lines {} mm apart", plain(lines.spacing, 3)),
            Make::Cut | Make::Score => String::new(),
        };
        Entry {
            step: *number,
            title: format!("{} {}", number + 1, step.name),
            lines: vec![
                format!("{}{how}{passes}", step.make.name()),
                format!("{}, {} = S{}", step.speed, step.power, plain(timed.s[*number].0, 1)),
                format!("{} mm, {}", plain(totals.burn, 0), clock(totals.seconds)),
            ],
        }
    };
    compiled.steps.iter().map(entry).collect()
}

/// Appends the pieces of a contour to SVG path data.
fn push_contour(d: &mut String, view: &View, contour: &Contour) {
    let start = view.px(contour.start);
    let _ = write!(d, "M{:.2} {:.2}", start.x, start.y);
    for (from, piece) in contour.walk() {
        let end = view.px(piece.end());
        match piece {
            Piece::Line { .. } => {
                let _ = write!(d, "L{:.2} {:.2}", end.x, end.y);
            }
            Piece::Arc { centre, sweep, .. } => {
                let radius = from.distance(*centre) * view.scale;
                let large = u8::from(sweep.abs() > std::f64::consts::PI);
                // The canvas has y down: counter-clockwise on the bed is "negative" in SVG.
                let flag = u8::from(*sweep < 0.0);
                let _ = write!(
                    d,
                    "A{radius:.2} {radius:.2} 0 {large} {flag} {:.2} {:.2}",
                    end.x, end.y
                );
            }
        }
    }
}

fn push_hatch(d: &mut String, view: &View, hatch: &Hatch) -> usize {
    let every = thinning(hatch.lines.spacing * view.scale);
    for row in hatch.rows().step_by(every) {
        for (from, to) in row.stretches() {
            let (a, b) = (view.px(from), view.px(to));
            let _ = write!(d, "M{:.2} {:.2}L{:.2} {:.2}", a.x, a.y, b.x, b.y);
        }
    }
    every
}

/// Draws what is burnt, step by step; says which engravings were thinned out.
fn draw_burns(
    out: &mut String,
    view: &View,
    placed: &Placed,
    job: &Job,
    detail: &Detail,
) -> Vec<String> {
    let mut notes = Vec::new();
    for group in placed.sequence().paths().chunk_by(|a, b| a.step == b.step) {
        let step = group[0].step;
        let (mut lines, mut hatches) = (String::new(), String::new());
        for path in group {
            match &path.burn {
                Burn::Line(contour) => push_contour(&mut lines, view, contour),
                Burn::Hatch(hatch) => {
                    let every = push_hatch(&mut hatches, view, hatch);
                    if every > 1 {
                        notes.push(format!("{}: 1 line in {every} drawn", job.steps[step].name));
                    }
                }
            }
        }
        let colour = step_colour(step);
        for (d, width) in [(hatches, 1.1), (lines, detail.stroke)] {
            if !d.is_empty() {
                let _ = writeln!(
                    out,
                    r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="{width}" stroke-linecap="round" stroke-linejoin="round"/>"#
                );
            }
        }
    }
    notes
}

/// Travel between paths, from the machine's zero on; not the small steps inside an engraving.
fn draw_travel(out: &mut String, view: &View, placed: &Placed, origin: Vec2) {
    let mut d = String::new();
    let mut at = origin.to_point();
    for path in placed.sequence().paths() {
        let (start, end) = path.burn.ends();
        let (a, b) = (view.px(at), view.px(start));
        if a.distance(b) > 2.0 {
            let _ = write!(d, "M{:.1} {:.1}L{:.1} {:.1}", a.x, a.y, b.x, b.y);
        }
        at = end;
    }
    let _ = writeln!(
        out,
        r#"<path d="{d}" fill="none" stroke="{TRAVEL}" stroke-width="0.9" stroke-dasharray="5 4"/>"#
    );
}

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

fn draw_marks(out: &mut String, view: &View, placed: &Placed, detail: &Detail) {
    let mut labels = Labels { taken: Vec::new() };
    for (number, path) in placed.sequence().paths().iter().enumerate() {
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
        legend::start_point(out, at, colour);
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
        Burn::Line(contour) => {
            let (from, piece) =
                contour.walk().max_by(|a, b| a.1.length(a.0).total_cmp(&b.1.length(b.0)))?;
            if piece.length(from) * view.scale < 26.0 {
                return None;
            }
            let (before, after) = (piece.point_at(from, 0.49), piece.point_at(from, 0.51));
            let direction = down(after - before) / (after - before).hypot();
            Some((view.px(before.midpoint(after)), direction))
        }
        Burn::Hatch(hatch) => {
            let row = hatch.rows().next()?;
            let (from, to) = row.stretches().next()?;
            let long = from.distance(to) * view.scale > 26.0;
            long.then(|| (view.px(from.midpoint(to)), down(row.direction())))
        }
    }
}

/// One straight stretch that a beam burnt, machine coordinates (mm).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Mark {
    /// Where it began.
    pub from: Point,
    /// Where it ended.
    pub to: Point,
    /// S while it burnt.
    pub s: f64,
}

/// What a beam did on a bed: darker where S was higher. `facts` stand in the legend.
#[must_use]
pub fn burnt(marks: &[Mark], bed: &Bed, title: &str, facts: Vec<String>, canvas: Canvas) -> String {
    let origin = bed.origin_offset();
    let ground = Ground { bed: Rect::new(0.0, 0.0, bed.width, bed.depth), stock: None };
    let reach = marks
        .iter()
        .map(|m| Rect::from_points(m.from, m.to) + origin)
        .reduce(|a, b| a.union(b))
        .unwrap_or(ground.bed);
    let view = View::new(canvas.width, canvas.height, worth_showing(ground.bed, reach));
    let most = marks.iter().map(|m| m.s).fold(1.0, f64::max);
    let mut shades: Vec<String> = vec![String::new(); SHADES.len()];
    for mark in marks {
        let shade = ((mark.s / most) * (SHADES.len() - 1) as f64).round() as usize;
        let (a, b) = (view.px(mark.from + origin), view.px(mark.to + origin));
        let d = &mut shades[shade.min(SHADES.len() - 1)];
        let _ = write!(d, "M{:.2} {:.2}L{:.2} {:.2}", a.x, a.y, b.x, b.y);
    }
    let mut out = String::with_capacity(64 << 10);
    frame::open(&mut out, &view, &ground);
    out.push_str("<g clip-path=\"url(#plot)\">\n");
    for (d, colour) in shades.iter().zip(SHADES) {
        if !d.is_empty() {
            let _ = writeln!(
                out,
                r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="1" stroke-linecap="round"/>"#
            );
        }
    }
    frame::extents(&mut out, &view, reach);
    out.push_str("</g>\n");
    frame::rulers(&mut out, &view, origin);
    frame::origin(&mut out, &view, origin);
    let whole = view.shown.width() >= ground.bed.width();
    let legend = Legend {
        title: title.into(),
        subtitle: "what the beam did; darker is stronger".into(),
        entries: Vec::new(),
        totals: facts,
        notes: Vec::new(),
        signs: Signs {
            origin: view.shown.inflate(1e-6, 1e-6).contains(origin.to_point()),
            ..Signs::default()
        },
    };
    legend::draw(&mut out, &view, &legend, (!whole).then_some((ground.bed, view.shown)));
    out.push_str("</svg>\n");
    out
}

/// Char on wood, from faint to strong.
const SHADES: [&str; 6] = ["#d8b98c", "#c19a63", "#9c7440", "#744f27", "#4a2f15", "#1f1208"];
