//! The first thing that a newcomer runs.

mod common;
use common::Bench;

#[test]
fn the_demo_finishes_and_leaves_every_file_in_a_folder_it_names() {
    let bench = Bench::new();
    let out = bench.ok(&["demo"]);
    assert!(out.contains("everything is in tinkite-demo"), "{out}");
    assert!(out.contains("done: ") && out.contains("the rig's beam: "), "{out}");
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
        "rig",
        "completions",
    ] {
        assert!(help.contains(command), "{command}");
        assert!(bench.ok(&[command, "--help"]).contains("Usage: tinkite"), "{command}");
    }
    assert!(bench.ok(&["completions", "bash"]).contains("tinkite"));
    bench.refused(2, &["swatch"]);
}
