//! Colours that stand for something else than steps: power, speed, order or time along the lines.

use super::detail::covering;
use super::frame::View;
use super::legend::{self, ColourScale};
use super::palette::ramp;
use crate::compile::Compiled;
use std::cmp::Reverse;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use tinkite_base::geometry::{Piece, Point, Vec2};
use tinkite_base::quantity::{clock, plain};
use tinkite_job::Job;
use tinkite_program::mapping::Purpose;
use tinkite_program::plan::Traced;
use tinkite_program::segment::{Act, AxisMove};

/// What colours stand for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Show {
    /// Power along the line, as its S value.
    Power,
    /// Speed along the line.
    Speed,
    /// Which path comes first.
    Order,
    /// When a stretch is burnt.
    Time,
}

/// Colours are told apart in so many steps.
const SHADES: usize = 48;

/// A move that changes its speed is drawn in at most this many stretches.
const PARTS: usize = 12;

/// One stretch as it is drawn.
struct ShownLine {
    from: Point,
    piece: Piece,
    value: f64,
    /// How wide a row is drawn, px, so that it leaves nothing between it and its neighbours.
    row: Option<f64>,
}

/// Rows of one path, of which some are drawn.
#[derive(Default)]
struct DrawnRows {
    /// Where the first of them lies across, mm.
    first: Option<f64>,
}

impl DrawnRows {
    /// How wide a row is drawn, px; none: its neighbours stand for it.
    fn width(&mut self, spacing: f64, (from, piece): (Point, &Piece), scale: f64) -> Option<f64> {
        let (every, width) = covering(spacing * scale);
        let (along, _) = piece.directions(from);
        // The same for both directions of walking.
        let across = Vec2::new(-along.y, along.x)
            * if along.y < -1e-9 || (along.y < 1e-9 && along.x < 0.0) { -1.0 } else { 1.0 };
        let at = across.dot(from.to_vec2());
        let row = ((at - *self.first.get_or_insert(at)) / spacing).round() as i64;
        (row.rem_euclid(every as i64) == 0).then_some(width)
    }
}

/// Every stretch that is burnt with its value, in running order; of rows that lie too close some stand for all.
fn each_stretch(
    compiled: &Compiled,
    job: &Job,
    what: Show,
    scale: f64,
    mut each: impl FnMut(ShownLine),
) {
    let planned = compiled.within.planned();
    let segments = planned.segments();
    let (mut path, mut before) = (0_u32, None);
    let mut rows = DrawnRows::default();
    planned.trace(|traced| {
        let of = traced.segment.of;
        if of.path > 0 && before.replace(of) != Some(of) {
            path += 1;
            rows = DrawnRows::default();
        }
        let Act::Move(way) = traced.segment.act else { return };
        let (from, piece) = segments.piece(&way);
        let step = &job.steps[of.step];
        if way.purpose != Purpose::Burn {
            return;
        }
        let row = match step.operation.engrave() {
            Some(engrave) => match rows.width(engrave.spacing(), (from, &piece), scale) {
                None => return,
                width => width,
            },
            None => None,
        };
        let each = &mut |value, from, piece| each(ShownLine { from, piece, value, row });
        match what {
            Show::Power => each(traced.meant_s(segments, &way), from, piece),
            Show::Speed => {
                // On a round object the controller's lengths are not those on the stock.
                let stock = segments.frame().length(from, &piece) / way.length().max(1e-9);
                by_speed(&traced, &way, (from, piece), stock, each);
            }
            Show::Order => each(f64::from(path), from, piece),
            Show::Time => each(traced.begins, from, piece),
        }
    });
}

fn by_speed(
    traced: &Traced<'_>,
    way: &AxisMove,
    (from, piece): (Point, Piece),
    stock: f64,
    each: &mut impl FnMut(f64, Point, Piece),
) {
    let even = traced.blocks.iter().all(|planned| {
        let (up, down) = planned.ramps();
        up + down < 1e-9
    });
    let count = if even { 1 } else { PARTS };
    let whole = way.length();
    for n in 0..count {
        let (low, high) = (n as f64 / count as f64, (n + 1) as f64 / count as f64);
        let (from, piece) = piece.between(from, low, high);
        let mut left = f64::midpoint(low, high) * whole;
        let mut speed = 0.0;
        for planned in traced.blocks {
            speed = planned.speed_at(left.min(planned.leg.length));
            left -= planned.leg.length;
            if left <= 0.0 {
                break;
            }
        }
        each(speed * stock, from, piece);
    }
}

/// Every place where the beam stands still and burns, with its S.
fn each_pierce(compiled: &Compiled, mut each: impl FnMut(Point, f64)) {
    let planned = compiled.within.planned();
    let mut at = None;
    planned.trace(|traced| match traced.segment.act {
        Act::Move(way) => at = Some(planned.segments().piece(&way).1.end()),
        Act::Dwell(_, level) if level.s() > 0.0 => {
            at.into_iter().for_each(|at| each(at, level.s()))
        }
        _ => {}
    });
}

/// Draws what is burnt in colours that stand for `what`; what they mean, and whether pierces are among it.
pub(super) fn draw(
    out: &mut String,
    view: &View,
    compiled: &Compiled,
    job: &Job,
    what: Show,
    stroke: f64,
) -> (ColourScale, bool) {
    let (mut least, mut most) = (f64::INFINITY, f64::NEG_INFINITY);
    each_stretch(compiled, job, what, view.scale, |stretch| {
        (least, most) = (least.min(stretch.value), most.max(stretch.value));
    });
    let mut pierces: Vec<(Point, f64)> = Vec::new();
    if what == Show::Power {
        each_pierce(compiled, |at, s| {
            (least, most) = (least.min(s), most.max(s));
            pierces.push((at, s));
        });
    }
    let origin = job.field().zero;
    let span = (most - least).max(1e-12);
    let lines = (stroke * 1.6).max(1.1);
    // Rows first, the widest before all: lines stay above the areas that they lie on.
    let mut shades: BTreeMap<(bool, Reverse<u32>, usize), String> = BTreeMap::new();
    each_stretch(compiled, job, what, view.scale, |stretch| {
        let share = (stretch.value - least) / span;
        let shade = ((share * (SHADES - 1) as f64).round() as usize).min(SHADES - 1);
        let width = (stretch.row.unwrap_or(lines) * 100.0).round() as u32;
        let d = shades.entry((stretch.row.is_none(), Reverse(width), shade)).or_default();
        let (a, b) = (view.px(stretch.from + origin), view.px(stretch.piece.end() + origin));
        let _ = match stretch.piece {
            Piece::Line { .. } => write!(d, "M{:.2} {:.2}L{:.2} {:.2}", a.x, a.y, b.x, b.y),
            Piece::Arc { centre, sweep, .. } => {
                let radius = stretch.from.distance(centre) * view.scale;
                let large = u8::from(sweep.abs() > std::f64::consts::PI);
                let flag = u8::from(sweep < 0.0);
                write!(
                    d,
                    "M{:.2} {:.2}A{radius:.2} {radius:.2} 0 {large} {flag} {:.2} {:.2}",
                    a.x, a.y, b.x, b.y
                )
            }
        };
    });
    for ((_, Reverse(width), shade), d) in &shades {
        let colour = ramp(*shade as f64 / (SHADES - 1) as f64);
        let width = f64::from(*width) / 100.0;
        let _ = writeln!(
            out,
            r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="{width:.2}" stroke-linecap="butt"/>"#
        );
    }
    for (at, s) in &pierces {
        legend::pierce_point(out, view.px(*at + origin), &ramp((s - least) / span));
    }
    let value = |value: f64| match what {
        Show::Power => {
            format!("S{} ({} %)", plain(value, 0), plain(value / job.machine.beam.full * 100.0, 1))
        }
        Show::Speed => format!("{} mm/s", plain(value, 1)),
        Show::Order => format!("path {}", plain(value, 0)),
        Show::Time => clock(value),
    };
    let title = match what {
        Show::Power => "power along the line",
        Show::Speed => "speed along the line",
        Show::Order => "order of the paths",
        Show::Time => "time from the start",
    };
    let scale = ColourScale { title: title.into(), low: value(least.min(most)), high: value(most) };
    (scale, !pierces.is_empty())
}
