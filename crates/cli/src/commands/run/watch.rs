//! Showing how a run is going: by where the head is, not by what was sent.

use super::dots::Dots;
use super::duration;
use super::screen::Screen;
use crate::console::Console;
use serde::Serialize;
use std::time::Duration;
use tinkite_core::machine::Dialect;
use tinkite_core::program::Place;
use tinkite_core::quantity::clock;
use tinkite_files::refusal::Refusal;
use tinkite_operate::beam;
use tinkite_operate::run::beginning::Beginning;
use tinkite_operate::run::drive::News;
use tinkite_operate::run::ended::Ended;
use tinkite_operate::run::news::{Fact, Holder};
use tinkite_operate::run::program::ProgramFile;
use tinkite_operate::run::progress::{Glance, Progress};
use tinkite_report::{ProblemJson, problems_json};
use tinkite_run::Whereabouts;
use tinkite_wire::{Dark, Outcome};

/// One line of `run --json`.
#[derive(Debug, Serialize)]
struct ProgressJson<'a> {
    event: &'a str,
    /// The line that the head runs.
    line: u32,
    of: u32,
    step: Option<&'a str>,
    percent: f64,
    seconds_left: f64,
    position_mm: Option<[f64; 2]>,
    s: Option<f64>,
    speed_mm_s: Option<f64>,
    /// How much of the controller's receive buffer is filled, by what it has not answered.
    buffer_percent: Option<f64>,
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
    /// What is wrong with a job or a program that is refused.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    problems: Vec<ProblemJson>,
}

impl End<'_> {
    /// Of a run that never began.
    const NOTHING: Self = Self {
        event: "end",
        how: "refused",
        run: None,
        dark: "untouched",
        line: 0,
        certain: true,
        lines_acknowledged: 0,
        lines_sent: 0,
        position_mm: None,
        seconds: 0.0,
        reason: None,
        problems: Vec::new(),
    };
}

/// The operator has changed speed or power.
#[derive(Debug, Serialize)]
struct Adjusted<'a> {
    event: &'a str,
    speed_percent: f64,
    power_percent: f64,
}

/// The machine stands because of something that happened there.
#[derive(Debug, Serialize)]
struct Held<'a> {
    /// `held` or `goes-on`.
    event: &'a str,
    /// `operator`, `coming` (a board without a hold), `hold` or `door`.
    #[serde(skip_serializing_if = "Option::is_none")]
    by: Option<&'a str>,
}

/// Ends a run of which no line was sent, for whoever reads its events: it was refused, its link did not open, or the
/// thread of the link broke down.
pub(super) fn never_begun(refusal: &Refusal, dark: Dark, console: &Console) {
    let how = match refusal {
        Refusal::Link(_) => "failed",
        Refusal::Stopped(_) => "stopped",
        _ => "refused",
    };
    let end = End {
        how,
        dark: beam::word(dark),
        reason: refusal.words(),
        problems: problems_of(Some(refusal)),
        ..End::NOTHING
    };
    if console.json {
        // The refusal itself is told whether this is heard or not.
        let _ = console.event(&end);
    }
}

/// What is wrong with the job or the program, where that is why.
fn problems_of(refusal: Option<&Refusal>) -> Vec<ProblemJson> {
    match refusal {
        Some(Refusal::Problems(problems, _)) => problems_json(problems),
        _ => Vec::new(),
    }
}

/// Who sees how a run goes.
enum Face {
    /// A terminal, all of it.
    Screen(Box<Screen>),
    /// A line every few seconds.
    Lines(std::time::Instant),
    /// Whoever reads the events; nobody.
    None,
}

/// A line is written this often where there is no screen.
const LINE_EVERY: Duration = Duration::from_secs(5);

/// Shows progress and remembers where the run is.
pub(super) struct Watcher<'c> {
    console: &'c Console,
    face: Face,
    progress: Progress,
    dialect: Dialect,
    around: Option<f64>,
    last_percent: Option<u32>,
    /// Nothing on a bench moves.
    simulated: bool,
    /// Whoever read our events has gone; the run goes on all the same.
    unheard: bool,
}

impl<'c> Watcher<'c> {
    /// `screen`: whether a terminal is there for it alone.
    pub(super) fn new(
        program: &ProgramFile,
        beginning: &Beginning,
        link: &str,
        screen: bool,
        console: &'c Console,
    ) -> Self {
        let what = match beginning {
            Beginning::Rest(rest) => format!("finishing run {}, {}", rest.run, program.about.name),
            Beginning::SameSpot(spot) => {
                format!("on the spot of run {}, {}", spot.run, program.about.name)
            }
            Beginning::Start | Beginning::Line(_) => format!(
                "streaming {} ({} lines, about {})",
                program.about.name,
                program.report.lines,
                clock(program.report.seconds)
            ),
        };
        let simulated = tinkite_link::is_simulated(link);
        let to = if simulated { "the simulated machine" } else { link };
        console.say(&format!("{what} to {to}; Ctrl-C stops with the beam off"));
        let face = match screen.then(|| Screen::open(what, console)) {
            Some(Ok(screen)) => Face::Screen(Box::new(screen)),
            _ if console.json || console.quiet => Face::None,
            _ => Face::Lines(std::time::Instant::now()),
        };
        Self {
            console,
            face,
            progress: Progress::of(program),
            dialect: program.about.machine.dialect,
            around: program.about.diameter,
            last_percent: None,
            simulated,
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
                self.progress.see(&view);
            }
            self.show();
            if delivery.closed {
                return;
            }
        }
    }

    fn fact(&mut self, fact: &Fact) {
        match fact {
            Fact::Began(began) => {
                self.progress.begin(began);
                if let Face::Screen(screen) = &mut self.face {
                    // A program that cannot be read shows no picture; the stream will say so.
                    screen.dots = Dots::of(began, self.dialect, self.around).unwrap_or_default();
                }
            }
            Fact::Told(text) => self.tell(text),
            Fact::Said(text) if text.starts_with("[MSG:") => {
                self.tell(&format!("controller: {text}"));
            }
            Fact::Said(_) => {}
            Fact::Held(held) => {
                self.progress.held(*held);
                self.tell_held(*held);
            }
            Fact::Adjusted(overrides) => {
                if self.console.json && !self.unheard {
                    self.unheard = self
                        .event(&Adjusted {
                            event: "adjusted",
                            speed_percent: overrides.speed,
                            power_percent: overrides.power,
                        })
                        .is_err();
                }
            }
            Fact::Help => {
                if let Face::Screen(screen) = &mut self.face {
                    screen.toggle_help();
                }
            }
            Fact::Resized => {}
        }
    }

    /// Nothing that happens to our output may end a run half way.
    fn show(&mut self) {
        let glance = self.progress.glance();
        if let Face::Screen(screen) = &mut self.face {
            return screen.show(glance.as_ref());
        }
        let Some(glance) = glance else { return };
        if self.console.json {
            return self.tell_progress(&glance);
        }
        if let Face::Lines(last) = &mut self.face
            && last.elapsed() >= LINE_EVERY
        {
            *last = std::time::Instant::now();
            let step = glance.step.map_or(String::new(), |step| format!(", {step}"));
            self.console.say(&format!(
                "{} %, line {} of {}{step}, {} left",
                (glance.share * 100.0) as u32,
                glance.line,
                glance.lines,
                clock(glance.left)
            ));
        }
    }

    fn tell_progress(&mut self, glance: &Glance) {
        let percent = (glance.share * 100.0) as u32;
        if self.unheard || self.last_percent.replace(percent) == Some(percent) {
            return;
        }
        let progress = ProgressJson {
            event: "progress",
            line: glance.line,
            of: glance.lines,
            step: glance.step.as_deref(),
            percent: (glance.share * 1000.0).round() / 10.0,
            seconds_left: (glance.left * 10.0).round() / 10.0,
            position_mm: glance.at,
            s: glance.s,
            speed_mm_s: glance.speed.map(|speed| (speed * 10.0).round() / 10.0),
            buffer_percent: glance.buffer.map(f64::round),
            lines_acknowledged: glance.acknowledged,
            lines_sent: glance.sent,
        };
        self.unheard = self.event(&progress).is_err();
    }

    /// Says what the machine waits for. Nothing else would: it answers, and does not move.
    fn tell_held(&mut self, held: Option<Holder>) {
        if self.console.json {
            if !self.unheard {
                let event = if held.is_some() { "held" } else { "goes-on" };
                self.unheard = self.event(&Held { event, by: held.map(Holder::word) }).is_err();
            }
            return;
        }
        let here = matches!(self.face, Face::Screen(_));
        self.tell(match held {
            Some(Holder::Door) if here => "the machine stands: its door is open",
            Some(Holder::Door) => {
                "the machine stands: its door is open; close it and let it go on there"
            }
            Some(Holder::Hold) if here => {
                "the machine stands: it was held there, or by an M0 of the program"
            }
            Some(Holder::Hold) => {
                "the machine stands: it was held there, or by an M0 of the program; let it go on there"
            }
            Some(Holder::Operator) => "held",
            Some(Holder::Coming) => "no more lines are sent from the next place on where the beam is off",
            None => "the machine goes on",
        });
    }

    /// Whether keys are read.
    pub(super) fn has_screen(&self) -> bool {
        matches!(self.face, Face::Screen(_))
    }

    fn event(&self, value: &impl Serialize) -> Result<(), Refusal> {
        self.console.event(value)
    }

    /// Tells the operator something about the run.
    pub(super) fn tell(&mut self, text: &str) {
        match &mut self.face {
            Face::Screen(screen) => screen.tell(text),
            _ if !self.console.json => self.console.say(text),
            _ => {}
        }
    }

    /// The terminal is as it was before; what was told is said there again.
    pub(super) fn close(&mut self) {
        if let Face::Screen(screen) = std::mem::replace(&mut self.face, Face::None) {
            for text in screen.close() {
                self.console.say(&text);
            }
        }
    }

    /// Where the run is, in words.
    pub(super) fn place(&self, ended: &Ended) -> String {
        let place = place_of(ended);
        let step =
            self.progress.step(place).map_or(String::new(), |step| format!(" (step {step})"));
        let at = ended.halt.position.and_then(flat);
        let at = at.map_or(String::new(), |[x, y]| format!(", head at X {x:.2} Y {y:.2}"));
        let of = self.progress.lines;
        let (line, taken) = (place.line.min(of), ended.acknowledged);
        format!("at line {line} of {of}{step}, {taken} taken{at}")
    }

    /// The run is over. `run` is its number in the log.
    pub(super) fn end(&self, ended: &Ended, run: Option<i64>) {
        let lines = self.progress.lines;
        let (how, reason) = ended.how();
        let seconds = ended.at.0 as f64 / 1e6;
        if self.console.json {
            let end = End {
                event: "end",
                how,
                run,
                dark: beam::word(ended.dark),
                line: if how == "done" { lines } else { place_of(ended).line.min(lines) },
                certain: ended.is_refused()
                    || matches!(ended.halt.whereabouts, Whereabouts::End | Whereabouts::Here(_)),
                lines_acknowledged: ended.acknowledged,
                lines_sent: ended.sent,
                position_mm: ended.halt.position.and_then(flat),
                seconds: (seconds * 1000.0).round() / 1000.0,
                reason,
                problems: problems_of(ended.trouble.as_ref()),
            };
            // Whether it was heard is looked at when everything is said.
            let _ = self.event(&end);
        } else if ended.outcome == Outcome::Done {
            let on = if self.simulated { ", on the simulated machine" } else { "" };
            let done = format!("done: {lines} lines in {}{on}", duration(seconds));
            let _ = self.console.result(&done);
        }
    }
}

/// The place that the head has reached, as far as is known.
fn place_of(ended: &Ended) -> Place {
    match ended.halt.whereabouts {
        Whereabouts::Here(place) | Whereabouts::Between(place, _) => place,
        _ => ended.halt.seen,
    }
}

/// X and Y of a position.
fn flat(position: tinkite_run::Position) -> Option<[f64; 2]> {
    Some([position[0]?, position[1]?])
}
