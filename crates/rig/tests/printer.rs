//! Streaming in the text protocol of 3-D-printer firmware, on a link that cuts, delays, changes and
//! loses bytes as a seed tells it to.

use crate::world::{Mishap, config, run, squares};
use proptest::prelude::*;
use tinkite_rig::{Protocol, Setup};
use tinkite_wire::{Dark, Failure, Outcome};

fn printer() -> Setup {
    Setup { protocol: Protocol::Reprap, laser_mode: false, full: 255.0, ..Setup::default() }
}

/// Squares as a printer's firmware burns them: power in lines of its own.
fn lines(count: usize) -> Vec<String> {
    let mut lines = vec!["M107".to_string(), "G21".into(), "G90".into()];
    for line in
        squares(count).iter().filter(|line| line.starts_with("G0") || line.starts_with("G1"))
    {
        if line.starts_with("G0") {
            lines.extend(["M107".to_string(), line.replace("S0", "F6000"), "M106 S80".into()]);
        } else {
            lines.push(line.replace("S300", ""));
        }
    }
    lines.push("M107".into());
    lines
}

proptest! {
    #![proptest_config(config("tests/printer.proptest-regressions"))]

    #[test]
    fn every_line_is_burnt_once_however_the_bytes_come(seed in any::<u64>(), count in 1usize..8) {
        let world = run(&lines(count), printer(), seed, Mishap::Nothing);
        prop_assert_eq!(world.outcome, Outcome::Done);
        let record = world.rig.record();
        prop_assert!((record.burn_mm - 16.0 * count as f64).abs() < 1e-6, "{}", record.burn_mm);
        prop_assert_eq!((record.errors, world.rig.beam_on()), (0, false));
        prop_assert_eq!(world.acknowledged as usize, lines(count).len());
    }

    /// A bad cable costs time or the run, never the stock: every line that is burnt is one of the
    /// program's, burnt once.
    #[test]
    fn on_a_bad_cable_nothing_else_is_burnt(seed in any::<u64>(), one_in in 60u64..2000) {
        let count = 6;
        let world = run(&lines(count), printer(), seed, Mishap::Noise(one_in));
        let record = world.rig.record();
        let wanted = 16.0 * count as f64;
        match world.outcome {
            Outcome::Done => {
                prop_assert!((record.burn_mm - wanted).abs() < 1e-6, "{}", record.burn_mm);
                prop_assert!(!world.rig.beam_on());
            }
            Outcome::Failed(Failure::BadLink | Failure::Silent | Failure::NoAnswer | Failure::Unknown { .. }) => {}
            other => prop_assert!(false, "{other:?}"),
        }
        // What is claimed of the beam is so.
        prop_assert!(world.dark != Dark::Confirmed || !world.rig.beam_on());
        prop_assert!(record.burn_mm < wanted + 1e-6);
        for mark in &record.marks {
            prop_assert_eq!(mark.s, 80.0);
            let on_grid = |p: [f64; 2]| p[0].rem_euclid(5.0) < 4.001 && p[1].rem_euclid(5.0) < 4.001;
            prop_assert!(on_grid(mark.from) && on_grid(mark.to), "{mark:?}");
        }
    }

    #[test]
    fn after_a_stop_the_beam_is_off_and_stays_off(seed in any::<u64>(), at in 0.3..3.0f64) {
        let mut world = run(&lines(60), printer(), seed, Mishap::Stop(at));
        prop_assert_eq!(world.outcome, Outcome::Stopped);
        prop_assert!(matches!(world.dark, Dark::Confirmed | Dark::Untouched), "{:?}", world.dark);
        world.rig.advance(world.rig.now() + 1.0);
        prop_assert!(!world.rig.beam_on());
        let burnt = world.rig.record().burn_mm;
        world.rig.advance(world.rig.now() + 60.0);
        prop_assert_eq!(world.rig.record().burn_mm, burnt);
    }

    #[test]
    fn a_line_that_is_not_known_ends_the_run_with_its_number(seed in any::<u64>(), at in 4usize..40) {
        let mut program = lines(10);
        program[at] = "G38.2 X5".into();
        let world = run(&program, printer(), seed, Mishap::Nothing);
        let known = matches!(
            &world.outcome,
            Outcome::Failed(Failure::Unknown { line: Some(line), .. }) if *line == at as u32 + 1
        );
        prop_assert!(known, "{:?}", world.outcome);
        prop_assert!(!world.rig.beam_on());
    }
}
