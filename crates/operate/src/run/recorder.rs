//! Writes down how far a run is, in a thread of its own: a slow disk holds up nothing on the wire.
//! What cannot be written is told once, and the run goes on.

use super::drive::News;
use super::ended::Ended;
use super::news::{BeganNews, Fact, View};
use super::program::Step;
use crate::beam;
use tinkite_files::refusal::Refusal;
use tinkite_log::{Began, Ending, Hold, Log, Reached, StepEntry};

/// The fewest lines that may go out beyond those that the log knows of.
const AHEAD: u32 = 256;

/// What a run leaves in the log.
pub struct Recorder {
    log: Option<Log>,
    /// What is known before the controller has said how it stands.
    template: Began,
    run: Option<(i64, Hold)>,
    steps: Vec<StepEntry>,
    /// When the step at hand was begun, s.
    step_began: Option<(usize, f64)>,
    sent: u32,
    last: Option<Reached>,
    /// Why nothing more is written.
    failed: Option<Refusal>,
}

impl Recorder {
    /// Nothing is written before the stream begins; without a log nothing is written at all.
    pub fn new(log: Option<Log>, template: Began) -> Self {
        Self {
            log,
            template,
            run: None,
            steps: Vec::new(),
            step_began: None,
            sent: 0,
            last: None,
            failed: None,
        }
    }

    /// Writes until nothing comes any more. What fails is told to `shown`.
    pub fn record(&mut self, news: &News, shown: &News) {
        loop {
            let delivery = news.take();
            for fact in &delivery.facts {
                if let Fact::Began(began) = fact {
                    self.or_tell(shown, |recorder| recorder.begin(began));
                }
            }
            if let Some(view) = &delivery.view {
                self.or_tell(shown, |recorder| recorder.record_reached(view));
            }
            if delivery.closed {
                return;
            }
        }
    }

    fn or_tell(&mut self, shown: &News, write: impl FnOnce(&mut Self) -> Result<(), Refusal>) {
        let Err(error) = write(self) else { return };
        self.log = None;
        shown.fact(Fact::Told(format!(
            "{}: this run goes on, and cannot be gone on with when it breaks off",
            error.why()
        )));
        // Said again at the end: a short run is over before the disk has refused.
        self.failed = Some(error);
    }

    fn begin(&mut self, began: &BeganNews) -> Result<(), Refusal> {
        let Some(log) = &self.log else { return Ok(()) };
        self.steps = began
            .steps
            .iter()
            .enumerate()
            .map(|(n, Step { line, name, settings, tried })| {
                let next = began.steps.get(n + 1).map_or(began.lines + 1, |next| next.line);
                let planned =
                    began.timeline.seconds_at(next - 1) - began.timeline.seconds_at(line - 1);
                StepEntry {
                    name: name.clone(),
                    line: *line,
                    planned_seconds: (planned * 10.0).round() / 10.0,
                    seconds: None,
                    settings: settings.clone(),
                    tried: tried.clone(),
                }
            })
            .collect();
        let entry = Began {
            lines: began.lines,
            planned_seconds: began.seconds,
            standing: began.standing,
            steps: self.steps.clone(),
            ..self.template.clone()
        };
        let run = log.begin(&entry, &mut began.program.reader())?;
        self.run = Some((run, log.hold(run)?));
        Ok(())
    }

    fn record_reached(&mut self, view: &View) -> Result<(), Refusal> {
        let seconds = view.at.0 as f64 / 1e6;
        self.time_steps(view.seen.line, seconds);
        let more = view.sent.saturating_sub(self.sent).saturating_mul(2);
        let sent = view.sent.saturating_add(more.max(AHEAD));
        self.sent = view.sent;
        let reached = Reached {
            seen: view.seen,
            sent,
            acknowledged: view.acknowledged,
            position: view.position,
            seconds,
        };
        self.last = Some(Reached { sent: view.sent, ..reached });
        match (&self.log, &self.run) {
            (Some(log), Some((run, _))) => Ok(log.record_reached(*run, &reached)?),
            _ => Ok(()),
        }
    }

    /// Notes how long the steps take that are over.
    fn time_steps(&mut self, line: u32, now: f64) {
        let at = self.steps.partition_point(|step| step.line <= line).checked_sub(1);
        if at == self.step_began.map(|(step, _)| step) {
            return;
        }
        if let Some((step, began)) = self.step_began
            && let Some(step) = self.steps.get_mut(step)
        {
            step.seconds = Some(((now - began) * 10.0).round() / 10.0);
        }
        self.step_began = at.map(|step| (step, now));
    }

    /// Remembers something of a run that is over.
    pub fn note(&self, run: i64, text: &str) -> Result<(), Refusal> {
        self.log.as_ref().map_or(Ok(()), |log| Ok(log.note(run, text)?))
    }

    /// The run is over. Its number, when it is in the log.
    ///
    /// # Errors
    /// What was not written, now or before; a log that is no longer where it was.
    pub fn end(
        &mut self,
        ended: &Ended,
        how: &'static str,
        why: Option<String>,
    ) -> Result<Option<i64>, Refusal> {
        let seconds = ended.at.0 as f64 / 1e6;
        if how == "done" {
            self.time_steps(0, seconds);
        }
        if let Some(error) = self.failed.take() {
            return Err(error);
        }
        let (Some(log), Some((run, _))) = (&self.log, &self.run) else { return Ok(None) };
        let reached = Reached {
            seen: ended.halt.seen,
            sent: ended.sent,
            acknowledged: ended.acknowledged,
            position: ended.halt.position,
            seconds,
        };
        log.end(
            *run,
            &Ending {
                how,
                why,
                dark: beam::word(ended.dark),
                whereabouts: ended.halt.whereabouts,
                reached,
                steps: self.steps.clone(),
            },
        )?;
        log.is_in_place(*run, self.template.began_ms)?;
        Ok(Some(*run))
    }
}
