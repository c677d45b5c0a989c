//! What a program comes to.

use super::{ExtentsJson, ProblemJson, micron, problems_json};
use serde::Serialize;
use std::fmt::Write as _;
use tinkite_core::program::measure::{Report, span};
use tinkite_core::quantity::{LengthUnit, clock, plain};

/// What a program from anywhere does.
#[derive(Debug, Serialize)]
pub struct ReadJson {
    lines: u32,
    dialect: &'static str,
    units: &'static str,
    burn_mm: f64,
    travel_mm: f64,
    seconds: f64,
    extents_mm: Option<ExtentsJson>,
    burn_extents_mm: Option<ExtentsJson>,
    rotary_deg: Option<[f64; 2]>,
    s: Option<[f64; 2]>,
    beam_off_at_end: bool,
    problems: Vec<ProblemJson>,
}

/// The measurement as JSON.
pub fn json(report: &Report) -> ReadJson {
    ReadJson {
        lines: report.lines,
        dialect: report.dialect.name(),
        units: report.units,
        burn_mm: micron(report.burn),
        travel_mm: micron(report.travel),
        seconds: micron(report.seconds),
        extents_mm: report.extents.map(ExtentsJson::from),
        burn_extents_mm: report.burn_extents.map(ExtentsJson::from),
        rotary_deg: report.rotary.map(|(a, b)| [micron(a), micron(b)]),
        s: report.s.map(|(a, b)| [a, b]),
        beam_off_at_end: report.beam_off_at_end,
        problems: problems_json(&report.problems),
    }
}

/// The measurement for people. `machine` is the name of what it was held against.
pub fn text(name: &str, report: &Report, machine: Option<&str>, unit: LengthUnit) -> String {
    let mut out = format!(
        "{name}: {} lines, {} style, written in {}\n",
        report.lines,
        report.dialect.name(),
        report.units
    );
    match report.burn_extents {
        Some(rect) => {
            let _ = writeln!(
                out,
                "  burns    {}, {} x {}",
                span(rect, unit),
                unit.number(rect.width(), 3),
                unit.length(rect.height(), 3)
            );
        }
        None => out.push_str("  burns    nothing\n"),
    }
    if let Some(rect) = report.extents {
        let _ = writeln!(out, "  moves    {}", span(rect, unit));
    }
    if let Some((low, high)) = report.rotary {
        let _ = writeln!(out, "  turns    {} to {} deg", plain(low, 3), plain(high, 3));
    }
    let _ = writeln!(
        out,
        "  lengths  {} burnt, {} of travel",
        unit.length(report.burn, 1),
        unit.length(report.travel, 1)
    );
    if let Some((least, most)) = report.s {
        let _ = writeln!(out, "  power    S{} to S{}", plain(least, 1), plain(most, 1));
    }
    let how = match machine {
        Some(machine) => format!("about {} on {machine}", clock(report.seconds)),
        None => format!(
            "{} of feed moves at full feed; --machine counts acceleration and travel too",
            clock(report.seconds)
        ),
    };
    let _ = writeln!(out, "  time     {how}");
    let end = if report.beam_off_at_end { "beam off" } else { "BEAM ON" };
    let _ = write!(out, "  end      {end}");
    if report.problems.is_empty() {
        out.push_str(match machine {
            Some(_) => "\n  checked  nothing wrong was found: places, power, speeds and beam",
            None => "\n  checked  nothing wrong was found; --machine also holds places, power and speeds against it",
        });
    }
    out
}
