//! `tinkite plan`.

mod faster;

use crate::args::{Plan, Sheets};
use crate::console::Console;
use crate::door;
use crate::watch::{self, WatchResult};
use serde::Serialize;
use std::path::Path;
use tinkite_core::quantity::clock;
use tinkite_files::call::JobCall;
use tinkite_files::load::{self, Made};
use tinkite_files::refusal::Refusal;
use tinkite_report::plan;
use tinkite_report::table::table;

/// The plans of several jobs.
#[derive(Debug, Serialize)]
struct PlansJson {
    jobs: Vec<plan::PlanJson>,
    seconds: f64,
}

pub(super) fn run(args: &Plan, console: &Console) -> Result<(), Refusal> {
    let mut jobs: Vec<JobCall> = Vec::new();
    for job in &args.jobs {
        jobs.extend(calls(job, args)?);
    }
    if args.faster {
        return match &jobs[..] {
            [job] => faster::run(job, console),
            _ => Err(Refusal::Usage("--faster looks at one job at a time".into())),
        };
    }
    if args.watch {
        return watch::again_and_again(&args.jobs, None, console, || all(&jobs, console));
    }
    all(&jobs, console).map(|_| ())
}

/// A call for each sheet of a job that is planned.
fn calls(job: &Path, args: &Plan) -> Result<Vec<JobCall>, Refusal> {
    let of = |sheet| JobCall {
        job: job.to_path_buf(),
        machine: args.machine.clone(),
        part: args.part.clone().of_sheet(sheet),
    };
    let Some(Sheets::Several { first, .. }) = args.part.sheet else {
        return Ok(vec![of(args.part.sheet.map(Sheets::first))]);
    };
    let (_, sheet, ..) = load::survey_sheet(&of(Some(first)))?;
    let last = args.part.sheet.map_or(Ok(first), |sheets| sheets.last(sheet.sheets))?;
    Ok((first..=last).map(|sheet| of(Some(sheet))).collect())
}

/// Plans one job.
pub(super) fn once(job: &JobCall, console: &Console) -> Result<WatchResult, Refusal> {
    let made = load::make(job)?;
    let outcome = WatchResult::of(&made);
    if console.json {
        console.json(&plan::json(&made))?;
        return Ok(outcome);
    }
    tell(made, console)?;
    Ok(outcome)
}

fn tell(made: Made, console: &Console) -> Result<(), Refusal> {
    console.result(&plan::text(&made, console.unit))?;
    door::show(&load::locate(made.compiled.problems, &made.sources), &made.sources, console);
    Ok(())
}

/// Plans jobs that will be run one after the other; all of them are made before anything is told.
fn all(jobs: &[JobCall], console: &Console) -> Result<WatchResult, Refusal> {
    if let [job] = jobs {
        return once(job, console);
    }
    let made = jobs.iter().map(load::make).collect::<Result<Vec<_>, _>>()?;
    let outcomes: Vec<WatchResult> = made.iter().map(WatchResult::of).collect();
    let sums = outcomes.iter().filter_map(|one| one.sums).reduce(watch::Sums::and);
    let files = outcomes.into_iter().flat_map(|one| one.files).collect();
    let seconds = sums.map_or(0.0, |sums| sums.seconds);
    if console.json {
        console.json(&PlansJson { jobs: made.iter().map(plan::json).collect(), seconds })?;
        return Ok(WatchResult { files, sums });
    }
    let unit = console.unit;
    let row = |name: String, machine: String, sums: watch::Sums| {
        let (burnt, travel) = (unit.number(sums.burn, 0), unit.number(sums.travel, 0));
        vec![name, machine, burnt, travel, clock(sums.seconds)]
    };
    let mut rows: Vec<_> = made
        .iter()
        .zip(jobs)
        .filter_map(|(one, call)| {
            let name = match call.part.sheet {
                Some(sheet) => format!("{}, sheet {sheet}", one.job.file),
                None => one.job.file.clone(),
            };
            Some(row(name, one.job.machine.name.clone(), WatchResult::of(one).sums?))
        })
        .collect();
    rows.extend(sums.map(|sums| row("in all".into(), String::new(), sums)));
    for one in made {
        tell(one, console)?;
        console.result("")?;
    }
    let (burnt, travel) = (format!("burn {}", unit.symbol()), format!("travel {}", unit.symbol()));
    console.result(&table(&["job", "machine", &burnt, &travel, "time"], rows, &[2, 3, 4]))?;
    Ok(WatchResult { files, sums })
}
