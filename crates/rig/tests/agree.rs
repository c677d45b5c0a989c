//! Two readers that share no code, the rig's and the measuring one, must see the same thing in any
//! program; and two planners must take the same time for it.

use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;
use tinkite_core::machine;
use tinkite_core::program::measure::{Measure, Report};
use tinkite_rig::{Record, Rig, Setup};

const MACHINE: &str = include_str!("../../../demo/bench-laser.machine.toml");

fn measured(program: &str) -> Report {
    let machine = machine::read("m", MACHINE).expect("the demo's machine");
    let mut measure = Measure::new("p", Some(&machine), None);
    program.lines().for_each(|line| measure.line(line.as_bytes()));
    measure.finish()
}

/// Runs a program line by line, as fast as the rig takes it.
fn run(program: &str) -> (Record, f64) {
    let mut rig = Rig::new(Setup { soft_limits: false, ..Setup::default() });
    for line in program.lines() {
        rig.receive(format!("{line}\n").as_bytes());
        while rig.is_full() {
            rig.advance_to_next();
        }
    }
    while rig.advance_to_next() {}
    let said = String::from_utf8_lossy(&rig.take_output()).into_owned();
    assert!(!said.contains("error"), "{said}\n{program}");
    (rig.record().clone(), rig.now())
}

/// One line: what it does, where to, how strong.
type Line = (u8, f64, f64, u16);

/// A program on the bed that both readers take.
fn program(lines: &[Line]) -> String {
    let mut text = String::from("G21 G90 G94\nM4 S0\nG0 X100 Y100 S0\n");
    let (mut x, mut y) = (100.0, 100.0);
    for (kind, a, b, s) in lines {
        match kind {
            0 => text.push_str(&format!("G0 X{a:.3} Y{b:.3} S0\n")),
            1 | 2 => text.push_str(&format!("G1 X{a:.3} Y{b:.3} S{s} F{}\n", 300 + s * 4)),
            // A half circle to where the line would end.
            3 | 4 => {
                let (i, j) = ((a - x) / 2.0, (b - y) / 2.0);
                text.push_str(&format!(
                    "G{} X{a:.3} Y{b:.3} I{i:.4} J{j:.4} S{s} F1500\n",
                    kind - 1
                ));
            }
            5 => text.push_str(&format!("G91 G1 X{:.3} S{s} F900\nG90\n", a - x)),
            6 => text.push_str("(a comment) ; and another\n"),
            _ => {
                text.push_str(&format!("G20 G1 X{:.4} Y{:.4} S{s} F60\nG21\n", a / 25.4, b / 25.4))
            }
        }
        match kind {
            6 => {}
            5 => x = (*a * 1000.0).round() / 1000.0,
            _ => {
                x = (*a * 1000.0).round() / 1000.0;
                y = (*b * 1000.0).round() / 1000.0;
            }
        }
    }
    text + "M5 S0\nM2\n"
}

fn config() -> ProptestConfig {
    let kept = FileFailurePersistence::Direct("tests/agree.proptest-regressions");
    ProptestConfig {
        cases: 128,
        failure_persistence: Some(Box::new(kept)),
        ..ProptestConfig::default()
    }
}

proptest! {
    #![proptest_config(config())]

    #[test]
    fn both_readers_see_the_same_burn(
        lines in proptest::collection::vec((0u8..8, 60.0..200.0f64, 60.0..200.0f64, 0u16..900), 1..40),
    ) {
        let program = program(&lines);
        let report = measured(&program);
        let (record, _) = run(&program);
        // Chords are shorter than their arcs by at most 8/3 of the sagitta squared over the chord.
        let slack = 0.01 + 1e-3 * report.burn;
        prop_assert!((report.burn - record.burn_mm).abs() < slack, "{} {}\n{program}", report.burn, record.burn_mm);
        prop_assert!((report.travel - record.travel_mm).abs() < 0.05 + 1e-3 * report.travel, "{} {}\n{program}", report.travel, record.travel_mm);
        if let (Some(read), Some((low, high))) = (report.burn_extents, record.extents) {
            for (a, b) in [(read.x0, low[0]), (read.y0, low[1]), (read.x1, high[0]), (read.y1, high[1])] {
                prop_assert!((a - b).abs() < 0.01, "{read:?} {low:?} {high:?}\n{program}");
            }
        }
        let strongest = record.by_s().last().map_or(0.0, |(s, _)| s);
        prop_assert!((report.s.map_or(0.0, |(_, most)| most) - strongest).abs() < 0.1);
    }

    #[test]
    fn both_planners_take_the_same_time_for_long_straight_moves(
        lines in proptest::collection::vec((0u8..3, 60.0..200.0f64, 60.0..200.0f64, 100u16..900), 2..30),
    ) {
        let program = program(&lines);
        let planned = measured(&program).seconds;
        let (_, took) = run(&program);
        // Sixteen moves ahead are as good as all of them when moves are long.
        prop_assert!((planned - took).abs() < 0.01 * took + 0.01, "{planned} {took}\n{program}");
    }
}
