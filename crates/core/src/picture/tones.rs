//! Engraved pictures as they will look on the stock, from the very rows that are sent, beside their sources.

use super::Canvas;
use super::frame::{chart, line, rect, sides, text};
use super::palette::{FAINT_INK, INK};
use super::underlay::embed;
use crate::compile::Compiled;
use image::imageops::{FilterType, blur, resize};
use image::{ImageBuffer, Luma};
use tinkite_base::geometry::{Affine, Point, Rect, Vec2, hull};
use tinkite_base::quantity::plain;
use tinkite_job::{Fill, Image, Job, Shade};
use tinkite_toolpath::{Burn, Toolpath};

/// Cells along the longer side of each picture.
const CELLS: f64 = 1400.0;

/// How dark a power makes the stock, 0 to 1.
struct Darkness<'j> {
    image: &'j Image,
    /// The weakest and the strongest power that is burnt.
    powers: (f64, f64),
}

impl Darkness<'_> {
    fn of(&self, power: f64) -> f32 {
        if self.image.shade != Shade::Grey {
            return 1.0;
        }
        if let Some(curve) = &self.image.curve {
            return curve.darkness(power) as f32;
        }
        // Nobody measured it: from the weakest power on, evenly.
        let (from, to) = self.powers;
        ((power - from) / (to - from).max(1e-9)).clamp(0.0, 1.0) as f32
    }
}

/// A picture in which lengths are to scale.
#[derive(Debug, Clone, PartialEq)]
pub struct Scaled {
    /// The picture, in px.
    pub svg: String,
    /// How many px a mm of the stock is.
    pub px_per_mm: f64,
}

impl Scaled {
    /// The picture as large as the stock is: its sides in mm.
    #[must_use]
    pub fn at_true_size(&self, canvas: Canvas) -> String {
        let (width, height) = (f64::from(canvas.width), f64::from(canvas.height));
        let mm = |px: f64| format!("{}mm", plain(px / self.px_per_mm, 4));
        let root = format!(r#"width="{}" height="{}""#, mm(width), mm(height));
        self.svg.replacen(&sides(width, height), &root, 1)
    }
}

/// Both pictures of a job's bitmaps; `None` when none is engraved as one.
#[must_use]
pub fn tones(compiled: &Compiled, job: &Job, canvas: Canvas) -> Option<Scaled> {
    let paths = compiled.within.planned().segments().sequence().paths();
    let image = |step: usize| match &job.steps[step].operation.engrave()?.fill {
        Fill::Image(image) => Some(image),
        _ => None,
    };
    let engraved: Vec<(&Toolpath, &Image)> =
        paths.iter().filter_map(|path| Some((path, image(path.step)?))).collect();
    let sources = &compiled.pictures;
    let lies = |to_bed: Affine, width: u32, height: u32| {
        to_bed.transform_rect_bbox(Rect::new(0.0, 0.0, f64::from(width), f64::from(height)))
    };
    let bounds =
        hull(sources.iter().map(|one| lies(one.to_bed, one.bitmap.width, one.bitmap.height)))?;
    if engraved.is_empty() {
        return None;
    }
    let cell = (bounds.width().max(bounds.height()) / CELLS).max(1e-6);
    let count = |length: f64| (length / cell).ceil().max(1.0) as usize;
    let (columns, rows) = (count(bounds.width()), count(bounds.height()));
    let shape = Cells { corner: Point::new(bounds.x0, bounds.y0), cell, columns, rows };
    let mut light = vec![1.0_f32; columns * rows];
    let beam = &job.machine.beam;
    let mut spacing: f64 = 0.0;
    for (path, image) in engraved {
        if let Burn::Rows(rows) = &path.burn {
            spacing = spacing.max(rows.walk.spacing);
        }
        let to = image.power_to.unwrap_or(job.steps[path.step].power()).0;
        let from = image.power_from.map_or((beam.floor / beam.full).max(1e-3), |power| power.0);
        let darkness = Darkness { image, powers: (from, to) };
        shape.burn(&mut light, path, beam.width, &darkness);
    }
    let mut source = vec![255_u8; columns * rows];
    for one in sources {
        shape.lay(&mut source, one.to_bed.inverse(), &one.bitmap);
    }
    let light_of_source = source.iter().map(|grey| f32::from(*grey) / 255.0).collect();
    let both = [Tones(light_of_source), Tones(light)];
    Some(draw(&shape, &both, spacing, job, canvas))
}

/// How light each cell is, 0 to 1, row by row from the top.
struct Tones(Vec<f32>);

impl Tones {
    /// Of a part of the cells, from a column and a row on, in so many pixels; rows that lie nearer to each other than
    /// `spacing` (cells) melt, as they do for whoever looks at them from afar.
    fn pixels(&self, cells: &Cells, part: [usize; 4], spacing: f64, size: (u32, u32)) -> Vec<u8> {
        let [column, row, columns, rows] = part;
        let at = |x: u32, y: u32| {
            Luma([self.0[(row + y as usize) * cells.columns + column + x as usize]])
        };
        let own = ImageBuffer::from_fn(columns as u32, rows as u32, at);
        // A deviation of half the spacing leaves less than a hundredth of the pattern that rows make.
        let own = if spacing > 0.0 { blur(&own, (spacing / 2.0) as f32) } else { own };
        let scaled = resize(&own, size.0.max(1), size.1.max(1), FilterType::Triangle);
        scaled.pixels().map(|light| (light.0[0] * 255.0).round().clamp(0.0, 255.0) as u8).collect()
    }

    /// How much a part varies, by some of its cells.
    fn variance(&self, width: usize, [column, row, columns, rows]: [usize; 4]) -> f32 {
        let (mut count, mut sum, mut squares) = (0.0_f32, 0.0, 0.0);
        for y in (row..row + rows).step_by(4) {
            for light in self.0[y * width + column..][..columns].iter().step_by(4) {
                (count, sum, squares) = (count + 1.0, sum + light, squares + light * light);
            }
        }
        squares / count.max(1.0) - (sum / count.max(1.0)).powi(2)
    }

    /// How dark it is in the mean, %.
    fn darkness(&self) -> f64 {
        let sum: f64 = self.0.iter().map(|light| 1.0 - f64::from(*light)).sum();
        100.0 * sum / self.0.len().max(1) as f64
    }
}

struct Cells {
    corner: Point,
    cell: f64,
    columns: usize,
    rows: usize,
}

impl Cells {
    /// Darkens what the rows of a path burn, as wide as the spot; where rows overlap, both count.
    fn burn(&self, light: &mut [f32], path: &Toolpath, width: f64, darkness: &Darkness<'_>) {
        let Burn::Rows(rows) = &path.burn else { return };
        let along = rows.walk.along;
        let across = Vec2::new(-along.y, along.x);
        let step = self.cell.min(width) / 2.0;
        let lanes = (width / step).ceil().max(1.0) as usize;
        // What one row darkens of each cell that it touches, by the share of the cell that it covers.
        let mut covered = vec![0.0_f32; light.len()];
        let mut touched = Vec::new();
        for row in rows.rows() {
            for (from, to, power) in row.stretches() {
                let length = from.distance(to);
                let count = (length / step).ceil().max(1.0) as usize;
                let share = length * width / (count * lanes) as f64 / (self.cell * self.cell);
                let dark = darkness.of(power.0) * share as f32;
                for n in 0..count {
                    let p = from.lerp(to, (n as f64 + 0.5) / count as f64);
                    for lane in 0..lanes {
                        let aside = ((lane as f64 + 0.5) / lanes as f64 - 0.5) * width;
                        let Some(cell) = self.index(p + across * aside) else { continue };
                        if covered[cell] == 0.0 {
                            touched.push(cell);
                        }
                        covered[cell] += dark;
                    }
                }
            }
            for cell in touched.drain(..) {
                light[cell] *= 1.0 - covered[cell].min(1.0);
                covered[cell] = 0.0;
            }
        }
    }

    /// Lays a bitmap's pixels where they lie.
    fn lay(&self, grey: &mut [u8], to_pixels: Affine, bitmap: &tinkite_artwork::Bitmap) {
        for row in 0..self.rows {
            for column in 0..self.columns {
                let at = |n: usize| (n as f64 + 0.5) * self.cell;
                let p = to_pixels * Point::new(self.corner.x + at(column), self.corner.y + at(row));
                let inside = p.x >= 0.0 && p.y >= 0.0;
                let (x, y) = (p.x as usize, p.y as usize);
                if inside && x < bitmap.width as usize && y < bitmap.height as usize {
                    grey[(self.rows - 1 - row) * self.columns + column] =
                        bitmap.grey[y * bitmap.width as usize + x];
                }
            }
        }
    }

    /// A part that has room below the picture, in cells (column, row, columns, rows), and how much larger it is drawn:
    /// where the source varies most. None where there is no room.
    fn enlarged(
        &self,
        source: &Tones,
        spacing: f64,
        pixel: f64,
        room: Rect,
    ) -> Option<([usize; 4], f64)> {
        let free = room.y1 - 30.0 - (room.y0 + self.rows as f64 * pixel + 40.0);
        let larger = APART / (spacing / self.cell * pixel).max(1e-9);
        if free < LEAST_PART || larger < 1.5 {
            return None;
        }
        let columns = (self.columns as f64 / larger) as usize;
        let rows = (free / (pixel * larger)) as usize;
        let (columns, rows) = (columns.clamp(1, self.columns), rows.clamp(1, self.rows));
        let mut best = (f32::NEG_INFINITY, [0, 0, columns, rows]);
        for down in 0..=PLACES {
            for across in 0..=PLACES {
                let column = (self.columns - columns) * across / PLACES;
                let row = (self.rows - rows) * down / PLACES;
                let varies = source.variance(self.columns, [column, row, columns, rows]);
                if varies > best.0 {
                    best = (varies, [column, row, columns, rows]);
                }
            }
        }
        Some((best.1, larger))
    }

    /// The place of a point, rows from the top.
    fn index(&self, p: Point) -> Option<usize> {
        let (x, y) = ((p.x - self.corner.x) / self.cell, (p.y - self.corner.y) / self.cell);
        let inside =
            x >= 0.0 && y >= 0.0 && (x as usize) < self.columns && (y as usize) < self.rows;
        inside.then(|| (self.rows - 1 - y as usize) * self.columns + x as usize)
    }
}

/// Draws a part of the cells, and how far apart rows are that melt, into a frame, with two pixels to the px.
fn part_of(
    out: &mut String,
    cells: &Cells,
    tones: &Tones,
    (part, melting): ([usize; 4], f64),
    frame: Rect,
) {
    let size = ((2.0 * frame.width()).round() as u32, (2.0 * frame.height()).round() as u32);
    let grey = tones.pixels(cells, part, melting, size);
    let (x, y) = (frame.width() / f64::from(size.0), frame.height() / f64::from(size.1));
    let place = Affine::new([x, 0.0, 0.0, y, frame.x0, frame.y0]);
    embed(out, (size.0 as usize, size.1 as usize), &grey, place);
}

/// Rows nearer to each other than this would make a pattern of the picture's own pixels, px.
const MELTING: f64 = 3.0;

/// So far apart rows are drawn where a part is enlarged, px.
const APART: f64 = 7.0;

/// Along each side so many places but one are looked at for the part that is enlarged.
const PLACES: usize = 12;

/// A part lower than this is not worth enlarging, px.
const LEAST_PART: f64 = 80.0;

fn draw(cells: &Cells, both: &[Tones; 2], spacing: f64, job: &Job, canvas: Canvas) -> Scaled {
    let (width, height) = (f64::from(canvas.width), f64::from(canvas.height));
    let under = format!(
        "left the source, right as it will look, from the rows that are sent: a spot of {} mm, rows over each other; in print as large as on the stock",
        plain(job.machine.beam.width, 3)
    );
    let mut out = chart((width, height), 40.0, &job.name, &under);
    let room = Rect::new(40.0, 90.0, width / 2.0 - 20.0, height - 70.0);
    let (wide, high) = (cells.columns as f64, cells.rows as f64);
    let pixel = (room.width() / wide).min(room.height() / high);
    let melting = if spacing / cells.cell * pixel < MELTING { spacing / cells.cell } else { 0.0 };
    let enlarged = cells.enlarged(&both[0], spacing, pixel, room);
    for (n, (tones, words)) in both.iter().zip(["source", "on the stock"]).enumerate() {
        let x = room.x0 + n as f64 * (width / 2.0 - 20.0);
        let frame = Rect::new(x, room.y0, x + wide * pixel, room.y0 + high * pixel);
        let whole = [0, 0, cells.columns, cells.rows];
        let style = format!(r#"fill="none" stroke="{FAINT_INK}""#);
        part_of(&mut out, cells, tones, (whole, melting), frame);
        rect(&mut out, frame, &style);
        let mean = tones.darkness();
        let words = format!("{words}: {} % dark in the mean", plain(mean, 1));
        text(&mut out, Point::new(x, frame.y1 + 20.0), &format!(r#"fill="{INK}""#), &words);
        let Some((part, larger)) = enlarged else { continue };
        let own = part.map(|cells| cells as f64 * pixel);
        let marked = Rect::from_origin_size((x + own[0], room.y0 + own[1]), (own[2], own[3]));
        let below = Rect::from_origin_size(
            (x, frame.y1 + 40.0),
            (part[2] as f64 * pixel * larger, part[3] as f64 * pixel * larger),
        );
        part_of(&mut out, cells, tones, (part, 0.0), below);
        for around in [marked, below] {
            rect(&mut out, around, r##"fill="none" stroke="#b3261e" stroke-width="1.2""##);
        }
        let times = format!("the part in the frame, {} times as large", plain(larger, 1));
        let style = format!(r#"font-size="12" fill="{FAINT_INK}""#);
        text(&mut out, Point::new(x, below.y1 + 16.0), &style, &times);
    }
    // How large it is.
    let scale = pixel / cells.cell;
    let length = [100.0, 50.0, 20.0, 10.0, 5.0, 2.0, 1.0];
    let bar = length.into_iter().find(|mm| mm * scale < 180.0).unwrap_or(1.0);
    let (from, y) = (Point::new(40.0, height - 16.0), height - 16.0);
    line(
        &mut out,
        from,
        Point::new(40.0 + bar * scale, y),
        &format!(r#"stroke="{INK}" stroke-width="3""#),
    );
    let at = Point::new(50.0 + bar * scale, y + 4.0);
    text(
        &mut out,
        at,
        &format!(r#"font-size="12" fill="{INK}""#),
        &format!("{} mm", plain(bar, 0)),
    );
    out.push_str("</svg>\n");
    Scaled { svg: out, px_per_mm: scale }
}
