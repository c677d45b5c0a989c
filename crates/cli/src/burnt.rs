//! What the simulated controller's beam did: in words, as a picture, as JSON.

use serde::Serialize;
use tinkite_core::geometry::Point;
use tinkite_core::job::Machine;
use tinkite_core::picture::{self, Canvas, Mark, Words};
use tinkite_core::quantity::{clock, plain};
use tinkite_rig::Record;

/// What other programs may rely on.
#[derive(Debug, Serialize)]
pub(crate) struct RecordJson {
    burnt_mm: f64,
    dark_mm: f64,
    by_s: Vec<ByS>,
    extents_mm: Option<Extents>,
    busy_seconds: f64,
    lit_standing_seconds: f64,
    lines: u64,
    errors: u64,
    overrun_bytes: u64,
}

#[derive(Debug, Serialize)]
struct ByS {
    s: f64,
    burnt_mm: f64,
}

#[derive(Debug, Serialize)]
struct Extents {
    min: [f64; 2],
    max: [f64; 2],
}

/// The record as JSON.
pub(crate) fn json(record: &Record) -> RecordJson {
    RecordJson {
        burnt_mm: record.burnt_mm,
        dark_mm: record.dark_mm,
        by_s: record.by_s().map(|(s, burnt_mm)| ByS { s, burnt_mm }).collect(),
        extents_mm: record.extents.map(|(min, max)| Extents { min, max }),
        busy_seconds: record.busy_seconds,
        lit_standing_seconds: record.lit_standing_seconds,
        lines: record.lines,
        errors: record.errors,
        overrun_bytes: record.overrun_bytes,
    }
}

fn facts(record: &Record) -> Vec<String> {
    let mut facts = vec![
        format!("{} mm burnt", plain(record.burnt_mm, 1)),
        format!("{} mm with the beam off", plain(record.dark_mm, 1)),
        format!("busy for {}", clock(record.busy_seconds)),
    ];
    if let Some((low, high)) = record.extents {
        let n = |v: f64| plain(v, 2);
        facts.push(format!(
            "X {} to {}, Y {} to {} mm",
            n(low[0]),
            n(high[0]),
            n(low[1]),
            n(high[1])
        ));
    }
    facts.extend(record.by_s().map(|(s, mm)| format!("S{}: {} mm", plain(s, 1), plain(mm, 1))));
    facts
}

/// The record in words.
pub(crate) fn words(record: &Record) -> String {
    format!("the rig's beam: {}", facts(record).join("; "))
}

/// The record as a picture.
pub(crate) fn picture(record: &Record, machine: &Machine, title: &str) -> String {
    let point = |p: [f64; 2]| Point::new(p[0], p[1]);
    let marks: Vec<Mark> = record
        .marks
        .iter()
        .map(|m| Mark { from: point(m.from), to: point(m.to), s: m.s })
        .collect();
    let words = Words { title, subtitle: "what the beam did; darker is stronger" };
    picture::burnt(&marks, machine, &words, facts(record), Canvas::default())
}
