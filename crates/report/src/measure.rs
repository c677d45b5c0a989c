//! The measures of one shape.

use super::{ExtentsJson, micron};
use serde::Serialize;
use std::fmt::Write as _;
use tinkite_core::artwork::Measure;
use tinkite_core::job::Take;
use tinkite_core::job::select::Condition;
use tinkite_core::problem::count;
use tinkite_core::quantity::{LengthUnit, plain};

/// Shapes that were measured.
#[derive(Debug, Serialize)]
pub struct MeasuresJson {
    /// In the order of the files.
    pub measures: Vec<MeasureJson>,
}

/// A shape that was measured.
#[derive(Debug, Serialize)]
pub struct MeasureJson {
    file: String,
    name: Option<String>,
    take: Option<String>,
    line: Option<u32>,
    size_mm: [f64; 2],
    extents_mm: ExtentsJson,
    length_mm: f64,
    area_mm2: Option<f64>,
    diameters_mm: Vec<f64>,
    lines: usize,
    open: usize,
    away_mm: Option<f64>,
}

/// A shape that was measured, as JSON.
pub fn measured_json(file: &str, m: &Measure) -> MeasureJson {
    MeasureJson {
        file: file.into(),
        name: m.source.own_name().map(String::from),
        take: m.source.own_name().map(|name| Take(vec![Condition::Id(name.into())]).to_toml()),
        line: m.source.line,
        size_mm: [micron(m.extents.width()), micron(m.extents.height())],
        extents_mm: m.extents.into(),
        length_mm: micron(m.length),
        area_mm2: m.area.map(micron),
        diameters_mm: m.lines.iter().filter_map(|(_, diameter)| diameter.map(micron)).collect(),
        lines: m.lines.len(),
        open: m.lines.iter().filter(|(closed, _)| !closed).count(),
        away_mm: m.away.map(micron),
    }
}

/// The same in words.
pub fn measured_text(file: &str, m: &Measure, unit: LengthUnit) -> String {
    let n = |v: f64| unit.number(v, 3);
    let symbol = unit.symbol();
    let r = m.extents;
    let mut out = format!("{} in {file}\n", m.source.label());
    let _ = writeln!(out, "  size      {} x {} {symbol}", n(r.width()), n(r.height()));
    let (x0, x1, y0, y1) = (n(r.x0), n(r.x1), n(r.y0), n(r.y1));
    let _ = writeln!(out, "  lies at   X {x0} to {x1}, Y {y0} to {y1} {symbol}");
    if let Some(name) = m.source.own_name() {
        let take = Take(vec![Condition::Id(name.into())]).to_toml();
        let _ = writeln!(out, "  take      {take}");
    }
    let round: Vec<String> =
        m.lines.iter().filter_map(|(_, d)| d.map(|d| unit.length(d, 3))).collect();
    if !round.is_empty() {
        let _ = writeln!(out, "  diameter  {}", round.join(", "));
    }
    let open = m.lines.iter().filter(|(closed, _)| !closed).count();
    let state = match open {
        0 => "closed".to_string(),
        open => format!("{open} open"),
    };
    let _ = writeln!(
        out,
        "  length    {} {symbol}, {}, {state}",
        n(m.length),
        count(m.lines.len(), "line")
    );
    if let Some(area) = m.area {
        let _ =
            writeln!(out, "  inside    {} {symbol}²", plain(unit.of(area, 2), unit.decimals(3)));
    }
    if let Some(away) = m.away {
        let _ = writeln!(out, "  away      {} {symbol} from the point", n(away));
    }
    out
}
