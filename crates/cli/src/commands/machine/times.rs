//! `tinkite machine measure --times`: the runs in the log say how the machine really accelerates.

use super::changed;
use crate::args::MachineMeasure;
use crate::console::Console;
use serde::Serialize;
use std::io::Read;
use std::path::Path;
use tinkite_core::machine::Machine;
use tinkite_core::machine::edit::Change;
use tinkite_core::motion::fit::{Fitted, Value};
use tinkite_core::problem::{count, few};
use tinkite_core::program::pace::{TimedRun, TimedStep, fit};
use tinkite_core::quantity::plain;
use tinkite_files::log;
use tinkite_files::machines::find;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_log::{Log, RunEntry};

/// The most lines of programs that are planned again and again, the latest runs first; a longer program is not looked at.
const MOST_LINES: u32 = 500_000;

/// Shorter steps were not timed well enough, s.
const SHORTEST: f64 = 4.0;

/// What came out, for other programs.
#[derive(Debug, Serialize)]
struct TimesJson {
    runs: usize,
    steps: usize,
    /// Run and step.
    left_out: Vec<String>,
    acceleration_mm_s2: [f64; 2],
    acceleration_was_mm_s2: [f64; 2],
    /// One standard deviation, as a share; `None` where the times do not say.
    acceleration_error: Option<f64>,
    corner_mm: f64,
    corner_was_mm: f64,
    corner_error: Option<f64>,
    /// Root mean square of how far the plan of a step is off, as shares.
    off_was: f64,
    off: f64,
}

pub(super) fn run(args: &MachineMeasure, console: &Console) -> Result<(), Refusal> {
    let found = find(&args.name, Path::new(""))?;
    let machine = found.read(&mut Sources::new())?;
    let log = Log::look_into(&log::path(args.log.path.as_deref())?)?;
    let (runs, names) = time(&log, &machine, args.since)?;
    let steps = names.len();
    let few_steps = || {
        Refusal::Usage(format!(
            "the log has {} of {} that took longer than {} s; three and more are wanted, of several kinds: run some jobs first",
            count(steps, "finished step"),
            machine.name,
            plain(SHORTEST, 0)
        ))
    };
    if steps < 3 {
        return Err(few_steps());
    }
    let fitted = fit(&machine, &runs).ok_or_else(few_steps)?;
    let new = Measured::of(&fitted, &machine);
    let left_out: Vec<String> = fitted.left_out.iter().map(|n| names[*n].clone()).collect();
    if console.json {
        console.json(&new.json(&fitted, &machine, runs.len(), steps, left_out))?;
    } else {
        console.result(&new.text(&fitted, &machine, runs.len(), steps, &left_out))?;
    }
    let changes = new.changes();
    if changes.is_empty() {
        console.say("nothing is changed: these runs say too little of it; jobs of short lines and many corners say more");
        return Ok(());
    }
    if console.json && args.output.is_none() && !args.keep {
        return Ok(());
    }
    changed::keep(&found, &changes, "as the log's runs say", &new.lines(), args, console)
}

/// The runs of a machine whose steps were timed, and what each step is called.
fn time(
    log: &Log,
    machine: &Machine,
    since: Option<i64>,
) -> Result<(Vec<TimedRun>, Vec<String>), Refusal> {
    let (mut runs, mut names, mut lines) = (Vec::new(), Vec::new(), 0);
    for entry in log.entries(u32::MAX)? {
        let of_it = entry.began.machine == machine.name && since.is_none_or(|run| entry.id >= run);
        if !of_it || lines + entry.began.lines > MOST_LINES || !log.has_program(entry.id)? {
            continue;
        }
        let steps = steps(&entry);
        if steps.is_empty() {
            continue;
        }
        let mut program = Vec::new();
        log.program(entry.id)?
            .read_to_end(&mut program)
            .map_err(|error| Refusal::output("a temporary file", error))?;
        lines += entry.began.lines;
        names.extend(steps.iter().map(|(name, _)| format!("run {} {name}", entry.id)));
        let steps = steps.into_iter().map(|(_, step)| step).collect();
        runs.push(TimedRun { program, diameter: entry.began.diameter, steps });
    }
    Ok((runs, names))
}

/// The steps of a run that were finished, and long enough to say something.
fn steps(entry: &RunEntry) -> Vec<(String, TimedStep)> {
    let all = &entry.began.steps;
    let end = entry.began.lines + 1;
    let of = |n: usize| {
        let to = all.get(n + 1).map_or(end, |next| next.line);
        let seconds = all[n].seconds.filter(|seconds| *seconds >= SHORTEST)?;
        Some((all[n].name.clone(), TimedStep { from: all[n].line, to, seconds }))
    };
    (0..all.len()).filter_map(of).collect()
}

/// What came out, in the profile's own values.
struct Measured {
    /// Of X and Y, mm/s2; `None` where the times do not say.
    acceleration: Option<[f64; 2]>,
    /// mm.
    corner: Option<f64>,
}

impl Measured {
    fn of(fitted: &Fitted, machine: &Machine) -> Self {
        let said = |value: Value| value.error.map(|_| value.value);
        let round = |v: f64, digits: i32| {
            let unit = 10f64.powi(v.log10().floor() as i32 + 1 - digits);
            (v / unit).round() * unit
        };
        let axes = [machine.x.acceleration, machine.y.acceleration];
        Self {
            acceleration: said(fitted.acceleration).map(|by| axes.map(|own| round(own * by, 3))),
            corner: said(fitted.corner).map(|corner| round(corner, 2)),
        }
    }

    fn changes(&self) -> Vec<Change> {
        let text = |section, key, value: f64, unit| {
            Change::text(section, key, &format!("{} {unit}", plain(value, 6)))
        };
        let axes = self.acceleration.into_iter().flat_map(|[x, y]| {
            [("axis.x", x), ("axis.y", y)].map(|(axis, a)| text(axis, "acceleration", a, "mm/s2"))
        });
        axes.chain(self.corner.map(|corner| text("", "corner", corner, "mm"))).collect()
    }

    /// The same as it stands in the profile.
    fn lines(&self) -> String {
        let mut lines = Vec::new();
        lines.extend(self.corner.map(|corner| format!("corner = \"{} mm\"", plain(corner, 6))));
        for (axis, n) in [("x", 0), ("y", 1)] {
            lines
                .extend(self.acceleration.map(|a| {
                    format!("[axis.{axis}]\nacceleration = \"{} mm/s2\"", plain(a[n], 3))
                }));
        }
        lines.join("\n")
    }

    fn text(
        &self,
        fitted: &Fitted,
        machine: &Machine,
        runs: usize,
        steps: usize,
        left_out: &[String],
    ) -> String {
        let percent = |share: f64| format!("{} %", plain(share * 100.0, 1));
        let known = |value: Value| match value.error {
            Some(error) => format!("give or take {}", percent(error)),
            None => "which these runs say nothing of".into(),
        };
        let own = [machine.x.acceleration, machine.y.acceleration];
        let [x, y] = self.acceleration.unwrap_or(own);
        let was =
            |new: bool, text: String| if new { format!(" (was {text})") } else { String::new() };
        let (ax, ay) = (plain(own[0], 1), plain(own[1], 1));
        let mut lines = vec![
            format!("{} of {} on {}", count(steps, "step"), count(runs, "run"), machine.name),
            format!(
                "acceleration  X {}, Y {} mm/s2{}, {}",
                plain(x, 1),
                plain(y, 1),
                was(self.acceleration.is_some(), format!("{ax}, {ay}")),
                known(fitted.acceleration)
            ),
            format!(
                "corner        {} mm{}, {}",
                plain(self.corner.unwrap_or(machine.junction_deviation), 4),
                was(self.corner.is_some(), plain(machine.junction_deviation, 4)),
                known(fitted.corner)
            ),
            format!(
                "a step's plan is off by {} (was {}), root mean square",
                percent(fitted.off[1]),
                percent(fitted.off[0])
            ),
        ];
        if !left_out.is_empty() {
            lines.push(format!(
                "left out, since something else held them up or drove them on: {}",
                few(left_out, 6)
            ));
        }
        lines.join("\n")
    }

    fn json(
        &self,
        fitted: &Fitted,
        machine: &Machine,
        runs: usize,
        steps: usize,
        left_out: Vec<String>,
    ) -> TimesJson {
        let own = [machine.x.acceleration, machine.y.acceleration];
        TimesJson {
            runs,
            steps,
            left_out,
            acceleration_mm_s2: self.acceleration.unwrap_or(own),
            acceleration_was_mm_s2: own,
            acceleration_error: fitted.acceleration.error,
            corner_mm: self.corner.unwrap_or(machine.junction_deviation),
            corner_was_mm: machine.junction_deviation,
            corner_error: fitted.corner.error,
            off_was: fitted.off[0],
            off: fitted.off[1],
        }
    }
}
