//! The log: carried between computers, and what it says of the machine's motion.

use crate::common::Bench;

const JOB: &str = "sail-panel.kite.toml";

/// Runs a job in this process and logs it in `log`.
fn run(bench: &Bench, log: &str, args: &[&str]) {
    bench.ok(&[&["run", "--plain", "--to", "rig:", "--log", log], args].concat());
}

fn list(bench: &Bench, log: &str) -> serde_json::Value {
    bench.json(&["log", "list", "--log", log])
}

#[test]
fn runs_are_carried_to_another_log_and_not_doubled() {
    let bench = Bench::new();
    run(&bench, "one.sqlite", &[JOB, "--only", "folds", "--note", "first"]);
    run(&bench, "one.sqlite", &["--again", "1"]);
    let note = |result: &str| {
        bench.ok(&["log", "note", "2", "--result", result, "--log", "one.sqlite"]);
    };
    note("charred");
    run(&bench, "two.sqlite", &[JOB, "--only", "outline"]);
    bench.ok(&["log", "export", "-o", "runs.jsonl", "--log", "one.sqlite"]);
    let told = bench.ok(&["log", "import", "runs.jsonl", "--log", "two.sqlite"]);
    assert_eq!(
        told.trim(),
        "2 runs taken in, 0 known already; 1 result of steps that were not known"
    );
    let there = list(&bench, "two.sqlite");
    assert_eq!((&there[0]["run"], &there[0]["after"]), (&3.into(), &2.into()));
    for (n, key) in [(0, "sha256"), (1, "note"), (1, "steps"), (0, "seconds"), (0, "how")] {
        assert_eq!(there[n][key], list(&bench, "one.sqlite")[n][key], "{key}");
    }
    assert_eq!((&there[0]["brought"], &there[2]["brought"]), (&true.into(), &false.into()));
    let found = bench.json(&["log", "find", "--material", "ripstop 0.1 mm", "--log", "two.sqlite"]);
    assert_eq!(found["tries"][0]["outcome"], "charred");
    // What is known is not doubled; what was noted since comes along.
    note("good");
    bench.ok(&[
        "log",
        "export",
        "-o",
        "runs.jsonl",
        "--force",
        "--programs",
        "--log",
        "one.sqlite",
    ]);
    let again = ["run", "--again", "3", "--plain", "--to", "rig:", "--log", "two.sqlite"];
    assert!(bench.refused(2, &again).contains("the log has no program of run 3"));
    let told = bench.ok(&["log", "import", "runs.jsonl", "--log", "two.sqlite"]);
    assert_eq!(
        told.trim(),
        "0 runs taken in, 2 known already; 1 result of steps that were not known"
    );
    // With its program it can be run again, bit by bit the same.
    bench.ok(&again);
    let runs = list(&bench, "two.sqlite");
    assert_eq!(runs[0]["sha256"], runs[1]["sha256"]);
    // The last run is the last of this computer.
    bench.ok(&["log", "export", "-o", "-", "--log", "one.sqlite"]);
    assert_eq!(bench.json(&["log", "show", "--log", "two.sqlite"])["run"], 4);
}

#[test]
fn what_is_no_export_is_refused_with_its_line_and_nothing_is_taken_in() {
    let bench = Bench::new();
    run(&bench, "one.sqlite", &[JOB, "--only", "folds"]);
    bench.ok(&["log", "export", "-o", "runs.jsonl", "--programs", "--log", "one.sqlite"]);
    let right = bench.read("runs.jsonl");
    bench.ok(&["log", "export", "-o", "-", "--log", "one.sqlite"]);
    run(&bench, "two.sqlite", &[JOB, "--only", "folds"]);
    let refused = |text: &str| {
        bench.write("wrong.jsonl", text);
        let told = bench.refused(2, &["log", "import", "wrong.jsonl", "--log", "two.sqlite"]);
        assert_eq!(list(&bench, "two.sqlite").as_array().unwrap().len(), 1, "{told}");
        told
    };
    assert!(refused("").contains("is empty"));
    assert!(refused("M3 S100\n").contains("wrong.jsonl:1: it is no JSON"));
    assert!(refused("{}\n").contains("not a file of exported runs; nothing was taken in"));
    assert!(refused("{\"tinkite-log\":9}\n").contains("a later version"));
    let changed = |from: &str, to: &str| {
        assert!(right.contains(from), "{from}");
        refused(&right.replacen(from, to, 1))
    };
    assert!(changed("\"kind\":\"run\"", "\"kind\":\"walk\"").contains(":2: no run is of kind"));
    assert!(changed("\"how\":\"done\"", "\"how\":\"fine\"").contains(":2: how is \"fine\""));
    assert!(changed("\"dark\":\"confirmed\"", "\"dark\":\"sure\"").contains(":2: dark is"));
    assert!(changed("\"how\":\"done\"", "\"how\":7").contains(":2: how is 7"));
    assert!(changed("\"began\":", "\"begann\":").contains("nothing of a run is called \"begann\""));
    assert!(changed("\"lines\":", "\"lines\":\"many\",\"sent\":").contains(":2: "));
    assert!(
        changed("\"sha256\":\"", "\"sha256\":\"0").contains("not the one that its SHA-256 says")
    );
    assert!(changed("\"steps\":[", "\"steps\":[3,").contains(":2: "));
    assert!(changed("\"program\":\"", "\"program\":\"????").contains(":2: its program"));
    // A line that was cut off.
    assert!(refused(&right[..right.len() - 40]).contains(":2: it is no JSON"));
}

#[test]
fn times_in_the_log_say_how_the_machine_accelerates() {
    let bench = Bench::new();
    // What the machine really does; its profile believes otherwise.
    let believed = bench.read("bench-laser.machine.toml");
    let real = believed
        .replace("1500 mm/s2", "600 mm/s2")
        .replace("1200 mm/s2", "480 mm/s2")
        .replace("corner = \"0.01 mm\"", "corner = \"0.03 mm\"");
    bench.write("bench-laser.machine.toml", &real);
    bench.demo("sky-panel.svg");
    bench.demo("sky-panel.kite.toml");
    for job in [JOB, "sky-panel.kite.toml"] {
        run(&bench, "runs.sqlite", &[job]);
    }
    // Short lines with corners say what long ones do not.
    let corners: String =
        (0..600).map(|n| format!("h3 v{} ", if n % 2 == 0 { 3 } else { -3 })).collect();
    bench.write(
        "zigzag.svg",
        format!("<svg xmlns='http://www.w3.org/2000/svg' width='200mm' height='100mm' viewBox='0 0 2000 1000' fill='none'><path stroke='red' d='M10 10 {corners}'/></svg>"),
    );
    let job = bench.read(JOB).replace("sail-panel.svg", "zigzag.svg");
    let (head, steps) = job.split_once("[[step]]").unwrap();
    let outline = steps.rsplit_once("[[step]]").unwrap().1;
    bench.write("zigzag.kite.toml", format!("{head}[[step]]{outline}"));
    for speed in ["30 mm/s", "90 mm/s"] {
        let set = format!("steps.outline.speed={speed}");
        run(&bench, "runs.sqlite", &["zigzag.kite.toml", "--only", "outline", "--set", &set]);
    }
    bench.write("bench-laser.machine.toml", &believed);
    let measure =
        ["machine", "measure", "bench-laser.machine.toml", "--times", "--log", "runs.sqlite"];
    let told = bench.json(&measure);
    let near = |value: &serde_json::Value, wanted: f64, share: f64| {
        let value = value.as_f64().unwrap();
        assert!((value / wanted - 1.0).abs() < share, "{value} for {wanted}: {told}");
    };
    near(&told["acceleration_mm_s2"][0], 600.0, 0.04);
    near(&told["acceleration_mm_s2"][1], 480.0, 0.04);
    near(&told["corner_mm"], 0.03, 0.25);
    let off = |key: &str| told[key].as_f64().unwrap();
    // Steps of a few seconds are read to a tenth or two.
    assert!(off("off") < 0.02 && off("off_was") > 0.1, "{told}");
    // Kept, the profile says it, and its comments stay.
    bench.ok(&[&measure[..], &["--keep"]].concat());
    let kept = bench.read("bench-laser.machine.toml");
    let lines = |text: &str| text.lines().filter(|line| line.contains('#')).count();
    assert_eq!(lines(&kept), lines(&believed));
    let again = bench.json(&measure);
    assert!((again["off_was"].as_f64().unwrap() - off("off")).abs() < 0.003, "{again}");
    let none = ["machine", "measure", "tube-laser", "--times", "--log", "runs.sqlite"];
    assert!(bench.refused(2, &none).contains("the log has 0 finished steps of"));
}
