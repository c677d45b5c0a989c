//! The link's thread: a program's lines on their way through a session. What happens is put into
//! mailboxes; nothing here waits for whoever shows it.

use super::beginning::Beginning;
use super::ended::Ended;
use super::hand::{Hand, RunOrder};
use super::mailbox::{Closing, Mailbox};
use super::news::{BeganNews, Fact, Holder, View};
use super::placed;
use super::program::ProgramFile;
use super::settings::{mismatch, unknown_settings};
use super::shared::SharedReader;
use crate::beam::runs_on;
use crate::stopping::Stopping;
use std::io::BufReader;
use tinkite_core::machine::Dialect;
use tinkite_core::program::Place;
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_link::Link;
use tinkite_link::talk::{Host, talk};
use tinkite_run::{Halt, Overrides, ReportedStanding, Stream, Whereabouts, turning};
use tinkite_wire::{Adjust, Connected, Event, Instant, Session, Settings, Span, State, Status};

/// How often it is shown how far a controller is that tells nothing of itself.
const LOOK: Span = Span::millis(200);

/// How long a head may take to go on.
const GOES_ON: Span = Span::millis(400);

/// Where the news of a run goes.
pub type News = Mailbox<View, Fact>;

/// Streams `program` over `link` until it has ended one way or another.
pub fn drive(
    link: &mut dyn Link,
    program: &mut ProgramFile,
    beginning: &Beginning,
    stopping: &Stopping,
    hand: &Hand,
    news: &[&News],
) -> Result<Ended, Refusal> {
    let _closing: Vec<_> = news.iter().map(|news| Closing(*news)).collect();
    let dialect = program.about.machine.dialect;
    let run = &mut Streaming {
        program,
        beginning,
        stopping,
        hand,
        news,
        stream: None,
        standing: None,
        room: None,
        held: None,
        holds: None,
        overrides: Overrides::default(),
        next_look: link.now(),
        went_on: Instant::default(),
        lit_while_held: 0,
        trouble: None,
    };
    let settings =
        Settings { takes_over: matches!(beginning, Beginning::Rest(_)), ..Settings::default() };
    talk(link, dialect, settings, run)
}

/// A program under way. Once the stream has begun nothing here ends the talk but the session's own
/// end, so that every way out leads over its stop.
struct Streaming<'r> {
    program: &'r mut ProgramFile,
    beginning: &'r Beginning,
    stopping: &'r Stopping,
    hand: &'r Hand,
    news: &'r [&'r News],
    stream: Option<Stream<BufReader<SharedReader>>>,
    standing: Option<ReportedStanding>,
    /// Places in the planner of the controller when it stood idle.
    room: Option<usize>,
    /// Who holds the machine.
    held: Option<Holder>,
    /// Bytes that its receive buffer holds, where it said so.
    holds: Option<usize>,
    overrides: Overrides,
    next_look: Instant,
    /// In how many statuses in a row it was held with a power.
    lit_while_held: u32,
    /// When it was last told to go on.
    went_on: Instant,
    trouble: Option<Refusal>,
}

impl Streaming<'_> {
    fn tell(&self, fact: &Fact) {
        self.news.iter().for_each(|news| news.fact(fact.clone()));
    }

    /// The controller said what it is: the stream begins, unless it is not the machine of the program.
    fn begin(&mut self, connected: &Connected, session: &mut Session) -> Result<(), Refusal> {
        if let Some(why) = mismatch(connected, &self.program.about.machine) {
            return Err(Refusal::Unfit(why));
        }
        let standing = ReportedStanding::of(connected, turning(&self.program.about.machine));
        self.take_up(connected, &standing)?;
        let told = placed::check(self.program, connected)?;
        for told in unknown_settings(connected, &self.program.about.machine).into_iter().chain(told)
        {
            self.tell(&Fact::Told(told));
        }
        if let Some([x, y, z]) = connected.kept_shift {
            self.tell(&Fact::Told(format!(
                "the controller's G92 (X {x:.3}, Y {y:.3}, Z {z:.3} mm) was set again behind the reset with which a run begins"
            )));
        }
        let (longest, most) = (self.program.longest, session.longest_line());
        if self.program.about.machine.dialect != Dialect::Reprap && longest.bytes > most {
            return Err(Refusal::Unfit(format!(
                "line {} of the program has {} bytes, and the controller takes lines of {most} bytes at most: it says so of its buffer ($I)",
                longest.line, longest.bytes
            )));
        }
        let lines = self.program.reader();
        let stream =
            Stream::new(lines, &self.program.about.machine, standing.into()).with_room(self.room);
        self.holds = connected.buffer;
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
    fn take_up(&mut self, connected: &Connected, now: &ReportedStanding) -> Result<(), Refusal> {
        let (place, began) = match self.beginning {
            Beginning::Start => return Ok(()),
            Beginning::SameSpot(spot) => return spot.check(connected, now),
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
        stream.watch(status, session, now);
        self.overrides.status(status);
        self.lit(status, session);
        self.view(session, Some(status), now);
        self.holder(session, Some(status.state), now);
    }

    /// Most boards switch the beam off while they are held; one that says otherwise, twice, is told of. A stop
    /// holds it as well, for as long as it takes to see that the head stands, and its reset ends that.
    fn lit(&mut self, status: &Status, session: &Session) {
        let held = matches!(status.state, State::Hold { moving: false } | State::Door)
            && !session.is_stopping();
        let s = status.feed_and_s.map_or(0.0, |[_, s]| s);
        self.lit_while_held = if held && s > 0.0 { self.lit_while_held + 1 } else { 0 };
        if self.lit_while_held == 2 {
            self.tell(&Fact::Told(format!(
                "the controller says S {} while it is held: LOOK WHETHER THE BEAM IS LIT, and stop if it is",
                plain(s, 1)
            )));
        }
    }

    /// Tells who holds the machine, where that has changed.
    fn holder(&mut self, session: &Session, state: Option<State>, now: Instant) {
        // A status that was asked for before it went on tells of a head that still stands.
        if session.is_stopping() || now < self.went_on + GOES_ON {
            return;
        }
        let printer = self.program.about.machine.dialect == Dialect::Reprap;
        let held = match state {
            Some(State::Door) => Some(Holder::Door),
            Some(State::Hold { moving: false }) if !session.is_paused() => Some(Holder::Hold),
            Some(State::Hold { moving: false }) => Some(Holder::Operator),
            // It does not say that it stands.
            None if printer && session.is_paused() => Some(Holder::Coming),
            Some(_) if session.is_paused() => self.held,
            _ => None,
        };
        if std::mem::replace(&mut self.held, held) != held {
            self.tell(&Fact::Held(held));
        }
    }

    /// A controller that tells nothing of itself is shown by what it has taken.
    fn look(&mut self, session: &Session, now: Instant) {
        let mute = self.program.about.machine.dialect == Dialect::Reprap && !session.is_stopping();
        if mute && self.stream.is_some() && now >= self.next_look {
            self.next_look = now + LOOK;
            self.view(session, None, now);
        }
    }

    /// Carries out what the operator has ordered.
    fn obey(&mut self, session: &mut Session, now: Instant) {
        while let Some(order) = self.hand.take() {
            if self.stream.is_none() || session.is_stopping() {
                continue;
            }
            match order {
                RunOrder::HoldOrGoOn if session.is_paused() || self.held.is_some() => {
                    session.resume(now);
                    self.went_on = now;
                    if self.held.take().is_some() {
                        self.tell(&Fact::Held(None));
                    }
                }
                RunOrder::HoldOrGoOn => session.pause(),
                RunOrder::Adjust(adjust) => self.adjust(adjust, session),
            }
            if self.program.about.machine.dialect == Dialect::Reprap {
                self.holder(session, None, now);
            }
        }
    }

    fn adjust(&mut self, adjust: Adjust, session: &mut Session) {
        let beam = &self.program.about.machine.beam;
        let s = self.program.report.s.map_or(0.0, |(_, most)| most);
        if !self.overrides.may(adjust, s, beam) {
            let told = format!(
                "power stays as it is: the program's S{} with 10 % more would be above the ceiling of {}",
                plain(s * self.overrides.power / 100.0, 1),
                beam.ceiling
            );
            return self.tell(&Fact::Told(told));
        }
        if session.adjust(adjust) {
            self.overrides.ordered(adjust);
            self.tell(&Fact::Adjusted(self.overrides));
        } else {
            self.tell(&Fact::Told(
                "speed and power of this controller cannot be changed while it runs".into(),
            ));
        }
    }

    /// How it looks now.
    fn view(&self, session: &Session, status: Option<&Status>, now: Instant) {
        let Some(stream) = &self.stream else { return };
        let printer = self.program.about.machine.dialect == Dialect::Reprap;
        let taken = Place::before(session.acknowledged() + 1);
        let view = View {
            seen: stream.seen(),
            progress: if printer { stream.seen().later(taken) } else { stream.seen() },
            position: stream.position(),
            acknowledged: session.acknowledged(),
            sent: session.last_sent().unwrap_or_default(),
            s: status.and_then(|status| status.feed_and_s).map(|[_, s]| s),
            speed: status.and_then(|status| status.feed_and_s).map(|[feed, _]| feed / 60.0),
            overrides: (self.program.about.machine.dialect == Dialect::Grbl)
                .then_some(self.overrides),
            buffer: self.holds.map(|bytes| 100.0 * session.in_flight() as f64 / bytes as f64),
            state: status.map(|status| status.state),
            at: now,
        };
        self.news.iter().for_each(|news| news.view(view));
    }
}

impl Host for Streaming<'_> {
    type Outcome = Ended;
    type Error = Refusal;

    fn turn(&mut self, session: &mut Session, link: &dyn Link) -> Result<(), Refusal> {
        if let Some(stream) = &mut self.stream
            && self.trouble.is_none()
            && let Err(error) = stream.feed(session, link.now())
        {
            self.trouble = Some(Refusal::Usage(error.to_string()));
        }
        self.obey(session, link.now());
        self.look(session, link.now());
        if self.stopping.is_wanted() || self.trouble.is_some() {
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
            Event::Touched(_) => {}
            Event::Said(text) => self.tell(&Fact::Said(text)),
            Event::RunsOn(left) => self.tell(&Fact::Told(runs_on(left))),
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
