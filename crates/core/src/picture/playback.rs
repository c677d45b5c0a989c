//! A job over time: frames of what is burnt and where the head is.
//!
//! The ground is one picture; each frame adds the strokes of its stretch of time. Whoever paints
//! them needs no geometry.

use super::frame::{self, Ground, View};
use super::legend::{self, Legend, Signs};
use super::scene::{Look, view_of};
use super::step_colours::StepColours;
use crate::compile::Compiled;
use tinkite_base::geometry::Point;
use tinkite_base::quantity::clock;
use tinkite_job::Job;
use tinkite_program::mapping::Purpose;
use tinkite_program::segment::Act;

/// One stroke on the canvas, px.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stroke {
    /// Where it begins.
    pub from: (f32, f32),
    /// Where it ends.
    pub to: (f32, f32),
    /// Which step burns it.
    pub step: usize,
}

/// What is new in a stretch of time.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct PlaybackFrame {
    /// What was burnt.
    pub strokes: Vec<Stroke>,
    /// Where the head is at its end, px.
    pub head: (f32, f32),
    /// Whether the beam is on there.
    pub lit: bool,
    /// The clock at its end.
    pub clock: String,
    /// The step at its end.
    pub step: usize,
}

/// A job as frames.
#[derive(Debug, Clone)]
pub struct Playback {
    /// What lies under all frames, as SVG.
    pub ground: String,
    /// Frames of equal time.
    pub frames: Vec<PlaybackFrame>,
    /// How long a frame lasts in the job, s.
    pub seconds_each: f64,
    /// Name and colour of each step.
    pub steps: Vec<(String, String)>,
}

/// Strokes bend no more than this from arcs, px.
const TOLERANCE: f64 = 0.3;

/// A job in `count` frames; at least one.
#[must_use]
pub fn playback(compiled: &Compiled, job: &Job, look: &Look, count: usize) -> Playback {
    let (view, ground, _) = view_of(compiled, job, look);
    let planned = compiled.within.planned();
    let count = count.max(1);
    let seconds = planned.totals.seconds().max(1e-9);
    let each = seconds / count as f64;
    let origin = job.field().zero;
    let mut frames: Vec<PlaybackFrame> = vec![PlaybackFrame::default(); count];
    let px = |p: Point| {
        let p = view.px(p + origin);
        (p.x as f32, p.y as f32)
    };
    let frame_at = |time: f64| ((time / each) as usize).min(count - 1);
    let mut at = px(Point::ZERO);
    // Up to which frame it is known where the head is.
    let mut known = 0;
    planned.trace(|traced| {
        let Act::Move(way) = traced.segment.act else { return };
        let lit = way.purpose == Purpose::Burn;
        let step = traced.segment.of.step;
        let (start, piece) = planned.segments().piece(&way);
        let mut points = Vec::new();
        piece.flatten(start, TOLERANCE / view.scale, |p| points.push(p));
        let parts = points.len().max(1);
        let (mut from, mut begins) = (start, traced.begins);
        for p in points {
            let ends = begins + traced.seconds / parts as f64;
            // A long stroke grows over several frames.
            let (first, last) = (frame_at(begins), frame_at(ends));
            for frame in first..=last {
                let share =
                    |time: f64| ((time - begins) / (ends - begins).max(1e-12)).clamp(0.0, 1.0);
                let (low, high) = (share(frame as f64 * each), share((frame + 1) as f64 * each));
                let (a, b) = (px(from.lerp(p, low)), px(from.lerp(p, high)));
                while known < frame {
                    frames[known].head = at;
                    known += 1;
                }
                if lit {
                    frames[frame].strokes.push(Stroke { from: a, to: b, step });
                }
                at = b;
                frames[frame].head = b;
                (frames[frame].lit, frames[frame].step) = (lit, step);
            }
            (from, begins) = (p, ends);
        }
    });
    for frame in &mut frames[known..] {
        if frame.head == (0.0, 0.0) {
            frame.head = at;
        }
    }
    for n in 0..count {
        frames[n].clock = clock((n + 1) as f64 * each);
        if n > 0 && frames[n].strokes.is_empty() && !frames[n].lit {
            frames[n].step = frames[n].step.max(frames[n - 1].step);
        }
    }
    if let Some(last) = frames.last_mut() {
        last.lit = false;
    }
    let colours = StepColours::of(compiled, job);
    Playback {
        ground: ground_of(job, &view, &ground),
        frames,
        seconds_each: each,
        steps: job
            .steps
            .iter()
            .enumerate()
            .map(|(n, s)| (s.name.clone(), colours.step(n).to_string()))
            .collect(),
    }
}

fn ground_of(job: &Job, view: &View, ground: &Ground) -> String {
    let zero = job.field().into();
    let mut out = String::with_capacity(16 << 10);
    frame::open(&mut out, view, ground);
    frame::rulers(&mut out, view, zero);
    frame::origin(&mut out, view, zero);
    let legend = Legend {
        title: job.name.clone(),
        subtitle: job.machine.name.clone(),
        entries: Vec::new(),
        totals: Vec::new(),
        notes: Vec::new(),
        scale: None,
        signs: Signs::default(),
    };
    legend::draw(&mut out, view, &legend, None);
    out.push_str("</svg>\n");
    out
}
