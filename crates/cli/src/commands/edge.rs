//! `tinkite edge`: the head is led round a job, dark or with the pointer lit, and back to where it stood.

use super::run::{RawKeys, forget_typed};
use crate::args::{Edge, EdgeShape, Run};
use crate::console::Console;
use ratatui_crossterm::crossterm::event::{self, Event, KeyEventKind};
use serde::Serialize;
use std::io::{self, IsTerminal};
use std::time::Duration;
use tinkite_core::geometry::Point;
use tinkite_core::machine::Machine;
use tinkite_core::machine::{Dialect, Switch};
use tinkite_core::plan::{self, edge};
use tinkite_core::quantity::{Power, clock, plain};
use tinkite_files::load;
use tinkite_files::refusal::Refusal;
use tinkite_operate::beam;
use tinkite_operate::edge::led::Light;
use tinkite_operate::edge::way::{EdgePath, Ground};
use tinkite_operate::head::by_hand::{ByHand, Until};
use tinkite_operate::head::moves::ready;
use tinkite_operate::head::pointer::means_the_same;
use tinkite_wire::Dark;

/// Until a key is pressed the head is led round so often at most.
const MOST_ROUNDS: u32 = 100;

#[derive(Debug, Serialize)]
struct EdgeJson<'a> {
    link: &'a str,
    /// Places that the head is led over in one round.
    corners: usize,
    /// Lines that it is led along: one round the rectangle or the hull.
    lines: usize,
    times: u32,
    /// The pointer was lit.
    pointer: bool,
    /// Of the shape, from the front left corner of the bed: left, front, right, back.
    #[serde(skip_serializing_if = "Option::is_none")]
    on_bed_mm: Option<[f64; 4]>,
    /// Of the shape, of what the rotary turns: from and to along it, mm on the bed.
    #[serde(skip_serializing_if = "Option::is_none")]
    along_mm: Option<[f64; 2]>,
    /// `confirmed`, `asked` or `unknown`.
    dark: &'a str,
}

pub(super) fn run(args: &Edge, console: &Console) -> Result<(), Refusal> {
    let made = load::make(&args.job.call()?)?;
    let job = &made.job;
    let shape = match args.shape {
        EdgeShape::Box => plan::EdgeShape::Box,
        EdgeShape::Hull => plan::EdgeShape::Hull,
        EdgeShape::Outline => plan::EdgeShape::Outline,
    };
    let planned = made.compiled.within.planned();
    let lines = edge(planned, shape);
    if lines.is_empty() {
        return Err(Refusal::Usage("the job burns nothing: there is no edge to lead round".into()));
    }
    let light = if args.pointer { pointer(&job.machine)? } else { Light::Dark };
    let ground = match &job.round {
        None => Ground::Bed,
        Some(_) => Ground::Round(planned.segments().frame().clone()),
    };
    let keys = if args.times.is_none() { Keys::begin(console)? } else { None };
    let times = args.times.unwrap_or(if keys.is_some() { MOST_ROUNDS } else { 1 });
    // What turns in the rotary lies along an axis, wherever the head stands.
    let corners: Vec<Point> = match job.round {
        None => lines.iter().flatten().copied().collect(),
        Some(_) => Vec::new(),
    };
    let counts = (job.placement.zero, &corners[..]);
    let (mut hand, told) = ByHand::for_job(job.machine.clone(), args.to.as_deref(), counts)?;
    told.iter().for_each(|told| console.say(told));
    let mut led: Option<EdgePath> = None;
    if keys.is_some() {
        console.say("any key puts an end to it; Ctrl-C stops");
    }
    let until = || keys.as_ref().is_some_and(Keys::key_was_pressed);
    let until = Until { wanted: &until, lit: light != Light::Dark };
    let stands = hand.carry_out_until(&until, |machine, connected| {
        ready(connected)?;
        if light != Light::Dark {
            means_the_same(machine, connected)?;
        }
        let way = EdgePath::new(machine, connected, &ground, job.placement.zero, &lines, args.speed)?;
        let round = way.seconds();
        if let Light::Pointer(_) = light
            && let Some(pointer) = machine.beam.pointer
            && round * f64::from(args.times.unwrap_or(1)) > pointer.seconds
        {
            return Err(Refusal::Usage(format!(
                "one round takes about {}, and the pointer of this machine is lit for {} s at most (pointer-for in [beam]): lead it faster (--speed), fewer times, or round the box; nothing was sent",
                clock(round),
                plain(pointer.seconds, 1)
            )));
        }
        let most = match (light, machine.beam.pointer) {
            (Light::Pointer(_), Some(pointer)) => {
                times.min(((pointer.seconds / round.max(1e-3)) as u32).max(1))
            }
            _ => times,
        };
        let sent = way.lines(most, light);
        led = Some(way);
        Ok(sent)
    })?;
    drop(keys);
    let dark = stands.dark;
    let Some(way) = led else { return Err(Refusal::Link("the controller went away".into())) };
    // A job that counts from the head finds it where it stood.
    let back = hand.carry_out(|_, _| Ok(way.back()))?;
    let dark = if back.dark == Dark::Untouched { dark } else { back.dark };
    if console.json {
        console.json(&EdgeJson {
            link: &hand.name,
            corners: way.places(),
            lines: lines.len(),
            times,
            pointer: args.pointer,
            on_bed_mm: way.on_bed().map(|b| [b.x0, b.y0, b.x1, b.y1].map(round)),
            along_mm: way.along().map(|ends| ends.map(round)),
            dark: beam::word(dark),
        })?;
    } else {
        let simulated = tinkite_link::is_simulated(&hand.name);
        let on = if simulated { ", on the simulated machine" } else { "" };
        let words = format!("led round {}, and back{on}{}", way.words(), beam::words(dark));
        console.result(&words)?;
    }
    if dark != Dark::Confirmed {
        return Err(Refusal::Link("the beam was not seen to be off".into()));
    }
    drop(hand);
    if super::run::wants_to_go_on(console) { run_it(args, console) } else { Ok(()) }
}

fn round(v: f64) -> f64 {
    (v * 1000.0).round() / 1000.0
}

/// The pointer, where it may be led: the controller must put it out where the head stands, or a cable
/// that is pulled leaves it lit on one spot.
fn pointer(machine: &Machine) -> Result<Light, Refusal> {
    let Some(pointer) = machine.beam.pointer else {
        return Err(Refusal::Usage(
            "this machine has no pointer: find on scrap what marks nothing, and write pointer = \"0.8 %\" into [beam]; nothing was sent"
                .into(),
        ));
    };
    let follows = machine.beam.follows_speed && machine.beam.switch == Switch::Inline;
    if !follows || machine.dialect == Dialect::Reprap {
        return Err(Refusal::Usage(
            "on this machine a beam burns on where the head stands when lines stop coming (follows-speed is false): its pointer is not led; look at single corners with head go and head pointer. Nothing was sent"
                .into(),
        ));
    }
    let level = machine
        .beam
        .level(Power(pointer.power.0))
        .map_err(|problem| Refusal::Usage(problem.message))?;
    Ok(Light::Pointer(level.s()))
}

/// Somebody at a terminal who can put an end to it.
struct Keys(RawKeys);

impl Keys {
    /// None where nobody can press one.
    fn begin(console: &Console) -> Result<Option<Self>, Refusal> {
        if console.json || !io::stdin().is_terminal() || !io::stderr().is_terminal() {
            return Ok(None);
        }
        RawKeys::begin()
            .and_then(|keys| forget_typed().map(|()| Some(Self(keys))))
            .map_err(|source| Refusal::System { what: "this terminal gives no keys", source })
    }

    /// A terminal that has gone counts as a key.
    fn key_was_pressed(&self) -> bool {
        match event::poll(Duration::ZERO) {
            Ok(false) => false,
            Ok(true) => {
                matches!(event::read(), Ok(Event::Key(key)) if key.kind != KeyEventKind::Release)
            }
            Err(_) => true,
        }
    }
}

/// Straight on to the run, with everything as it was for the edge.
fn run_it(args: &Edge, console: &Console) -> Result<(), Refusal> {
    let job = &args.job;
    let run = Run {
        machine: job.machine.clone(),
        part: job.part.clone(),
        ..Run::of(Some(job.job.clone()), args.to.clone())
    };
    super::run::run(&run, console)
}
