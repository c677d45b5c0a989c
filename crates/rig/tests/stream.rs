//! Streaming in the grbl interface, on a link that cuts and delays bytes as a seed tells it to. A
//! failing case is printed by proptest with its seed and kept as a regression.

use crate::world::{Mishap, config, run, squares};
use proptest::prelude::*;
use tinkite_rig::Setup;
use tinkite_wire::{Complaint, Failure, Outcome};

fn numbered(code: u16) -> Complaint {
    Complaint { code: Some(code), text: code.to_string() }
}

/// Short moves of `step` hundredths of a mm, dark and lit in turn, with a longer one now and then.
fn hatch(count: u32, step: u32) -> Vec<String> {
    let mut lines = vec!["G21G90".to_string(), "M4S0".to_string(), "G1F6000".to_string()];
    let mut at = 0;
    for n in 0..count {
        at += if n % 97 == 96 { 500 } else { step };
        let s = n % 2 * 300;
        lines.push(format!("X{}.{:02}S{s}", at / 100 % 200, at % 100));
    }
    lines.extend(["M5S0".to_string(), "M2".to_string()]);
    lines
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
    fn a_board_that_takes_its_time_is_never_accused(
        seed in any::<u64>(),
        rate in 20.0..2000.0f64,
        baud in prop::option::of(2000.0..20_000.0f64),
        step in 1u32..40,
    ) {
        let lines = hatch(800, step);
        let setup = Setup {
            lines_per_second: Some(rate),
            bytes_per_second: baud,
            ..Setup::default()
        };
        let world = run(&lines, setup, seed, Mishap::Nothing);
        prop_assert_eq!(world.outcome, Outcome::Done);
        prop_assert_eq!(world.acknowledged as usize, lines.len());
        prop_assert_eq!((world.rig.record().overrun_bytes, world.rig.record().errors), (0, 0));
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
