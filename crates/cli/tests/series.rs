//! Values set for one call, and tries of one series on the same spot.

use crate::common::{Bench, RigProcess};

const JOB: &str = "sail-panel.kite.toml";

/// What a job is refused for, in one line.
fn told(bench: &Bench, status: i32, args: &[&str]) -> String {
    let err = bench.refused(status, args);
    err.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ")
}

#[test]
fn a_value_is_set_for_one_call_in_every_command() {
    let bench = Bench::new();
    let with = |args: &[&'static str]| [args, &["--set", "steps.outline.power=40 %"]].concat();
    let plan = bench.json(&with(&["plan", JOB]));
    assert_eq!(plan["steps"][2]["power_percent"], serde_json::json!([40.0, 40.0]));
    // The same as if the file said it, but for the line that says so.
    let program = bench.ok(&with(&["emit", JOB, "-o", "-"]));
    let said = program.lines().find(|line| line.contains("set for this program"));
    assert_eq!(said, Some("; set for this program: steps.outline.power = \"40 %\""));
    bench.write("other.kite.toml", bench.read(JOB).replace("55 %", "40 %"));
    let other = bench.ok(&["emit", "other.kite.toml", "-o", "-"]);
    let without: Vec<&str> = program.lines().filter(|line| Some(*line) != said).collect();
    assert_eq!(without, other.lines().collect::<Vec<_>>());
    assert_eq!(bench.read(JOB), bench.read(JOB).replace("40 %", "55 %"), "the file is as it was");
    bench.ok(&with(&["check", JOB]));
    bench.ok(&with(&["draw", JOB, "-o", "a.svg"]));
    // It is run as it was said.
    bench.ok(&with(&["run", JOB, "--to", "rig:", "--plain"]));
}

#[test]
fn what_cannot_be_set_is_told_where_it_was_said() {
    let bench = Bench::new();
    let check = |set: &str| {
        let told = bench.run(&["check", JOB, "--set", set]);
        assert_ne!(told.status, 0, "{set}");
        told.err.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ")
    };
    assert!(check("steps.outline.power=40").contains("--set:1:1 1│ steps.outline.power=40"));
    assert!(check("steps.outlin.power=40 %").contains("did you mean \"outline\""));
    assert!(check("steps.outline.powr=40 %").contains("has no key called powr"));
    assert!(check("outline").contains("is no key with a value"));
    assert!(check("steps.outline.power=99 %").contains("above the machine's ceiling"));
    let twice = ["check", JOB, "--set", "material=a", "--set", "material=b"];
    assert!(told(&bench, 2, &twice).contains("material is set twice"));
    bench.ok(&["emit", JOB, "-o", "a.nc"]);
    let program = ["run", "a.nc", "--machine", "bench-laser", "--to", "rig:", "--set", "a=1"];
    assert!(told(&bench, 2, &program).contains("a program runs as it is"));
    let drawn = ["draw", "a.nc", "--machine", "bench-laser", "-o", "a.svg", "--set", "a=1"];
    assert!(told(&bench, 2, &drawn).contains("are for jobs"));
}

#[test]
fn a_series_is_tried_on_the_same_spot_with_one_value_changed() {
    let bench = Bench::new();
    bench.change(JOB, "[place]", "[place]\nzero = \"stock\"");
    let rig = RigProcess::start(
        &bench,
        &[
            "--tcp",
            "127.0.0.1:0",
            "--pace",
            "2000",
            "--zero",
            "30,20",
            "--record",
            "record.json",
            "--force",
        ],
    );
    let run = |args: &[&str]| bench.ok(&[&["run", "--plain"], args].concat());
    run(&[JOB, "--only", "folds", "--to", &rig.link]);
    run(&["--again", "1", "--set", "steps.folds.power=20 %"]);
    // What was set before stays set.
    run(&["--again", "2", "--set", "steps.folds.speed=50 mm/s"]);
    let runs = bench.json(&["log", "list"]);
    let kinds: Vec<_> = (0..3).map(|n| (&runs[n]["kind"], &runs[n]["after"])).collect();
    let json = |word: &str| serde_json::Value::from(word);
    let (again, first) = (json("again"), json("run"));
    let (one, two, none) = (1.into(), 2.into(), serde_json::Value::Null);
    assert_eq!(kinds, [(&again, &two), (&again, &one), (&first, &none)]);
    let found = bench.json(&["log", "find", "--material", "ripstop 0.1 mm"]);
    let tries: Vec<(i64, Option<i64>, f64, f64)> = found["tries"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| {
            let number = |key: &str| one[key].as_f64().unwrap();
            let run = one["run"].as_i64().unwrap();
            (run, one["series"].as_i64(), number("power_percent"), number("speed_mm_s"))
        })
        .collect();
    assert_eq!(tries, [(3, Some(1), 20.0, 50.0), (2, Some(1), 20.0, 60.0), (1, None, 15.0, 60.0)]);
    assert!(
        bench.ok(&["log", "find", "--material", "ripstop 0.1 mm"]).contains("3 folds, after 1")
    );

    // Only settings of steps keep the spot.
    let moved = ["run", "--again", "1", "--set", "place.at=[\"1 mm\", \"1 mm\"]"];
    assert!(told(&bench, 2, &moved).contains("may change the spot"));
    // Another zero is another spot.
    bench.ok(&["head", "zero", "--machine", "bench-laser", "--to", &rig.link]);
    let elsewhere = ["run", "--again", "1", "--set", "steps.folds.power=25 %"];
    assert!(told(&bench, 1, &elsewhere).contains("the zero has moved since run 1"));
    // A job that has changed is not what was run.
    bench.change(JOB, "60 mm/s", "61 mm/s");
    assert!(told(&bench, 2, &elsewhere).contains("the program has changed since run 1"));
    assert!(told(&bench, 2, &["run", JOB, "--in-place"]).contains("--in-place answers for"));
    rig.end();
    // The beam lit for the three tries alone: three times the folds.
    let record: serde_json::Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    let by_s: Vec<f64> =
        record["by_s"].as_array().unwrap().iter().map(|row| row["s"].as_f64().unwrap()).collect();
    assert_eq!(by_s, [150.0, 200.0]);
}
