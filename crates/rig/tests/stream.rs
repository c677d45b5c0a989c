//! Streaming in the grbl interface, on a link that cuts and delays bytes as a seed tells it to. A
//! failing case is printed by proptest with its seed and kept as a regression.
#![allow(clippy::expect_used, clippy::panic)] // helpers of tests

mod world;

use proptest::prelude::*;
use tinkite_rig::Setup;
use tinkite_wire::{Complaint, Failure, Outcome};
use world::{Mishap, config, run, squares};

fn numbered(code: u16) -> Complaint {
    Complaint { code: Some(code), text: code.to_string() }
}

proptest! {
    #![proptest_config(config("tests/stream.proptest-regressions"))]

    #[test]
    fn every_line_is_burnt_once_however_the_bytes_come(seed in any::<u64>(), count in 1usize..12) {
        let world = run(&squares(count), Setup::default(), seed, Mishap::Nothing);
        prop_assert_eq!(world.outcome, Outcome::Done);
        let record = world.rig.record();
        prop_assert!((record.burn_mm - 16.0 * count as f64).abs() < 1e-6, "{}", record.burn_mm);
        prop_assert_eq!((record.overrun_bytes, record.errors), (0, 0));
        prop_assert_eq!(world.acknowledged as usize, squares(count).len());
    }

    #[test]
    fn after_a_stop_nothing_burns_and_the_position_is_known(seed in any::<u64>(), at in 0.3..3.0f64) {
        let mut world = run(&squares(60), Setup::default(), seed, Mishap::Stop(at));
        prop_assert_eq!(world.outcome, Outcome::Stopped);
        prop_assert!(!world.rig.beam_on());
        let burnt = world.rig.record().burn_mm;
        world.rig.advance(world.rig.now() + 60.0);
        prop_assert_eq!(world.rig.record().burn_mm, burnt);
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
        let refused = Failure::Refused { line: Some(at as u32 + 1), complaint: numbered(20) };
        prop_assert_eq!(world.outcome, Outcome::Failed(refused));
        let burnt = world.rig.record().burn_mm;
        world.rig.advance(world.rig.now() + 60.0);
        prop_assert!(!world.rig.beam_on() && world.rig.record().burn_mm == burnt);
    }

    #[test]
    fn a_move_off_the_bed_is_an_alarm(seed in any::<u64>()) {
        let setup = Setup { high: [30.0, 30.0], ..Setup::default() };
        let world = run(&squares(20), setup, seed, Mishap::Nothing);
        prop_assert_eq!(world.outcome, Outcome::Failed(Failure::Alarm(numbered(2))));
        prop_assert!(world.rig.record().extents.is_none_or(|(_, high)| high[0] <= 30.001));
    }

    #[test]
    fn a_closed_link_is_told_at_once(seed in any::<u64>(), at in 0.2..2.0f64) {
        let world = run(&squares(60), Setup::default(), seed, Mishap::Close(at));
        prop_assert_eq!(world.outcome, Outcome::Failed(Failure::Closed));
    }
}
