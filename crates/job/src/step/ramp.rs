//! Ramps: power that changes along the path.

use tinkite_base::quantity::{Length, Power};
use tinkite_machine::Beam;
use tinkite_machine::section::{LONGEST, Section};

/// One end of a line at which power differs.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RampEnd {
    /// Power at the very end.
    pub power: Power,
    /// Over which length it becomes the step's own, mm.
    pub over: f64,
}

/// How power changes along the path; linear in between.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Ramp {
    /// Power at standstill: less (or, on purpose, more) than the step's own, which holds at the
    /// step's speed.
    pub slow: Option<Power>,
    /// At the start of each line.
    pub start: Option<RampEnd>,
    /// At the end of each line.
    pub end: Option<RampEnd>,
}

/// A ramp over less than this is a step, mm.
const SHORTEST: f64 = 0.01;

/// Reads `ramp`.
pub(super) fn read(section: &Section<'_, '_>, beam: &Beam) -> Option<Ramp> {
    if !section.has("ramp") {
        return Some(Ramp::default());
    }
    let ramp = section.section("ramp")?;
    let slow = ramp.power("slow", beam);
    let slow_read = slow.is_some() || !ramp.has("slow");
    let start = ramp.has("start").then(|| ramp.section("start").and_then(|s| end(s, "from", beam)));
    let stop = ramp.has("end").then(|| ramp.section("end").and_then(|s| end(s, "to", beam)));
    ramp.finish();
    let (start, end) = (
        start.map_or(Some(None), |end| end.map(Some))?,
        stop.map_or(Some(None), |end| end.map(Some))?,
    );
    slow_read.then_some(Ramp { slow, start, end })
}

fn end(section: Section<'_, '_>, key: &'static str, beam: &Beam) -> Option<RampEnd> {
    if !section.has(key) {
        section.missing(key, &format!("{key} = \"20 %\""));
    }
    let power = section.power(key, beam);
    let over = section.required_positive::<Length>("over", "over = \"2 mm\"");
    if over.is_some_and(|length| !(SHORTEST..=LONGEST).contains(&length.0)) {
        let span = section.span_of("over");
        section.out_of_range("over", span, &section.written("over"), "from 0.01 mm to 10 m");
    }
    section.finish();
    Some(RampEnd { power: power?, over: over?.0 })
}
