//! The one loop between a session and a link.

use super::outgoing::Outgoing;
use super::placed;
use super::program::ProgramFile;
use super::watch::Watcher;
use super::{mismatch, untold};
use crate::link::ask::protocol;
use crate::link::{Heard, Link};
use crate::refusal::Refusal;
use crate::stopping::Stopping;
use std::fs::File;
use std::io::{BufRead, BufReader, Split};
use std::time::Duration;
use tinkite_wire::{Dark, Event, Outcome, Session, Settings};

/// Ctrl-C is noticed at least this often.
const ATTENTION: Duration = Duration::from_millis(50);

/// How a run ended.
pub(super) struct Drive {
    pub(super) outcome: Outcome,
    /// What was seen of the beam.
    pub(super) dark: Dark,
    /// What made us stop it, when it was not the operator.
    pub(super) trouble: Option<Refusal>,
}

/// Streams `program` over `link` until it has ended one way or another.
pub(super) fn drive(
    link: &mut dyn Link,
    program: &mut ProgramFile,
    stopping: &Stopping,
    watcher: &mut Watcher<'_>,
) -> Result<Drive, Refusal> {
    let machine = program.machine.clone();
    let mut session = Session::new(protocol(machine.dialect), Settings::default(), link.now());
    let mut source: Option<Source<_>> = None;
    let mut trouble: Option<Refusal> = None;
    let mut outgoing = Vec::new();
    let mut incoming = [0; 4096];
    loop {
        if stopping.wanted() || trouble.is_some() {
            session.stop(link.now());
        }
        if let Some(Err(refusal)) = source.as_mut().map(|source| source.feed(&mut session, link)) {
            trouble.get_or_insert(refusal);
            continue;
        }
        outgoing.clear();
        if session.poll_transmit(&mut outgoing) && link.send(&outgoing).is_err() {
            session.handle_closed(link.now());
        }
        while let Some(event) = session.poll_event() {
            match event {
                Event::Connected(connected) => {
                    let why = mismatch(&connected, &machine).map(Refusal::Link);
                    match why.map_or_else(|| placed::check(program, &connected), Err) {
                        Ok(told) => {
                            let told = untold(&connected, &machine).into_iter().chain(told);
                            told.for_each(|told| watcher.tell(&told));
                            session.start();
                            match Source::of(program) {
                                Ok(lines) => source = Some(lines),
                                Err(refusal) => trouble = Some(refusal),
                            }
                        }
                        Err(refusal) => trouble = Some(refusal),
                    }
                }
                Event::Status(status) => watcher.status(&session, &status, link.now()),
                Event::Said(text) => watcher.said(&text),
                Event::Ended { outcome, dark } => {
                    watcher.reached(&session, link.now());
                    return Ok(Drive { outcome, dark, trouble });
                }
            }
        }
        let now = link.now();
        let until = session.poll_timeout().map_or(0, |at| (at - now).0);
        match link.hear(&mut incoming, Duration::from_micros(until).min(ATTENTION)) {
            Ok(Heard::Bytes(count)) => session.handle_bytes(link.now(), &incoming[..count]),
            Ok(Heard::Nothing) => {}
            Ok(Heard::Closed) | Err(_) => session.handle_closed(link.now()),
        }
        if session.poll_timeout().is_some_and(|at| at <= link.now()) {
            session.handle_timeout(link.now());
        }
    }
}

/// The program's lines on their way into the session.
struct Source<B> {
    lines: Split<B>,
    outgoing: Outgoing,
    ended: bool,
}

impl Source<BufReader<File>> {
    fn of(program: &mut ProgramFile) -> Result<Self, Refusal> {
        let outgoing = Outgoing::new(&program.machine);
        Ok(Self { lines: program.lines()?, outgoing, ended: false })
    }
}

impl<B: BufRead> Source<B> {
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
