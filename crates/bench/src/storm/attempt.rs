//! One session with the rig, from its greeting to its end.

use std::collections::BTreeMap;
use std::io::Cursor;
use tinkite_core::machine::Dialect;
use tinkite_core::machine::Machine;
use tinkite_rig::Rig;
use tinkite_run::{Halt, ReportedStanding, Stream, Whereabouts, turning};
use tinkite_wire::{
    Connected, Dark, Event, Failure, Instant, Outcome, Protocol, Session, Settings, State,
};

/// How a session went.
#[derive(Debug)]
pub(super) struct Attempt {
    pub(super) outcome: Outcome,
    pub(super) dark: Dark,
    pub(super) halt: Halt,
    /// The last line that was sent.
    pub(super) sent: u32,
    /// What was streamed, and how the machine stood then; `None` when the stream never began.
    pub(super) streamed: Option<String>,
    pub(super) stance: Option<ReportedStanding>,
    /// Why it was not begun, from our side.
    pub(super) refused: Option<String>,
    /// Whether the beam was lit when the session said how it ended.
    pub(super) lit_at_end: bool,
    /// When the stream began, simulated seconds.
    pub(super) began_at: Option<f64>,
    /// Simulated seconds.
    pub(super) seconds: f64,
}

/// Wakings after which a session that does not end is broken.
const MOST: usize = 150_000;

/// Streams `program`, or what `take_up` makes of it when the controller has said how it stands.
pub(super) fn attempt(
    rig: &mut Rig,
    machine: &Machine,
    program: &str,
    take_up: impl FnOnce(&Connected, &ReportedStanding) -> Result<Option<String>, String>,
    stop_at: Option<f64>,
    takes_over: bool,
) -> Result<Attempt, String> {
    let protocol =
        if machine.dialect == Dialect::Reprap { Protocol::Reprap } else { Protocol::Grbl };
    let began = rig.now();
    let instant = |now: f64| Instant((now * 1e6).round() as u64);
    let settings = Settings { takes_over, ..Settings::default() };
    let mut session = Session::new(protocol, settings, instant(began));
    let mut stream: Option<Stream<Cursor<String>>> = None;
    let mut take_up = Some(take_up);
    let mut done = Attempt {
        outcome: Outcome::Stopped,
        dark: Dark::Untouched,
        halt: Halt {
            whereabouts: Whereabouts::Lost,
            seen: tinkite_core::program::Place::default(),
            position: None,
        },
        sent: 0,
        streamed: None,
        stance: None,
        refused: None,
        lit_at_end: false,
        began_at: None,
        seconds: 0.0,
    };
    let mut room = None;
    let mut held_since: Option<f64> = None;
    let mut last = None;
    let mut bytes = Vec::new();
    let mut steps: BTreeMap<&str, usize> = BTreeMap::new();
    for _ in 0..MOST {
        let now = instant(rig.now());
        if stop_at.is_some_and(|at| rig.now() >= at) || done.refused.is_some() {
            session.stop(now);
        }
        if let Some(stream) = &mut stream
            && let Err(error) = stream.feed(&mut session, now)
        {
            done.refused = Some(error.to_string());
        }
        bytes.clear();
        if session.poll_transmit(&mut bytes) {
            rig.receive(&bytes);
        }
        while let Some(event) = session.poll_event() {
            match event {
                Event::Connected(connected) => {
                    let stance = ReportedStanding::of(&connected, turning(machine));
                    let full = connected.settings.get(&30).copied();
                    if full.is_some_and(|full| (full - machine.beam.full).abs() > 0.5) {
                        done.refused = Some("another full power".into());
                        continue;
                    }
                    let taken = take_up.take().map_or(Ok(None), |f| f(&connected, &stance));
                    match taken {
                        Err(why) => done.refused = Some(why),
                        Ok(rest) => {
                            let text = rest.unwrap_or_else(|| program.to_string());
                            let lines = Cursor::new(text.clone());
                            let begun = Stream::new(lines, machine, stance.into()).with_room(room);
                            let known = connected.position.is_some();
                            stream = Some(if known { begun } else { begun.from_anywhere() });
                            (done.streamed, done.stance) = (Some(text), Some(stance));
                            done.began_at = Some(rig.now());
                            session.start();
                        }
                    }
                }
                Event::Status(status) => {
                    *steps.entry("status").or_default() += 1;
                    last = Some(status);
                    // Somebody who stands beside it lets it go on: a spoilt byte may hold it as well.
                    let held = matches!(status.state, State::Hold { moving: false } | State::Door);
                    held_since = if held { held_since.or(Some(rig.now())) } else { None };
                    if held_since.is_some_and(|since| rig.now() > since + 4.0) {
                        rig.let_go();
                    }
                    match &mut stream {
                        Some(stream) => stream.watch(&status, &mut session, now),
                        None if status.state == State::Idle => {
                            room = room.max(status.room.map(|room| room.blocks));
                        }
                        None => {}
                    }
                }
                Event::Said(_) | Event::Touched(_) | Event::RunsOn(_) => {}
                Event::Ended { outcome, dark } => {
                    (done.outcome, done.dark) = (outcome, dark);
                    if let Some(stream) = &mut stream {
                        done.halt = stream.halt(&session, &mut done.outcome, dark);
                    }
                    done.sent = session.last_sent().unwrap_or_default();
                    done.lit_at_end = rig.is_lit();
                    done.seconds = rig.now() - began;
                    return Ok(done);
                }
            }
        }
        // Time goes by until something happens.
        let wait = session.poll_timeout().map_or(0.0, |at| at.0 as f64 / 1e6 - rig.now());
        let attention = rig.now() + wait.clamp(1e-6, 0.05);
        loop {
            if rig.has_output() {
                break;
            }
            match rig.next_event() {
                Some(next) if next <= attention => {
                    rig.advance_to_next();
                    let heard = rig.take_output();
                    if !heard.is_empty() {
                        session.handle_bytes(instant(rig.now()), &heard);
                        break;
                    }
                }
                _ => {
                    rig.advance(attention);
                    break;
                }
            }
        }
        let heard = rig.take_output();
        if !heard.is_empty() {
            session.handle_bytes(instant(rig.now()), &heard);
        }
        if rig.has_closed() {
            session.handle_closed(instant(rig.now()));
        }
        session.handle_timeout(instant(rig.now()));
    }
    let failure: Option<&Failure> = match &done.outcome {
        Outcome::Failed(failure) => Some(failure),
        _ => None,
    };
    Err(format!(
        "the session never ends: at {:.1} s, {failure:?}, {steps:?}, {last:?}, mishaps {:?}, sent {:?}, answered {}, {stream:?}",
        rig.now(),
        rig.mishaps_so_far(),
        session.last_sent(),
        session.acknowledged()
    ))
}
