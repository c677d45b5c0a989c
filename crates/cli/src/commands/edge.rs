//! `tinkite edge`: the head is led round a job, with the beam off, and back to where it stood.

use super::head::by_hand::ByHand;
use super::head::calls::ready;
use super::head::moves::moves;
use crate::args::{Edge, EdgeShape, Run};
use crate::beam;
use crate::console::Console;
use crate::load;
use crate::place::{beside, on_bed};
use crate::refusal::Refusal;
use serde::Serialize;
use tinkite_core::geometry::{Point, Rect};
use tinkite_core::job::{Machine, Zero};
use tinkite_core::plan::{self, edge};
use tinkite_core::quantity::plain;
use tinkite_wire::{Connected, Dark};

#[derive(Debug, Serialize)]
struct EdgeJson<'a> {
    link: &'a str,
    corners: usize,
    times: u32,
    /// Of the shape, from the front left corner of the bed: left, front, right, back.
    on_bed_mm: [f64; 4],
    /// `confirmed`, `asked` or `unknown`.
    dark: &'a str,
}

pub(super) fn run(args: &Edge, console: &Console) -> Result<(), Refusal> {
    let made = load::made(&args.job)?;
    let job = &made.job;
    if job.round.is_some() {
        return Err(Refusal::Usage(
            "the head cannot be led round a job on the rotary yet: nothing was sent".into(),
        ));
    }
    let shape = match args.shape {
        EdgeShape::Box => plan::EdgeShape::Box,
        EdgeShape::Hull => plan::EdgeShape::Hull,
    };
    let corners = edge(made.compiled.within.planned(), shape);
    if corners.is_empty() {
        return Err(Refusal::Usage("the job burns nothing: there is no edge to lead round".into()));
    }
    let mut hand = ByHand::of(job.machine.clone(), args.to.as_deref())?;
    let zero = job.placement.zero;
    let mut on_bed = Vec::new();
    let stands = hand.carry_out(|machine, connected| {
        ready(connected)?;
        let (begin, from) = counts_from(machine, connected, zero)?;
        on_bed = corners.iter().map(|corner| begin + corner.to_vec2()).collect();
        refuse_beside(machine, &on_bed)?;
        let round = on_bed.iter().chain(on_bed.first()).copied();
        let mut places: Vec<Point> = (0..args.times).flat_map(|_| round.clone()).collect();
        // A job that counts from the head finds it where it stood.
        places.push(from);
        Ok(moves(machine, &places, args.speed))
    })?;
    let bounds = bounds(&on_bed);
    if console.json {
        let [left, front, right, back] = [bounds.x0, bounds.y0, bounds.x1, bounds.y1];
        console.json(&EdgeJson {
            link: &hand.name,
            corners: on_bed.len(),
            times: args.times,
            on_bed_mm: [left, front, right, back].map(|v| (v * 1000.0).round() / 1000.0),
            dark: beam::word(stands.dark),
        })?;
    } else {
        console.result(&format!(
            "led round {} x {} mm, from {} mm from the left and {} mm from the front of the bed, and back{}",
            plain(bounds.width(), 2),
            plain(bounds.height(), 2),
            plain(bounds.x0, 2),
            plain(bounds.y0, 2),
            beam::words(stands.dark)
        ))?;
    }
    if stands.dark != Dark::Confirmed {
        return Err(Refusal::Link("the beam was not seen to be off".into()));
    }
    drop(hand);
    if super::run::wants_to_go_on(console) { run_it(args, console) } else { Ok(()) }
}

/// Straight on to the run, with everything as it was for the edge.
fn run_it(args: &Edge, console: &Console) -> Result<(), Refusal> {
    let job = &args.job;
    let run = Run {
        machine: job.machine.clone(),
        only: job.only.clone(),
        skip: job.skip.clone(),
        sheet: job.sheet,
        ..Run::of(Some(job.job.clone()), args.to.clone())
    };
    super::run::run(&run, console)
}

/// Where the program's zero lies and where the head stands, mm from the front left corner of the bed.
pub(super) fn counts_from(
    machine: &Machine,
    connected: &Connected,
    zero: Zero,
) -> Result<(Point, Point), Refusal> {
    let flat = |at: [f64; 3]| on_bed(machine, Point::new(at[0], at[1]));
    let untold = |what: &str| {
        Refusal::Link(format!("this controller does not tell where {what} is: nothing was sent"))
    };
    let head = flat(connected.position.ok_or_else(|| untold("its head"))?);
    let own = machine.bed.origin_offset().to_point();
    let set = connected.work_offset(Some("G54")).map(flat);
    let begin = match zero {
        Zero::Head => head,
        Zero::Stock => set.ok_or_else(|| untold("the zero on the stock"))?,
        Zero::Bed => {
            if let Some(set) = set.filter(|set| (*set - own).hypot() > 0.01) {
                return Err(Refusal::Link(format!(
                    "the job counts from the machine's own zero, and the controller has a work offset (its zero lies {} mm from the left and {} mm from the front of the bed): clear it, or set zero = \"stock\" in [place]; nothing was sent",
                    plain(set.x, 2),
                    plain(set.y, 2)
                )));
            }
            own
        }
    };
    Ok((begin, head))
}

/// The corners that lie beside the bed, told once with the farthest on each side.
fn refuse_beside(machine: &Machine, on_bed: &[Point]) -> Result<(), Refusal> {
    let round = bounds(on_bed);
    let ends = [Point::new(round.x0, round.y0), Point::new(round.x1, round.y1)];
    let told: Vec<String> = ends.into_iter().filter_map(|end| beside(machine, end)).collect();
    if told.is_empty() {
        return Ok(());
    }
    Err(Refusal::Usage(format!(
        "from there the job would leave the bed, {}: nothing was sent",
        told.join(" and ")
    )))
}

fn bounds(points: &[Point]) -> Rect {
    let first = points.first().copied().unwrap_or_default();
    points.iter().fold(Rect::from_points(first, first), |bounds, p| bounds.union_pt(*p))
}
