//! The one loop between a session and a link.

use super::mismatch;
use super::placed;
use super::program::ProgramFile;
use super::watch::Watcher;
use crate::link::ask::tongue;
use crate::link::{Heard, Link};
use crate::refusal::Refusal;
use crate::stopping::Stopping;
use std::fs::File;
use std::io::{BufRead, BufReader, Lines};
use std::time::Duration;
use tinkite_core::program::Plainly;
use tinkite_wire::{Event, Outcome, Prepared, Session, Settings, prepare};

/// Ctrl-C is noticed at least this often.
const ATTENTION: Duration = Duration::from_millis(50);

/// Streams `program` over `link` until it has ended one way or another.
pub(super) fn drive(
    link: &mut dyn Link,
    program: &mut ProgramFile,
    stopping: &Stopping,
    watcher: &mut Watcher<'_>,
) -> Result<Outcome, Refusal> {
    let machine = program.machine.clone();
    let mut session = Session::new(tongue(machine.dialect), Settings::default(), link.now());
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
                            told.iter().for_each(|told| watcher.tell(told));
                            session.start();
                            source = Some(Source::of(program)?);
                        }
                        Err(refusal) => trouble = Some(refusal),
                    }
                }
                Event::Status(status) => watcher.status(&session, &status, link.now()),
                Event::Said(text) => watcher.said(&text),
                Event::Ended(outcome) => {
                    watcher.reached(&session, link.now());
                    return trouble.map_or(Ok(outcome), Err);
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
    lines: Lines<B>,
    number: u32,
    ended: bool,
    plainly: Plainly,
}

impl Source<BufReader<File>> {
    fn of(program: &mut ProgramFile) -> Result<Self, Refusal> {
        Ok(Self { lines: program.lines()?, number: 0, ended: false, plainly: Plainly::default() })
    }
}

impl<B: BufRead> Source<B> {
    /// What of a line goes out: controllers of either interface do no arithmetic. The program was
    /// measured before, so what cannot be worked out here was refused there.
    fn sent_as(&mut self, line: Vec<u8>) -> Vec<u8> {
        self.plainly.line(&line).ok().flatten().unwrap_or(line)
    }

    /// Hands over as many lines as the session wants.
    fn feed(&mut self, session: &mut Session, link: &dyn Link) -> Result<(), Refusal> {
        while !self.ended && session.wants_lines() {
            self.number += 1;
            let number = self.number;
            let refused = |why: String| Refusal::Usage(format!("line {number}: {why}"));
            match self.lines.next() {
                None => {
                    self.ended = true;
                    session.end_of_program(link.now());
                }
                Some(Err(error)) => {
                    return Err(refused(format!("the program cannot be read on: {error}")));
                }
                Some(Ok(line)) => match prepare(&self.sent_as(line.into_bytes())) {
                    Prepared::Nothing => {}
                    Prepared::Send(bytes) => {
                        session.enqueue(self.number, bytes).map_err(|e| refused(e.to_string()))?;
                    }
                    Prepared::RealTimeByte(byte) => {
                        return Err(refused(format!(
                            "it holds the byte {byte:#04x}, on which the controller would act at once"
                        )));
                    }
                },
            }
        }
        Ok(())
    }
}
