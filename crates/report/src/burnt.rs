//! What the simulated controller's beam did: in words, as a picture, as JSON.

use serde::Serialize;
use tinkite_core::geometry::Point;
use tinkite_core::machine::Machine;
use tinkite_core::picture::{self, BurntMark, Canvas, Words};
use tinkite_core::quantity::{clock, plain};
use tinkite_rig::{Record, Rig};

/// What other programs may rely on.
#[derive(Debug, Serialize)]
pub struct RecordJson {
    burn_mm: f64,
    travel_mm: f64,
    /// Least and greatest S that burnt.
    s: Option<[f64; 2]>,
    by_s: Vec<ByS>,
    extents_mm: Option<Extents>,
    busy_seconds: f64,
    lit_standing_seconds: f64,
    /// Whether the beam is on at the end.
    beam_on: bool,
    lines: u64,
    errors: u64,
    overrun_bytes: u64,
}

#[derive(Debug, Serialize)]
struct ByS {
    s: f64,
    burn_mm: f64,
}

#[derive(Debug, Serialize)]
struct Extents {
    min: [f64; 2],
    max: [f64; 2],
}

/// What a rig did, as JSON.
pub fn json(rig: &Rig) -> RecordJson {
    let record = rig.record();
    RecordJson {
        burn_mm: record.burn_mm,
        travel_mm: record.travel_mm,
        s: range(record),
        by_s: record.by_s().map(|(s, burn_mm)| ByS { s, burn_mm }).collect(),
        extents_mm: record.extents.map(|(min, max)| Extents { min, max }),
        busy_seconds: record.busy_seconds,
        lit_standing_seconds: record.lit_standing_seconds,
        beam_on: rig.beam_on(),
        lines: record.lines,
        errors: record.errors,
        overrun_bytes: record.overrun_bytes,
    }
}

/// More values of S than this are told as a range: a ramp has hundreds.
const FEW: usize = 8;

/// Least and greatest S that burnt.
fn range(record: &Record) -> Option<[f64; 2]> {
    let mut values = record.by_s().map(|(s, _)| s);
    let low = values.next()?;
    Some([low, values.last().unwrap_or(low)])
}

fn facts(record: &Record) -> Vec<String> {
    let mut facts = vec![
        format!("{} mm burnt", plain(record.burn_mm, 1)),
        format!("{} mm of travel", plain(record.travel_mm, 1)),
        format!("busy for {}", clock(record.busy_seconds)),
    ];
    let turns = record.marks.iter().flat_map(|mark| mark.turn);
    let turns = turns.map(|t| (t, t)).reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)));
    if let Some((low, high)) = record.extents {
        let n = |v: f64| plain(v, 2);
        if let Some((from, to)) = turns.filter(|(from, to)| record.diameter.is_some() && from < to)
        {
            facts.push(format!("turned {} to {} deg", n(from), n(to)));
        }
        facts.push(format!(
            "X {} to {}, Y {} to {} mm",
            n(low[0]),
            n(high[0]),
            n(low[1]),
            n(high[1])
        ));
    }
    let values: Vec<(f64, f64)> = record.by_s().collect();
    match range(record) {
        Some([low, high]) if values.len() > FEW => facts.push(format!(
            "S{} to S{}, {} levels",
            plain(low, 1),
            plain(high, 1),
            values.len()
        )),
        _ => facts.extend(
            values.iter().map(|(s, mm)| format!("S{}: {} mm", plain(*s, 1), plain(*mm, 1))),
        ),
    }
    facts
}

/// The record in words.
pub fn words(record: &Record) -> String {
    format!("the rig's beam: {}", facts(record).join("; "))
}

/// The record as a picture.
pub fn picture(record: &Record, machine: &Machine, title: &str) -> String {
    let point = |p: [f64; 2]| Point::new(p[0], p[1]);
    let marks: Vec<BurntMark> = record
        .marks
        .iter()
        .map(|m| BurntMark { from: point(m.from), to: point(m.to), s: m.s })
        .collect();
    if let (Some(diameter), Some(rotary)) = (record.diameter, &machine.rotary) {
        let around = std::f64::consts::PI * diameter;
        let way = if rotary.reversed { -1.0 } else { 1.0 };
        let place = |at: [f64; 2], turn: f64| {
            let (along, other) = if rotary.along == b'Y' { (at[1], at[0]) } else { (at[0], at[1]) };
            // An axis that stands in is told mm for each turn; one of its own is told degrees.
            let turns = rotary.per_turn.map_or(turn / 360.0, |mm| other / mm);
            Point::new(along, way * turns * around)
        };
        let marks: Vec<BurntMark> = record
            .marks
            .iter()
            .map(|m| BurntMark {
                from: place(m.from, m.turn[0]),
                to: place(m.to, m.turn[1]),
                s: m.s,
            })
            .collect();
        let subtitle = "its surface unrolled; darker is stronger";
        let (words, canvas) = (Words { title, subtitle }, Canvas::default());
        return picture::burnt_round(&marks, around, &words, facts(record), canvas);
    }
    let words = Words { title, subtitle: "what the beam did; darker is stronger" };
    picture::burnt(&marks, machine, &words, facts(record), Canvas::default())
}
