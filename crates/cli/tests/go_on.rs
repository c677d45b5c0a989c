//! Runs that break off and are gone on with: what the rig's beam did in all is what the program says.

use crate::common::{Bench, Ran, RigProcess, signal};
use std::time::Duration;

const JOB: &str = "sail-panel.kite.toml";

/// A rig that goes on when its clients leave, faster than real.
fn rig(bench: &Bench, pace: &str) -> RigProcess {
    RigProcess::start(
        bench,
        &["--tcp", "127.0.0.1:0", "--pace", pace, "--record", "record.json", "--force"],
    )
}

/// Runs for a while, and ends it with a signal.
fn broken_off(bench: &Bench, args: &[&str], after: u64, name: &str) -> Ran {
    let child = bench
        .command(args)
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    std::thread::sleep(Duration::from_millis(after));
    signal(name, &child);
    Ran::from(child.wait_with_output().unwrap())
}

/// What the rig burnt, S by S, against the plan of the job.
fn burnt_as_planned(bench: &Bench, rig: RigProcess) {
    rig.end();
    let record: serde_json::Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    let plan = bench.json(&["plan", JOB]);
    let burnt = record["burn_mm"].as_f64().unwrap();
    let planned = plan["burn_mm"].as_f64().unwrap();
    // Circles are burnt as chords; nothing else may differ.
    assert!((burnt - planned).abs() < 0.25, "{burnt} of {planned}");
    let engraved = record["by_s"].as_array().unwrap().iter().find(|row| row["s"] == 300.0).unwrap();
    let wanted = plan["steps"][0]["burn_mm"].as_f64().unwrap();
    assert!((engraved["burn_mm"].as_f64().unwrap() - wanted).abs() < 0.03, "{engraved} {wanted}");
    assert_eq!(record["lit_standing_seconds"], 0.0);
}

#[test]
fn a_run_that_was_stopped_is_finished_nothing_twice_and_nothing_left_out() {
    // A stop may fall where the path leads by twice, which is told, and is another test's matter.
    assert!((0..5).any(|_| stopped_twice_and_finished()), "the place was never certain");
}

/// Whether both stops fell on a place that is certain.
fn stopped_twice_and_finished() -> bool {
    let bench = Bench::new();
    let rig = rig(&bench, "20");
    let link = rig.link.clone();
    let stopped = broken_off(&bench, &["run", JOB, "--to", &link], 1500, "-INT");
    assert_eq!(stopped.status, 4, "{}", stopped.err);
    assert!(stopped.err.contains("tinkite run --go-on 1 finishes it"), "{}", stopped.err);
    let shown = bench.json(&["log", "show"]);
    if shown["whereabouts"] == "between" {
        rig.end();
        return false;
    }
    assert_eq!((&shown["how"], &shown["whereabouts"]), (&"stopped".into(), &"here".into()));
    assert_eq!((&shown["dark"], &shown["kind"]), (&"confirmed".into(), &"run".into()));
    assert_eq!(shown["material"], "ripstop 0.1 mm");
    // Stopped once more on the way, and finished then.
    let again = broken_off(&bench, &["run", "--go-on"], 1500, "-TERM");
    assert_eq!(again.status, 4, "{}", again.err);
    if bench.json(&["log", "show"])["whereabouts"] == "between" {
        rig.end();
        return false;
    }
    let out = bench.ok(&["run", "--go-on"]);
    assert!(out.starts_with("done: "), "{out}");
    let runs = bench.json(&["log", "list"]);
    let runs = runs.as_array().unwrap();
    assert_eq!(runs.len(), 3);
    assert_eq!((&runs[0]["how"], &runs[0]["after"]), (&"done".into(), &2.into()));
    assert_eq!(runs[2]["gone_on_by"], serde_json::json!([2]));
    // Each step's time is its own, and all together are the run's.
    assert!(runs[2]["steps"][0]["planned_seconds"].as_f64().unwrap() > 60.0);
    burnt_as_planned(&bench, rig);
    // What was finished is not finished again.
    assert!(bench.refused(2, &["run", "--go-on"]).contains("nothing is left of it; --again 3"));
    assert!(bench.refused(2, &["run", "--go-on", "1"]).contains("gone on with by run 2"));
    assert!(bench.refused(2, &["run", "--go-on", "9"]).contains("there is no run 9"));
    true
}

#[test]
fn a_sender_that_died_costs_nothing() {
    let bench = Bench::new();
    let rig = rig(&bench, "20");
    let link = rig.link.clone();
    for _ in 0..3 {
        let args: &[&str] =
            if bench.logged() { &["run", "--go-on"] } else { &["run", JOB, "--to", &link] };
        broken_off(&bench, args, 1000, "-KILL");
    }
    let shown = bench.json(&["log", "show"]);
    assert_eq!(
        (&shown["how"], &shown["whereabouts"]),
        (&serde_json::Value::Null, &"asking".into())
    );
    let out = bench.ok(&["run", "--go-on"]);
    assert!(out.starts_with("done: "), "{out}");
    burnt_as_planned(&bench, rig);
}

#[test]
fn a_run_whose_position_was_lost_is_not_gone_on_with_unasked() {
    let bench = Bench::new();
    let rig = rig(&bench, "20");
    broken_off(&bench, &["run", JOB, "--to", &rig.link], 1500, "-KILL");
    rig.end();
    // Another controller: it has just started, and knows nothing.
    let rig = self::rig(&bench, "20");
    let args = ["run", "--go-on", "--to", &rig.link];
    let err = bench.refused(1, &args);
    assert!(err.contains("position was lost") && err.contains("--in-place"), "{err}");
    let err = bench.refused(1, &[&args[..], &["--in-place"]].concat());
    for word in ["not certain", "was seen in line", "mm in", "--from last-seen", "--from last-sent"]
    {
        assert!(err.contains(word), "{word}: {err}");
    }
    let out = bench.ok(&[&args[..], &["--in-place", "--from", "last-seen"]].concat());
    assert!(out.starts_with("done: "), "{out}");
}

#[test]
fn what_has_changed_since_is_told_and_not_gone_on_with() {
    let bench = Bench::new();
    let rig = rig(&bench, "20");
    broken_off(&bench, &["run", JOB, "--to", &rig.link], 1200, "-INT");
    // The job.
    bench.change(JOB, "\"55 %\"", "\"60 %\"");
    let err = bench.refused(2, &["run", JOB, "--go-on"]);
    assert!(err.contains("the program has changed since run 1"), "{err}");
    bench.change(JOB, "\"60 %\"", "\"55 %\"");
    // The head, by hand.
    let mut hand = std::net::TcpStream::connect(rig.link.strip_prefix("tcp:").unwrap()).unwrap();
    std::io::Write::write_all(&mut hand, b"$J=G91X5F6000\n").unwrap();
    std::thread::sleep(Duration::from_millis(300));
    drop(hand);
    let err = bench.refused(1, &["run", "--go-on"]);
    assert!(err.contains("the head was left at") && err.contains("--in-place"), "{err}");
    // The zero.
    let mut hand = std::net::TcpStream::connect(rig.link.strip_prefix("tcp:").unwrap()).unwrap();
    std::io::Write::write_all(&mut hand, b"G10L2P1X7\n").unwrap();
    std::thread::sleep(Duration::from_millis(300));
    drop(hand);
    let err = bench.refused(1, &["run", "--go-on"]);
    assert!(err.contains("the zero has moved since run 1"), "{err}");
}

#[test]
fn a_program_is_begun_in_one_of_its_lines_and_run_again() {
    let bench = Bench::new();
    let rig = rig(&bench, "max");
    bench.write(
        "two.nc",
        "G21 G90\nM4 S0\nG0 X10 Y10\nG1 X30 S200 F1200\nG0 X10 Y20\nG1 X30 S300\nM5\nM2\n",
    );
    let link = rig.link.clone();
    let args = ["run", "two.nc", "--machine", "bench-laser", "--to", &link];
    bench.ok(&[&args[..], &["--from-line", "6", "--note", "the second row alone"]].concat());
    let shown = bench.json(&["log", "show"]);
    assert_eq!(
        (&shown["kind"], &shown["note"]),
        (&"from-line".into(), &"the second row alone".into())
    );
    bench.ok(&args);
    bench.ok(&["run", "--again", "2"]);
    bench.ok(&["log", "note", "3", "came out well"]);
    let listed = bench.ok(&["log", "list"]);
    for word in ["again 2", "came out well", "two.nc"] {
        assert!(listed.contains(word), "{word}: {listed}");
    }
    let err = bench.refused(2, &[&args[..], &["--from-line", "9"]].concat());
    assert!(err.contains("no line 9"), "{err}");
    rig.end();
    let record: serde_json::Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    // 20 mm of the second row, and both rows twice.
    assert!((record["burn_mm"].as_f64().unwrap() - 100.0).abs() < 1e-6, "{record}");
}

#[test]
fn a_log_that_cannot_be_written_does_not_stop_a_run() {
    let bench = Bench::new();
    let rig = rig(&bench, "max");
    let mut run = bench.command(&["run", JOB, "--to", &rig.link]);
    let ran = Ran::from(run.env("TINKITE_LOG", "/proc/no/such/runs.sqlite").output().unwrap());
    assert_eq!(ran.status, 0, "{}", ran.err);
    assert!(ran.err.contains("cannot be gone on with"), "{}", ran.err);
    // A file that is something else is left alone.
    bench.write("notes.txt", "no log at all, but long enough to be looked at as one");
    let err = bench.refused(2, &["log", "list", "--log", "notes.txt"]);
    assert!(err.contains("notes.txt") && err.contains("not a database"), "{err}");
    assert!(
        bench.refused(2, &["log", "list", "--log", "none.sqlite"]).contains("there is no log yet")
    );
}
