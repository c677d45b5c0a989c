//! What could make a job quicker: changes to try, one at a time. Each is planned by whoever asks; nothing is changed.

use tinkite_base::quantity::plain;
use tinkite_job::{
    Directions, Engrave, Fill, Follow, Islands, Job, Operation, Order, PassesBy, Step,
};
use tinkite_machine::Travel;
use tinkite_program::plan::Planned;

/// A change that may save time.
#[derive(Debug, Clone, PartialEq)]
pub struct Trial {
    /// What is changed.
    pub change: Change,
    /// What it costs beside time, in words.
    pub costs: &'static str,
}

/// What a trial changes.
#[derive(Debug, Clone, PartialEq)]
pub enum Change {
    /// A key of the job, by its path and value as `--set` takes them.
    Job(String),
    /// Two steps become one that takes what both take.
    Merge {
        /// How the job says it.
        line: String,
        /// The name of the step that stays.
        into: String,
        /// The name of the step that goes.
        from: String,
    },
    /// Something of the machine's profile.
    Machine {
        /// How the profile says it.
        line: String,
        /// What it is then.
        to: MachineChange,
    },
}

/// What of a machine is otherwise.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum MachineChange {
    /// Travel as fast as the axes can.
    RapidTravel,
    /// A link of so many bytes a second.
    Bytes(f64),
}

impl MachineChange {
    /// The job on the machine that is so.
    pub fn apply(self, job: &mut Job) {
        match self {
            Self::RapidTravel => job.machine.travel = Travel::Rapid,
            Self::Bytes(bytes) => job.machine.supply.bytes_per_second = Some(bytes),
        }
    }
}

/// The job with two steps in one, the first of both; as it was where it has no such steps.
pub fn merge(job: &mut Job, into: &str, from: &str) {
    let find = |name: &str| job.steps.iter().position(|step| step.name == name);
    if let (Some(into), Some(from)) = (find(into), find(from))
        && into < from
    {
        let take = job.steps.remove(from).take;
        job.steps[into].take.extend(take);
    }
}

/// Whether two steps differ in nothing but what they take.
fn alike(one: &Step, other: &Step) -> bool {
    let (name, take, span) = (one.name.clone(), one.take.clone(), one.span.clone());
    let same = Step { name, take, span, recipe: None, ..other.clone() };
    same == Step { recipe: None, ..one.clone() }
}

/// Steps that could be one.
fn merges(job: &Job, burnt: &[usize]) -> Vec<Trial> {
    let pairs = burnt.iter().flat_map(|a| burnt.iter().map(move |b| (*a, *b)));
    let pairs = pairs.filter(|(a, b)| a < b && alike(&job.steps[*a], &job.steps[*b]));
    let trial = |(a, b): (usize, usize)| Trial {
        change: Change::Merge {
            line: format!(
                "one [[step]] with the takes of {} and {}",
                path(&job.steps[a], a),
                path(&job.steps[b], b)
            ),
            into: job.steps[a].name.clone(),
            from: job.steps[b].name.clone(),
        },
        costs: "which of the two comes first is given up",
    };
    pairs.map(trial).collect()
}

/// Speeds of serial lines that are common, baud.
const BAUDS: [f64; 5] = [115_200.0, 230_400.0, 250_000.0, 500_000.0, 1_000_000.0];

/// Bits on a serial line for each byte.
const BITS: f64 = 10.0;

/// Everything that is worth a try in a job that is planned: steps that take longest come first.
#[must_use]
pub fn trials(planned: &Planned) -> Vec<Trial> {
    let job = planned.job();
    let totals = &planned.totals;
    let mut steps: Vec<usize> =
        (0..job.steps.len()).filter(|n| totals.steps[*n].seconds > 0.0).collect();
    steps.sort_by(|a, b| totals.steps[*b].seconds.total_cmp(&totals.steps[*a].seconds));
    let mut trials: Vec<Trial> = steps
        .into_iter()
        .flat_map(|n| {
            let step = &job.steps[n];
            let of_step = match &step.operation {
                Operation::Engrave(engrave) => engraving(engrave, job),
                Operation::Cut(follow) | Operation::Score(follow) => following(step, follow),
            };
            let path = path(step, n);
            let whole =
                |(key, costs)| Trial { change: Change::Job(format!("{path}.{key}")), costs };
            of_step.into_iter().chain(any(step)).map(whole).collect::<Vec<_>>()
        })
        .collect();
    let burnt: Vec<usize> =
        (0..job.steps.len()).filter(|n| totals.steps[*n].seconds > 0.0).collect();
    trials.splice(0..0, merges(job, &burnt));
    if let Travel::Feed(_) = job.machine.travel {
        let change = Change::Machine {
            line: "[travel] as = \"rapid\"".into(),
            to: MachineChange::RapidTravel,
        };
        trials.push(Trial {
            change,
            costs: "travel at the axes' top speed, beside clamps and parts that tip up",
        });
    }
    let starved: f64 = totals.steps.iter().map(|step| step.starved).sum();
    if let (true, Some(bytes)) = (starved > 0.0, job.machine.supply.bytes_per_second) {
        let faster = BAUDS.into_iter().filter(|baud| baud / BITS > bytes * 1.01);
        trials.extend(faster.take(2).map(|baud| Trial {
            change: Change::Machine {
                line: format!("[link] to = \"serial:PORT@{baud}\""),
                to: MachineChange::Bytes(baud / BITS),
            },
            costs: "the controller must be set to that speed, and the cable must bear it",
        }));
    }
    trials
}

/// How `--set` leads to a step.
fn path(step: &Step, n: usize) -> String {
    match &step.name {
        // Nobody has named it.
        name if *name == format!("step {}", n + 1) => format!("steps.{}", n + 1),
        name if name.chars().all(|c| c.is_ascii_alphanumeric() || "-_".contains(c)) => {
            format!("steps.{name}")
        }
        name => format!("steps.\"{}\"", name.replace('\\', "\\\\").replace('"', "\\\"")),
    }
}

type Keyed = (String, &'static str);

/// Of any step.
fn any(step: &Step) -> Vec<Keyed> {
    let mut keys = Vec::new();
    if step.passes.len() > 1 && step.passes_by == PassesBy::Sheet {
        keys.push((
            "passes-by=\"path\"".into(),
            "each path gets all its passes at once, and the stock has no time to cool",
        ));
    }
    keys
}

fn engraving(engrave: &Engrave, job: &Job) -> Vec<Keyed> {
    let mut keys = Vec::new();
    let spot = job.machine.beam.width;
    let both = "backward rows land a little off: measure offset on scrap";
    let wider = "as far apart as the spot is wide: lighter, and finer detail is lost";
    let mut spacing = |table: &str, now: f64| {
        if now < spot * 0.999 {
            keys.push((format!("{table}.spacing=\"{} mm\"", plain(spot, 3)), wider));
        }
    };
    match &engrave.fill {
        Fill::Lines(lines) => {
            spacing("lines", lines.spacing);
            if lines.islands != Islands::Quickest {
                keys.push((
                    "lines.islands=\"quickest\"".into(),
                    "areas are engraved in another order",
                ));
            }
            if lines.directions == Directions::One {
                keys.push(("lines.directions=\"both\"".into(), both));
            }
            if let ([_], None) = (&lines.angles[..], lines.advance) {
                keys.push((
                    "lines.angle=\"quickest\"".into(),
                    "the grain of the lines runs another way",
                ));
            }
        }
        Fill::Image(image) => {
            spacing("image", image.spacing);
            if image.directions == Directions::One {
                keys.push(("image.directions=\"both\"".into(), both));
            }
        }
        Fill::Rings(rings) => spacing("rings", rings.spacing),
        Fill::Relief(_) => {}
    }
    keys
}

fn following(step: &Step, follow: &Follow) -> Vec<Keyed> {
    let mut keys = Vec::new();
    match step.order {
        Order::Nearest => {}
        Order::HolesFirst => {
            keys.push((
                "order=\"nearest\"".into(),
                "a part may drop before its holes are cut: only where it stays attached",
            ));
        }
        _ => {
            keys.push(("order=\"holes-first\"".into(), "paths follow each other by short travel"));
        }
    }
    if !follow.shared_edges && follow.kerf == 0.0 {
        keys.push((
            "shared-edges=true".into(),
            "parts that share an edge share its cut, and become smaller by half the kerf there",
        ));
    }
    keys
}
