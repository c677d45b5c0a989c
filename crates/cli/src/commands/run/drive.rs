//! A run: a program's lines on their way through a session.

use super::ended::Ended;
use super::outgoing::Outgoing;
use super::placed;
use super::program::ProgramFile;
use super::watch::Watcher;
use super::{mismatch, untold};
use crate::link::Link;
use crate::link::talk::{Host, talk};
use crate::refusal::Refusal;
use crate::stopping::Stopping;
use std::fs::File;
use std::io::{BufRead, BufReader, Split};
use tinkite_wire::{Connected, Event, Session};

/// Streams `program` over `link` until it has ended one way or another.
pub(super) fn drive(
    link: &mut dyn Link,
    program: &mut ProgramFile,
    stopping: &Stopping,
    watcher: &mut Watcher<'_>,
) -> Result<Ended, Refusal> {
    let dialect = program.machine.dialect;
    talk(link, dialect, &mut Run { program, stopping, watcher, source: None, trouble: None })
}

/// A program under way. Once the stream has begun nothing here ends the talk but the session's own
/// end, so that every way out leads over its stop.
struct Run<'r, 'c> {
    program: &'r mut ProgramFile,
    stopping: &'r Stopping,
    watcher: &'r mut Watcher<'c>,
    source: Option<ProgramLines<BufReader<File>>>,
    trouble: Option<Refusal>,
}

impl Run<'_, '_> {
    /// The controller said what it is: the stream begins, unless it is not the machine of the program.
    fn begin(&mut self, connected: &Connected, session: &mut Session) -> Result<(), Refusal> {
        if let Some(why) = mismatch(connected, &self.program.machine) {
            return Err(Refusal::Link(why));
        }
        let told = placed::check(self.program, connected)?;
        for told in untold(connected, &self.program.machine).into_iter().chain(told) {
            self.watcher.tell(&told);
        }
        if let Some([x, y, z]) = connected.kept_shift {
            self.watcher.tell(&format!(
                "the controller's G92 (X {x:.3}, Y {y:.3}, Z {z:.3} mm) was set again behind the reset with which a run begins"
            ));
        }
        self.source = Some(ProgramLines::of(self.program)?);
        session.start();
        Ok(())
    }
}

impl Host for Run<'_, '_> {
    type Outcome = Ended;

    fn turn(&mut self, session: &mut Session, link: &dyn Link) -> Result<(), Refusal> {
        if let Some(Err(refusal)) = self.source.as_mut().map(|source| source.feed(session, link)) {
            self.trouble.get_or_insert(refusal);
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
            }
            Event::Status(status) => self.watcher.status(session, &status, link.now()),
            Event::Said(text) => self.watcher.said(&text),
            Event::Ended { outcome, dark } => {
                self.watcher.reached(session, link.now());
                return Ok(Some(Ended { outcome, dark, trouble: self.trouble.take() }));
            }
        }
        Ok(None)
    }
}

/// The program's lines on their way into the session.
struct ProgramLines<B> {
    lines: Split<B>,
    outgoing: Outgoing,
    ended: bool,
}

impl ProgramLines<BufReader<File>> {
    fn of(program: &mut ProgramFile) -> Result<Self, Refusal> {
        let outgoing = Outgoing::new(&program.machine);
        Ok(Self { lines: program.lines()?, outgoing, ended: false })
    }
}

impl<B: BufRead> ProgramLines<B> {
    /// Hands over as many lines as the session wants.
    fn feed(&mut self, session: &mut Session, link: &dyn Link) -> Result<(), Refusal> {
        while !self.ended && session.wants_lines() {
            match self.lines.next() {
                None => {
                    self.ended = true;
                    session.end_of_program(link.now());
                }
                Some(Err(error)) => {
                    let line = self.outgoing.number() + 1;
                    let why = format!("line {line}: the program cannot be read on: {error}");
                    return Err(Refusal::Usage(why));
                }
                Some(Ok(line)) => {
                    let Some(bytes) = self.outgoing.line(&line).map_err(Refusal::Usage)? else {
                        continue;
                    };
                    let number = self.outgoing.number();
                    let refused = |e| Refusal::Usage(format!("line {number}: {e}"));
                    session.enqueue(number, bytes).map_err(refused)?;
                }
            }
        }
        Ok(())
    }
}
