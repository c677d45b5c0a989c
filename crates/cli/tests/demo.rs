//! The first thing that a newcomer runs.

use crate::common::Bench;

#[test]
fn the_demo_finishes_and_leaves_every_file_in_a_folder_it_names() {
    let bench = Bench::new();
    let out = bench.ok(&["demo"]);
    assert!(out.contains("everything is in tinkite-demo"), "{out}");
    assert!(out.contains("done: ") && out.contains("the rig's beam: "), "{out}");
    // A run that breaks off on purpose is finished.
    assert!(out.contains("stopped at line") && out.contains("--go-on 1 finishes it"), "{out}");
    let burnt: Vec<&str> =
        out.lines().filter(|line| line.starts_with("the rig's beam: ")).collect();
    let mm = |line: &str| line.split(' ').nth(3).unwrap().parse::<f64>().unwrap();
    assert!(burnt.len() == 2 && (mm(burnt[0]) - mm(burnt[1])).abs() < 0.3, "{burnt:?}");
    for name in [
        "sail-panel.svg",
        "sail-panel.kite.toml",
        "bench-laser.machine.toml",
        "started.kite.toml",
        "sail-panel.png",
        "sail-panel.nc",
        "burnt.png",
    ] {
        assert!(bench.path("tinkite-demo").join(name).metadata().unwrap().len() > 500, "{name}");
    }
    // Again: the next free folder, and the first one untouched.
    assert!(bench.ok(&["demo"]).contains("everything is in tinkite-demo-2"));
    let refused = bench.refused(2, &["demo", "tinkite-demo"]);
    assert!(refused.contains("not empty"), "{refused}");
}

#[test]
fn every_command_that_the_demo_shows_can_be_typed() {
    let bench = Bench::new();
    let out = bench.ok(&["demo", "shown"]);
    let commands: Vec<&str> =
        out.lines().filter_map(|l| l.trim().strip_prefix("$ tinkite ")).collect();
    assert_eq!(commands.len(), 8, "{out}");
    for command in commands {
        let args: Vec<&str> = command
            .split(' ')
            .chain(["--force"].into_iter().filter(|_| {
                ["begin", "draw", "emit", "run"].iter().any(|c| command.starts_with(c))
            }))
            .collect();
        bench.ok(&args);
    }
}

#[test]
fn help_and_completions_are_there_for_every_command() {
    let bench = Bench::new();
    let help = bench.ok(&["--help"]);
    for command in [
        "demo",
        "look",
        "begin",
        "check",
        "plan",
        "draw",
        "emit",
        "read",
        "run",
        "log",
        "recipe",
        "swatch",
        "rig",
        "photo",
        "bundle",
        "completions",
        "man",
    ] {
        assert!(help.contains(command), "{command}");
        assert!(bench.ok(&[command, "--help"]).contains("Usage: tinkite"), "{command}");
    }
    assert!(bench.ok(&["completions", "bash"]).contains("tinkite"));
    bench.refused(2, &["swatch"]);
    // A manual page for every command, and for those within commands.
    bench.ok(&["man", "--into", "pages"]);
    let pages = std::fs::read_dir(bench.path("pages")).expect("pages").count();
    assert!(pages > 40, "{pages} pages");
    for (page, says) in [
        ("tinkite.1", "bundle"),
        ("tinkite-plan.1", "machine"),
        ("tinkite-recipe-keep.1", "step"),
        ("tinkite-photo.1", "PX,PY"),
    ] {
        assert!(bench.read(&format!("pages/{page}")).contains(says), "{page}");
    }
    bench.refused(2, &["man", "--into", "pages"]);
}

/// Jobs of the demo with what they need.
const JOBS: [(&str, &[&str]); 11] = [
    ("sail-panel.kite.toml", &[]),
    ("hubs.kite.toml", &["spar-hub.dxf", "tube-laser.machine.toml"]),
    ("kite-stamp.kite.toml", &["kite-stamp.svg"]),
    ("kite-sky.kite.toml", &["kite-sky.png"]),
    ("sky-panel.kite.toml", &["sky-panel.svg"]),
    ("tail-weight.kite.toml", &["kite-stamp.svg"]),
    ("hub-swatch.kite.toml", &[]),
    ("hub-wedge.kite.toml", &[]),
    ("medal.kite.toml", &["medal.stl"]),
    ("weight-relief.kite.toml", &["weight-depth.png"]),
    ("offcut.kite.toml", &["bed-photo.png"]),
];

#[test]
fn every_demo_job_takes_as_long_as_planned_and_burns_what_was_planned() {
    let bench = Bench::new();
    for (job, needs) in JOBS {
        bench.demo(job);
        needs.iter().for_each(|name| bench.demo(name));
        let plan = bench.json(&["plan", job]);
        let errors = plan["problems"].as_array().expect("problems").iter();
        assert!(errors.filter(|p| p["severity"] != "note").count() == 0, "{job}: {plan}");
        bench.ok(&["run", job, "--to", "rig:", "--quiet", "--picture", "b.png", "--force"]);
        let out = bench.ok(&["run", job, "--to", "rig:", "--json"]);
        let end: serde_json::Value =
            serde_json::from_str(out.lines().last().expect("a line")).expect("JSON");
        let number = |value: &serde_json::Value| value.as_f64().expect("a number");
        let (planned, took) = (number(&plan["seconds"]), number(&end["seconds"]));
        assert!((took / planned - 1.0).abs() < 0.01, "{job}: {planned} s planned, {took} s taken");
        // What the text says when it is read back is what was planned.
        bench.ok(&["emit", job, "-o", "p.nc", "--force"]);
        let machine = if job.starts_with("hubs") { "tube-laser" } else { "bench-laser" };
        let read = bench.json(&["read", "p.nc", "--machine", machine]);
        for key in ["burn_mm", "travel_mm", "seconds"] {
            let (a, b) = (number(&plan[key]), number(&read[key]));
            assert!((a / b - 1.0).abs() < 1e-3, "{job} {key}: {a} {b}");
        }
    }
}
