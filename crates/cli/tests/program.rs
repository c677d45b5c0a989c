//! Programs: emit, and read them back.

use crate::common::Bench;
use serde_json::json;

const JOB: &str = "sail-panel.kite.toml";

#[test]
fn the_head_of_the_demo_program() {
    let bench = Bench::new();
    let program = bench.ok(&["emit", JOB, "-o", "-"]);
    let head: Vec<&str> = program.lines().take(18).collect();
    insta::assert_snapshot!(head.join("\n"), @"
    ; Sail panel
    ; laser program, tinkite 0.1.0, dialect grbl
    ; machine: Bench laser, 400 x 300 mm diode, origin bottom-left
    ; counts from the machine's zero: no work offset may be set
    ; material: ripstop 0.1 mm
    ; burns X 20 to 192.97, Y 20 to 136.385 mm
    ; moves X 20 to 192.97, Y 20 to 136.385 mm
    ; burn 3642.2 mm, travel 3781.5 mm, about 1 min 50 s
    M5 S0
    G21 G90 G94 G17 G54
    ; step 1 of 3: emblem - engrave, 120 mm/s, 30 % = S300
    M4 S0
    ; part 1 of 2: emblem
    G0X117.336Y42.033
    G1X121.336F7200
    X121.367S300
    X125.367S0
    G0X125.513Y42.233
    ");
    let tail: Vec<&str> = program.lines().rev().take(4).collect();
    assert_eq!(tail, ["M2", "M9", "M5 S0", "; end: beam and air off"]);
}

#[test]
fn the_same_bytes_on_every_run_and_any_number_of_cores() {
    let bench = Bench::new();
    let first = bench.ok(&["emit", JOB, "-o", "-"]);
    for threads in ["1", "2", "7"] {
        let output = bench
            .command(&["emit", JOB, "-o", "-"])
            .env("RAYON_NUM_THREADS", threads)
            .output()
            .unwrap();
        assert_eq!(String::from_utf8(output.stdout).unwrap(), first, "{threads} threads");
    }
}

#[test]
fn every_travel_says_beam_off_and_numbers_have_no_junk() {
    let bench = Bench::new();
    for args in [&["emit", JOB, "-o", "-"][..], &["emit", JOB, "-o", "-", "--terse"]] {
        let program = bench.ok(args);
        let mut s = String::from("unknown");
        let mut rapids = 0;
        for line in program.lines().filter(|l| !l.starts_with(';')) {
            if let Some((_, rest)) = line.split_once('S') {
                s = rest.chars().take_while(|c| c.is_ascii_digit()).collect();
            }
            if line.starts_with("G0") {
                rapids += 1;
                assert_eq!(s, "0", "{line}");
            }
            for number in line
                .split(|c: char| c.is_ascii_alphabetic() || c == ' ')
                .filter(|n| n.contains('.'))
            {
                assert!(
                    !number.ends_with(['0', '.']) && number.split('.').nth(1).unwrap().len() <= 3,
                    "{line}"
                );
            }
        }
        assert!(rapids > 20);
        assert_eq!(program.contains(';'), !args.contains(&"--terse"));
    }
}

#[test]
fn what_is_read_back_is_what_was_planned() {
    let bench = Bench::new();
    for (dialect, origin) in [
        ("grbl", "bottom-left"),
        ("ngc", "bottom-left"),
        ("grbl", "top-right"),
        ("ngc", "centre"),
        ("grbl", "top-left"),
        ("ngc", "bottom-right"),
    ] {
        let bench_laser = include_str!("../../../demo/bench-laser.machine.toml");
        let machine = bench_laser
            .replace("dialect = \"grbl\"", &format!("dialect = \"{dialect}\""))
            .replace("origin = \"bottom-left\"", &format!("origin = \"{origin}\""));
        bench.write("bench-laser.machine.toml", machine);
        // The same place on the bed, counted from each origin.
        let (x, y) = match origin {
            "bottom-left" => (20, 20),
            "bottom-right" => (-380, 20),
            "top-left" => (20, -280),
            "top-right" => (-380, -280),
            _ => (-180, -130),
        };
        bench.write(
            JOB,
            include_str!("../../../demo/sail-panel.kite.toml")
                .replace("[\"20 mm\", \"20 mm\"]", &format!("[\"{x} mm\", \"{y} mm\"]")),
        );
        let plan = bench.json(&["plan", JOB]);
        bench.ok(&["emit", JOB, "-o", "a.nc", "--force"]);
        let read = bench.json(&["read", "a.nc", "--machine", "bench-laser"]);
        assert_eq!(read["dialect"], dialect);
        assert_eq!(read["beam_off_at_end"], true);
        assert_eq!(read["problems"], json!([]));
        let number = |v: &serde_json::Value| v.as_f64().unwrap();
        for key in ["burn_mm", "travel_mm"] {
            let (a, b) = (number(&plan[key]), number(&read[key]));
            // The planner begins at the machine's zero, and so does the reader.
            assert!((a - b).abs() < 0.1, "{dialect} {origin} {key} {a} {b}");
        }
        assert!(
            (number(&plan["seconds"]) - number(&read["seconds"])).abs()
                < 0.01 * number(&plan["seconds"])
        );
        for (m, n) in [("min", 0), ("min", 1), ("max", 0), ("max", 1)] {
            let (a, b) =
                (number(&plan["extents_mm"][m][n]), number(&read["burn_extents_mm"][m][n]));
            assert!((a - b).abs() < 0.0015, "{dialect} {origin} {a} {b}");
        }
        assert!((number(&plan["extents_mm"]["min"][0]) - f64::from(x)).abs() < 0.001);
    }
}

#[test]
fn names_cannot_smuggle_commands_into_a_program() {
    let bench = Bench::new();
    bench.change(JOB, "\"Sail panel\"", "\"a\\n!M3 S1000 (boo) ?~ \\u0018 é\"");
    let program = bench.ok(&["emit", JOB, "-o", "-"]);
    assert!(program.starts_with("; a__M3 S1000 _boo_ __ _ _\n"), "{}", &program[..60]);
    assert!(program.bytes().all(|b| b == b'\n' || (b' '..=b'}').contains(&b)));
    assert!(!program.contains(['!', '?', '~']));
}

#[test]
fn output_is_never_overwritten_unasked() {
    let bench = Bench::new();
    assert!(bench.ok(&["emit", JOB]).starts_with("wrote sail-panel.nc"));
    assert!(bench.refused(2, &["emit", JOB]).contains("already there"));
    assert!(bench.ok(&["emit", JOB, "--number"]).starts_with("wrote sail-panel-2.nc"));
    assert!(bench.ok(&["emit", JOB, "--force"]).starts_with("wrote sail-panel.nc"));
    bench.refused(2, &["emit", JOB, "-o", "no/such/folder/a.nc"]);
    bench.refused(2, &["emit", JOB, "-o", "."]);
    assert_eq!(bench.json(&["emit", JOB, "-o", "b.nc"])["file"], "b.nc");
}

#[test]
fn programs_from_elsewhere_are_measured_and_their_trouble_told() {
    let bench = Bench::new();
    bench.write("good.nc", "%\nN10 G20 G90 (inches)\nN20 M3 S500\nN30 G0 X1 Y1 S0\nN40 G1 X2 S500 F100\nN50 G2 X2 Y1 I0.5 J0\nM5\nM30\n%\n");
    let read = bench.json(&["read", "good.nc"]);
    let inch = 25.4;
    let length = inch + std::f64::consts::TAU * 0.5 * inch;
    assert!((read["burn_mm"].as_f64().unwrap() - length).abs() < 0.001, "{read}");
    assert_eq!((&read["units"], &read["lines"]), (&json!("in"), &json!(9)));

    bench.write("bad.nc", "G21\nM3 S400\nG1 X10 F600\nG0 X450\nG1 X20\n");
    let err = bench.refused(1, &["read", "bad.nc", "--machine", "bench-laser"]);
    for words in
        ["lit-travel", "bad.nc:4", "50 mm beyond the right edge", "ends with the beam switched on"]
    {
        assert!(err.contains(words), "{words}: {err}");
    }
    for (name, bytes) in
        [("empty.nc", &b""[..]), ("noise.nc", b"\xff\xfe\x00\x01"), ("art.nc", b"<svg/>")]
    {
        bench.write(name, bytes);
        bench.refused(1, &["read", name]);
    }
    bench.write("wide.nc", vec![b'X'; 200_000]);
    assert!(bench.refused(1, &["read", "wide.nc"]).contains("64 kB"));
}
