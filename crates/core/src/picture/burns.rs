//! What is burnt, step by step, in the colour of the step: lines with their leads and bridges, rows
//! that never melt into a blot, bitmaps as what will be seen.

use super::detail::{Detail, covering, thinning};
use super::frame::View;
use super::palette::DRAWN;
use super::step_colours::StepColours;
use super::underlay;
use std::fmt::Write as _;
use tinkite_artwork::Bitmap;
use tinkite_base::geometry::{Affine, Contour, Piece, Vec2};
use tinkite_job::Job;
use tinkite_program::segment::Segments;
use tinkite_toolpath::Burn;
use tinkite_toolpath::line::Line;
use tinkite_toolpath::rows::{Content, PixelRows, Rows};

/// Which signs the burnt lines want explained.
#[derive(Debug, Clone, Default)]
pub(super) struct Shown {
    /// Where a line was drawn, beside where it runs.
    pub(super) drawn: bool,
    /// Bridges.
    pub(super) bridges: bool,
    /// Ways in and out.
    pub(super) leads: bool,
    /// Engravings that were thinned out.
    pub(super) notes: Vec<String>,
}

/// SVG path data of one step, by how it is stroked.
#[derive(Debug, Default)]
struct Data {
    lines: String,
    leads: String,
    rows: String,
    /// Lines as wide as the room between them.
    tint: String,
    drawn: String,
    ticks: String,
}

/// Appends the pieces of a contour to SVG path data.
pub(super) fn push_contour(d: &mut String, view: &View, contour: &Contour) {
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

/// More engraved lines than this, too near each other to be drawn, are a tint; a sample of them is magnified.
pub(super) const MANY_LINES: usize = 1000;

/// Appends the lines of an engraving to SVG path data, of so many one.
fn push_rows(d: &mut String, view: &View, rows: &Rows, every: usize) {
    for row in rows.rows().step_by(every) {
        for (from, to, _) in row.stretches() {
            let (a, b) = (view.px(from), view.px(to));
            let _ = write!(d, "M{:.2} {:.2}L{:.2} {:.2}", a.x, a.y, b.x, b.y);
        }
    }
}

/// A line with what is done along it. Gaps of bridges show when they are wide enough; small strokes
/// across the line mark their ends in any case.
fn push_line(data: &mut Data, view: &View, line: &Line, shown: &mut Shown) {
    if let Some(drawn) = &line.drawn {
        shown.drawn = true;
        push_contour(&mut data.drawn, view, drawn);
    }
    for lead in line.lead_in.iter().chain(&line.lead_out) {
        shown.leads = true;
        push_contour(&mut data.leads, view, lead);
    }
    if line.bridges.is_empty() {
        push_contour(&mut data.lines, view, &line.contour);
        return;
    }
    shown.bridges = true;
    let length = line.contour.length();
    let mut place = line.bridges.last().map_or(0.0, |(_, to)| (to - length).max(0.0));
    for (from, to) in &line.bridges {
        if let Some(part) = line.contour.part(place, *from) {
            push_contour(&mut data.lines, view, &part);
        }
        for end in [*from, *to] {
            let (p, along) = line.contour.at(end.rem_euclid(length));
            let p = view.px(p);
            // Perpendicular to the line; the canvas has y down.
            let across = Vec2::new(along.y, along.x) * 4.0;
            let (a, b) = (p - across, p + across);
            let _ = write!(data.ticks, "M{:.1} {:.1}L{:.1} {:.1}", a.x, a.y, b.x, b.y);
        }
        place = *to;
    }
    if let Some(part) = line.contour.part(place, length) {
        push_contour(&mut data.lines, view, &part);
    }
}

/// Draws what is burnt; says what wants explaining.
pub(super) fn draw(
    out: &mut String,
    view: &View,
    segments: &Segments,
    (job, colours): (&Job, &StepColours),
    detail: &Detail,
) -> Shown {
    let mut shown = Shown::default();
    let mut thin_steps: Vec<(&str, usize)> = Vec::new();
    for group in segments.sequence().paths().chunk_by(|a, b| a.step == b.step) {
        let step = group[0].step;
        let colour = colours.step(step);
        let mut data = Data::default();
        let mut thinned = 1;
        let spans = |burn: &Burn| match burn {
            Burn::Rows(rows) if matches!(rows.content(), Content::Spans(_)) => rows.line_count(),
            _ => 0,
        };
        let tinted = group.iter().map(|path| spans(&path.burn)).sum::<usize>() > MANY_LINES;
        let mut wide: f64 = 0.0;
        for path in group {
            match &path.burn {
                Burn::Line(line) => push_line(&mut data, view, line, &mut shown),
                Burn::Rows(rows) => match rows.content() {
                    Content::PixelRows(grid) => {
                        let (bitmap, to_bed) = pixels(rows, grid);
                        underlay::tint(out, view, &bitmap, to_bed, colour);
                    }
                    Content::Spans(_) => {
                        let spacing = rows.walk.spacing * view.scale;
                        let every = thinning(spacing);
                        if tinted && every > 1 {
                            let (every, width) = covering(spacing);
                            wide = wide.max(width);
                            push_rows(&mut data.tint, view, rows, every);
                        } else {
                            thinned = thinned.max(every);
                            push_rows(&mut data.rows, view, rows, every);
                        }
                    }
                },
            }
        }
        if thinned > 1 {
            thin_steps.push((job.steps[step].name.as_str(), thinned));
        }
        let Data { lines, leads, rows, tint, drawn, ticks } = data;
        if !tint.is_empty() {
            let _ = writeln!(
                out,
                r#"<g opacity="0.4"><path d="{tint}" fill="none" stroke="{colour}" stroke-width="{wide:.2}"/></g>"#
            );
        }
        let thin = (detail.stroke * 0.6).max(0.5);
        for (d, colour, width, dash) in [
            (drawn, DRAWN, thin, "3 2"),
            (rows, colour, 1.1, ""),
            (lines, colour, detail.stroke, ""),
            (leads, colour, thin, ""),
            (ticks, colour, thin, ""),
        ] {
            if !d.is_empty() {
                let _ = writeln!(
                    out,
                    r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="{width}" stroke-dasharray="{dash}" stroke-linecap="butt" stroke-linejoin="round"/>"#
                );
            }
        }
    }
    let ratio = |thinned: usize| format!("1 line in {thinned} drawn");
    match &thin_steps[..] {
        [] => {}
        // The legend has room for a few lines.
        few if few.len() <= 3 => {
            shown.notes.extend(few.iter().map(|(name, n)| format!("{name}: {}", ratio(*n))));
        }
        many => {
            let most = many.iter().map(|(_, n)| *n).max().unwrap_or(1);
            let least = many.iter().map(|(_, n)| *n).min().unwrap_or(1);
            shown.notes.push(match least == most {
                true => format!("{} steps: {}", many.len(), ratio(most)),
                false => format!("{} steps: 1 line in {least} to {most} drawn", many.len()),
            });
        }
    }
    shown
}

/// The pixels of an engraved bitmap as they will lie: darkness as strong as the beam.
fn pixels(rows: &Rows, grid: &PixelRows) -> (Bitmap, Affine) {
    let height = grid.levels.len() / grid.width;
    let bitmap =
        Bitmap { width: grid.width as u32, height: height as u32, grey: grid.levels.clone() };
    let (along, spacing) = (rows.walk.along, rows.walk.spacing);
    let across = Vec2::new(-along.y, along.x);
    let corner = along * grid.start + across * (rows.walk.first - spacing / 2.0);
    let (u, v) = (along * grid.pitch, across * spacing);
    (bitmap, Affine::new([u.x, u.y, v.x, v.y, corner.x, corner.y]))
}
