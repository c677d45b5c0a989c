//! Showing how a run is going.

use super::duration;
use super::ended::Ended;
use super::program::ProgramFile;
use crate::beam;
use crate::console::Console;
use crate::refusal::Refusal;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use serde::Serialize;
use std::io::IsTerminal;
use tinkite_core::program::measure::Timeline;
use tinkite_core::quantity::{clock, plain};
use tinkite_wire::{Dark, Instant, Outcome, Session, State, Status};

/// One line of `run --json`.
#[derive(Debug, Serialize)]
struct Progress<'a> {
    event: &'a str,
    line: u32,
    of: u32,
    step: Option<&'a str>,
    percent: f64,
    seconds_left: f64,
    position_mm: Option<[f64; 2]>,
    s: Option<f64>,
}

#[derive(Debug, Serialize)]
struct End<'a> {
    event: &'a str,
    how: &'a str,
    /// `confirmed`, `asked`, `unknown` or `untouched`.
    dark: &'a str,
    lines_acknowledged: u32,
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
        dark: beam::word(Dark::Untouched),
        lines_acknowledged: 0,
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
    steps: Vec<(u32, String)>,
    timeline: Timeline,
    reached: u32,
    position: Option<[f64; 2]>,
    seconds: f64,
    last_percent: Option<u32>,
    /// What the machine stands for, though we did not hold it.
    held: Option<&'static str>,
    /// Whoever read our events has gone; the run goes on all the same.
    unheard: bool,
}

impl<'c> Watcher<'c> {
    pub(super) fn new(program: &ProgramFile, link: &str, console: &'c Console) -> Self {
        let show = !console.json && !console.quiet && std::io::stderr().is_terminal();
        let target = if show { ProgressDrawTarget::stderr() } else { ProgressDrawTarget::hidden() };
        let bar = ProgressBar::with_draw_target(Some(1000), target);
        let template = "{bar:40} {percent:>3} %  {prefix}\n{msg}";
        if let Ok(style) = ProgressStyle::with_template(template) {
            bar.set_style(style.progress_chars("━╸─"));
        }
        console.say(&format!(
            "streaming {} ({} lines, about {}) to {link}; Ctrl-C stops with the beam off",
            program.name,
            program.report.lines,
            clock(program.report.seconds)
        ));
        Self {
            console,
            bar,
            lines: program.report.lines,
            steps: program.steps.clone(),
            timeline: program.report.timeline.clone(),
            reached: 0,
            position: None,
            seconds: 0.0,
            last_percent: None,
            held: None,
            unheard: false,
        }
    }

    fn step(&self) -> Option<&str> {
        let after = self.steps.partition_point(|(first, _)| *first <= self.reached);
        after.checked_sub(1).map(|at| self.steps[at].1.as_str())
    }

    /// A status report came. Nothing that happens to our output may end a run half way.
    pub(super) fn status(&mut self, session: &Session, status: &Status, now: Instant) {
        self.reached(session, now);
        self.position = status.position.map(|[x, y, _]| [x, y]).or(self.position);
        if !session.is_stopping() {
            self.tell_held(status.state);
        }
        let s = status.feed_and_s.map(|[_, s]| s);
        // Shares of time, not of lines: an engraving has many short lines, an outline a few long ones.
        let whole = self.timeline.seconds().max(f64::MIN_POSITIVE);
        let left = (whole - self.timeline.seconds_at(self.reached)).max(0.0);
        let share = 1.0 - left / whole;
        if self.console.json {
            let percent = (share * 100.0) as u32;
            if self.last_percent.replace(percent) != Some(percent) {
                let progress = Progress {
                    event: "progress",
                    line: self.reached,
                    of: self.lines,
                    step: self.step(),
                    percent: (share * 1000.0).round() / 10.0,
                    seconds_left: (left * 10.0).round() / 10.0,
                    position_mm: self.position,
                    s,
                };
                if !self.unheard {
                    self.unheard = self.event(&progress).is_err();
                }
            }
            return;
        }
        self.bar.set_position((share * 1000.0) as u64);
        self.bar.set_prefix(format!("line {} of {}", self.reached, self.lines));
        let at = self.position.map_or(String::new(), |[x, y]| format!("  X {x:.1} Y {y:.1}"));
        let power = s.map_or(String::new(), |s| format!("  S {}", plain(s, 0)));
        let step = self.step().map_or(String::new(), |step| format!("  {step}"));
        self.bar.set_message(format!(
            "{} left{step}{at}{power}  {}",
            clock(left),
            status.state.words()
        ));
    }

    /// Says what the machine waits for. Nothing else would: it answers, and does not move.
    fn tell_held(&mut self, state: State) {
        let held = match state {
            State::Hold { moving: false } => Some("hold"),
            State::Door => Some("door"),
            _ => None,
        };
        if std::mem::replace(&mut self.held, held) == held {
            return;
        }
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

    /// The controller said something beside the protocol.
    pub(super) fn said(&self, text: &str) {
        let worth_it = text.starts_with("[MSG:");
        if worth_it && !self.console.json {
            self.bar.suspend(|| self.console.say(&format!("controller: {text}")));
        }
    }

    /// Tells the operator something about the run.
    pub(super) fn tell(&self, text: &str) {
        if !self.console.json {
            self.bar.suspend(|| self.console.say(text));
        }
    }

    /// Notes how far the run is.
    pub(super) fn reached(&mut self, session: &Session, now: Instant) {
        self.reached = session.acknowledged();
        self.seconds = now.0 as f64 / 1e6;
    }

    /// Where the run is, in words.
    pub(super) fn place(&self) -> String {
        let step = self.step().map_or(String::new(), |step| format!(" (step {step})"));
        let at =
            self.position.map_or(String::new(), |[x, y]| format!(", head at X {x:.1} Y {y:.1}"));
        format!("at line {} of {}{step}{at}", self.reached, self.lines)
    }

    /// The run is over.
    pub(super) fn end(&self, ended: &Ended) -> Result<(), Refusal> {
        self.bar.finish_and_clear();
        let Ended { outcome, dark, trouble } = ended;
        let (how, reason) = match (outcome, trouble) {
            (_, Some(Refusal::Usage(why) | Refusal::Link(why) | Refusal::Stopped(why))) => {
                ("failed", Some(why.clone()))
            }
            (_, Some(_)) => ("failed", None),
            (Outcome::Done, None) => ("done", None),
            (Outcome::Stopped, None) => ("stopped", None),
            (Outcome::Failed(failure), None) => ("failed", Some(failure.to_string())),
        };
        let dark = beam::word(*dark);
        if self.console.json {
            return self.event(&End {
                event: "end",
                how,
                dark,
                lines_acknowledged: self.reached,
                position_mm: self.position,
                seconds: (self.seconds * 1000.0).round() / 1000.0,
                reason,
            });
        }
        if *outcome == Outcome::Done {
            self.console.result(&format!(
                "done: {} lines in {}",
                self.lines,
                duration(self.seconds)
            ))?;
        }
        Ok(())
    }
}
