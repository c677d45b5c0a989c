//! `tinkite machine show --power`: what a percentage comes to at the source.

use crate::console::Console;
use serde::Serialize;
use std::path::Path;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::{Power, plain};
use tinkite_files::machines::find;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_report::micron;
use tinkite_report::table::table;

#[derive(Debug, Serialize)]
struct PowerJson {
    name: String,
    full: f64,
    floor_percent: f64,
    ceiling_percent: f64,
    levels: Option<u32>,
    volts_at_full: Option<f64>,
    /// Whole percentages that can be asked for.
    powers: Vec<RowJson>,
}

#[derive(Debug, Serialize)]
struct RowJson {
    percent: f64,
    s: f64,
    /// Which of the source's levels, from 0; `None` where they are not known.
    level: Option<u32>,
    duty_percent: f64,
    /// What a voltmeter at the control pin shows.
    volts: Option<f64>,
    ma: Option<f64>,
    watts: Option<f64>,
    /// Whether the row before is the same level of the source, and burns alike.
    same_as_before: bool,
}

pub(super) fn run(name: &str, console: &Console) -> Result<(), Refusal> {
    let found = find(name, Path::new(""))?;
    let machine = found.read(&mut Sources::new())?;
    let rows = rows(&machine);
    let beam = &machine.beam;
    if console.json {
        return console.json(&PowerJson {
            name: found.name,
            full: beam.full,
            floor_percent: micron(beam.floor / beam.full * 100.0),
            ceiling_percent: micron(beam.ceiling.0 * 100.0),
            levels: beam.levels,
            volts_at_full: machine.nominal.volts,
            powers: rows,
        });
    }
    let mut out = format!(
        "{}\n  lights from S{} ({} %), at most S{} ({} %)\n",
        machine.name,
        plain(beam.floor, 3),
        plain(beam.floor / beam.full * 100.0, 2),
        plain(beam.ceiling.0 * beam.full, 3),
        plain(beam.ceiling.0 * 100.0, 2),
    );
    out.push_str(&match beam.levels {
        Some(levels) => {
            format!("  {levels} levels, one every {} %\n", plain(100.0 / f64::from(levels - 1), 3))
        }
        None => "  how many levels the source tells apart is not known: levels in [beam] says it\n"
            .into(),
    });
    if machine.nominal.volts.is_none() {
        out.push_str("  volts = \"5 V\" in [beam], as your control pin gives at 100 %, adds what a voltmeter shows\n");
    }
    out.push_str(match (&beam.table, machine.nominal.watts) {
        (Some(_), _) => "  mA and W as they were measured\n",
        (None, Some(_)) => "  W in proportion to what [beam] watts says; nobody measured them\n",
        (None, None) => "  mA and W are not known: tinkite machine measure\n",
    });
    out.push('\n');
    out.push_str(&as_table(&rows));
    out.push_str(&same_levels(&rows));
    console.result(&out)
}

/// Whole percentages from floor to ceiling, and both of these.
fn rows(machine: &Machine) -> Vec<RowJson> {
    let beam = &machine.beam;
    let (floor, ceiling) = (beam.floor / beam.full * 100.0, beam.ceiling.0 * 100.0);
    let mut percents: Vec<f64> = (1..=100).map(f64::from).collect();
    percents.extend([floor, ceiling]);
    percents
        .retain(|percent| *percent >= floor - 1e-9 && *percent <= ceiling + 1e-9 && *percent > 0.0);
    percents.sort_by(f64::total_cmp);
    percents.dedup_by(|a, b| (*a - *b).abs() < 1e-9);
    let mut rows: Vec<RowJson> = Vec::new();
    for percent in percents {
        // What a program would say for it.
        let Ok(level) = beam.level(Power(percent / 100.0)) else { continue };
        let duty = level.s() / beam.full;
        rows.push(RowJson {
            percent: micron(percent),
            s: level.s(),
            level: beam.levels.map(|_| beam.level_number(level.s())),
            duty_percent: micron(duty * 100.0),
            volts: machine.nominal.volts.map(|volts| micron(volts * duty)),
            ma: beam.table.as_ref().and_then(|table| table.current(duty)).map(micron),
            watts: machine.watts_at(duty).map(micron),
            same_as_before: rows.last().is_some_and(|before| before.s == level.s()),
        });
    }
    rows
}

/// Every fifth of them, and floor and ceiling.
fn as_table(rows: &[RowJson]) -> String {
    let shown = rows
        .iter()
        .enumerate()
        .filter(|(n, row)| *n == 0 || *n == rows.len() - 1 || row.percent % 5.0 == 0.0);
    let number = |value: Option<f64>, places| value.map_or(String::new(), |v| plain(v, places));
    let cells = |(_, row): (usize, &RowJson)| {
        vec![
            plain(row.percent, 2),
            plain(row.s, 3),
            row.level.map_or(String::new(), |level| level.to_string()),
            plain(row.duty_percent, 2),
            number(row.volts, 3),
            number(row.ma, 2),
            number(row.watts, 2),
        ]
    };
    let header = ["power %", "S", "level", "duty %", "volts", "mA", "W"];
    table(&header, shown.map(cells).collect(), &[0, 1, 2, 3, 4, 5, 6])
}

/// Which whole percentages are the same level of the source.
fn same_levels(rows: &[RowJson]) -> String {
    let mut runs: Vec<(f64, f64)> = Vec::new();
    for pair in rows.windows(2).filter(|pair| pair[1].same_as_before) {
        match runs.last_mut() {
            Some(run) if run.1 == pair[0].percent => run.1 = pair[1].percent,
            _ => runs.push((pair[0].percent, pair[1].percent)),
        }
    }
    if runs.is_empty() {
        return String::new();
    }
    let words: Vec<String> =
        runs.iter().map(|(a, b)| format!("{} to {} %", plain(*a, 2), plain(*b, 2))).collect();
    format!("\n\n  the same level of the source, so they burn alike: {}\n", words.join(", "))
}
