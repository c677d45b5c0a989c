//! A session and a rig, face to face in virtual time, on a link that cuts and delays bytes as a
//! seed tells it to. A failing case is printed by proptest with its seed and kept as a regression.
#![allow(clippy::expect_used, clippy::panic)] // helpers of tests

use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;
use std::collections::VecDeque;
use tinkite_rig::{Rig, Setup};
use tinkite_wire::{Event, Failure, Instant, Outcome, Session, Settings, Span, Tongue};

/// What goes wrong, and when.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Mishap {
    Nothing,
    /// The operator stops at this simulated second.
    Stop(f64),
    /// The link closes at this simulated second.
    Close(f64),
}

/// A link with a delay of its own for every piece of the stream.
struct Line {
    in_flight: VecDeque<(f64, Vec<u8>)>,
    seed: u64,
}

impl Line {
    fn new(seed: u64) -> Self {
        Self { in_flight: VecDeque::new(), seed: seed | 1 }
    }

    fn dice(&mut self, sides: u64) -> u64 {
        self.seed ^= self.seed << 13;
        self.seed ^= self.seed >> 7;
        self.seed ^= self.seed << 17;
        self.seed % sides
    }

    /// Cuts the bytes anywhere and delays each piece by up to 20 ms, in order.
    fn send(&mut self, now: f64, bytes: &[u8]) {
        let mut rest = bytes;
        while !rest.is_empty() {
            let count = (1 + self.dice(40) as usize).min(rest.len());
            let earliest = self.in_flight.back().map_or(now, |(at, _)| at.max(now));
            let at = earliest + self.dice(20) as f64 * 1e-3 * (self.dice(4) == 0) as u8 as f64;
            self.in_flight.push_back((at, rest[..count].to_vec()));
            rest = &rest[count..];
        }
    }

    fn arrived(&mut self, now: f64) -> Option<Vec<u8>> {
        (self.in_flight.front()?.0 <= now).then(|| self.in_flight.pop_front())?.map(|(_, b)| b)
    }
}

struct World {
    rig: Rig,
    outcome: Outcome,
    acknowledged: u32,
}

/// Runs `lines` to the end; simulated time goes on in steps of a millisecond.
fn run(lines: &[String], setup: Setup, seed: u64, mishap: Mishap) -> World {
    let mut rig = Rig::new(setup);
    let (mut there, mut back) = (Line::new(seed), Line::new(seed.rotate_left(17)));
    let mut now = 0.0;
    let instant = |now: f64| Instant((now * 1e6) as u64);
    let settings = Settings { silence: Span::millis(3000), ..Settings::default() };
    let mut session = Session::new(Tongue::Grbl, settings, instant(now));
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
                Event::Ended(outcome) => {
                    // What is on its way still arrives, and then nothing may happen any more.
                    while let Some((_, bytes)) = there.in_flight.pop_front() {
                        rig.receive(&bytes);
                    }
                    return World { rig, outcome, acknowledged: session.acknowledged() };
                }
                Event::Status(_) | Event::Said(_) => {}
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
fn squares(count: usize) -> Vec<String> {
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

/// Failing cases are kept beside this file.
fn config() -> ProptestConfig {
    let kept = FileFailurePersistence::Direct("tests/stream.proptest-regressions");
    ProptestConfig {
        cases: 24,
        failure_persistence: Some(Box::new(kept)),
        ..ProptestConfig::default()
    }
}

proptest! {
    #![proptest_config(config())]

    #[test]
    fn every_line_is_burnt_once_however_the_bytes_come(seed in any::<u64>(), count in 1usize..12) {
        let world = run(&squares(count), Setup::default(), seed, Mishap::Nothing);
        prop_assert_eq!(world.outcome, Outcome::Done);
        let record = world.rig.record();
        prop_assert!((record.burnt_mm - 16.0 * count as f64).abs() < 1e-6, "{}", record.burnt_mm);
        prop_assert_eq!((record.overrun_bytes, record.errors), (0, 0));
        prop_assert_eq!(world.acknowledged as usize, squares(count).len());
    }

    #[test]
    fn after_a_stop_nothing_burns_and_the_position_is_known(seed in any::<u64>(), at in 0.3..3.0f64) {
        let mut world = run(&squares(60), Setup::default(), seed, Mishap::Stop(at));
        prop_assert_eq!(world.outcome, Outcome::Stopped);
        prop_assert!(!world.rig.beam_on());
        let burnt = world.rig.record().burnt_mm;
        world.rig.advance(world.rig.now() + 60.0);
        prop_assert_eq!(world.rig.record().burnt_mm, burnt);
        // Reset at standstill: no alarm, no homing needed.
        world.rig.take_output();
        world.rig.receive(b"?");
        let status = String::from_utf8(world.rig.take_output()).expect("text");
        prop_assert!(status.starts_with("<Idle"), "{}", status);
    }

    #[test]
    fn a_refused_line_ends_the_run_with_its_number(seed in any::<u64>(), at in 3usize..60) {
        let mut lines = squares(20);
        lines[at] = "G38.2X5".into();
        let mut world = run(&lines, Setup::default(), seed, Mishap::Nothing);
        let refused = Failure::Refused { line: Some(at as u32 + 1), code: 20 };
        prop_assert_eq!(world.outcome, Outcome::Failed(refused));
        let burnt = world.rig.record().burnt_mm;
        world.rig.advance(world.rig.now() + 60.0);
        prop_assert!(!world.rig.beam_on() && world.rig.record().burnt_mm == burnt);
    }

    #[test]
    fn a_move_off_the_bed_is_an_alarm(seed in any::<u64>()) {
        let setup = Setup { high: [30.0, 30.0], ..Setup::default() };
        let world = run(&squares(20), setup, seed, Mishap::Nothing);
        prop_assert_eq!(world.outcome, Outcome::Failed(Failure::Alarm(2)));
        prop_assert!(world.rig.record().extents.is_none_or(|(_, high)| high[0] <= 30.001));
    }

    #[test]
    fn a_closed_link_is_told_at_once(seed in any::<u64>(), at in 0.2..2.0f64) {
        let world = run(&squares(60), Setup::default(), seed, Mishap::Close(at));
        prop_assert_eq!(world.outcome, Outcome::Failed(Failure::Closed));
    }
}
