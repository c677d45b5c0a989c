//! Programs from anywhere: read, explained, held against a machine, drawn; and the four shipped
//! machines with their dialects, each from a job to a finished run.

use crate::common::{Bench, Ran};
use serde_json::Value;

fn read(program: &str, more: &[&str]) -> (serde_json::Value, Vec<String>) {
    let bench = Bench::new();
    bench.write("p.nc", program);
    let ran = bench.run(&[&["read", "p.nc", "--json"], more].concat());
    let value: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
    let codes = value["problems"].as_array().unwrap().iter();
    let codes: Vec<String> = codes
        .map(|p| {
            let line = p["line"].as_u64().map(|line| line.to_string()).unwrap_or_default();
            format!("{} {line}", p["code"].as_str().unwrap())
        })
        .collect();
    (value, codes)
}

/// Extents burnt, as `[x0, y0, x1, y1]`.
fn burnt(value: &serde_json::Value) -> [f64; 4] {
    let e = &value["burn_extents_mm"];
    let n = |which: &str, axis: usize| e[which][axis].as_f64().unwrap();
    [n("min", 0), n("min", 1), n("max", 0), n("max", 1)]
}

#[test]
fn offsets_of_every_kind_move_the_places_and_not_the_lengths() {
    let square = "G1 X10 F600 S5\nY10\nX0\nY0\n";
    for (before, at) in [
        ("", [0.0, 0.0]),
        ("G0 X50 Y40\nG92 X0 Y0\n", [50.0, 40.0]),
        ("G0 X50 Y40\nG92 X0 Y0\nG92.1\nG0 X0 Y0\n", [0.0, 0.0]),
        ("G0 X50 Y40\nG92 X0 Y0\nG92.2\nG92.3\n", [50.0, 40.0]),
        ("G10 L2 P1 X20 Y30\nG0 X0 Y0\n", [20.0, 30.0]),
        ("G10 L2 P3 X20 Y30\nG56 G0 X0 Y0\n", [20.0, 30.0]),
        ("G0 X7 Y8\nG10 L20 P2 X0 Y0\nG55\n", [7.0, 8.0]),
        ("G10 L2 P9 X20 Y30\nG59.3 G0 X0 Y0\n", [20.0, 30.0]),
        ("G10 L2 P1 X20 Y30\nG53 G0 X5 Y6\nG91\n", [5.0, 6.0]),
        ("G28\nG0 X3 Y4\nG91\n", [3.0, 4.0]),
    ] {
        let square =
            if before.contains("G91\n") { "G1 X10 F600 S5\nY10\nX-10\nY-10\n" } else { square };
        let (value, codes) = read(&format!("G21 G90\nM3 S0\n{before}{square}M5\nM2\n"), &[]);
        let told =
            |code: &String| ["home-unknown", "offset-left"].iter().any(|c| code.starts_with(c));
        assert!(codes.iter().all(told), "{before}: {codes:?}");
        // G92.1 takes back what G92 set; everything else that is set is left behind.
        let sets = (before.contains("G10") || before.contains("G92")) && !before.contains("G92.1");
        assert_eq!(codes.iter().any(|code| code.starts_with("offset-left")), sets, "{before}");
        assert_eq!(value["burn_mm"], 40.0, "{before}");
        assert_eq!(burnt(&value), [at[0], at[1], at[0] + 10.0, at[1] + 10.0], "{before}");
    }
}

#[test]
fn a_zero_that_is_set_elsewhere_may_be_said() {
    // 60 mm to the left of its zero and 20 mm in front of it: made for a zero on the stock.
    let square = "G21 G90\nM3 S0\nG1 X-60 F600 S5\nY-20\nX0\nY0\nM5\nM2\n";
    let severity = |more: &[&str]| -> Vec<String> {
        let (value, _) = read(square, &[&["--machine", "bench-laser"], more].concat());
        let problems = value["problems"].as_array().unwrap().iter();
        let off = problems.filter(|p| p["code"] == "off-bed");
        off.map(|p| p["severity"].as_str().unwrap().to_string()).collect()
    };
    assert_eq!(severity(&[]), ["warning"]);
    assert_eq!(severity(&["--zero", "100 mm, 50 mm"]), Vec::<String>::new());
    assert_eq!(severity(&["--zero", "50 mm, 50 mm"]), ["error"]);
    assert_eq!(severity(&["--zero", "0 mm, 0 mm"]), ["error"]);
    let (value, _) = read(square, &["--machine", "bench-laser", "--zero", "100 mm, 50 mm"]);
    assert_eq!(burnt(&value), [40.0, 30.0, 100.0, 50.0]);
    // What finds no room from any zero is wrong whatever the zero.
    let (value, codes) = read("G21\nM3 S100\nG1 X-500 F600\nM5\nM2", &["--machine", "bench-laser"]);
    assert!(codes.contains(&"off-bed 3".to_string()), "{value}");
    assert_eq!(value["problems"][0]["severity"], "error");
}

#[test]
fn arcs_of_every_kind_are_measured() {
    let half = 5.0 * std::f64::consts::PI;
    for (line, length) in [
        ("G2 X10 Y0 I5 J0", half),
        ("G3 X10 Y0 R5", half),
        ("G90.1 G2 X10 Y0 I5 J0\nG91.1", half),
        ("G17 G2 X0 Y0 I5 J0", 2.0 * half),
        ("G2 X10 Y0 I5 J0 Z12", half.hypot(12.0)),
        // Standing on edge it goes up and comes down again: as long, and straight on the bed.
        ("G18 G2 X10 Z0 I5 K0\nG17", half),
        ("G20 G2 X1 Y0 I0.5 J0\nG21", half * 2.54),
    ] {
        let text = format!("G21 G90\nG0 X0 Y0 Z0\nM3 S9\nF600\n{line}\nM5\nM2\n");
        let (value, codes) = read(&text, &[]);
        assert!(codes.is_empty(), "{line}: {codes:?}");
        let found = value["burn_mm"].as_f64().unwrap();
        assert!((found - length).abs() < 0.01, "{line}: {found} {length}");
    }
}

#[test]
fn expressions_feeds_and_turns_are_worked_out() {
    let (value, codes) = read(
        "G21 G90\n#1 = 10\n#2 = [#1 * 2]\nM3 S[#1 + 5]\nG1 X[#2] F[60 * #1]\nG93 G1 X[#2 + 30] F2\nM5\nM2",
        &[],
    );
    assert!(codes.is_empty(), "{codes:?}");
    assert_eq!((&value["burn_mm"], &value["seconds"]), (&50.0.into(), &32.0.into()));
    assert_eq!(value["s"], serde_json::json!([15.0, 15.0]));
    // A whole turn of 50 mm; a plain note when nobody says the diameter.
    let turn = "G21 G90\nM3 S5\nG1 A360 F720\nM5\nM2";
    let (value, codes) = read(turn, &["--diameter", "50 mm"]);
    assert!(codes.is_empty(), "{codes:?}");
    assert!((value["burn_mm"].as_f64().unwrap() - 157.08).abs() < 0.01);
    assert_eq!(
        (&value["seconds"], &value["rotary_deg"]),
        (&30.0.into(), &serde_json::json!([0.0, 360.0]))
    );
    let (value, codes) = read(turn, &[]);
    assert_eq!((codes, &value["burn_mm"]), (vec!["no-diameter 3".to_string()], &0.0.into()));
}

#[test]
fn each_kind_of_danger_is_told_with_its_line() {
    let bench = ["--machine", "bench-laser"];
    for (program, expected) in [
        ("G21\nM3 S100\nG0 X50\nM5\nM2", "lit-travel 3"),
        ("G21\nM3 S100\nG1 X50 F600\nM2\n", ""),
        ("G21\nM3 S100\nG1 X50 F600\n", "lit-at-end 3"),
        ("G21\nM3 S100\nG1 X50 F600\nG4 P9\nM5\nM2", "dwell-lit 4"),
        ("G21\nM3 S100\nG1 X50\nM5\nM2", "no-feed 3"),
        ("G21\nM3 S2000\nG1 X50 F600\nM5\nM2", "over-full 3"),
        ("G21\nM3 S950\nG1 X50 F600\nM5\nM2", "over-ceiling 3"),
        ("M3 S100\nG1 X50 F600\nM5\nM2", "no-units 2"),
        ("G21\nM3 S100\nG1 X500 F600\nM5\nM2", "off-bed 3"),
        ("G21\nG0 Z5\nG0 X5\nM2", "no-focus-axis 2"),
        ("G21\nM3 S100\nG81 X50 F600\nG1 X5 F100\nM5\nM2", "not-understood 3"),
        ("G21\nM3 S100\nG1 X[1/0] F600\nG0 X1 S0\nM5\nM2", "unread-line 3"),
        ("G21\nM777\nG0 X5\nM2", "no-such-word 2"),
        ("G21\nG0 X5\nM2\nG0 X9", "after-end 4"),
        ("G21\nM3 S100\nG1 X50 F60000\nM5\nM2", "over-speed 3"),
    ] {
        let (_, codes) = read(program, &bench);
        let expected: Vec<&str> = if expected.is_empty() { vec![] } else { vec![expected] };
        assert_eq!(codes, expected, "{program}");
    }
}

#[test]
fn a_program_is_explained_line_by_line() {
    let bench = Bench::new();
    bench.write(
        "p.nc",
        "%\nG20 G91\n; mine\nM4 S0\nG0 X1 Y1\nG1 X1 F60 S500\nG2 X1 Y0 I0.5\nG4 P0.5\n#1=2\nG92 X0\nM5\nM2\nG0 X5\n",
    );
    insta::assert_snapshot!(bench.ok(&["read", "p.nc", "--explain"]));
}

#[test]
fn any_program_can_be_drawn_and_run() {
    let bench = Bench::new();
    bench.write(
        "star.nc",
        "%\n(a star from elsewhere)\nG21 G90 G94\n#1 = 40\nM3 S0\nG0 X100 Y[60 + #1]\nG1 X[100 + #1 * sin[144]] Y[60 + #1 * cos[144]] S300 F1200\nX[100 + #1 * sin[288]] Y[60 + #1 * cos[288]]\nX[100 + #1 * sin[72]] Y[60 + #1 * cos[72]]\nX[100 + #1 * sin[216]] Y[60 + #1 * cos[216]]\nX100 Y[60 + #1]\nM5\nM2\n%\n",
    );
    // Controllers of the `grbl` interface do no arithmetic.
    let told = bench.refused(1, &["run", "star.nc", "--machine", "bench-laser", "--to", "rig:"]);
    assert!(told.contains("does no arithmetic"), "{told}");
    let profile = bench.read("bench-laser.machine.toml");
    let ngc = profile.replace("dialect = \"grbl\"", "dialect = \"ngc\"");
    bench.write("reader.machine.toml", ngc);
    bench.ok(&["draw", "star.nc", "--machine", "./reader.machine.toml", "-o", "star.svg"]);
    let svg = bench.read("star.svg");
    assert!(svg.contains("a machine program") && svg.contains("380.4 mm burnt"), "{svg}");
    assert!(bench.refused(2, &["draw", "star.nc", "-o", "x.svg"]).contains("--machine"));
    for (name, bytes) in [("empty.nc", &b""[..]), ("noise.nc", &b"\x1b[31m\xff\x00\x01(\nG1 X"[..])]
    {
        bench.write(name, bytes);
        bench.refused(1, &["draw", name, "--machine", "bench-laser", "-o", "x.svg"]);
        let explained = bench.run(&["read", name, "--explain"]);
        assert!(explained.status == 1 && !explained.out.contains('\x1b'), "{}", explained.out);
    }
    // Over a link it is done before.
    let out = bench.ok(&["run", "star.nc", "--machine", "./reader.machine.toml", "--to", "rig:"]);
    assert!(out.contains("380.4 mm burnt"), "{out}");
    bench.write(
        "square.nc",
        "G21 G90\nM3 S0\nG0 X10 Y10\nG1 X30 S200 F1200\nY30\nX10\nY10\nM5\nM2\n",
    );
    let out = bench.ok(&["run", "square.nc", "--machine", "bench-laser", "--to", "rig:"]);
    assert!(out.contains("80 mm burnt"), "{out}");
}

#[test]
fn each_shipped_machine_takes_a_job_to_a_finished_run() {
    let bench = Bench::new();
    for name in
        ["line-reel.svg", "line-reel.kite.toml", "spar-hub.dxf", "hubs.kite.toml", "reel-label.svg"]
    {
        bench.demo(name);
    }
    for name in ["tube-laser", "reel-laser", "printer-laser"] {
        bench.demo(&format!("{name}.machine.toml"));
    }
    bench.write(
        "label.kite.toml",
        "tinkite = 1\nmachine = \"printer-laser\"\n[[artwork]]\nfile = \"reel-label.svg\"\n[place]\nat = [\"20 mm\", \"20 mm\"]\n[[step]]\nname = \"kite\"\ntake = { fill = \"#1a1a1a\" }\nmake = \"engrave\"\nspeed = \"80 mm/s\"\npower = \"20 %\"\nlines = { spacing = \"1 mm\" }\n[[step]]\nname = \"lines\"\ntake = { rest = true }\nmake = \"cut\"\nspeed = \"30 mm/s\"\npower = \"60 %\"\npasses = 2\nfocus-drop = \"0.5 mm\"\npierce = { power = \"80 %\", dwell = \"0.2 s\" }\n",
    );
    for (job, machine, skip) in [
        ("sail-panel.kite.toml", "bench-laser", ""),
        ("hubs.kite.toml", "tube-laser", ""),
        ("line-reel.kite.toml", "reel-laser", "band and kites"),
        ("label.kite.toml", "printer-laser", ""),
    ] {
        let only: &[&str] = if skip.is_empty() { &[] } else { &["--skip", skip] };
        let plan = bench.json(&[&["plan", job], only].concat());
        let program = format!("{machine}.nc");
        bench.ok(&[&["emit", job, "-o", &program], only].concat());
        let read = bench.json(&["read", &program, "--machine", machine, "--diameter", "70 mm"]);
        let number = |value: &serde_json::Value, key: &str| value[key].as_f64().unwrap();
        for (key, within) in [("burn_mm", 0.002), ("seconds", 0.01)] {
            let (planned, found) = (number(&plan, key), number(&read, key));
            assert!((found / planned - 1.0).abs() < within, "{machine} {key}: {planned} {found}");
        }
        let out = bench.ok(&[&["run", job, "--to", "rig:", "--json"], only].concat());
        let end: serde_json::Value = serde_json::from_str(out.lines().last().unwrap()).unwrap();
        let (planned, took) = (number(&plan, "seconds"), number(&end, "seconds"));
        assert_eq!(end["how"], "done");
        // A printer's board is asked twice whether it stands, with 0.4 s between.
        let proof = if machine == "printer-laser" { 0.7 } else { 0.0 };
        let over = took - planned;
        assert!(
            over > -0.01 * planned && over < 0.01 * planned + proof,
            "{machine}: {planned} {took}"
        );
    }
    let printed = bench.read("printer-laser.nc");
    assert!(printed.contains("M400\nM106 S204\nG4 P200\nM107"), "{printed}");
    assert!(!printed.contains("G2") || !printed.contains("I"), "no arcs");
    let lines = printed.lines().filter(|line| line.starts_with("G1") || line.starts_with("G0"));
    assert!(lines.clone().count() > 50 && lines.clone().all(|line| !line.contains('S')));
}

#[test]
fn a_program_too_large_for_its_card_is_cut_at_travel_moves() {
    let bench = Bench::new();
    bench.change(
        "bench-laser.machine.toml",
        "[air]",
        "[program]\nlargest = \"6 kB\"\nline-ends = \"crlf\"\n[air]",
    );
    let whole = bench.json(&["plan", "sail-panel.kite.toml"]);
    let emitted = bench.json(&["emit", "sail-panel.kite.toml", "-o", "panel.nc"]);
    let files = emitted["files"].as_array().unwrap();
    assert!(files.len() > 2, "{emitted}");
    let mut burnt = 0.0;
    for (n, file) in files.iter().enumerate() {
        let name = file["file"].as_str().unwrap();
        assert_eq!(name == "panel.nc", n == 0);
        let text = bench.read(name);
        assert!(text.len() <= 6000 && text.len() as u64 == file["bytes"].as_u64().unwrap());
        assert_eq!(text.lines().count() as u64, file["lines"].as_u64().unwrap());
        assert!(text.matches('\n').count() == text.matches("\r\n").count());
        let read = bench.json(&["read", name, "--machine", "bench-laser"]);
        assert_eq!(read["beam_off_at_end"], true);
        burnt += read["burn_mm"].as_f64().unwrap();
    }
    let planned = whole["burn_mm"].as_f64().unwrap();
    assert!((burnt - planned).abs() < 0.1, "{burnt} {planned}");
    // Lines of the profile's own at the end of each file take their room.
    bench.change(
        "bench-laser.machine.toml",
        "largest = \"6 kB\"",
        &format!("closing = [{}]\nlargest = \"6 kB\"", "\"G4 P0.01\", ".repeat(150)),
    );
    let emitted = bench.json(&["emit", "sail-panel.kite.toml", "-o", "own.nc"]);
    for file in emitted["files"].as_array().unwrap() {
        let text = bench.read(file["file"].as_str().unwrap());
        assert!(
            text.len() <= 6000 && text.matches("G4 P0.01\r\n").count() == 150,
            "{}",
            text.len()
        );
    }
    let more = "\"G4 P0.01\", ".repeat(220);
    bench.change("bench-laser.machine.toml", "closing = [", &format!("closing = [{more}"));
    bench.change("bench-laser.machine.toml", "largest = \"6 kB\"", "largest = \"4 kB\"");
    let told = bench.refused(2, &["emit", "sail-panel.kite.toml", "-o", "small.nc"]);
    assert!(told.contains("largest in [program]"), "{told}");
    assert!(!bench.path("small.nc").exists());
    // One long line has no travel in it to be cut at.
    let zigzag: String =
        (0..900).map(|n| format!("L{} {}", 5 + n % 2 * 60, 5.0 + f64::from(n) * 0.07)).collect();
    bench.write("long.svg", format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="80mm" viewBox="0 0 100 80" fill="none"><path d="M5 5{zigzag}" stroke="red"/></svg>"#));
    bench.write("long.kite.toml", "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"long.svg\"\n[[step]]\ntake = { stroke = \"red\" }\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n");
    let told = bench.refused(2, &["emit", "long.kite.toml"]);
    assert!(told.contains("larger than a file may be"), "{told}");
}

/// What a controller refuses, or takes otherwise than the next one does: nothing of it is called fine, and what is
/// refused when it is read is refused when it is run or put on a card, for the same reason.
#[test]
fn lines_that_controllers_refuse_or_take_otherwise_are_refused_wherever_they_are_read() {
    let bench = Bench::new();
    std::fs::create_dir(bench.path("card")).unwrap();
    for (line, code) in [
        ("/M5", "block-delete"),
        ("G1 X10 X20", "two-words"),
        ("S300 S700", "two-words"),
        ("M3 M5 S300", "two-words"),
        ("G20 G21", "two-words"),
        ("G90 G91", "two-words"),
        ("S-5", "below-zero"),
        ("G1 X1e2", "unused-word"),
        ("G1 X20 H1", "unused-word"),
        ("G1 X20 D1", "unused-word"),
        ("G1 X20 I1", "unused-word"),
        ("G1 X20 K1", "unused-word"),
        ("G1 X20 L1", "unused-word"),
        ("G1 X20 P1", "unused-word"),
        ("G1 X20 Q1", "unused-word"),
        ("G1 X20 R1", "unused-word"),
        ("G2 X20 Y15 I5 J0 P2", "unused-word"),
        ("G93\nG1 X20", "no-feed"),
        ("#1=5", "no-such-word"),
        ("G1 X[10+10]", "no-such-word"),
        ("G43 H1", "not-understood"),
        ("M62 P1", "no-such-word"),
        ("G1 X20\rG1 X30 X40", "two-words"),
    ] {
        let text = format!("G21 G90\nG0 X10 Y10\nM3 S100\nG1 X15 F600\n{line}\nM5 S0\nM2\n");
        bench.write("a.nc", text);
        let codes = |ran: &Ran| -> Vec<String> {
            // One document, or events of which the last says it.
            let said: Value = serde_json::from_str(&ran.out)
                .unwrap_or_else(|_| serde_json::from_str(ran.out.lines().last().unwrap()).unwrap());
            let problems = said["problems"].as_array().unwrap().iter();
            let errors = problems.filter(|problem| problem["severity"] == "error");
            errors.map(|problem| problem["code"].as_str().unwrap().to_string()).collect()
        };
        let machine = ["--machine", "bench-laser", "--json"];
        let read = bench.run(&[&["read", "a.nc"], &machine[..]].concat());
        assert_eq!((read.status, codes(&read)), (1, vec![code.to_string()]), "{line}");
        let run = bench.run(&[&["run", "a.nc", "--to", "rig:max"], &machine[..]].concat());
        assert_eq!((run.status, codes(&run)), (1, vec![code.to_string()]), "{line}");
        let card = bench.run(&[&["run", "a.nc", "--card", "card"], &machine[..]].concat());
        assert_eq!((card.status, codes(&card)), (1, vec![code.to_string()]), "{line}");
    }
    assert!(std::fs::read_dir(bench.path("card")).unwrap().next().is_none(), "nothing on the card");
    // Never said, too late, or known to the controller alone.
    for (program, code, status) in [
        ("G21 G90\nM3\nG1 X20 Y20 F600\nM5\nM2", "no-power", 1),
        ("G90\nG0 X20 Y20\nG21\nM3 S100\nG1 X30 F600\nM5\nM2", "no-units", 0),
        ("G21 G90\nG55\nG0 X500 Y20\nM3 S100\nG1 X530 F600\nM5\nM2", "offset-unknown", 0),
    ] {
        bench.write("a.nc", program);
        let read = bench.run(&["read", "a.nc", "--machine", "bench-laser", "--json"]);
        let value: Value = serde_json::from_str(&read.out).unwrap();
        let codes: Vec<_> =
            value["problems"].as_array().unwrap().iter().map(|p| &p["code"]).collect();
        assert_eq!((read.status, codes), (status, vec![&Value::from(code)]), "{program}");
    }
    // An offset that the program sets itself is known.
    bench.write(
        "a.nc",
        "G21 G90\nG10 L2 P2 X100 Y50\nG55\nG0 X20 Y20\nM3 S100\nG1 X30 F600\nM5\nG10 L2 P2 X0 Y0\nM2",
    );
    let out = bench.ok(&["read", "a.nc", "--machine", "bench-laser"]);
    assert!(out.contains("X 120 to 130, Y 70 to 70 mm"), "{out}");
    bench.ok(&["run", "a.nc", "--machine", "bench-laser", "--to", "rig:max"]);
    // Where a CR ends a line for a controller it ends one here.
    bench.write("cr.nc", "G21 G90\rM3 S100\rG0 X0 Y0 S0\rG1 X20 S100 F600\rM5 S0\rM2\r");
    let out = bench.ok(&["read", "cr.nc", "--machine", "bench-laser"]);
    assert!(out.contains("6 lines") && out.contains("20 mm burnt"), "{out}");
    let out = bench.ok(&["run", "cr.nc", "--machine", "bench-laser", "--to", "rig:max"]);
    assert!(out.contains("20 mm burnt"), "{out}");
    bench.ok(&["draw", "cr.nc", "--machine", "bench-laser", "-o", "cr.svg"]);
    assert!(bench.read("cr.svg").contains("20 mm burnt"));
    // A controller that reads whole files has what no link has.
    let profile = bench.read("bench-laser.machine.toml");
    bench.write("reader.machine.toml", profile.replace("dialect = \"grbl\"", "dialect = \"ngc\""));
    bench.write("b.nc", "G21 G90\nG64 P0.1\nM3 S0\nG0 X10 Y10\nG1 X30 S100 F600\nM5\nM2\n");
    bench.ok(&["run", "b.nc", "--card", "card", "--machine", "./reader.machine.toml"]);
    assert_eq!(std::fs::read(bench.path("card/b.nc")).unwrap(), bench.read("b.nc").into_bytes());
}
