//! A session and a rig, face to face in virtual time, on a link that cuts, delays, changes and loses
//! bytes as a seed tells it to.

use proptest::test_runner::{Config, FileFailurePersistence};
use std::collections::VecDeque;
use tinkite_rig::{Protocol as Spoken, Rig, Setup};
use tinkite_wire::{Dark, Event, Instant, Outcome, Protocol, Session, Settings, Span};

/// What goes wrong, and when.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Mishap {
    Nothing,
    /// The operator stops at this simulated second.
    Stop(f64),
    /// The link closes at this simulated second.
    Close(f64),
    /// One byte in so many is changed or lost, either way, never two near each other: the
    /// checksum of the printer's protocol does not see two alike changes in one line.
    Noise(u64),
}

/// Spoilt bytes are at least this far apart: more than a line.
const APART: u32 = 60;

/// A link with a delay of its own for every piece of the stream.
struct Line {
    in_flight: VecDeque<(f64, Vec<u8>)>,
    seed: u64,
    noise: Option<u64>,
    /// Bytes since the last that was spoilt.
    clean: u32,
}

impl Line {
    fn new(seed: u64, mishap: Mishap) -> Self {
        let noise = if let Mishap::Noise(one_in) = mishap { Some(one_in) } else { None };
        Self { in_flight: VecDeque::new(), seed: seed | 1, noise, clean: 0 }
    }

    fn xorshift(&mut self, sides: u64) -> u64 {
        self.seed ^= self.seed << 13;
        self.seed ^= self.seed >> 7;
        self.seed ^= self.seed << 17;
        self.seed % sides
    }

    /// What a bad cable makes of the bytes.
    fn spoilt(&mut self, bytes: &[u8]) -> Vec<u8> {
        let Some(one_in) = self.noise else { return bytes.to_vec() };
        let mut out = Vec::with_capacity(bytes.len());
        for byte in bytes {
            self.clean += 1;
            let spoils = self.xorshift(one_in) == 0 && self.clean > APART;
            if !spoils {
                out.push(*byte);
                continue;
            }
            self.clean = 0;
            if self.xorshift(2) == 0 {
                out.push(byte ^ (1 << self.xorshift(7)));
            }
        }
        out
    }

    /// Cuts the bytes anywhere and delays each piece by up to 20 ms, in order.
    fn send(&mut self, now: f64, bytes: &[u8]) {
        let spoilt = self.spoilt(bytes);
        let mut rest = spoilt.as_slice();
        while !rest.is_empty() {
            let count = (1 + self.xorshift(40) as usize).min(rest.len());
            let earliest = self.in_flight.back().map_or(now, |(at, _)| at.max(now));
            let at =
                earliest + self.xorshift(20) as f64 * 1e-3 * (self.xorshift(4) == 0) as u8 as f64;
            self.in_flight.push_back((at, rest[..count].to_vec()));
            rest = &rest[count..];
        }
    }

    fn arrived(&mut self, now: f64) -> Option<Vec<u8>> {
        (self.in_flight.front()?.0 <= now).then(|| self.in_flight.pop_front())?.map(|(_, b)| b)
    }
}

pub(crate) struct World {
    pub(crate) rig: Rig,
    pub(crate) outcome: Outcome,
    /// What the session claims of the beam.
    pub(crate) dark: Dark,
    pub(crate) acknowledged: u32,
}

/// Runs `lines` to the end; simulated time goes on in steps of a millisecond.
pub(crate) fn run(lines: &[String], setup: Setup, seed: u64, mishap: Mishap) -> World {
    let protocol = match setup.protocol {
        Spoken::Grbl => Protocol::Grbl,
        Spoken::Reprap => Protocol::Reprap,
    };
    let mut rig = Rig::new(setup);
    let (mut there, mut back) = (Line::new(seed, mishap), Line::new(seed.rotate_left(17), mishap));
    let mut now = 0.0;
    let instant = |now: f64| Instant((now * 1e6) as u64);
    let silence = if protocol == Protocol::Grbl { 3000 } else { 10_000 };
    let settings = Settings { silence: Span::millis(silence), ..Settings::default() };
    let mut session = Session::new(protocol, settings, instant(now));
    let mut next = 0;
    let mut sent_end = false;
    let mut closed = false;
    for _ in 0..2_000_000 {
        match mishap {
            Mishap::Stop(at) if now >= at => session.stop(instant(now)),
            Mishap::Close(at) if now >= at && !closed => {
                closed = true;
                session.handle_closed(instant(now));
            }
            _ => {}
        }
        while session.wants_lines() && next < lines.len() {
            session
                .enqueue(next as u32 + 1, lines[next].clone().into_bytes())
                .expect("short lines");
            next += 1;
        }
        if next == lines.len() && session.wants_lines() && !sent_end {
            sent_end = true;
            session.end_of_program(instant(now));
        }
        let mut bytes = Vec::new();
        if session.poll_transmit(&mut bytes) {
            there.send(now, &bytes);
        }
        assert!(session.in_flight() < 128);
        while let Some(event) = session.poll_event() {
            match event {
                Event::Connected(_) => session.start(),
                Event::Ended { outcome, dark } => {
                    // What is on its way still arrives, and then nothing may happen any more.
                    while let Some((_, bytes)) = there.in_flight.pop_front() {
                        rig.receive(&bytes);
                    }
                    return World { rig, outcome, dark, acknowledged: session.acknowledged() };
                }
                Event::Status(_) | Event::Said(_) | Event::Touched(_) | Event::RunsOn(_) => {}
            }
        }
        now += 1e-3;
        while let Some(bytes) = there.arrived(now) {
            rig.receive(&bytes);
        }
        rig.advance(now);
        back.send(now, &rig.take_output());
        while let Some(bytes) = back.arrived(now) {
            session.handle_bytes(instant(now), &bytes);
        }
        session.handle_timeout(instant(now));
    }
    panic!("the session never ended");
}

/// Squares that are burnt, one after the other.
pub(crate) fn squares(count: usize) -> Vec<String> {
    let mut lines = vec!["G21G90".to_string(), "M4S0".to_string()];
    for n in 0..count {
        let x = n % 20 * 5;
        let y = n / 20 * 5;
        lines.push(format!("G0X{x}Y{y}S0"));
        for (dx, dy) in [(4, 0), (4, 4), (0, 4), (0, 0)] {
            lines.push(format!("G1X{}Y{}S300F3000", x + dx, y + dy));
        }
    }
    lines.extend(["M5S0".to_string(), "M2".to_string()]);
    lines
}

/// Failing cases are kept in `file`, beside the tests.
pub(crate) fn config(file: &'static str) -> Config {
    let kept = FileFailurePersistence::Direct(file);
    Config { cases: 24, failure_persistence: Some(Box::new(kept)), ..Config::default() }
}
