//! How far a run is, how long it still takes and when it ends.

use super::news::{BeganNews, Holder, View};
use super::program::{ProgramFile, Step};
use tinkite_core::machine::source::Beam;
use tinkite_core::program::Place;
use tinkite_core::program::measure::Timeline;
use tinkite_core::quantity::Power;
use tinkite_run::Overrides;
use tinkite_wire::{Instant, State};

/// The part of a run, s as planned, that must have gone by before its pace says anything.
const TELLING: f64 = 10.0;
/// The pace is that of so much of a run, s.
const RECENT: f64 = 30.0;
/// No run is this much slower or faster than planned for long.
const PACES: (f64, f64) = (0.01, 100.0);

/// How a run looks at a moment.
#[derive(Debug, Clone)]
pub struct Glance {
    /// The line that the head runs, of how many, and the last that was sent.
    pub line: u32,
    /// How many lines the program has.
    pub lines: u32,
    /// The last line that was sent.
    pub sent: u32,
    /// The last line that was answered.
    pub acknowledged: u32,
    /// The step at hand.
    pub step: Option<String>,
    /// Share of the planned time that is over, 0 to 1.
    pub share: f64,
    /// Seconds still to go, by how this run has gone.
    pub left: f64,
    /// X and Y on the machine's axes, mm.
    pub at: Option<[f64; 2]>,
    /// The S value that the controller reports.
    pub s: Option<f64>,
    /// What was measured at that power, in words; empty where nothing was.
    pub readings: String,
    /// mm/s.
    pub speed: Option<f64>,
    /// What the operator has changed.
    pub overrides: Option<Overrides>,
    /// %.
    pub buffer: Option<f64>,
    /// What the controller does.
    pub state: Option<State>,
    /// Who holds it.
    pub held: Option<Holder>,
    /// Where the head is, for the picture.
    pub place: Place,
}

/// A moment: seconds that the run has really gone on, and seconds of the plan that were over.
#[derive(Debug, Clone, Copy)]
struct Mark {
    went: f64,
    planned: f64,
}

/// Follows a run.
#[derive(Debug)]
pub struct Progress {
    /// How many lines the program has.
    pub lines: u32,
    steps: Vec<Step>,
    beam: Beam,
    timeline: Timeline,
    last: Option<View>,
    held: Option<Holder>,
    /// Time without holds, s, up to the last view.
    went: f64,
    at: Option<Instant>,
    marks: std::collections::VecDeque<Mark>,
}

impl Progress {
    /// Of a program that has not begun.
    pub fn of(program: &ProgramFile) -> Self {
        Self {
            lines: program.report.lines,
            steps: program.steps.clone(),
            beam: program.about.machine.beam.clone(),
            timeline: program.report.timeline.clone(),
            last: None,
            held: None,
            went: 0.0,
            at: None,
            marks: std::collections::VecDeque::new(),
        }
    }

    /// The rest of a program has lines of its own.
    pub fn begin(&mut self, began: &BeganNews) {
        self.lines = began.lines;
        self.steps.clone_from(&began.steps);
        self.timeline = began.timeline.clone();
    }

    /// Somebody holds the machine, or it goes on.
    pub fn held(&mut self, held: Option<Holder>) {
        self.held = held;
    }

    /// The step that a place belongs to.
    pub fn step(&self, place: Place) -> Option<&str> {
        let after = self.steps.partition_point(|step| step.line <= place.line);
        after.checked_sub(1).map(|at| self.steps[at].name.as_str())
    }

    /// The time that is over at a place, s.
    fn seconds_at(&self, place: Place) -> f64 {
        let before = self.timeline.seconds_at(place.line.saturating_sub(1));
        before + (self.timeline.seconds_at(place.line) - before) * place.share
    }

    /// What is seen comes in.
    pub fn see(&mut self, view: &View) {
        let stands = matches!(self.held, Some(Holder::Operator | Holder::Hold | Holder::Door));
        if let Some(before) = self.at.replace(view.at)
            && !stands
        {
            self.went += (view.at - before).0 as f64 / 1e6;
        }
        let mark = Mark { went: self.went, planned: self.seconds_at(view.progress) };
        // One for each second is enough.
        if self.marks.back().is_none_or(|last| mark.went - last.went >= 1.0) {
            self.marks.push_back(mark);
        }
        while self.marks.get(1).is_some_and(|next| mark.went - next.went >= RECENT) {
            self.marks.pop_front();
        }
        self.last = Some(*view);
    }

    /// Seconds that a second of the plan takes, by how the run has gone lately.
    fn pace(&self) -> f64 {
        let (Some(first), Some(view)) = (self.marks.front(), &self.last) else { return 1.0 };
        let planned = self.seconds_at(view.progress) - first.planned;
        if planned < TELLING {
            return 1.0;
        }
        ((self.went - first.went) / planned).clamp(PACES.0, PACES.1)
    }

    /// How it looks now; nothing before the controller has told anything.
    pub fn glance(&self) -> Option<Glance> {
        let view = self.last.as_ref()?;
        // Shares of time, not of lines: an engraving has many short lines, an outline a few long ones.
        let whole = self.timeline.seconds().max(f64::MIN_POSITIVE);
        let left = (whole - self.seconds_at(view.progress)).max(0.0);
        Some(Glance {
            line: view.progress.line.min(self.lines),
            lines: self.lines,
            sent: view.sent,
            acknowledged: view.acknowledged,
            step: self.step(view.progress).map(str::to_string),
            share: 1.0 - left / whole,
            left: left * self.pace(),
            at: view.position.and_then(|at| Some([at[0]?, at[1]?])),
            s: view.s,
            readings: view
                .s
                .map_or(String::new(), |s| self.beam.readings(Power(s / self.beam.full))),
            speed: view.speed,
            overrides: view.overrides,
            buffer: view.buffer,
            state: view.state,
            held: self.held,
            place: view.progress,
        })
    }
}
