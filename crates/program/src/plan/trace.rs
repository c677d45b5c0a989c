//! Running through what is sent: every segment with its speeds and when it begins.

use super::Planned;
use super::even::EvenSpeed;
use super::totals::Totals;
use crate::mapping::Purpose;
use crate::segment::{Act, AxisMove, Segment, Segments};
use crate::text::count;
use std::collections::BTreeMap;
use tinkite_base::problem::Problem;
use tinkite_job::{Engrave, Fill, Job, Step};
use tinkite_machine::motion::block::{Block, PlannedBlock};
use tinkite_machine::motion::lift;
use tinkite_machine::motion::pacer::Pacer;
use tinkite_machine::motion::supply::{LineBytes, Supply};

/// One segment as it runs.
#[derive(Debug, Clone, Copy)]
pub struct Traced<'a> {
    /// The segment.
    pub segment: Segment,
    /// The blocks that the controller's planner makes of a move, with their speeds, in the
    /// controller's own lengths.
    pub blocks: &'a [PlannedBlock],
    /// When it begins, s from the start.
    pub begins: f64,
    /// How long it takes, s.
    pub seconds: f64,
    /// How long the head has waited for it before, s.
    pub waits: f64,
    /// The bytes that say it, where the link's speed counts.
    pub(super) bytes: u32,
}

impl Traced<'_> {
    /// The S that the step asks for on a move: what its line says; where the controller follows the
    /// speed and the step says its power at standstill, what comes of that over the move's time.
    #[must_use]
    pub fn meant_s(&self, segments: &Segments, way: &AxisMove) -> f64 {
        let step = self.segment.of.step;
        let worked_out = segments.job().steps[step].ramp.slow.is_some();
        let slower =
            if worked_out && segments.follows(step) { self.slower(segments, way) } else { 1.0 };
        way.level.s() * slower
    }

    /// The mean speed of a move as a share of what its line says.
    fn slower(&self, segments: &Segments, way: &AxisMove) -> f64 {
        (self.mean_speed() / segments.speed(way)).min(1.0)
    }

    /// The mean speed, in the controller's own lengths per second.
    #[must_use]
    pub(crate) fn mean_speed(&self) -> f64 {
        let length: f64 = self.blocks.iter().map(|planned| planned.leg.length).sum();
        length / self.seconds.max(1e-12)
    }
}

/// Hands on every segment as it runs; whether lines came too late for any.
fn trace<E: From<Problem>>(
    segments: &Segments,
    each: impl FnMut(Traced<'_>) -> Result<(), E>,
) -> Result<bool, E> {
    match Supply::new(segments.job().machine.supply) {
        None => pace(segments, None, |_| LineBytes::default(), each),
        supply => count(segments, |sizes| pace(segments, supply, |s| sizes.of(s), each)),
    }
}

/// A segment, how long it is waited for and how long the head stands, s, and the bytes that say it.
type Tag = (Segment, f64, f64, u32);

/// Paces segments; `lines` are what each of them is told by.
fn pace<E: From<Problem>>(
    segments: &Segments,
    supply: Option<Supply>,
    mut lines: impl FnMut(&Segment) -> LineBytes + Send,
    mut each: impl FnMut(Traced<'_>) -> Result<(), E>,
) -> Result<bool, E> {
    let machine = &segments.job().machine;
    let mut pacer = Pacer::new(machine, supply);
    let mut now = 0.0;
    // What stands between moves has no blocks, and waits and takes time of its own.
    let mut run = |(segment, waits, stands, bytes): Tag, blocks: &[PlannedBlock]| {
        let waits = waits + blocks.iter().map(|planned| planned.waits).sum::<f64>();
        let seconds = stands + blocks.iter().map(|planned| planned.seconds).sum::<f64>();
        let traced = Traced { segment, blocks, begins: now + waits, seconds, waits, bytes };
        now += waits + seconds;
        each(traced)
    };
    let told = |segment| (segment, lines(&segment));
    segments.walk_ahead(told, |(segment, lines)| {
        let bytes = lines.total();
        let stands = match segment.act {
            Act::Move(way) => {
                let blocks = |each: &mut dyn FnMut(Block)| segments.blocks(&way, each);
                return pacer.push((segment, 0.0, 0.0, bytes), lines, blocks, &mut run);
            }
            Act::Dwell(ms, _) => f64::from(ms) / 1000.0,
            Act::Lift(from, to) => {
                let (from, to) = (from as f64 / 1000.0, to as f64 / 1000.0);
                let block = lift(from, to, f64::INFINITY, machine);
                let blocks = |each: &mut dyn FnMut(Block)| block.into_iter().for_each(each);
                return pacer.push((segment, 0.0, 0.0, bytes), lines, blocks, &mut run);
            }
            Act::Air(_) | Act::Frequency(_) | Act::Follow(_) => 0.0,
        };
        pacer.halt(|waits| (segment, waits, stands, bytes), &lines, stands, &mut run)
    })?;
    pacer.finish(&mut run)?;
    Ok(pacer.is_starved())
}

impl Planned {
    /// Hands on every segment as it runs, in running order.
    pub fn trace(&self, mut each: impl FnMut(Traced<'_>)) {
        let walked: Result<bool, Problem> = trace(&self.segments, |traced| {
            each(traced);
            Ok(())
        });
        debug_assert!(walked.is_ok(), "a plan is made of segments that were all made once");
    }
}

/// Whether a step is engraved in rows on the flat bed, where lengths are those of the stock.
fn is_rows(job: &Job, step: &Step) -> bool {
    let rows = |e: &Engrave| !matches!(e.fill, Fill::Rings(_));
    job.round.is_none() && step.operation.engrave().is_some_and(rows)
}

/// Lengths, times and energy.
pub(super) fn sum(segments: &Segments) -> Result<Totals, Problem> {
    let job = segments.job();
    let beam = &job.machine.beam;
    let mut totals = Totals::new(job.steps.len());
    let table = beam.table.as_ref().filter(|table| table.watts(1.0).is_some());
    // Neighbours mostly burn alike.
    let mut last = (f64::NAN, 0.0);
    let mut watts = |share: f64| {
        let table = table?;
        if last.0 != share {
            last = (share, table.watts(share).unwrap_or(0.0));
        }
        Some(last.1)
    };
    // Where lines may come too slowly: what each path takes longer than it would otherwise.
    let mut lost: Option<BTreeMap<(usize, usize), f64>> =
        segments.job().machine.supply.is_limited().then(BTreeMap::new);
    let machine = &job.machine;
    let mut even: Vec<Option<EvenSpeed>> =
        job.steps.iter().map(|step| is_rows(job, step).then(|| EvenSpeed::new(machine))).collect();
    let starved = trace(segments, |traced| {
        let of = traced.segment.of;
        if let Some(even) = &mut even[of.step] {
            match traced.segment.act {
                Act::Move(way) if way.purpose != Purpose::Travel => {
                    even.add(traced.blocks, traced.bytes);
                }
                _ => even.cut(),
            }
        }
        totals.add_time(of.step, traced.waits + traced.seconds);
        if let Some(lost) = &mut lost {
            *lost.entry((of.step, of.path)).or_insert(0.0) += traced.waits + traced.seconds;
        }
        totals.add_path(of.step, of.path);
        match traced.segment.act {
            Act::Dwell(_, level) if level.is_lit() => {
                totals.add_pierce(of.step, level.s());
                let light = watts(level.s() / beam.full).map(|watts| watts * traced.seconds);
                totals.add_energy(of.step, light);
            }
            Act::Lift(from, to) => {
                [from, to].iter().for_each(|height| totals.add_height(*height as f64 / 1000.0));
            }
            Act::Move(way) => {
                let (from, piece) = segments.piece(&way);
                let length = segments.frame().length(from, &piece);
                totals.add_move(of.step, way.purpose, length, piece.bounds(from));
                if way.purpose == Purpose::Burn {
                    let step = &job.steps[of.step];
                    let slower = traced.slower(segments, &way);
                    let follows = segments.follows(of.step);
                    // What the program itself makes slower is not asked for as slow as that.
                    let asked = match step.ramp.slow {
                        Some(_) if follows => (length / step.slowest().0).min(traced.seconds),
                        _ => traced.seconds * slower,
                    };
                    totals.add_burning(of.step, traced.seconds, asked);
                    totals.add_s(of.step, traced.meant_s(segments, &way));
                    // A controller that follows the speed burns weaker where it is slower.
                    let share = way.level.s() / beam.full * if follows { slower } else { 1.0 };
                    totals.add_energy(of.step, watts(share).map(|watts| watts * traced.seconds));
                }
            }
            _ => {}
        }
        Ok(())
    })?;
    for (step, even) in even.iter().enumerate() {
        totals.steps[step].even_speed = even.as_ref().and_then(EvenSpeed::speed);
    }
    if let Some(mut lost) = lost.filter(|_| starved) {
        pace(
            segments,
            None,
            |_| LineBytes::default(),
            |traced| {
                let of = traced.segment.of;
                *lost.entry((of.step, of.path)).or_insert(0.0) -= traced.seconds;
                Ok::<(), Problem>(())
            },
        )?;
        lost.into_iter().for_each(|((step, path), s)| totals.add_starved(step, path, s));
    }
    Ok(totals)
}
