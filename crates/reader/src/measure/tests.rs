use super::*;
use tinkite_machine as machine;

fn measure(program: &str, machine: Option<&Machine>) -> Report {
    let mut measure = Measure::new("a.nc", machine, None);
    for line in program.lines() {
        measure.line(line.as_bytes());
    }
    measure.finish()
}

fn codes(report: &Report) -> Vec<&'static str> {
    report.problems.iter().map(|p| p.code.text()).collect()
}

fn bench() -> Machine {
    machine::read("m", include_str!("../../../../demo/bench-laser.machine.toml")).unwrap()
}

#[test]
fn lengths_extents_and_s_of_a_small_program() {
    let report = measure(
        "G21 G90\nM3 S0\nG0 X10 Y10\nG1 X20 S200 F600\nG3 X20 Y20 I0 J5\nG2 X10 Y20 R5 S300\nG1 X10 Y10 S0\nM5\nM2\n",
        None,
    );
    assert_eq!(codes(&report), [""; 0]);
    let pi = std::f64::consts::PI;
    assert!((report.burn - (10.0 + 5.0 * pi + 5.0 * pi)).abs() < 1e-9);
    // From nowhere known to the first point is travel of unknown length, counted from zero.
    assert!((report.travel - (200f64.sqrt() + 10.0)).abs() < 1e-9);
    assert_eq!(report.s, Some((200.0, 300.0)));
    let burnt = report.burn_extents.unwrap();
    // Round the outside: the half circle to the right, then over the top.
    assert!((burnt.x1 - 25.0).abs() < 1e-9 && (burnt.y0 - 10.0).abs() < 1e-9, "{burnt:?}");
    assert!(report.beam_off_at_end && report.units == "mm");
    assert!((report.seconds - (report.burn + 10.0) / 10.0).abs() < 1e-9);
}

#[test]
fn homing_in_the_middle_of_a_program_is_read_and_told() {
    let report = measure("G21 G90\nM4 S0\nG0 X50 Y50\n$H\nG91\nG1 X20 S200 F600\nM5\nM2\n", None);
    assert_eq!(codes(&report), ["home-unknown"]);
    // From the zero, to where it leads from there.
    assert!(report.burn_extents.is_some_and(|burnt| (burnt.x0, burnt.x1) == (0.0, 20.0)));
    // Other commands of a controller have no place in a program.
    assert_eq!(codes(&measure("G21\n$32=0\nG0 X5\n", None))[0], "unread-line");
}

#[test]
fn inches_relative_moves_and_inverse_time() {
    let report = measure("G20 G91\nG0 X1\nM4 S5\nG93 G1 X1 F60\nG94 X1 F60\nM5\nM30", None);
    assert!((report.burn - 50.8).abs() < 1e-9);
    assert!((report.seconds - 2.0).abs() < 1e-9, "{}", report.seconds);
    assert!((report.extents.unwrap().x1 - 76.2).abs() < 1e-9);
}

#[test]
fn trouble_is_told_by_line_once_for_each_kind() {
    let bench = bench();
    let report = measure(
        "M3 S400\nG1 X10\nG0 X500\nG1 X-5 F600\nX-6\nG4 P1\nG5 X1\nG1 X#3\nG2 X5 Y5 I9 J0\nS950\nG1 X3",
        Some(&bench),
    );
    insta::assert_snapshot!(
        report.problems.iter().map(|p| format!("{} {} {}", p.place.as_ref().unwrap(), p.severity, p.message)).collect::<Vec<_>>().join("\n"),
        @"
    a.nc:2 error a feed move without a feed above zero
    a.nc:3 error a travel move (G0) with the beam on at S400
    a.nc:3 error the head leaves the bed: 100 mm beyond the right edge (and 3 more lines like it)
    a.nc:6 note the head stands still for 1 s with the beam on
    a.nc:7 error G5 is not understood by this version (and 1 more line like it)
    a.nc:8 error the controller has no parameters and does no arithmetic
    a.nc:11 error S950 is above the machine's ceiling of S900
    a.nc:11 error the program ends with the beam switched on (S950)
    a.nc:3 warning the program moves before it says mm or inch (G21 or G20)
    "
    );
}

#[test]
fn the_last_line_of_a_broken_program_does_not_matter() {
    for program in ["", "%", "\0\0\0", "G1", "M2\nG1 X5", "( open"] {
        let report = measure(program, None);
        assert!(!report.problems.is_empty() && report.burn == 0.0, "{program:?}");
    }
}

#[test]
fn the_timeline_climbs_to_the_whole_time() {
    let mut program = String::from("G21\nM4 S10\nG1 F600\n");
    for n in 1..=1000 {
        program.push_str(&format!("X{}\n", n % 2 * 10));
    }
    let report = measure(&(program + "M5"), None);
    assert!((990.0..1001.0).contains(&report.seconds), "{}", report.seconds);
    for line in [3, 70, 503, 900] {
        let off = report.timeline.seconds_at(line) - f64::from(line - 3);
        assert!(off.abs() < 64.0, "{off} s off at line {line}");
    }
    assert_eq!(report.timeline.seconds_at(5000), report.seconds);
}

/// Small programs and what is to be told of each, by the rules of RS-274/NGC.
#[test]
fn a_beam_that_is_lit_where_nothing_moves_is_told() {
    let bench = bench();
    let head = "G21 G90 G94\nM3 S0\nG0 X10 Y10\n";
    let table: [(&str, &[&str]); 8] = [
        // S is remembered from any line, a dwell's too.
        ("G4 P0.2 S500\nG1 X20 F600\nM5", &["dwell-lit"]),
        ("G4 P0.2\nG1 X20 S500 F600\nM5", &[]),
        ("G1 X20 S500 F600\nM0\nM5", &["lit-pause"]),
        ("G1 X20 S500 F600\nS0\nM0\nM5", &[]),
        ("G1 X20 S500 F600\nG1 Z2\nM5", &["lit-lift", "no-focus-axis"]),
        ("M5\nS500\nM3\nG1 X20 F600\nM5", &["lit-start"]),
        ("M4 S500\nG1 X20 F600\nM1\nM5", &[]),
        ("G1 X20 S500 F600\nM3\nM5", &[]),
    ];
    for (body, wanted) in table {
        let report = measure(&format!("{head}{body}\nM2\n"), Some(&bench));
        let mut told = codes(&report);
        told.sort_unstable();
        told.dedup();
        assert_eq!(told, wanted, "{body}");
    }
    // A rapid with constant power burns, and is counted and placed as burning.
    let rapid = measure("G21 G90\nM3 S0\nG0 X10 Y10\nS500\nG0 X40\nM5\nM2\n", None);
    assert!((rapid.burn - 30.0).abs() < 1e-9, "{}", rapid.burn);
    let burnt = rapid.burn_extents.unwrap();
    assert_eq!((burnt.x0, burnt.x1), (10.0, 40.0));
    // So does the first move of all, from where the head is taken to stand.
    let first = measure("G21 G90\nM3 S500\nG1 X30 Y20 F600\nM5\nM2\n", None);
    let burnt = first.burn_extents.unwrap();
    assert_eq!((burnt.x0, burnt.y0, burnt.x1, burnt.y1), (0.0, 0.0, 30.0, 20.0));
    // In 3-D-printer firmware the same word is seconds.
    let printer = measure("G21\nG90\nM107\nG4 S2\nG1 X5 F600\nM107\n", None);
    assert!(printer.s.is_none(), "{:?}", printer.s);
}
