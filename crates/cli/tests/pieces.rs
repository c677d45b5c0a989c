//! The same job piece after piece and sheet after sheet: one checklist, a word for each next piece, serial numbers that
//! go on, and what becomes of one that broke off.

use crate::common::terminal::Terminal;
use crate::common::{Bench, Ran, RigProcess};
use std::io::{BufRead, BufReader, Write};
use std::process::Stdio;

const JOB: &str = "tags.kite.toml";

/// A job of tags with serial numbers, `count` of them, of which six lie on a sheet.
fn tags(count: u32, goes_on: bool) -> Bench {
    let bench = Bench::new();
    bench.write(
        "tag.svg",
        r##"<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="18mm" viewBox="0 0 40 18" fill="none"><rect width="40" height="18" stroke="#000000"/></svg>"##,
    );
    bench.write(
        JOB,
        format!(
            r#"tinkite = 1
name = "tags"
machine = "bench-laser"
[[artwork]]
file = "tag.svg"
[stock]
width = "100 mm"
depth = "60 mm"
[place]
at = ["0 mm", "0 mm"]
copies = {{ count = {count}, gap = "2 mm", number = {{ first = 7, go-on = {goes_on} }} }}
[[shape]]
name = "word"
kind = "text"
colour = "red"
text = "{{number}}"
font = "single-line"
height = "6 mm"
at = ["5 mm", "5 mm"]
[[step]]
make = "score"
take = {{ colour = "red" }}
speed = "60 mm/s"
power = "20 %"
[[step]]
make = "cut"
take = {{ colour = "black" }}
speed = "20 mm/s"
power = "80 %"
"#
        ),
    );
    bench
}

fn quick(bench: &Bench) -> RigProcess {
    RigProcess::start(bench, &["--tcp", "127.0.0.1:0", "--pace", "max"])
}

/// The serial numbers of each run in the log, the first run first.
fn numbers(bench: &Bench) -> Vec<String> {
    let runs = bench.json(&["log", "list"]);
    let runs = runs.as_array().unwrap().len();
    let of = |run: usize| bench.ok(&["log", "show", &run.to_string()]);
    let line = |text: String| {
        text.lines().find_map(|l| l.strip_prefix("serial numbers ")).map(str::to_string)
    };
    (1..=runs).map(|run| line(of(run)).unwrap_or_default()).collect()
}

/// Burns the next of three pieces, stops it, and says with a key what becomes of it.
fn breaks_off(terminal: &mut Terminal, piece: usize, key: &str) {
    let before = terminal.shown().matches("running").count();
    terminal.types("\r");
    terminal.waits_for_times(before + 1, "running");
    terminal.types("s");
    terminal.waits_for(&format!("piece {piece} of 3 broke off"));
    terminal.types(key);
    // Somebody may have opened the lid: what was confirmed holds no longer.
    terminal.waits_for_times(piece, "air on?");
    terminal.types("y");
}

/// Events of one kind.
fn events(out: &str, kind: &str) -> Vec<serde_json::Value> {
    let all = out.lines().map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap());
    all.filter(|event| event["event"] == kind).collect()
}

#[test]
fn numbers_that_go_on_leave_none_out_from_sheet_to_sheet() {
    let bench = tags(14, true);
    let rig = quick(&bench);
    for sheet in ["1", "2", "3", "1"] {
        bench.ok(&["run", JOB, "--sheet", sheet, "--to", &rig.link]);
    }
    assert_eq!(numbers(&bench), ["7 to 12", "13 to 18", "19 to 20", "21 to 26"]);
    // What does not go on counts over all sheets.
    let bench = tags(14, false);
    let second = bench.ok(&["emit", JOB, "--sheet", "2", "-o", "-"]);
    assert!(second.contains("number 13\n") && !second.contains("number 12\n"), "{second}");
}

#[test]
fn all_sheets_are_run_and_planned_in_one_call() {
    let bench = tags(14, true);
    let out = bench.ok(&["run", JOB, "--sheet", "all", "--to", "rig:", "--json"]);
    let told: Vec<_> = events(&out, "piece")
        .iter()
        .map(|event| (event["sheet"].clone(), event["numbers"].clone(), event["of"].clone()))
        .collect();
    let expected = [(1, [7, 12]), (2, [13, 18]), (3, [19, 20])]
        .map(|(sheet, numbers)| (sheet.into(), serde_json::json!(numbers), 3.into()));
    assert_eq!(told, expected);
    let ends = events(&out, "end");
    assert!(ends.len() == 3 && ends.iter().all(|end| end["how"] == "done"), "{out}");
    // A plan is as long as the runs are.
    let bench = tags(14, false);
    let out = bench.ok(&["run", JOB, "--sheet", "all", "--to", "rig:", "--json"]);
    let ends = events(&out, "end");
    let plan = bench.json(&["plan", JOB, "--sheet", "all"]);
    let ran: f64 = ends.iter().map(|end| end["seconds"].as_f64().unwrap()).sum();
    let planned = plan["seconds"].as_f64().unwrap();
    assert!((planned - ran).abs() < 0.01 * ran, "planned {planned}, ran {ran}");
    // From one on, and to one.
    for (sheets, expected) in [("2-", vec![2, 3]), ("1-2", vec![1, 2]), ("3-3", vec![3])] {
        let out = bench.ok(&["run", JOB, "--sheet", sheets, "--to", "rig:", "--json"]);
        let sheets: Vec<_> =
            events(&out, "piece").iter().map(|e| e["sheet"].as_u64().unwrap()).collect();
        assert_eq!(sheets, expected, "{out}");
    }
}

#[test]
fn what_cannot_be_a_series_is_refused_before_anything_is_sent() {
    let bench = tags(14, true);
    let to = ["--to", "rig:"];
    let cases: [(&[&str], &str); 9] = [
        (&["run", JOB, "--pieces", "0"], "--pieces"),
        (&["run", JOB, "--sheet", "0"], "counts from 1"),
        (&["run", JOB, "--sheet", "3-2"], "counts from 1"),
        (&["run", JOB, "--sheet", "every"], "all"),
        (&["run", JOB, "--sheet", "2-9"], "there is no sheet 9: say a sheet from 1 to 3"),
        (&["run", "-", "--pieces", "2", "--machine", "bench-laser"], "standard input"),
        (&["run", JOB, "--pieces", "2", "--picture", "a.png"], "--picture"),
        (&["run", JOB, "--pieces", "2", "--card", "."], "--card"),
        (&["run", JOB, "--pieces", "2", "--again", "1"], "--again"),
    ];
    for (args, why) in cases {
        let told = bench.refused(2, &[args, &to].concat());
        assert!(told.contains(why), "{args:?}: {told}");
        assert!(!told.contains("streaming"), "{told}");
    }
    for command in ["emit", "edge"] {
        let told = bench.refused(2, &[command, JOB, "--sheet", "all"]);
        assert!(told.contains("--sheet NUMBER"), "{told}");
    }
    bench.refused(1, &["run", JOB, "--sheet", "7", "--pieces", "2", "--to", "rig:"]);
}

#[test]
fn a_line_on_standard_input_is_the_key_and_those_of_before_do_not_count() {
    let bench = tags(2, true);
    let rig = quick(&bench);
    let args = ["run", JOB, "--pieces", "3", "--json", "--to", &rig.link];
    let begin = || {
        let mut call = bench.command(&args);
        call.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
        call.spawn().unwrap()
    };
    let mut child = begin();
    let mut input = child.stdin.take().unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let mut pieces = 0;
    while let Some(Ok(line)) = lines.next() {
        let event: serde_json::Value = serde_json::from_str(&line).unwrap();
        if event["event"] == "piece" {
            pieces += 1;
            assert_eq!(event["waits"], pieces > 1, "{event}");
            if pieces > 1 {
                // Nothing is burnt while nobody says so.
                std::thread::sleep(std::time::Duration::from_millis(300));
                assert_eq!(numbers(&bench).len(), pieces - 1);
                input.write_all(b"\n").unwrap();
            }
        }
    }
    assert!(child.wait().unwrap().success());
    assert_eq!(numbers(&bench), ["7 to 8", "9 to 10", "11 to 12"]);
    // Typed too early, and then nobody is there.
    let mut child = begin();
    child.stdin.take().unwrap().write_all(b"\n\n\n\n").unwrap();
    let ran = Ran::from(child.wait_with_output().unwrap());
    assert_eq!(ran.status, 4, "{}", ran.err);
    let ends = events(&ran.out, "end");
    assert_eq!(ends.len(), 2, "{}", ran.out);
    assert_eq!((&ends[1]["how"], &ends[1]["dark"]), (&"stopped".into(), &"untouched".into()));
    assert!(ran.err.contains("1 of 3 pieces done; the same call with --pieces 2"), "{}", ran.err);
    assert_eq!(numbers(&bench).last().unwrap(), "13 to 14");
}

#[test]
fn the_checklist_is_asked_until_something_goes_wrong_and_a_piece_that_was_stopped_is_finished_or_made_anew()
 {
    let bench = tags(2, true);
    let profile = "bench-laser.machine.toml";
    let text = bench.read(profile) + "\n[run]\nchecklist = [\"air on\"]\n";
    bench.write(profile, text);
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "3"]);
    let args = ["run", JOB, "--pieces", "3", "--to", &rig.link];
    let mut terminal = Terminal::run(&bench, 100, 30, &args);
    terminal.waits_for("air on?");
    terminal.types("y");
    terminal.waits_for("piece 2 of 3, numbers 9 to 10: lay it in");
    // Other keys mean nothing.
    terminal.types("x ");
    breaks_off(&mut terminal, 2, "f");
    terminal.waits_for("piece 3 of 3, numbers 11 to 12: lay it in");
    breaks_off(&mut terminal, 3, "a");
    terminal.waits_for_times(2, "piece 3 of 3, numbers 11 to 12: lay it in");
    terminal.types("\r");
    let ran = terminal.ends();
    assert_eq!(ran.status, 0, "{}", ran.out);
    assert_eq!(ran.out.matches("air on?").count(), 3, "{}", ran.out);
    assert!(ran.out.contains("3 pieces done"), "{}", ran.out);
    assert_eq!(numbers(&bench), ["7 to 8", "9 to 10", "9 to 10", "11 to 12", "11 to 12"]);
    let runs = bench.json(&["log", "list"]);
    let how = |n: usize| runs[n]["how"].as_str().unwrap().to_string();
    // The latest first.
    assert_eq!([0, 1, 2, 3, 4].map(how), ["done", "stopped", "done", "stopped", "done"]);
}

#[test]
fn a_piece_that_broke_off_and_those_behind_it_are_one_call() {
    let bench = tags(2, true);
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "3"]);
    let to = ["--to", &rig.link];
    let mut terminal =
        Terminal::run(&bench, 100, 30, &[&["run", JOB, "--pieces", "2"], &to[..]].concat());
    terminal.waits_for("running");
    terminal.types("s");
    terminal.waits_for("piece 1 of 2 broke off");
    terminal.types("q");
    let ran = terminal.ends();
    assert_eq!(ran.status, 4, "{}", ran.out);
    assert!(ran.out.contains("tinkite run --go-on 1 --pieces 2 finishes"), "{}", ran.out);
    // The next run of the job says so, and asks: the half burnt piece may still lie there.
    let mut terminal = Terminal::run(&bench, 100, 30, &[&["run", JOB], &to[..]].concat());
    terminal.waits_for("run 1, the last of this job, was stopped");
    terminal.types("q");
    let ran = terminal.ends();
    assert_eq!(ran.status, 4, "{}", ran.out);
    assert_eq!(numbers(&bench).len(), 1);
    // What was said is done. The link is that of the piece that broke off.
    let mut terminal = Terminal::run(&bench, 100, 30, &["run", "--go-on", "1", "--pieces", "2"]);
    terminal.waits_for("piece 2 of 2, numbers 9 to 10: lay it in");
    terminal.types("\r");
    let ran = terminal.ends();
    assert_eq!(ran.status, 0, "{}", ran.out);
    assert_eq!(numbers(&bench), ["7 to 8", "7 to 8", "9 to 10"]);
    assert_eq!(bench.json(&["log", "list"])[0]["how"], "done");
    // Nothing is open any more.
    let ran = bench.run(&[&["run", JOB], &to[..]].concat());
    assert!(ran.status == 0 && !ran.err.contains("the last of this job"), "{}", ran.err);
}

#[test]
fn what_the_call_says_holds_for_the_piece_that_is_finished_too() {
    let bench = tags(2, false);
    // Beams of constant power are run only where that is accepted.
    bench.change("bench-laser.machine.toml", "follows-speed = true", "follows-speed = false");
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "3"]);
    let log = bench.path("own.sqlite").display().to_string();
    let args = ["run", JOB, "--pieces", "1", "--to", &rig.link, "--log", &log];
    let args = [&args[..], &["--accept", "constant-power", "--note", "second try"]].concat();
    let mut terminal = Terminal::run(&bench, 100, 30, &args);
    terminal.waits_for("running");
    terminal.types("s");
    terminal.waits_for("piece 1 of 1 broke off");
    terminal.types("f");
    let ran = terminal.ends();
    assert_eq!(ran.status, 0, "{}", ran.out);
    assert!(!bench.logged(), "the usual log was written");
    let runs = bench.json(&["log", "list", "--log", &log]);
    let told: Vec<_> = runs.as_array().unwrap().iter().map(|r| (&r["how"], &r["note"])).collect();
    let note = serde_json::json!("second try");
    assert_eq!(told, [(&"done".into(), &note), (&"stopped".into(), &note)]);
}
