//! `plan --faster`: what would save time, each tried and planned. Nothing is changed.

use crate::console::Console;
use serde::Serialize;
use tinkite_core::faster::{Change, Trial, merge, trials};
use tinkite_core::job::set;
use tinkite_core::quantity::clock;
use tinkite_files::call::JobCall;
use tinkite_files::load::{self, Made};
use tinkite_files::refusal::Refusal;
use tinkite_report::table::table;

/// The most changes that are tried, those of the longest steps first.
const MOST: usize = 60;

/// A change that saves less than this, or less than this share of the whole, is not worth telling, s.
const LEAST: f64 = 0.5;
const LEAST_SHARE: f64 = 0.002;

/// A change that saves time.
#[derive(Debug, Serialize)]
struct FasterJson {
    /// As it stands after `--set`, or in the machine's profile.
    set: String,
    /// Whether it is a key of the job, steps of it in one, or a key of the machine's profile.
    of: &'static str,
    /// What the whole job would take.
    seconds: f64,
    seconds_saved: f64,
    /// What it costs beside time.
    costs: &'static str,
}

/// What could be found.
#[derive(Debug, Serialize)]
struct FastersJson {
    seconds: f64,
    tried: usize,
    faster: Vec<FasterJson>,
}

pub(super) fn run(args: &JobCall, console: &Console) -> Result<(), Refusal> {
    let made = load::make(args)?;
    let planned = made.compiled.within.planned();
    let seconds = planned.totals.seconds();
    let all = trials(planned);
    let (tried, left) = (all.len().min(MOST), all.len().saturating_sub(MOST));
    let worth = LEAST.max(LEAST_SHARE * seconds);
    let mut faster: Vec<FasterJson> = Vec::new();
    for Trial { change, costs } in all.into_iter().take(MOST) {
        // A change that the job refuses is none.
        let Ok(then) = tried_out(args, &change) else { continue };
        let then = then.compiled.within.planned().totals.seconds();
        let (set, of) = match change {
            Change::Job(option) => (option, "job"),
            Change::Merge { line, .. } => (line, "steps"),
            Change::Machine { line, .. } => (line, "machine"),
        };
        if seconds - then >= worth {
            faster.push(FasterJson {
                set,
                of,
                seconds: then,
                seconds_saved: seconds - then,
                costs,
            });
        }
    }
    faster.sort_by(|a, b| b.seconds_saved.total_cmp(&a.seconds_saved));
    if console.json {
        return console.json(&FastersJson { seconds, tried, faster });
    }
    tell(&made, seconds, (tried, left), &faster, console)
}

/// The job with one change.
fn tried_out(args: &JobCall, change: &Change) -> Result<Made, Refusal> {
    match change {
        Change::Job(option) => {
            let mut args = args.clone();
            args.part.set = set::over(&args.part.set, std::slice::from_ref(option));
            load::make(&args)
        }
        Change::Merge { into, from, .. } => load::made_changed(args, &|job| merge(job, into, from)),
        Change::Machine { to, .. } => load::made_changed(args, &|job| to.apply(job)),
    }
}

fn tell(
    made: &Made,
    seconds: f64,
    (tried, left): (usize, usize),
    faster: &[FasterJson],
    console: &Console,
) -> Result<(), Refusal> {
    console.result(&format!("{} takes {}", made.job.name, clock(seconds)))?;
    if faster.is_empty() {
        return console.result(&format!("none of {tried} changes that were tried saves time"));
    }
    let rows = faster.iter().map(|one| {
        let set = match one.of {
            "job" => format!("--set '{}'", one.set),
            "steps" => one.set.clone(),
            _ => format!("{} in the profile", one.set),
        };
        vec![clock(one.seconds_saved), clock(one.seconds), set, one.costs.to_string()]
    });
    let rows: Vec<Vec<String>> = rows.collect();
    console.result(&format!(
        "\n{}",
        table(&["saves", "then", "change", "what it costs"], rows, &[0, 1])
    ))?;
    let more = match left {
        0 => String::new(),
        left => format!("; {left} more of shorter steps were not tried"),
    };
    console.say(&format!(
        "each was planned alone, of {tried} that were tried{more}; savings of several do not simply add up"
    ));
    Ok(())
}
