//! A run of the log, for other programs.

use serde::Serialize;
use tinkite_log::{RunEntry, StepEntry};
use tinkite_run::Marked;

/// A run, for other programs.
#[derive(Debug, Serialize)]
pub struct RunJson<'e> {
    run: i64,
    kind: &'static str,
    /// The run that it goes on with or repeats.
    after: Option<i64>,
    /// UTC.
    began: String,
    job: &'e str,
    machine: &'e str,
    material: Option<&'e str>,
    link: &'e str,
    sha256: &'e str,
    lines: u32,
    /// `done`, `stopped`, `failed`, or none while it runs and after its sender died.
    how: Option<&'e str>,
    reason: Option<&'e str>,
    dark: Option<&'e str>,
    /// `end`, `here`, `between`, `asking` or `lost`.
    whereabouts: &'static str,
    line: u32,
    lines_acknowledged: u32,
    lines_sent: u32,
    position_mm: Option<[f64; 2]>,
    seconds: f64,
    planned_seconds: f64,
    steps: &'e [StepEntry],
    note: Option<&'e str>,
    gone_on_by: &'e [i64],
    /// Whether it was taken in from another log.
    brought: bool,
}

impl<'e> From<&'e RunEntry> for RunJson<'e> {
    fn from(entry: &'e RunEntry) -> Self {
        let began = &entry.began;
        Self {
            run: entry.id,
            kind: began.kind.word(),
            after: began.after,
            began: jiff::Timestamp::from_millisecond(began.began_ms)
                .map_or_else(|_| String::new(), |time| time.to_string()),
            job: &began.job,
            machine: &began.machine,
            material: began.material.as_deref(),
            link: &began.link,
            sha256: &entry.sha256,
            lines: began.lines,
            how: entry.how.as_deref(),
            reason: entry.why.as_deref(),
            dark: entry.dark.as_deref(),
            whereabouts: match entry.marked {
                Marked::End => "end",
                Marked::Here(_) => "here",
                Marked::Between(..) => "between",
                Marked::Asking => "asking",
                Marked::Lost => "lost",
            },
            line: line(entry),
            lines_acknowledged: entry.reached.acknowledged,
            lines_sent: entry.reached.sent,
            position_mm: flat(entry),
            seconds: entry.reached.seconds,
            planned_seconds: began.planned_seconds,
            steps: &began.steps,
            note: began.note.as_deref(),
            gone_on_by: &entry.followed_by,
            brought: entry.brought,
        }
    }
}

/// The line that the head had reached.
pub fn line(entry: &RunEntry) -> u32 {
    let place = match entry.marked {
        Marked::Here(place) | Marked::Between(place, _) => place,
        Marked::End => return entry.began.lines,
        Marked::Asking | Marked::Lost => entry.reached.seen,
    };
    place.line.min(entry.began.lines)
}

/// Where the head stood last, X and Y on the machine's axes, mm.
pub fn flat(entry: &RunEntry) -> Option<[f64; 2]> {
    let [x, y, ..] = entry.reached.position?;
    Some([x?, y?])
}
