//! `tinkite log find`: what was tried on a material, and how it went.

use crate::args::LogFind;
use crate::console::Console;
use serde::Serialize;
use tinkite_core::picture::{TryMark, TryPoint, tries_chart};
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_log::{Log, Sought, Try};
use tinkite_report::png;
use tinkite_report::table::table;

#[derive(Debug, Serialize)]
struct FoundJson {
    tries: Vec<TryJson>,
}

#[derive(Debug, Serialize)]
struct TryJson {
    run: i64,
    /// The run with which its series of tries began, where it is not itself that.
    series: Option<i64>,
    /// UTC.
    began: String,
    job: String,
    machine: String,
    step: String,
    make: String,
    thickness_mm: Option<f64>,
    speed_mm_s: f64,
    power_percent: f64,
    passes: usize,
    spacing_mm: Option<f64>,
    recipe: Option<String>,
    outcome: Option<&'static str>,
    worked: Option<bool>,
    note: Option<String>,
}

impl From<&Try> for TryJson {
    fn from(one: &Try) -> Self {
        let tried = &one.tried;
        Self {
            run: one.run,
            series: one.series,
            began: jiff::Timestamp::from_millisecond(one.began_ms)
                .map_or_else(|_| String::new(), |time| time.to_string()),
            job: one.job.clone(),
            machine: one.machine.clone(),
            step: one.step.clone(),
            make: tried.make.clone(),
            thickness_mm: tried.thickness_mm,
            speed_mm_s: tried.speed_mm_s,
            power_percent: tried.power_percent,
            passes: tried.passes,
            spacing_mm: tried.spacing_mm,
            recipe: tried.recipe.as_ref().map(|used| used.title.clone()),
            outcome: one.outcome.map(|outcome| outcome.word()),
            worked: one.outcome.map(|outcome| outcome.is_good()),
            note: one.text.clone(),
        }
    }
}

fn point(one: &Try) -> TryPoint {
    let tried = &one.tried;
    TryPoint {
        speed: tried.speed_mm_s,
        power: tried.power_percent * tried.passes as f64,
        mark: match one.outcome {
            Some(outcome) if outcome.is_good() => TryMark::Worked,
            Some(_) => TryMark::Failed,
            None => TryMark::Unknown,
        },
        label: format!("{} {}", one.run, one.step),
    }
}

pub(super) fn run(log: &Log, args: &LogFind, console: &Console) -> Result<(), Refusal> {
    let sought = Sought {
        material: args.material.clone(),
        thickness: args.thickness,
        make: args.make.clone(),
        machine: args.machine.clone(),
    };
    if let Some(path) = &args.draw {
        png::kind_of(path)?;
    }
    let tries = log.tries(&sought)?;
    if let Some(path) = args.draw.as_ref().filter(|_| !tries.is_empty()) {
        let points: Vec<TryPoint> = tries.iter().map(point).collect();
        let title = format!("Tried on {}", args.material);
        let written = png::write(path, args.writing.into(), || tries_chart(&points, &title))?;
        if !console.json {
            console.result(&written.words())?;
        }
    }
    if console.json {
        return console.json(&FoundJson { tries: tries.iter().map(TryJson::from).collect() });
    }
    if tries.is_empty() {
        return console.result(&format!(
            "nothing was run on {} yet; runs of jobs with that material are found here",
            args.material
        ));
    }
    let row = |one: &Try| {
        let tried = &one.tried;
        let date = jiff::Timestamp::from_millisecond(one.began_ms).map_or_else(
            |_| "?".into(),
            |time| jiff::tz::TimeZone::system().to_datetime(time).strftime("%Y-%m-%d").to_string(),
        );
        vec![
            // What worked is set off.
            if one.outcome.is_some_and(|outcome| outcome.is_good()) {
                "*".into()
            } else {
                String::new()
            },
            one.outcome.map_or("not noted".into(), |outcome| outcome.word().into()),
            tried.make.clone(),
            tried.thickness_mm.map_or(String::new(), |mm| plain(mm, 3)),
            plain(tried.speed_mm_s, 2),
            plain(tried.power_percent, 2),
            tried.passes.to_string(),
            tried.spacing_mm.map_or(String::new(), |mm| plain(mm, 3)),
            match one.series {
                Some(first) => format!("{} {}, after {first}", one.run, one.step),
                None => format!("{} {}", one.run, one.step),
            },
            date,
            one.text.clone().unwrap_or_default(),
        ]
    };
    let header = [
        "",
        "result",
        "make",
        "mm",
        "mm/s",
        "power %",
        "passes",
        "apart mm",
        "run, step",
        "on",
        "note",
    ];
    let rows = tries.iter().take(args.first).map(row).collect();
    console.result(&table(&header, rows, &[3, 4, 5, 6, 7]))?;
    if tries.len() > args.first {
        console.say(&format!("and {} more: --first {}", tries.len() - args.first, tries.len()));
    }
    console.say("* worked; tinkite log note RUN --step STEP --result good notes how another went");
    Ok(())
}
