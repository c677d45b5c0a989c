//! The link's thread: a program's lines on their way through a session. What happens is put into
//! mailboxes; nothing here waits for whoever shows it.

use super::beginning::Beginning;
use super::ended::Ended;
use super::mailbox::{Closing, Mailbox};
use super::news::{BeganNews, Fact, View};
use super::placed;
use super::program::ProgramFile;
use super::shared::SharedReader;
use super::{mismatch, untold};
use crate::link::Link;
use crate::link::talk::{Host, talk};
use crate::refusal::Refusal;
use crate::stopping::Stopping;
use std::io::BufReader;
use tinkite_core::program::Place;
use tinkite_run::{Halt, Stance, Stream, Whereabouts, turning};
use tinkite_wire::{Connected, Event, Instant, Session, Settings, State, Status};

/// Where the news of a run goes.
pub(super) type News = Mailbox<View, Fact>;

/// Streams `program` over `link` until it has ended one way or another.
pub(super) fn drive(
    link: &mut dyn Link,
    program: &mut ProgramFile,
    beginning: &Beginning,
    stopping: &Stopping,
    news: &[&News],
) -> Result<Ended, Refusal> {
    let _closing: Vec<_> = news.iter().map(|news| Closing(*news)).collect();
    let dialect = program.machine.dialect;
    let run = &mut Run {
        program,
        beginning,
        stopping,
        news,
        stream: None,
        standing: None,
        room: None,
        held: None,
        trouble: None,
    };
    let settings =
        Settings { takes_over: matches!(beginning, Beginning::Rest(_)), ..Settings::default() };
    talk(link, dialect, settings, run)
}

/// A program under way. Once the stream has begun nothing here ends the talk but the session's own
/// end, so that every way out leads over its stop.
struct Run<'r> {
    program: &'r mut ProgramFile,
    beginning: &'r Beginning,
    stopping: &'r Stopping,
    news: &'r [&'r News],
    stream: Option<Stream<BufReader<SharedReader>>>,
    standing: Option<Stance>,
    /// Places in the planner of the controller when it stood idle.
    room: Option<usize>,
    /// What the machine stands for, though we did not hold it.
    held: Option<&'static str>,
    trouble: Option<Refusal>,
}

impl Run<'_> {
    fn tell(&self, fact: &Fact) {
        self.news.iter().for_each(|news| news.fact(fact.clone()));
    }

    /// The controller said what it is: the stream begins, unless it is not the machine of the program.
    fn begin(&mut self, connected: &Connected, session: &mut Session) -> Result<(), Refusal> {
        if let Some(why) = mismatch(connected, &self.program.machine) {
            return Err(Refusal::Link(why));
        }
        let standing = Stance::of(connected, turning(&self.program.machine));
        self.take_up(connected, &standing)?;
        let told = placed::check(self.program, connected)?;
        for told in untold(connected, &self.program.machine).into_iter().chain(told) {
            self.tell(&Fact::Told(told));
        }
        if let Some([x, y, z]) = connected.kept_shift {
            self.tell(&Fact::Told(format!(
                "the controller's G92 (X {x:.3}, Y {y:.3}, Z {z:.3} mm) was set again behind the reset with which a run begins"
            )));
        }
        let lines = self.program.reader();
        let stream =
            Stream::new(lines, &self.program.machine, standing.into()).with_room(self.room);
        let known = connected.position.is_some();
        self.standing = Some(standing);
        self.stream = Some(if known { stream } else { stream.from_anywhere() });
        self.tell(&Fact::Began(Box::new(BeganNews {
            standing,
            program: self.program.file(),
            lines: self.program.report.lines,
            seconds: self.program.report.seconds,
            steps: self.program.steps.clone(),
            timeline: self.program.report.timeline.clone(),
        })));
        session.start();
        Ok(())
    }

    /// The program becomes what is left of it, where it does not begin at its start.
    fn take_up(&mut self, connected: &Connected, now: &Stance) -> Result<(), Refusal> {
        let (place, began) = match self.beginning {
            Beginning::Start => return Ok(()),
            Beginning::Line(line) => (Place::before(*line), *now),
            Beginning::Rest(rest) => (rest.place(self.program, connected, now)?, rest.broken.began),
        };
        let whole = self.program.report.lines;
        let resumed = self.program.cut_off(place, began.into(), (*now).into())?;
        if let Some([x, y, z]) = resumed.shift {
            self.tell(&Fact::Told(format!(
                "the program's G92 (X {x:.3}, Y {y:.3}, Z {z:.3} mm from the controller's zero) is set again"
            )));
        }
        self.tell(&Fact::Told(format!(
            "going on in line {} of {whole}; the head travels there dark",
            place.line.min(whole)
        )));
        Ok(())
    }

    fn status(&mut self, status: &Status, session: &mut Session, now: Instant) {
        let Some(stream) = &mut self.stream else {
            if status.state == State::Idle {
                self.room = self.room.max(status.room.map(|room| room.blocks));
            }
            return;
        };
        if let Some(failure) = stream.status(status) {
            session.fail(now, failure);
        }
        self.view(session, Some(status), now);
        if session.is_stopping() {
            return;
        }
        let held = match status.state {
            State::Hold { moving: false } => Some("hold"),
            State::Door => Some("door"),
            _ => None,
        };
        if std::mem::replace(&mut self.held, held) != held {
            self.tell(&Fact::Held(held));
        }
    }

    /// How it looks now.
    fn view(&self, session: &Session, status: Option<&Status>, now: Instant) {
        let Some(stream) = &self.stream else { return };
        let view = View {
            seen: stream.seen(),
            position: stream.position(),
            acknowledged: session.acknowledged(),
            sent: session.last_sent().unwrap_or_default(),
            s: status.and_then(|status| status.feed_and_s).map(|[_, s]| s),
            state: status.map(|status| status.state),
            at: now,
        };
        self.news.iter().for_each(|news| news.view(view));
    }
}

impl Host for Run<'_> {
    type Outcome = Ended;

    fn turn(&mut self, session: &mut Session, link: &dyn Link) -> Result<(), Refusal> {
        if let Some(stream) = &mut self.stream
            && self.trouble.is_none()
            && let Err(error) = stream.feed(session, link.now())
        {
            self.trouble = Some(Refusal::Usage(error.to_string()));
        }
        if self.stopping.wanted() || self.trouble.is_some() {
            session.stop(link.now());
        }
        Ok(())
    }

    fn event(
        &mut self,
        event: Event,
        session: &mut Session,
        link: &dyn Link,
    ) -> Result<Option<Ended>, Refusal> {
        match event {
            Event::Connected(connected) => {
                if let Err(refusal) = self.begin(&connected, session) {
                    self.trouble.get_or_insert(refusal);
                }
                // A long program is measured for a while.
                session.excuse(link.now());
            }
            Event::Status(status) => {
                self.status(&status, session, link.now());
                if !link.is_real() {
                    self.news.iter().for_each(|news| news.wait_until_read());
                }
            }
            Event::Said(text) => self.tell(&Fact::Said(text)),
            Event::Ended { mut outcome, dark } => {
                let nowhere = || Halt {
                    whereabouts: Whereabouts::Lost,
                    seen: Place::before(1),
                    position: None,
                };
                let halt = self
                    .stream
                    .as_mut()
                    .map_or_else(nowhere, |stream| stream.halt(session, &mut outcome, dark));
                let ended = Ended {
                    outcome,
                    dark,
                    halt,
                    acknowledged: session.acknowledged(),
                    sent: session.last_sent().unwrap_or_default(),
                    at: link.now(),
                    standing: self.standing,
                    trouble: self.trouble.take(),
                };
                self.view(session, None, link.now());
                return Ok(Some(ended));
            }
        }
        Ok(None)
    }
}
