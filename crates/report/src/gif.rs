//! Playback: a job over time as an animated GIF with a clock.

use crate::png::{PaintError, Painter};
use color_quant::NeuQuant;
use gif::{Encoder, Frame, Repeat};
use resvg::tiny_skia::{Color, Paint, PathBuilder, Pixmap, PixmapPaint, Stroke, Transform};
use std::collections::HashMap;
use std::io::{self, Write};
use std::path::Path;
use tinkite_core::picture::{self, Look, Playback};
use tinkite_core::quantity::clock;
use tinkite_files::load::Made;
use tinkite_files::output::{Output, Writing, Written};
use tinkite_files::refusal::Refusal;

/// Frames in a second of playback; GIF counts in hundredths of a second.
const PER_SECOND: f64 = 12.5;

/// The last picture stays for so long, in hundredths of a second.
const LAST: u16 = 250;

/// Colour of the head.
const HEAD: &str = "#b3261e";

/// Where the clock stands, from the right and from the top, px.
const CLOCK: (f64, f64) = (306.0, 70.0);
/// Width and height of the clock, px.
const CLOCK_SIZE: (f64, f64) = (290.0, 76.0);

/// Plays a job into a file, in about `seconds`.
pub fn write(
    path: &Path,
    writing: Writing,
    made: &Made,
    look: &Look,
    seconds: f64,
    say: &dyn Fn(&str),
) -> Result<Written, Refusal> {
    let output = Output::create(path, writing)?;
    let count = (seconds * PER_SECOND).round().max(1.0) as usize;
    let playback = picture::playback(&made.compiled, &made.job, look, count);
    let failed = |error: PaintError| Refusal::failed(path.display().to_string(), error);
    let painter = Painter::default();
    let ground = painter.paint(&playback.ground).map_err(failed)?;
    let colours = Colours::of(&ground, &playback);
    let rate = playback.seconds_each * PER_SECOND;
    say(&format!("one second of playback is {} of the job", clock(rate)));
    output.write(|out| encode(out, &painter, ground, &playback, colours))
}

/// The few colours of a playback.
struct Colours {
    net: NeuQuant,
    known: HashMap<[u8; 4], u8>,
}

impl Colours {
    fn of(ground: &Pixmap, playback: &Playback) -> Self {
        let mut sample: Vec<u8> = ground.data().chunks(4).step_by(7).flatten().copied().collect();
        // Steps may be drawn thinly, and must not lose their colour for it.
        let share = sample.len() / 4 / 60;
        let colours = playback.steps.iter().map(|(_, hex)| hex.as_str()).chain([HEAD]);
        for hex in colours {
            for _ in 0..share {
                sample.extend(rgb(hex).into_iter().chain([255]));
            }
        }
        Self { net: NeuQuant::new(10, 255, &sample), known: HashMap::new() }
    }

    fn palette(&self) -> Vec<u8> {
        self.net.color_map_rgb()
    }

    fn index(&mut self, pixel: [u8; 4]) -> u8 {
        let net = &self.net;
        *self.known.entry(pixel).or_insert_with(|| net.index_of(&pixel) as u8)
    }
}

fn rgb(hex: &str) -> [u8; 3] {
    let part = |at: usize| u8::from_str_radix(hex.get(at..at + 2).unwrap_or("00"), 16).unwrap_or(0);
    [part(1), part(3), part(5)]
}

fn paint_of(hex: &str) -> Paint<'static> {
    let [r, g, b] = rgb(hex);
    let mut paint = Paint::default();
    paint.set_color(Color::from_rgba8(r, g, b, 255));
    paint.anti_alias = true;
    paint
}

fn encode(
    out: &mut impl Write,
    painter: &Painter,
    ground: Pixmap,
    playback: &Playback,
    mut colours: Colours,
) -> io::Result<()> {
    let (width, height) = (ground.width(), ground.height());
    let bad = |error: gif::EncodingError| io::Error::other(error.to_string());
    let size = |n: u32| u16::try_from(n).map_err(|_| io::Error::other("the picture is too large"));
    let mut encoder =
        Encoder::new(out, size(width)?, size(height)?, &colours.palette()).map_err(bad)?;
    encoder.set_repeat(Repeat::Infinite).map_err(bad)?;
    let mut burnt = ground;
    let mut shown: Option<Pixmap> = None;
    let last = playback.frames.len().saturating_sub(1);
    for (n, frame) in playback.frames.iter().enumerate() {
        for step in 0..playback.steps.len() {
            let mut path = PathBuilder::new();
            for stroke in frame.strokes.iter().filter(|stroke| stroke.step == step) {
                path.move_to(stroke.from.0, stroke.from.1);
                path.line_to(stroke.to.0, stroke.to.1);
            }
            if let Some(path) = path.finish() {
                let stroke = Stroke { width: 1.4, ..Stroke::default() };
                let paint = paint_of(&playback.steps[step].1);
                burnt.stroke_path(&path, &paint, &stroke, Transform::identity(), None);
            }
        }
        let mut now = burnt.clone();
        head(&mut now, frame);
        let sign = painter.paint(&sign(frame, playback)).map_err(io::Error::other)?;
        let at = ((f64::from(width) - CLOCK.0) as i32, CLOCK.1 as i32);
        now.draw_pixmap(
            at.0,
            at.1,
            sign.as_ref(),
            &PixmapPaint::default(),
            Transform::identity(),
            None,
        );
        let delay = if n == last { LAST } else { (100.0 / PER_SECOND) as u16 };
        let frame = changed_area(shown.as_ref(), &now, &mut colours, delay);
        encoder.write_frame(&frame).map_err(bad)?;
        shown = Some(now);
    }
    Ok(())
}

/// The head: a ring that is filled while the beam is on.
fn head(pixmap: &mut Pixmap, frame: &picture::PlaybackFrame) {
    let (x, y) = frame.head;
    let Some(ring) = PathBuilder::from_circle(x, y, 5.0) else { return };
    let paint = paint_of(HEAD);
    if frame.lit {
        pixmap.fill_path(&ring, &paint, Default::default(), Transform::identity(), None);
    } else {
        let stroke = Stroke { width: 2.0, ..Stroke::default() };
        pixmap.stroke_path(&ring, &paint, &stroke, Transform::identity(), None);
    }
}

/// The clock and the step that runs.
fn sign(frame: &picture::PlaybackFrame, playback: &Playback) -> String {
    let (width, height) = CLOCK_SIZE;
    let (name, colour) = playback
        .steps
        .get(frame.step)
        .map_or((String::new(), "#2b2d33"), |(name, colour)| (escape(name), colour.as_str()));
    let state = if frame.lit { "beam on" } else { "beam off" };
    format!(
        r##"<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" font-family="DejaVu Sans"><rect width="{width}" height="{height}" fill="#f7f5ef"/><text x="0" y="26" font-size="24" font-weight="bold" fill="#2b2d33">{}</text><rect x="0" y="44" width="14" height="14" rx="2" fill="{colour}"/><text x="22" y="56" font-size="14" fill="#2b2d33">{name}, {state}</text></svg>"##,
        frame.clock
    )
}

fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

/// What has changed since the picture before: the smallest rectangle round it.
fn changed_area(
    before: Option<&Pixmap>,
    now: &Pixmap,
    colours: &mut Colours,
    delay: u16,
) -> Frame<'static> {
    let (width, height) = (now.width() as usize, now.height() as usize);
    let (mut left, mut right, mut top, mut bottom) = (width, 0, height, 0);
    match before {
        None => (left, right, top, bottom) = (0, width, 0, height),
        Some(before) => {
            for y in 0..height {
                let row = y * width * 4..(y + 1) * width * 4;
                let (a, b) = (&before.data()[row.clone()], &now.data()[row]);
                if a == b {
                    continue;
                }
                (top, bottom) = (top.min(y), y + 1);
                let differs = |x: &usize| a[x * 4..x * 4 + 4] != b[x * 4..x * 4 + 4];
                left = left.min((0..width).find(differs).unwrap_or(left));
                right = right.max((0..width).rev().find(differs).map_or(right, |x| x + 1));
            }
        }
    }
    if left >= right {
        // Nothing new: one pixel keeps the time.
        (left, right, top, bottom) = (0, 1, 0, 1);
    }
    let mut buffer = Vec::with_capacity((right - left) * (bottom - top));
    for y in top..bottom {
        for x in left..right {
            let at = (y * width + x) * 4;
            let p = &now.data()[at..at + 4];
            buffer.push(colours.index([p[0], p[1], p[2], 255]));
        }
    }
    Frame {
        left: left as u16,
        top: top as u16,
        width: (right - left) as u16,
        height: (bottom - top) as u16,
        delay,
        buffer: buffer.into(),
        ..Frame::default()
    }
}
