//! Words that a controller remembers (NIST IR 6556, section 3): small programs whose truth is worked
//! out by hand, run on the rig and read by the measuring reader.

use tinkite_core::program::measure::Measure;
use tinkite_rig::{Rig, Setup};

/// A program behind `G21 G90 G94`, and what it does.
struct Row {
    program: &'static str,
    /// Whether the controller switches the beam off on travel.
    dark_travel: bool,
    burn: f64,
    travel: f64,
    /// Seconds in which the beam is lit and the head stands.
    standing: f64,
    /// What the reader says, in the order of its problems.
    told: &'static [&'static str],
}

const fn row(program: &'static str, burn: f64, travel: f64) -> Row {
    Row { program, dark_travel: true, burn, travel, standing: 0.0, told: &[] }
}

const TABLE: &[Row] = &[
    // S is remembered, on whatever line it stands.
    row("M4 S50\nG1 X10 F600\nS0\nX20\nM5", 10.0, 10.0),
    row("M4\nS50\nG1 X10 F600\nM5", 10.0, 0.0),
    Row { told: &["lit-start"], ..row("M3 S50\nG1 X10 F600\nM5\nG1 X20\nM3\nX30\nM5", 20.0, 10.0) },
    Row { told: &["lit-start"], ..row("M5 S50\nG1 X10 F600\nM3\nX20\nM5", 10.0, 10.0) },
    // On the line of a dwell S is the power too.
    Row {
        standing: 0.5,
        told: &["dwell-lit"],
        ..row("G1 F600\nM3 S0\nG4 P0.5 S50\nX10\nM5", 10.0, 0.0)
    },
    row("M4 S0\nG4 P0.5 S50\nG1 X10 F600\nM5", 10.0, 0.0),
    // Within a line: feed and power, then the switch, then the move; the end comes last.
    row("G1 X10 S50 F600 M4\nM5", 10.0, 0.0),
    row("M4 S50\nG1 X10 F600\nG1 X20 M5", 10.0, 10.0),
    row("M4 S50\nG1 X10 F600\nG1 X20 M2", 20.0, 0.0),
    row("G91\nM4 S50\nG1 X10 F600\nG1 X20 M2", 30.0, 0.0),
    // The end switches the beam off.
    row("M3 S50\nG1 X10 F600\nM2", 10.0, 0.0),
    row("M3 S50\nG1 X10 F600\nM30", 10.0, 0.0),
    // Air is not the beam.
    row("M8 S50\nG1 X10 F600\nM9", 0.0, 10.0),
    // Travel: dark where power follows the speed, lit where it stays and the mode is off.
    Row { told: &["lit-travel"], ..row("M4 S50\nG0 X10\nG1 X20 F600\nM5", 10.0, 10.0) },
    Row {
        dark_travel: false,
        told: &["lit-travel"],
        ..row("M3 S50\nG0 X10\nG1 X20 F600\nM5", 20.0, 0.0)
    },
    // Standing with a power that stays.
    Row {
        standing: 0.5,
        told: &["dwell-lit"],
        ..row("M3 S50\nG1 X10 F600\nG4 P0.5\nM5", 10.0, 0.0)
    },
    row("M4 S50\nG1 X10 F600\nG4 P0.5\nM5", 10.0, 0.0),
    // The focus from 0 to 2 mm, at 10 mm/s with 100 mm/s²: 0.1 s more than 0.2 s.
    Row { standing: 0.3, told: &["lit-lift"], ..row("M3 S50\nG1 X10 F600\nG1 Z2\nM5", 10.0, 0.0) },
    row("M3 S50\nG1 X10 F600\nM5\nG1 Z2\nM3 S0", 10.0, 0.0),
    // Distances and units stay as they were said.
    row("G91\nM4 S50\nG1 X10 F600\nX10\nG90\nX0\nM5", 40.0, 0.0),
    row("G20\nM4 S50\nG1 X1 F60\nG21\nX50.8\nM5", 50.8, 0.0),
    row("M4 S50\nG1 X10 F600\nG93 X20 F6\nG94 X30 F600\nM5", 30.0, 0.0),
    // The motion is remembered; a feed alone moves nothing.
    row("M4 S50\nG1 F600\nX10\nG0\nS0\nX20\nG1 S50\nX30\nM5", 20.0, 10.0),
    row("M4 S50\nG2 X0 Y0 I5 J0 F600\nM5", 31.4159, 0.0),
    row("M4 S50\nG3 X10 Y0 I5 J0 F600\nM5", 15.708, 0.0),
    // An offset changes what places are called and not where the head is.
    row("M4 S0\nG0 X10\nG10 L20 P1 X0 Y0\nG1 X5 S50 F600\nG10 L20 P1 X15\nM5", 5.0, 10.0),
];

#[test]
fn reader_and_rig_do_what_the_words_say() {
    for row in TABLE {
        let program = format!("G21 G90 G94\n{}\n", row.program);
        let mut measure = Measure::new("p", None, None);
        program.lines().for_each(|line| measure.line(line.as_bytes()));
        let report = measure.finish();
        let near = |got: f64, want: f64| (got - want).abs() < 0.01;
        assert!(near(report.burn, row.burn), "reader burns {}: {program}", report.burn);
        assert!(near(report.travel, row.travel), "reader travels {}: {program}", report.travel);
        let told: Vec<&str> = report.problems.iter().map(|problem| problem.code.text()).collect();
        assert_eq!(told, row.told, "{program}");

        let mut rig =
            Rig::new(Setup { soft_limits: false, laser_mode: row.dark_travel, ..Setup::default() });
        for line in program.lines() {
            rig.receive(format!("{line}\n").as_bytes());
            while rig.advance_to_next() {}
        }
        let said = String::from_utf8_lossy(&rig.take_output()).into_owned();
        assert!(!said.contains("error"), "{said}\n{program}");
        let record = rig.record();
        assert!(near(record.burn_mm, row.burn), "rig burns {}: {program}", record.burn_mm);
        assert!(near(record.travel_mm, row.travel), "rig travels {}: {program}", record.travel_mm);
        let standing = record.lit_standing_seconds;
        assert!(near(standing, row.standing), "rig stands lit for {standing} s: {program}");
        assert!(!rig.beam_on() || row.program.ends_with("S0"), "lit at the end: {program}");
    }
}
