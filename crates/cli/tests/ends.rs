//! How a run ends, for whoever started it: one exit status and one `end` event for each way, whatever became of pipes,
//! disks and the log meanwhile.

use crate::common::{Bench, Ran, RigProcess, signal};
use std::io::Write;
use std::process::Stdio;
use std::time::{Duration, Instant};

const JOB: &str = "sail-panel.kite.toml";

/// The one `end` event of a run, which is the last thing that it says.
fn end(ran: &Ran) -> serde_json::Value {
    let events: Vec<serde_json::Value> =
        ran.out.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let ends = events.iter().filter(|event| event["event"] == "end").count();
    assert_eq!(ends, 1, "{}\n{}", ran.out, ran.err);
    events.last().unwrap().clone()
}

#[test]
fn every_way_to_end_has_its_status_and_one_end_event() {
    let bench = Bench::new();
    bench.write("a.nc", "G21 G90\nM4 S0\nG1 X10 F600 S100\nM5\nM2\n");
    bench.write("long.nc", format!("G21 G90\nG1 F600 X{}\nM5\nM2\n", "1".repeat(90)));
    let rig =
        RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--zero", "300,250", "--pace", "max"]);
    let plain = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "max"]);
    let stock = [JOB, "--set", "place.zero=\"stock\""];
    let cases: [(&[&str], i32, &str); 10] = [
        (&[JOB, "--to", &plain.link], 0, "done"),
        (&["nothing.kite.toml", "--to", &plain.link], 1, "refused"),
        (&[JOB, "--set", "place.at=[\"390 mm\", \"0 mm\"]", "--to", &plain.link], 1, "refused"),
        (&["long.nc", "--machine", "bench-laser", "--to", &plain.link], 1, "refused"),
        // The controller has another zero than the job counts from.
        (&[JOB, "--to", &rig.link], 1, "refused"),
        // From the zero that it has, the job leaves the bed.
        (&[stock[0], stock[1], stock[2], "--to", &rig.link], 1, "refused"),
        (&["a.nc", "--to", &plain.link], 2, "refused"),
        (&[JOB, "--only", "nothing", "--to", &plain.link], 1, "refused"),
        (&["--go-on", "77"], 2, "refused"),
        (&[JOB, "--to", "tcp:127.0.0.1:1"], 3, "failed"),
    ];
    for (args, status, how) in cases {
        let ran = bench.run(&[&["run", "--json"], args].concat());
        assert_eq!(ran.status, status, "{args:?}\n{}\n{}", ran.out, ran.err);
        let end = end(&ran);
        assert_eq!(end["how"], how, "{args:?}");
        let untouched = how != "done";
        assert_eq!(end["dark"], if untouched { "untouched" } else { "confirmed" }, "{args:?}");
        let why = end["reason"].is_string() || end["problems"].is_array();
        assert_eq!(why, untouched, "{end}");
        if untouched {
            assert_eq!(end["lines_sent"], 0, "{end}");
        }
    }
    // What was refused is no run.
    let runs = bench.json(&["log", "list"]);
    assert_eq!(runs.as_array().map_or(0, Vec::len), 1, "{runs}");
}

#[test]
fn a_foreign_zero_is_taken_back_with_one_word() {
    let bench = Bench::new();
    let rig =
        RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--zero", "30,20", "--pace", "max"]);
    let link = ["--machine", "bench-laser", "--to", &rig.link];
    let told = bench.refused(1, &["run", JOB, "--to", &rig.link]);
    assert!(told.contains("head zero --clear"), "{told}");
    // A G92 on top of it.
    let told = bench.ok(&[&["head", "zero", "--clear"], &link[..]].concat());
    assert!(told.contains("the machine's own again"), "{told}");
    let stands = bench.json(&[&["head", "where"], &link[..]].concat());
    assert_eq!(stands["zero_on_bed_mm"], serde_json::json!([0.0, 0.0]), "{stands}");
    bench.ok(&["run", JOB, "--to", &rig.link]);
    // One axis alone.
    bench.ok(&[&["head", "move", "10", "20"], &link[..]].concat());
    bench.ok(&[&["head", "zero"], &link[..]].concat());
    bench.ok(&[&["head", "zero", "x", "--clear"], &link[..]].concat());
    let stands = bench.json(&[&["head", "where"], &link[..]].concat());
    assert_eq!(stands["zero_on_bed_mm"][0], 0.0, "{stands}");
    assert_ne!(stands["zero_on_bed_mm"][1], 0.0, "{stands}");
    let printer =
        RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--machine", "printer-laser"]);
    let told = bench.refused(
        2,
        &["head", "zero", "--clear", "--machine", "printer-laser", "--to", &printer.link],
    );
    assert!(told.contains("head home"), "{told}");
}

/// A pipe that is full, and its other end.
fn full_pipe() -> (std::io::PipeReader, std::io::PipeWriter) {
    let (reader, mut writer) = std::io::pipe().unwrap();
    writer.write_all(&[b'.'; 1 << 16]).unwrap();
    (reader, writer)
}

#[test]
fn a_pipe_that_nobody_reads_holds_up_no_run_and_ctrl_c_ends_the_waiting() {
    for more in [&[][..], &["--json"], &["--pieces", "1"], &["--pieces", "1", "--json"]] {
        let bench = Bench::new();
        let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "max"]);
        let (reader, writer) = full_pipe();
        let args: &[&str] = &["run", JOB, "--to", &rig.link];
        let mut call = bench.command(&[args, more].concat());
        if more.contains(&"--json") {
            call.stdout(writer).stderr(Stdio::null());
        } else {
            call.stdout(Stdio::null()).stderr(writer);
        }
        let mut child = call.spawn().unwrap();
        drop(call);
        let how = || bench.run(&["log", "list", "--json"]).out;
        let since = Instant::now();
        while !how().contains("\"done\"") {
            assert!(since.elapsed() < Duration::from_secs(60), "the run stands: {}", how());
            std::thread::sleep(Duration::from_millis(50));
        }
        std::thread::sleep(Duration::from_millis(200));
        assert!(child.try_wait().unwrap().is_none(), "it waits for its reader");
        signal("-INT", &child);
        let since = Instant::now();
        while child.try_wait().unwrap().is_none() {
            assert!(since.elapsed() < Duration::from_secs(10), "Ctrl-C is ignored");
            std::thread::sleep(Duration::from_millis(20));
        }
        drop(reader);
    }
}

#[cfg(target_os = "linux")]
#[test]
fn events_that_find_no_room_change_nothing_about_how_a_run_ended() {
    let bench = Bench::new();
    for (args, status) in [(&["run", JOB, "--to", "rig:"][..], 0), (&["run", "a.toml"][..], 1)] {
        let full = std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
        let mut call = bench.command(&[args, &["--json"]].concat());
        let ran = Ran::from(call.stdout(full).stderr(Stdio::piped()).output().unwrap());
        assert_eq!(ran.status, status, "{}", ran.err);
        assert!(ran.err.contains("standard output cannot be written"), "{}", ran.err);
    }
}

#[test]
fn a_log_that_is_deleted_or_locked_meanwhile_is_said_and_no_way_on_is_promised() {
    let log = |bench: &Bench| bench.config().join("runs.sqlite");
    for deleted in [true, false] {
        let bench = Bench::new();
        let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "8"]);
        let child = bench
            .command(&["run", JOB, "--to", &rig.link])
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        while !bench.run(&["log", "list", "--json"]).out.contains("\"run\"") {
            std::thread::sleep(Duration::from_millis(50));
        }
        let locked = if deleted {
            for ending in ["", "-wal", "-shm"] {
                let mut name = log(&bench).into_os_string();
                name.push(ending);
                let _ = std::fs::remove_file(name);
            }
            None
        } else {
            let connection = rusqlite::Connection::open(log(&bench)).unwrap();
            connection.busy_timeout(Duration::from_secs(5)).unwrap();
            connection.execute_batch("BEGIN IMMEDIATE").unwrap();
            Some(connection)
        };
        signal("-INT", &child);
        let ran = Ran::from(child.wait_with_output().unwrap());
        assert_eq!(ran.status, 4, "{}", ran.err);
        assert!(ran.err.contains("the log does not know how this run ended"), "{}", ran.err);
        assert!(!ran.err.contains("--go-on"), "{}", ran.err);
        drop(locked);
    }
}
