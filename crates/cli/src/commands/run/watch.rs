//! Showing how a run is going: by where the head is, not by what was sent.

use super::beginning::Beginning;
use super::drive::News;
use super::duration;
use super::ended::Ended;
use super::news::{Fact, View};
use super::program::{ProgramFile, Step};
use crate::beam;
use crate::console::Console;
use crate::refusal::Refusal;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use serde::Serialize;
use std::io::IsTerminal;
use tinkite_core::program::Place;
use tinkite_core::program::measure::Timeline;
use tinkite_core::quantity::{clock, plain};
use tinkite_run::Whereabouts;
use tinkite_wire::{Dark, Outcome};

/// One line of `run --json`.
#[derive(Debug, Serialize)]
struct Progress<'a> {
    event: &'a str,
    /// The line that the head runs.
    line: u32,
    of: u32,
    step: Option<&'a str>,
    percent: f64,
    seconds_left: f64,
    position_mm: Option<[f64; 2]>,
    s: Option<f64>,
    /// How far ahead of the head the lines are.
    lines_acknowledged: u32,
    lines_sent: u32,
}

#[derive(Debug, Serialize)]
struct End<'a> {
    event: &'a str,
    how: &'a str,
    /// Its number in the log, where it is in it.
    #[serde(skip_serializing_if = "Option::is_none")]
    run: Option<i64>,
    /// `confirmed`, `asked`, `unknown` or `untouched`.
    dark: &'a str,
    /// The line that the head has reached.
    line: u32,
    /// Whether that is certain, so that the rest can be run.
    certain: bool,
    lines_acknowledged: u32,
    lines_sent: u32,
    position_mm: Option<[f64; 2]>,
    seconds: f64,
    reason: Option<String>,
}

/// The machine stands because of something that happened there.
#[derive(Debug, Serialize)]
struct Held<'a> {
    /// `held` or `goes-on`.
    event: &'a str,
    /// `hold` or `door`.
    #[serde(skip_serializing_if = "Option::is_none")]
    by: Option<&'a str>,
}

/// Ends a run whose link did not open, for whoever reads its events.
pub(super) fn never_begun(refusal: &Refusal, console: &Console) {
    let reason = match refusal {
        Refusal::Usage(why) | Refusal::Link(why) | Refusal::Stopped(why) => Some(why.clone()),
        _ => None,
    };
    let end = End {
        event: "end",
        how: "failed",
        run: None,
        dark: beam::word(Dark::Untouched),
        line: 0,
        certain: true,
        lines_acknowledged: 0,
        lines_sent: 0,
        position_mm: None,
        seconds: 0.0,
        reason,
    };
    if console.json
        && let Ok(text) = serde_json::to_string(&end)
    {
        // The refusal itself is told whether this is heard or not.
        let _ = console.result(&text);
    }
}

/// Shows progress and remembers where the run is.
pub(super) struct Watcher<'c> {
    console: &'c Console,
    bar: ProgressBar,
    lines: u32,
    steps: Vec<Step>,
    timeline: Timeline,
    last: Option<View>,
    last_percent: Option<u32>,
    /// Whoever read our events has gone; the run goes on all the same.
    unheard: bool,
}

impl<'c> Watcher<'c> {
    pub(super) fn new(
        program: &ProgramFile,
        beginning: &Beginning,
        link: &str,
        console: &'c Console,
    ) -> Self {
        let show = !console.json && !console.quiet && std::io::stderr().is_terminal();
        let target = if show { ProgressDrawTarget::stderr() } else { ProgressDrawTarget::hidden() };
        let bar = ProgressBar::with_draw_target(Some(1000), target);
        let template = "{bar:40} {percent:>3} %  {prefix}\n{msg}";
        if let Ok(style) = ProgressStyle::with_template(template) {
            bar.set_style(style.progress_chars("━╸─"));
        }
        let what = match beginning {
            Beginning::Rest(rest) => format!("finishing run {}, {}", rest.run, program.name),
            Beginning::Start | Beginning::Line(_) => format!(
                "streaming {} ({} lines, about {})",
                program.name,
                program.report.lines,
                clock(program.report.seconds)
            ),
        };
        console.say(&format!("{what} to {link}; Ctrl-C stops with the beam off"));
        Self {
            console,
            bar,
            lines: program.report.lines,
            steps: program.steps.clone(),
            timeline: program.report.timeline.clone(),
            last: None,
            last_percent: None,
            unheard: false,
        }
    }

    /// Shows what comes until nothing comes any more.
    pub(super) fn watch(&mut self, news: &News) {
        loop {
            let delivery = news.take();
            for fact in delivery.facts {
                self.fact(&fact);
            }
            if delivery.lost > 0 {
                self.tell(&format!(
                    "{} more things that the controller said are not shown",
                    delivery.lost
                ));
            }
            if let Some(view) = delivery.view {
                self.view(&view);
            }
            if delivery.closed {
                return;
            }
        }
    }

    fn fact(&mut self, fact: &Fact) {
        match fact {
            Fact::Began(began) => {
                // The rest of a program has lines of its own.
                self.lines = began.lines;
                self.steps = began.steps.clone();
                self.timeline = began.timeline.clone();
            }
            Fact::Told(text) => self.tell(text),
            Fact::Said(text) if text.starts_with("[MSG:") => {
                self.tell(&format!("controller: {text}"));
            }
            Fact::Said(_) => {}
            Fact::Held(held) => self.tell_held(*held),
        }
    }

    fn step(&self, place: Place) -> Option<&str> {
        let after = self.steps.partition_point(|step| step.line <= place.line);
        after.checked_sub(1).map(|at| self.steps[at].name.as_str())
    }

    /// The time that is over at a place, s.
    fn seconds_at(&self, place: Place) -> f64 {
        let before = self.timeline.seconds_at(place.line.saturating_sub(1));
        before + (self.timeline.seconds_at(place.line) - before) * place.share
    }

    /// Nothing that happens to our output may end a run half way.
    fn view(&mut self, view: &View) {
        self.last = Some(*view);
        let Some(state) = view.state else { return };
        let at = view.position.and_then(flat);
        // Shares of time, not of lines: an engraving has many short lines, an outline a few long ones.
        let whole = self.timeline.seconds().max(f64::MIN_POSITIVE);
        let left = (whole - self.seconds_at(view.seen)).max(0.0);
        let share = 1.0 - left / whole;
        let line = view.seen.line.min(self.lines);
        if self.console.json {
            let percent = (share * 100.0) as u32;
            if self.last_percent.replace(percent) != Some(percent) {
                let progress = Progress {
                    event: "progress",
                    line,
                    of: self.lines,
                    step: self.step(view.seen),
                    percent: (share * 1000.0).round() / 10.0,
                    seconds_left: (left * 10.0).round() / 10.0,
                    position_mm: at,
                    s: view.s,
                    lines_acknowledged: view.acknowledged,
                    lines_sent: view.sent,
                };
                if !self.unheard {
                    self.unheard = self.event(&progress).is_err();
                }
            }
            return;
        }
        self.bar.set_position((share * 1000.0) as u64);
        self.bar.set_prefix(format!("line {line} of {}, {} sent", self.lines, view.sent));
        let at = at.map_or(String::new(), |[x, y]| format!("  X {x:.1} Y {y:.1}"));
        let power = view.s.map_or(String::new(), |s| format!("  S {}", plain(s, 0)));
        let step = self.step(view.seen).map_or(String::new(), |step| format!("  {step}"));
        self.bar.set_message(format!("{} left{step}{at}{power}  {}", clock(left), state.words()));
    }

    /// Says what the machine waits for. Nothing else would: it answers, and does not move.
    fn tell_held(&mut self, held: Option<&'static str>) {
        if self.console.json {
            if !self.unheard {
                let event = if held.is_some() { "held" } else { "goes-on" };
                self.unheard = self.event(&Held { event, by: held }).is_err();
            }
            return;
        }
        self.tell(match held {
            Some("door") => "the machine stands: its door is open; close it and let it go on there",
            Some(_) => {
                "the machine stands: it was held there, or by an M0 of the program; let it go on there"
            }
            None => "the machine goes on",
        });
    }

    fn event(&self, value: &impl Serialize) -> Result<(), Refusal> {
        let text = serde_json::to_string(value).map_err(|e| Refusal::Usage(e.to_string()))?;
        self.console.result(&text)
    }

    /// Tells the operator something about the run.
    pub(super) fn tell(&self, text: &str) {
        if !self.console.json {
            self.bar.suspend(|| self.console.say(text));
        }
    }

    /// Where the run is, in words.
    pub(super) fn place(&self, ended: &Ended) -> String {
        let place = reached(ended);
        let step = self.step(place).map_or(String::new(), |step| format!(" (step {step})"));
        let at = ended.halt.position.and_then(flat);
        let at = at.map_or(String::new(), |[x, y]| format!(", head at X {x:.2} Y {y:.2}"));
        let line = place.line.min(self.lines);
        let (taken, of) = (ended.acknowledged, self.lines);
        format!("at line {line} of {of}{step}, {taken} taken{at}")
    }

    /// The run is over. `run` is its number in the log.
    pub(super) fn end(&self, ended: &Ended, run: Option<i64>) -> Result<(), Refusal> {
        self.bar.finish_and_clear();
        let (how, reason) = ended.how();
        let seconds = ended.at.0 as f64 / 1e6;
        if self.console.json {
            return self.event(&End {
                event: "end",
                how,
                run,
                dark: beam::word(ended.dark),
                line: if how == "done" { self.lines } else { reached(ended).line.min(self.lines) },
                certain: matches!(ended.halt.whereabouts, Whereabouts::End | Whereabouts::Here(_)),
                lines_acknowledged: ended.acknowledged,
                lines_sent: ended.sent,
                position_mm: ended.halt.position.and_then(flat),
                seconds: (seconds * 1000.0).round() / 1000.0,
                reason,
            });
        }
        if ended.outcome == Outcome::Done {
            self.console.result(&format!("done: {} lines in {}", self.lines, duration(seconds)))?;
        }
        Ok(())
    }
}

/// The place that the head has reached, as far as is known.
fn reached(ended: &Ended) -> Place {
    match ended.halt.whereabouts {
        Whereabouts::Here(place) | Whereabouts::Between(place, _) => place,
        _ => ended.halt.seen,
    }
}

/// X and Y of a position.
fn flat(position: tinkite_run::Position) -> Option<[f64; 2]> {
    Some([position[0]?, position[1]?])
}
