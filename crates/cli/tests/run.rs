//! Runs: on the rig in this process, over TCP and over a pseudo-terminal; and how they break.

use crate::common::{Bench, Ran, RigProcess, signal};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};

const JOB: &str = "sail-panel.kite.toml";

fn last_event(out: &str) -> serde_json::Value {
    serde_json::from_str(out.lines().last().unwrap()).unwrap()
}

#[test]
fn a_job_runs_on_the_rig_and_takes_the_time_that_was_planned() {
    let bench = Bench::new();
    let plan = bench.json(&["plan", JOB]);
    let out = bench.ok(&["run", JOB, "--to", "rig:", "--json", "--picture", "burnt.svg"]);
    let end = last_event(&out);
    assert_eq!((&end["event"], &end["how"]), (&"end".into(), &"done".into()));
    let (planned, took) = (plan["seconds"].as_f64().unwrap(), end["seconds"].as_f64().unwrap());
    assert!((took / planned - 1.0).abs() < 0.01, "{planned} {took}");
    assert!(
        out.lines().count() > 50
            && out.contains("\"step\":\"emblem\"")
            && out.contains("\"step\":\"outline\"")
    );
    assert!(bench.read("burnt.svg").contains("S550"));
}

#[test]
fn only_the_chosen_step_is_burnt() {
    let bench = Bench::new();
    let plan = bench.json(&["plan", JOB, "--only", "folds"]);
    let out = bench.ok(&["run", JOB, "--only", "folds"]);
    let burnt = format!("{:.1} mm burnt", plan["burn_mm"].as_f64().unwrap());
    assert!(out.contains(&burnt) && out.contains("S150") && !out.contains("S550"), "{out}");
}

#[test]
fn over_tcp_and_over_a_pseudo_terminal_the_beam_does_the_same() {
    let bench = Bench::new();
    let mut records = Vec::new();
    for args in [&["--tcp", "127.0.0.1:0"][..], &["--pty"], &["--pty", "--baud", "115200"]] {
        let record = format!("record-{}.json", records.len());
        let rig = RigProcess::start(
            &bench,
            &[args, &["--pace", "max", "--once", "--record", &record]].concat(),
        );
        let out = bench.ok(&["run", JOB, "--skip", "emblem", "--to", &rig.link]);
        assert!(out.starts_with("done: "), "{out}");
        let said = rig.rest();
        assert!(said.contains(" 0 refused, 0 bytes lost"), "{said}");
        let record: serde_json::Value = serde_json::from_str(&bench.read(&record)).unwrap();
        assert_eq!(record["lit_standing_seconds"], 0.0);
        // Lengths are sums of parts, and where the parts end depends on when the status was asked for.
        let rounded = |value: &serde_json::Value| (value.as_f64().unwrap() * 1e6).round() as i64;
        let by_s = record["by_s"].as_array().unwrap().iter();
        let by_s: Vec<_> = by_s.map(|row| [rounded(&row["s"]), rounded(&row["burn_mm"])]).collect();
        let extents = &record["extents_mm"];
        let corners: Vec<_> =
            ["min", "max"].map(|end| [0, 1].map(|n| rounded(&extents[end][n]))).into();
        records.push((record["burn_mm"].clone(), by_s, corners));
    }
    assert!(records.windows(2).all(|pair| pair[0].1 == pair[1].1), "{records:#?}");
    assert!(records.windows(2).all(|pair| pair[0].2 == pair[1].2), "{records:#?}");
    let plan = bench.json(&["plan", JOB, "--skip", "emblem"]);
    let (planned, burnt) = (plan["burn_mm"].as_f64().unwrap(), records[0].0.as_f64().unwrap());
    assert!((planned - burnt).abs() < 0.2, "{planned} {burnt}");
}

/// A run of the job that reports its events, and has begun to burn.
fn begun(bench: &Bench, link: &str) -> (Child, BufReader<std::process::ChildStdout>) {
    begun_with(bench, &["run", JOB, "--json", "--to", link])
}

fn begun_with(bench: &Bench, args: &[&str]) -> (Child, BufReader<std::process::ChildStdout>) {
    let mut run =
        bench.command(args).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let mut events = BufReader::new(run.stdout.take().unwrap());
    let burns = |line: std::io::Result<String>| {
        let event: serde_json::Value = serde_json::from_str(&line.unwrap()).unwrap();
        event["event"] == "progress" && event["s"].as_f64().is_some_and(|s| s > 0.0)
    };
    assert!(events.by_ref().lines().any(burns), "it ended before it burnt");
    (run, events)
}

/// How a run that was begun ends: its status, what it complains of, and its last event.
fn ended(run: Child, mut events: impl BufRead) -> (i32, String, serde_json::Value) {
    let mut out = String::new();
    events.read_to_string(&mut out).unwrap();
    let ran = Ran::from(run.wait_with_output().unwrap());
    (ran.status, ran.err, last_event(&out))
}

#[test]
fn ctrl_c_stops_with_the_beam_off_and_says_where() {
    let bench = Bench::new();
    let rig = RigProcess::start(
        &bench,
        &["--tcp", "127.0.0.1:0", "--pace", "real", "--once", "--record", "record.json"],
    );
    let (run, events) = begun(&bench, &rig.link);
    assert!(Command::new("kill").args(["-INT", &run.id().to_string()]).status().unwrap().success());
    let (status, err, end) = ended(run, events);
    assert_eq!(
        (status, &end["event"], &end["how"]),
        (4, &"end".into(), &"stopped".into()),
        "{err}"
    );
    assert_eq!(end["dark"], "confirmed");
    assert!(
        err.contains("stopped at line")
            && err.contains("(step emblem)")
            && err.contains("beam is off"),
        "{err}"
    );
    rig.rest();
    let record: serde_json::Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    let planned = bench.json(&["plan", JOB])["burn_mm"].as_f64().unwrap();
    let burnt = record["burn_mm"].as_f64().unwrap();
    assert!(burnt > 0.0 && burnt < planned / 2.0, "{burnt} of {planned}");
    assert_eq!(record["beam_on"], false);
    // No more of the program was run than what is said to have been taken, and what was under way.
    let (acknowledged, ran) =
        (end["lines_acknowledged"].as_u64().unwrap(), record["lines"].as_u64().unwrap());
    // Questions go out among the lines, one for two or three.
    assert!(acknowledged > 0 && ran < acknowledged * 3 / 2 + 40, "{acknowledged} {ran}");
}

#[test]
fn whatever_signal_ends_a_run_the_beam_is_seen_to_go_off() {
    for name in ["-TERM", "-HUP", "-QUIT", "-TSTP"] {
        let bench = Bench::new();
        let rig = RigProcess::start(
            &bench,
            &["--tcp", "127.0.0.1:0", "--pace", "real", "--once", "--record", "record.json"],
        );
        let lines: String = (0..600).map(|n| format!("G1 X{}\n", 10 + n % 2 * 5)).collect();
        bench.write("long.nc", format!("G21 G90\nM4 S0\nG0 X10 Y10\nG1 S300 F3000\n{lines}M5\n"));
        let run = ["run", "long.nc", "--machine", "bench-laser", "--json", "--to", &rig.link];
        let (run, mut events) = begun_with(&bench, &run);
        signal(name, &run);
        let mut rest = String::new();
        events.read_to_string(&mut rest).unwrap();
        // The hold is our own, and nobody is told to let the machine go on.
        assert!(!rest.contains("\"held\""), "{rest}");
        let (status, err, end) = ended(run, rest.as_bytes());
        assert_eq!((status, &end["how"]), (4, &"stopped".into()), "{name}: {err}");
        assert_eq!(end["dark"], "confirmed", "{name}");
        rig.rest();
        let record: serde_json::Value = serde_json::from_str(&bench.read("record.json")).unwrap();
        assert_eq!(record["beam_on"], false, "{name}");
    }
}

#[test]
fn a_machine_that_is_held_is_named_and_can_be_stopped() {
    let bench = Bench::new();
    bench.write("pause.nc", "G21 G90\nM4 S0\nG0 X10 Y10 S0\nM0\nG1 X50 S300 F600\nM5\nM2\n");
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "real", "--once"]);
    let mut run = bench
        .command(&["run", "pause.nc", "--machine", "bench-laser", "--json", "--to", &rig.link])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut events = BufReader::new(run.stdout.take().unwrap());
    let is_held = |line: std::io::Result<String>| {
        let event: serde_json::Value = serde_json::from_str(&line.unwrap()).unwrap();
        event["event"] == "held" && event["by"] == "hold"
    };
    assert!(events.by_ref().lines().any(is_held), "it ended before it was held");
    signal("-INT", &run);
    let (status, err, end) = ended(run, events);
    assert_eq!(
        (status, &end["how"], &end["dark"]),
        (4, &"stopped".into(), &"confirmed".into()),
        "{err}"
    );
}

#[test]
fn every_end_has_its_event_and_its_status_whatever_became_of_the_reader() {
    let bench = Bench::new();
    let ran = bench.run(&["run", JOB, "--json", "--to", "tcp:127.0.0.1:1"]);
    let end = last_event(&ran.out);
    assert_eq!((ran.status, &end["event"], &end["how"]), (3, &"end".into(), &"failed".into()));
    assert!(end["reason"].as_str().unwrap().contains("does not open"), "{end}");

    // An alarm is an alarm though nobody reads on.
    let demo = include_str!("../../../demo/bench-laser.machine.toml");
    bench.write("small.machine.toml", demo.replace("\"400 mm\"", "\"100 mm\""));
    let rig = RigProcess::start(
        &bench,
        &["--tcp", "127.0.0.1:0", "--pace", "max", "--machine", "./small.machine.toml"],
    );
    let mut run = bench
        .command(&["run", JOB, "--json", "--to", &rig.link])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut first = String::new();
    BufReader::new(run.stdout.take().unwrap()).read_line(&mut first).unwrap();
    let ran = Ran::from(run.wait_with_output().unwrap());
    assert_eq!(ran.status, 3, "{}", ran.err);
    assert!(ran.err.contains("ALARM:2"), "{}", ran.err);
}

#[test]
fn a_rig_that_dies_in_the_middle_is_told() {
    let bench = Bench::new();
    let mut rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "real"]);
    let (run, events) = begun(&bench, &rig.link);
    rig.child.kill().unwrap();
    let (status, err, end) = ended(run, events);
    assert_eq!((status, &end["how"], &end["dark"]), (3, &"failed".into(), &"unknown".into()));
    assert!(
        err.contains("link to the controller closed")
            && err.contains("at line")
            && err.contains("BEAM MAY BE ON"),
        "{err}"
    );
}

#[test]
fn a_controller_with_other_settings_is_not_run() {
    let bench = Bench::new();
    let demo = include_str!("../../../demo/bench-laser.machine.toml");
    bench.write("other.machine.toml", demo.replace("full    = 1000", "full    = 255"));
    let rig =
        RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--machine", "./other.machine.toml"]);
    let err = bench.refused(1, &["run", JOB, "--to", &rig.link]);
    assert!(err.contains("S255 ($30)"), "{err}");

    bench
        .write("other.machine.toml", demo.replace("follows-speed = true", "follows-speed = false"));
    let rig =
        RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--machine", "./other.machine.toml"]);
    assert!(bench.refused(1, &["run", JOB, "--to", &rig.link]).contains("laser mode"));
}

#[test]
fn alarms_and_refused_lines_stop_the_run() {
    let bench = Bench::new();
    let demo = include_str!("../../../demo/bench-laser.machine.toml");
    // A controller with a smaller bed than the profile says.
    bench.write("small.machine.toml", demo.replace("\"400 mm\"", "\"100 mm\""));
    let rig = RigProcess::start(
        &bench,
        &["--tcp", "127.0.0.1:0", "--pace", "max", "--machine", "./small.machine.toml"],
    );
    let err = bench.refused(3, &["run", JOB, "--to", &rig.link]);
    assert!(err.contains("ALARM:2") && err.contains("beyond the machine's travel"), "{err}");

    // Boards of the interface have G28; this one does not.
    bench.write("a.nc", "G21 G90\nM4 S0\nG0 X10 Y10 S0\nG28\nG1 X50 S300 F600\nM5\nM2\n");
    let err = bench.refused(3, &["run", "a.nc", "--machine", "bench-laser", "--to", "rig:"]);
    assert!(err.contains("refused line 4: error:20 (a word is not known)"), "{err}");
}

#[test]
fn what_cannot_run_is_refused_before_anything_moves() {
    let bench = Bench::new();
    assert!(bench.refused(3, &["run", JOB, "--to", "tcp:127.0.0.1:1"]).contains("does not open"));
    assert!(
        bench
            .refused(3, &["run", JOB, "--to", "serial:/dev/no-such-port"])
            .contains("there is no such port")
    );
    assert!(bench.refused(2, &["run", JOB, "--to", "carrier-pigeon"]).contains("not a link"));
    assert!(bench.refused(2, &["run", JOB, "--to", "rig:slow"]).contains("not a pace"));
    bench.write("off.nc", "G21\nM4 S0\nG0 X10 S0\nG1 X900 S300 F600\nM5\nM2\n");
    assert!(bench.refused(1, &["run", "off.nc", "--machine", "bench-laser"]).contains("off-bed"));
    assert!(bench.refused(2, &["run", "off.nc"]).contains("--machine"));
    bench.write("talk.nc", "G21\nM4 S0\nG0 X10 S0\nG1 X20! S300 F600\nM5\nM2\n");
    bench.refused(1, &["run", "talk.nc", "--machine", "bench-laser"]);
    assert!(bench.refused(3, &["rig", "--tcp", "256.0.0.1:1"]).contains("does not open"));
}

#[test]
fn a_reader_of_events_that_goes_away_does_not_end_the_run() {
    let bench = Bench::new();
    let rig = RigProcess::start(
        &bench,
        &["--tcp", "127.0.0.1:0", "--pace", "max", "--once", "--record", "record.json"],
    );
    let mut run = bench
        .command(&["run", JOB, "--json", "--to", &rig.link])
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    // The first event is read, and then nobody reads any more.
    let mut first = String::new();
    BufReader::new(run.stdout.take().unwrap()).read_line(&mut first).unwrap();
    assert!(first.contains("\"event\":\"progress\""), "{first}");
    run.wait().unwrap();
    rig.rest();
    let record: serde_json::Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    let planned = bench.json(&["plan", JOB])["burn_mm"].as_f64().unwrap();
    assert!((record["burn_mm"].as_f64().unwrap() - planned).abs() < 0.5, "{record}");
}

/// Whatever cannot be sent refuses the program before the first byte goes out.
#[test]
fn lines_that_cannot_be_sent_are_refused_before_anything_moves() {
    let bench = Bench::new();
    let head = b"G21 G90\nM3 S0\nG0 X10 Y10\nG1 X20 S100 F600\n".to_vec();
    let tail = b"\nG0 X0 S0\nM5\n".to_vec();
    let long = format!("G1 X20.{} Y11.{} S100", "0".repeat(60), "0".repeat(30));
    let with = |line: &[u8]| [head.clone(), line.to_vec(), tail.clone()].concat();
    bench.write("long.nc", with(long.as_bytes()));
    let ran = bench.run(&["run", "long.nc", "--machine", "bench-laser", "--to", "rig:max"]);
    assert_eq!(ran.status, 1, "{}", ran.err);
    assert!(ran.err.contains("line 5") && ran.err.contains("takes 80"), "{}", ran.err);
    assert!(!ran.out.contains("beam"), "{}", ran.out);
    // Words that the controller does not have, and lines that it would answer with an error.
    for (line, why) in [
        (&b"G64"[..], "lacks.nc:5: the controller has no G64"),
        (b"M62 P1", "the controller has no M62"),
        (b"G1 B90", "the controller has no B90"),
        (b"M5 M4", "another code of its kind"),
    ] {
        bench.write("lacks.nc", with(line));
        let ran = bench.run(&["run", "lacks.nc", "--machine", "bench-laser", "--to", "rig:max"]);
        let err = ran.err.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ");
        assert!(ran.status == 1 && err.contains(why), "{why}: {}", ran.err);
        assert!(!ran.out.contains("beam"), "{}", ran.out);
    }
    // A comment stays at home, whatever letters it is written in.
    bench.write("latin.nc", with(b"G1 X21 ; Gr\xf6\xdfe"));
    bench.ok(&["run", "latin.nc", "--machine", "bench-laser", "--to", "rig:max"]);
}

#[test]
fn a_beam_that_was_left_on_is_put_out() {
    let bench = Bench::new();
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "real"]);
    let address = rig.link.strip_prefix("tcp:").unwrap();
    // A sender that leaves in the middle of a burn.
    let mut sender = TcpStream::connect(address).unwrap();
    sender.write_all(b"G21 G90\nM3 S300\nG1 X100 F120\n").unwrap();
    let mut heard = String::new();
    let mut lines = BufReader::new(sender.try_clone().unwrap());
    while heard.matches("ok").count() < 3 {
        lines.read_line(&mut heard).unwrap();
    }
    drop((sender, lines));
    let out = bench.ok(&["head", "dark", "--machine", "bench-laser", "--to", &rig.link]);
    assert_eq!(out.trim(), "the beam is off");
    let mut sender = TcpStream::connect(address).unwrap();
    sender.write_all(b"?$G\n").unwrap();
    let mut lines = BufReader::new(sender.try_clone().unwrap());
    let mut heard = String::new();
    while !heard.contains("ok") {
        lines.read_line(&mut heard).unwrap();
    }
    // It stands, in its place, with no power set.
    assert!(heard.contains("<Idle|MPos:") && heard.contains("|FS:0,0|"), "{heard}");
    assert!(heard.contains(" M5 ") && heard.contains(" S0]"), "{heard}");

    let json = bench.json(&["head", "dark", "--machine", "bench-laser", "--to", "rig:max"]);
    assert_eq!(json["dark"], "confirmed");
    let printer = RigProcess::start(
        &bench,
        &["--tcp", "127.0.0.1:0", "--pace", "real", "--machine", "printer-laser"],
    );
    let out = bench.ok(&["head", "dark", "--machine", "printer-laser", "--to", &printer.link]);
    assert_eq!(out.trim(), "the beam is off");
    let err =
        bench.refused(3, &["head", "dark", "--machine", "bench-laser", "--to", "tcp:127.0.0.1:1"]);
    assert!(err.contains("does not open"), "{err}");
}

#[test]
fn a_beam_that_burns_on_where_it_stands_is_run_only_where_that_is_accepted() {
    let bench = Bench::new();
    bench.write("m3.nc", "G21 G90\nM3 S0\nG0 X10 Y10\nG1 X30 S200 F1200\nM5\nM2\n");
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "max"]);
    let args = ["run", "m3.nc", "--machine", "bench-laser", "--to", &rig.link];
    let err = bench.refused(1, &args);
    for word in ["constant-power", "line 4", "--accept"] {
        assert!(err.contains(word), "{word}: {err}");
    }
    let ran = bench.run(&[&args[..], &["--accept", "constant-power"]].concat());
    assert!(ran.status == 0 && ran.err.contains("STAY BESIDE IT"), "{}", ran.err);
    bench.change("bench-laser.machine.toml", "[air]", "constant = \"accepted\"\n[air]");
    let ran = bench.run(&args);
    assert!(ran.status == 0 && ran.err.contains("STAY BESIDE IT"), "{}", ran.err);
    // A job says so before, and in its program.
    bench.change("bench-laser.machine.toml", "constant = \"accepted\"\n", "");
    bench.change("bench-laser.machine.toml", "follows-speed = true", "follows-speed = false");
    assert_eq!(bench.codes(JOB), ["constant-power"]);
    assert!(bench.ok(&["emit", JOB, "-o", "-"]).contains("CONSTANT POWER"));
    // Left out it means power that follows the speed.
    bench.change("bench-laser.machine.toml", "follows-speed = false", "");
    assert_eq!(bench.codes(JOB), [""; 0]);
    assert!(bench.ok(&["emit", JOB, "-o", "-"]).contains("\nM4 S0\n"));
}

#[test]
fn a_program_goes_onto_a_card_as_it_would_have_been_run() {
    let bench = Bench::new();
    std::fs::create_dir(bench.path("card")).unwrap();
    bench.ok(&["emit", "sail-panel.kite.toml", "-o", "there.nc"]);
    let told = bench.ok(&["run", "sail-panel.kite.toml", "--card", "card"]);
    assert!(told.contains("read back the same"), "{told}");
    assert_eq!(bench.read("card/sail-panel.nc"), bench.read("there.nc"));
    let again = bench.refused(2, &["run", "sail-panel.kite.toml", "--card", "card"]);
    assert!(again.contains("already there"), "{again}");
    let told = bench.json(&["run", "there.nc", "--machine", "bench-laser", "--card", "card"]);
    assert_eq!(told["bytes"], bench.read("there.nc").len());
    assert_eq!(bench.read("card/there.nc"), bench.read("there.nc"));
    let gone = bench.refused(2, &["run", "sail-panel.kite.toml", "--card", "nowhere"]);
    assert!(gone.contains("no folder"), "{gone}");
    bench.refused(2, &["run", "sail-panel.kite.toml", "--card", "card", "--to", "rig:"]);
    // A program that would be refused comes onto no card.
    bench.write("beyond.nc", "G21 G90\nM4 S0\nG1 X900 F600 S100\nX0\nM5\n");
    bench.refused(1, &["run", "beyond.nc", "--machine", "bench-laser", "--card", "card"]);
    // A full card holds nothing, not half.
    let full = std::path::Path::new("/dev/full");
    if full.exists() {
        bench.refused(2, &["run", "there.nc", "--machine", "bench-laser", "--card", "/dev/full"]);
    }
    let profile = bench.read("bench-laser.machine.toml") + "[program]\nlargest = \"4 kB\"\n";
    bench.write("small.machine.toml", profile);
    let small =
        bench.refused(2, &["run", "there.nc", "--machine", "small", "--card", "card", "--number"]);
    assert!(small.contains("emit -o"), "{small}");
    let names = std::fs::read_dir(bench.path("card")).unwrap();
    assert_eq!(names.count(), 2);
}

#[test]
fn a_rehearsal_needs_only_the_job() {
    let bench = Bench::new();
    let record = |args: &[&str]| {
        let ran = bench.run(
            &[&["run", JOB, "--to", "rig:", "--picture", "b.svg", "--force", "--json"], args]
                .concat(),
        );
        assert_eq!(ran.status, 0, "{args:?}\n{}\n{}", ran.out, ran.err);
        (ran.out, ran.err)
    };
    // From the middle of the drawing: half of it lies left of and in front of the zero.
    let whole = bench.read(JOB);
    for zero in ["stock", "head"] {
        let place =
            format!("zero = \"{zero}\"\nanchor = \"centre\"\nat = [\"0 mm\", \"0 mm\"]\n[ignored]");
        let from = whole.find("anchor").unwrap();
        let to = whole.find("# Steps run").unwrap();
        let text = [&whole[..from], &place.replace("\n[ignored]", "\n\n"), &whole[to..]].concat();
        bench.write(JOB, text);
        let (out, err) = record(&[]);
        assert!(err.contains("so that the job lies on the bed"), "{err}");
        let last = out.lines().last().unwrap();
        assert!(last.contains("\"how\":\"done\""), "{last}");
        // Where somebody says it, it stands there, and what leaves the bed is refused as on a machine.
        let option = if zero == "stock" { "--zero" } else { "--head" };
        let (_, err) = record(&[option, "200,150"]);
        assert!(!err.contains("a rehearsal"), "{err}");
        let call = ["run", JOB, "--to", "rig:", option];
        assert!(bench.refused(1, &[&call[..], &["20,20"]].concat()).contains("off-bed"));
        assert!(
            bench.refused(2, &[&call[..], &["500,20"]].concat()).contains("100 mm on the right")
        );
        let machine = ["run", JOB, "--to", "tcp:127.0.0.1:9", option, "20,20"];
        assert!(bench.refused(2, &machine).contains("simulated machine"));
    }
}

#[test]
fn a_rehearsal_of_the_edge_needs_only_the_job() {
    let bench = Bench::new();
    for zero in ["stock", "head"] {
        let begin = ["begin", "sail-panel.svg", "--zero", zero, "--at", "-50 mm,-20 mm"];
        bench.ok(&[&begin[..], &["-o", "a.kite.toml", "--force"]].concat());
        let ran = bench.run(&["edge", "a.kite.toml", "--to", "rig:", "--json"]);
        assert_eq!(ran.status, 0, "{}", ran.err);
        assert!(ran.err.contains("so that the job lies on the bed"), "{}", ran.err);
        let told: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
        let on_bed: Vec<f64> =
            told["on_bed_mm"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
        let size = (on_bed[2] - on_bed[0], on_bed[3] - on_bed[1]);
        assert!(on_bed[0] >= 0.0 && on_bed[1] >= 0.0, "{told}");
        assert!((size.0 - 172.97).abs() < 0.01 && (size.1 - 116.39).abs() < 0.01, "{told}");
        assert_eq!(told["dark"], "confirmed");
    }
}

#[test]
fn the_lines_for_a_rotary_that_begin_offers_run_as_they_stand_and_are_shown_unrolled() {
    let bench = Bench::new();
    for name in ["reel-label.svg", "reel-laser.machine.toml"] {
        bench.demo(name);
    }
    bench.ok(&["begin", "reel-label.svg", "--machine", "reel-laser", "-o", "r.kite.toml"]);
    let job = bench.read("r.kite.toml");
    let offered = ["# [rotary]", "# hold", "# diameter"];
    let taken = job.lines().map(|line| match offered.iter().any(|o| line.starts_with(o)) {
        true => line.trim_start_matches("# "),
        false => line,
    });
    bench.write("r.kite.toml", taken.collect::<Vec<_>>().join("\n"));
    let plan = bench.json(&["plan", "r.kite.toml"]);
    let out = bench.ok(&["run", "r.kite.toml", "--to", "rig:", "--picture", "r.svg"]);
    let burnt = format!("{:.1} mm burnt", plan["burn_mm"].as_f64().unwrap());
    assert!(out.contains(&burnt) && out.contains("turned "), "{burnt}: {out}");
    // The label is 88 x 48 mm on the surface, whichever axis carries it there.
    let picture = bench.read("r.svg");
    for words in [">88 mm<", ">48 mm<", ">seam<", "unrolled"] {
        assert!(picture.contains(words), "{words} is not in the picture");
    }
    // What is larger than all that is shown of its surface stands whole in the picture.
    bench.change("r.kite.toml", "70 mm", "300 mm");
    bench.ok(&["draw", "r.kite.toml", "-o", "large.svg", "--size", "1280x800"]);
    let picture = bench.read("large.svg");
    let at = picture.find("as the beam sees it").unwrap();
    let y = picture[..at].rfind(" y=\"").map(|n| &picture[n + 4..]).unwrap();
    let y: f64 = y.split('"').next().unwrap().parse().unwrap();
    assert!(y < 790.0, "its words stand at {y} px");
}
