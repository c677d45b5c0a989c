//! A run with a hand on it: the built program in a terminal, keys typed, and what the rig's beam did.

use crate::common::terminal::Terminal;
use crate::common::{Bench, RigProcess};
use std::time::{Duration, Instant};

/// Forty squares of 10 mm at S500: 1,600 mm at 100 mm/s, some 18 s.
fn squares() -> String {
    let mut text = "G21 G90\nM4 S0\nG1 F6000\n".to_string();
    for n in 0..40 {
        let (x, y) = (10 + n % 8 * 15, 10 + n / 8 * 15);
        let (right, up) = (x + 10, y + 10);
        text += &format!("G0 X{x} Y{y}\nG1 X{right} S500\nY{up}\nX{x}\nY{y}\n");
    }
    text + "M5 S0\nM2\n"
}

const RUN: [&str; 4] = ["run", "squares.nc", "--machine", "bench-laser"];

fn begun(pace: &str, columns: u16, rows: u16) -> (Bench, RigProcess, Terminal) {
    let bench = Bench::new();
    bench.write("squares.nc", squares());
    let rig = RigProcess::start(
        &bench,
        &["--tcp", "127.0.0.1:0", "--once", "--pace", pace, "--record", "record.json"],
    );
    let terminal = Terminal::run(&bench, columns, rows, &[&RUN[..], &["--to", &rig.link]].concat());
    (bench, rig, terminal)
}

fn record(bench: &Bench, rig: RigProcess) -> serde_json::Value {
    rig.rest();
    serde_json::from_str(&bench.read("record.json")).unwrap()
}

/// S and mm of everything that was burnt.
fn burnt(record: &serde_json::Value) -> Vec<(f64, f64)> {
    let rows = record["by_s"].as_array().unwrap();
    rows.iter().map(|r| (r["s"].as_f64().unwrap(), r["burn_mm"].as_f64().unwrap())).collect()
}

#[track_caller]
fn whole(record: &serde_json::Value) {
    let mm = record["burn_mm"].as_f64().unwrap();
    assert!((mm - 1600.0).abs() < 0.01, "{record}");
    assert_eq!(record["lit_standing_seconds"], 0.0);
    assert_eq!(record["beam_on"], false);
}

#[test]
fn a_key_holds_and_goes_on_and_nothing_is_burnt_twice() {
    let (bench, rig, mut terminal) = begun("4", 100, 30);
    terminal.waits_for("running");
    for times in 1..=2 {
        terminal.types(" ");
        terminal.waits_for_times(times, "HELD");
        std::thread::sleep(Duration::from_millis(700));
        terminal.types(" ");
        // Of a line that is told only what differs from the one before is drawn; the state stands alone.
        terminal.waits_for_times(times + 1, "running");
    }
    let ran = terminal.ends();
    assert_eq!(ran.status, 0, "{}", ran.out);
    assert!(ran.out.contains("the machine goes on") && ran.out.contains("done: "), "{}", ran.out);
    whole(&record(&bench, rig));
}

#[test]
fn power_rises_to_the_ceiling_and_no_further_and_comes_back() {
    let (bench, rig, mut terminal) = begun("4", 100, 30);
    terminal.waits_for("running");
    // The ceiling of 90 % is 180 % of S500.
    for _ in 0..10 {
        terminal.types("\u{1b}[C");
        std::thread::sleep(Duration::from_millis(30));
    }
    terminal.waits_for("would be above the ceiling of 90 %");
    std::thread::sleep(Duration::from_millis(500));
    terminal.types("0");
    let ran = terminal.ends();
    assert_eq!(ran.status, 0, "{}", ran.out);
    let record = record(&bench, rig);
    whole(&record);
    let burnt = burnt(&record);
    let most = burnt.iter().map(|(s, _)| *s).fold(0.0, f64::max);
    assert_eq!(most, 900.0, "{burnt:?}");
    assert!(burnt.iter().any(|(s, mm)| *s == 500.0 && *mm > 100.0), "{burnt:?}");
}

#[test]
fn speed_is_the_operators_too() {
    let seconds = |keys: &str| {
        let (bench, rig, mut terminal) = begun("2", 100, 30);
        terminal.waits_for("running");
        for _ in 0..5 {
            terminal.types(keys);
            std::thread::sleep(Duration::from_millis(30));
        }
        assert_eq!(terminal.ends().status, 0);
        let record = record(&bench, rig);
        whole(&record);
        record["busy_seconds"].as_f64().unwrap()
    };
    let (faster, slower) = (seconds("\u{1b}[A"), seconds("\u{1b}[B"));
    assert!(slower > 1.3 * faster, "{slower} {faster}");
}

#[test]
fn a_key_stops_with_the_beam_off_and_the_rest_is_run_later() {
    for stop in ["s", "\u{3}", "\u{1a}"] {
        let (bench, rig, mut terminal) = begun("8", 100, 30);
        terminal.waits_for("running");
        std::thread::sleep(Duration::from_millis(300));
        terminal.types(stop);
        let ran = terminal.ends();
        assert_eq!(ran.status, 4, "{}", ran.out);
        assert!(ran.out.contains("; the beam is off; tinkite run --go-on 1"), "{}", ran.out);
        let record = record(&bench, rig);
        assert!(record["burn_mm"].as_f64().unwrap() < 1500.0);
        assert_eq!(record["beam_on"], false);
    }
}

#[test]
fn what_was_typed_before_the_run_is_not_obeyed() {
    let (bench, rig, mut terminal) = begun("8", 100, 30);
    terminal.types("sss   ");
    let ran = terminal.ends();
    assert_eq!(ran.status, 0, "{}", ran.out);
    whole(&record(&bench, rig));
}

#[test]
fn a_terminal_of_any_size_will_do() {
    for (columns, rows) in [(20, 4), (1, 1), (40, 12), (250, 80)] {
        let (bench, rig, mut terminal) = begun("16", columns, rows);
        terminal.types("hh");
        let ran = terminal.ends();
        assert_eq!(ran.status, 0, "{columns} x {rows}: {}", ran.out);
        assert!(!ran.out.contains("panicked"), "{}", ran.out);
        whole(&record(&bench, rig));
    }
}

#[test]
fn a_terminal_that_is_dragged_small_and_large_will_do() {
    let bench = Bench::new();
    let pace = ["--tcp", "127.0.0.1:0", "--once", "--pace", "20", "--record", "record.json"];
    let rig = RigProcess::start(&bench, &pace);
    let sizes = [(20, 6), (40, 12), (1, 1), (200, 60), (20, 30), (90, 30)];
    let call = ["run", "sail-panel.kite.toml", "--to", &rig.link];
    let mut terminal = Terminal::dragged(&bench, &sizes, &call);
    terminal.waits_for("%");
    terminal.types("hh");
    let ran = terminal.ends();
    assert_eq!(ran.status, 0, "{}", ran.out);
    assert!(!ran.out.contains("panicked"), "{}", ran.out);
    let record = record(&bench, rig);
    assert_eq!(record["errors"], 0);
    let mut panel =
        Terminal::dragged(&bench, &sizes, &["head", "--machine", "bench-laser", "--to", "rig:1"]);
    panel.waits_for("left");
    std::thread::sleep(std::time::Duration::from_millis(3500));
    panel.types("q");
    let ran = panel.ends();
    assert!(ran.status == 0 && !ran.out.contains("panicked"), "{}", ran.out);
}

#[test]
fn a_terminal_that_vanishes_stops_the_run() {
    let (bench, rig, terminal) = begun("4", 100, 30);
    terminal.waits_for("running");
    std::thread::sleep(Duration::from_millis(300));
    terminal.vanishes();
    let record = record(&bench, rig);
    assert_eq!(record["beam_on"], false);
    let burnt = record["burn_mm"].as_f64().unwrap();
    assert!(burnt > 1.0 && burnt < 1500.0, "{record}");
    // The log knows of it once the program has ended.
    let since = Instant::now();
    let how = || bench.json(&["log", "list"])[0]["how"].clone();
    while how().is_null() && since.elapsed() < Duration::from_secs(20) {
        std::thread::sleep(Duration::from_millis(50));
    }
    assert_eq!(how(), "stopped");
}

#[test]
fn a_pause_of_the_program_and_a_door_are_gone_on_from_by_a_key() {
    let bench = Bench::new();
    bench.write("squares.nc", squares().replacen("G0 X25", "M0\nG0 X25", 1));
    let rig = RigProcess::start(
        &bench,
        &["--tcp", "127.0.0.1:0", "--once", "--pace", "8", "--record", "record.json"],
    );
    let mut terminal = Terminal::run(&bench, 100, 30, &[&RUN[..], &["--to", &rig.link]].concat());
    terminal.waits_for("HELD at the machine");
    std::thread::sleep(Duration::from_millis(300));
    terminal.types(" ");
    let ran = terminal.ends();
    assert_eq!(ran.status, 0, "{}", ran.out);
    whole(&record(&bench, rig));
}

#[test]
fn a_board_without_a_hold_is_held_where_its_beam_is_off() {
    let bench = Bench::new();
    bench.demo("printer-laser.machine.toml");
    let mut text = "G21\nG90\nM107\n".to_string();
    for n in 0..12 {
        let (x, y) = (10 + n % 4 * 20, 10 + n / 4 * 20);
        text += &format!(
            "G1 X{x} Y{y} F6000\nM106 S120\nG1 X{} F1200\nG1 Y{}\nG1 X{x}\nG1 Y{y}\nM107\n",
            x + 10,
            y + 10
        );
    }
    bench.write("boxes.nc", text + "M107\n");
    let rig = RigProcess::start(
        &bench,
        &[
            "--tcp",
            "127.0.0.1:0",
            "--once",
            "--pace",
            "4",
            "--machine",
            "printer-laser",
            "--record",
            "record.json",
        ],
    );
    let run = ["run", "boxes.nc", "--machine", "printer-laser", "--accept", "constant-power"];
    let mut terminal = Terminal::run(&bench, 100, 30, &[&run[..], &["--to", &rig.link]].concat());
    terminal.waits_for("sent");
    std::thread::sleep(Duration::from_millis(400));
    terminal.types(" ");
    terminal.waits_for("hold at the next place");
    terminal.types("\u{1b}[C");
    std::thread::sleep(Duration::from_millis(4000));
    terminal.types(" ");
    let ran = terminal.ends();
    assert!(ran.out.contains("of this controller cannot be changed while it runs"), "{}", ran.out);
    assert_eq!(ran.status, 0, "{}", ran.out);
    rig.rest();
    let record: serde_json::Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    assert!((record["burn_mm"].as_f64().unwrap() - 480.0).abs() < 0.01, "{record}");
    assert!(record["lit_standing_seconds"].as_f64().unwrap() < 0.05, "{record}");
}

#[test]
fn without_a_terminal_a_line_comes_now_and_then() {
    let bench = Bench::new();
    bench.write("squares.nc", squares());
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--once", "--pace", "2"]);
    let ran = bench.run(&[&RUN[..], &["--to", &rig.link]].concat());
    assert_eq!(ran.status, 0, "{}", ran.err);
    let lines: Vec<&str> = ran.err.lines().filter(|line| line.contains(" left")).collect();
    assert!((1..=4).contains(&lines.len()), "{}", ran.err);
    assert!(lines[0].contains(" %, line ") && lines[0].contains(" of 205"), "{}", ran.err);
    assert!(!ran.err.contains('\u{1b}'), "{}", ran.err);
}

/// A bench whose laser has something to confirm and air to clear.
fn attended(clear_air: &str) -> (Bench, RigProcess) {
    let bench = Bench::new();
    bench.write("squares.nc", squares());
    let profile = bench.read("bench-laser.machine.toml");
    let run = format!(
        "[run]\nchecklist = [\"air on\", \"extraction on\"]\nclear-air = \"{clear_air}\"\n"
    );
    bench.write("bench-laser.machine.toml", profile + &run);
    let rig = RigProcess::start(
        &bench,
        &["--tcp", "127.0.0.1:0", "--once", "--pace", "16", "--record", "record.json"],
    );
    (bench, rig)
}

#[test]
fn a_checklist_is_confirmed_point_by_point_before_anything_is_sent() {
    let (bench, rig) = attended("1 s");
    let call = [&RUN[..], &["--to", &rig.link]].concat();
    let refused = bench.refused(2, &call);
    assert!(
        refused.contains("air on; extraction on") && refused.contains("--confirmed"),
        "{refused}"
    );
    bench.refused(2, &[&call[..], &["--json"]].concat());
    for no in ["yn", "\u{3}", "q"] {
        let mut terminal = Terminal::run(&bench, 80, 24, &call);
        terminal.waits_for("air on?");
        terminal.types(no);
        let ran = terminal.ends();
        assert_eq!(ran.status, 4, "{}", ran.out);
        assert!(
            ran.out.contains("not confirmed: ") && ran.out.contains("nothing was sent"),
            "{}",
            ran.out
        );
    }
    let mut terminal = Terminal::run(&bench, 80, 24, &call);
    terminal.waits_for("air on?");
    terminal.types("y");
    terminal.waits_for("extraction on?");
    terminal.types("\r");
    terminal.waits_for("the air clears for 1.0 s");
    assert!(!terminal.shown().contains("the lid may be opened"));
    terminal.waits_for("how did it go?");
    terminal.types("n");
    let ran = terminal.ends();
    assert_eq!(ran.status, 0, "{}", ran.out);
    let (lid, asked) = ("the lid may be opened", "how did it go?");
    assert!(ran.out.find(lid).unwrap() < ran.out.find(asked).unwrap(), "{}", ran.out);
    whole(&record(&bench, rig));
    let log = bench.json(&["log", "list"]);
    assert_eq!((log.as_array().unwrap().len(), &log[0]["note"]), (1, &"not through".into()));
}

#[test]
fn a_script_confirms_once_and_waits_for_the_air() {
    let (bench, rig) = attended("700 ms");
    let ran = bench.run(&[&RUN[..], &["--to", &rig.link, "--confirmed", "--json"]].concat());
    assert_eq!(ran.status, 0, "{}", ran.err);
    let events: Vec<serde_json::Value> =
        ran.out.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let last = events.last().unwrap();
    assert_eq!(last["event"], "air-clear");
    assert!(last["waited_seconds"].as_f64().unwrap() >= 0.7);
    assert_eq!(events[events.len() - 2]["event"], "end");
    whole(&record(&bench, rig));
    // In this process nothing smokes.
    let rig = bench.run(&[&RUN[..], &["--to", "rig:"]].concat());
    assert_eq!(rig.status, 0, "{}", rig.err);
}

#[test]
fn a_checklist_that_asks_nothing_is_refused() {
    for (wrong, told) in [
        ("checklist = []", "checklist in [run] is empty"),
        ("checklist = [1]", "list of things to confirm"),
        ("checklist = [\" \"]", "list of things to confirm"),
        ("checklist = \"air\"", "checklist in [run]"),
        ("clear-air = \"7200 s\"", "0 s to 3600 s"),
        ("clear-air = \"-1 s\"", "clear-air"),
        ("checks = []", "checks"),
    ] {
        let bench = Bench::new();
        let profile = bench.read("bench-laser.machine.toml");
        bench.write("bench-laser.machine.toml", format!("{profile}[run]\n{wrong}\n"));
        let refused = bench.refused(1, &["check", "sail-panel.kite.toml"]);
        assert!(refused.contains(told), "{wrong}: {refused}");
    }
}

/// A board, written from the protocol alone, that keeps its power on while it is held.
fn stubborn_board() -> (String, std::thread::JoinHandle<()>) {
    use std::io::{Read, Write};
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let link = format!("tcp:{}", listener.local_addr().unwrap());
    let board = std::thread::spawn(move || {
        let (mut link, _) = listener.accept().unwrap();
        let (mut state, mut s, mut line) = ("Idle", 0, Vec::new());
        let mut byte = [0];
        while let Ok(1) = link.read(&mut byte) {
            let answer = match byte[0] {
                b'?' => {
                    format!("<{state}|MPos:0.000,0.000,0.000|FS:0,{s}|WCO:0.000,0.000,0.000>\r\n")
                }
                b'!' => {
                    state = "Hold:0";
                    String::new()
                }
                0x18 => {
                    (state, s) = ("Idle", 0);
                    "\r\nGrbl 1.1h ['$' for help]\r\n".into()
                }
                b'\n' => {
                    let text = String::from_utf8(std::mem::take(&mut line)).unwrap();
                    let told = match text.as_str() {
                        "$I" => "[VER:1.1h:]\r\n[OPT:VL,15,128]\r\n",
                        "$$" => "$30=1000\r\n$32=1\r\n",
                        "$#" => "[G54:0.000,0.000,0.000]\r\n[G92:0.000,0.000,0.000]\r\n",
                        "$G" => "[GC:G0 G54 G17 G21 G90 G94 M5 M9 T0 F0 S0]\r\n",
                        _ => {
                            (state, s) = ("Run", 500);
                            ""
                        }
                    };
                    format!("{told}ok\r\n")
                }
                other => {
                    line.push(other);
                    String::new()
                }
            };
            if link.write_all(answer.as_bytes()).is_err() {
                return;
            }
        }
    });
    (link, board)
}

#[test]
fn a_board_that_says_it_is_lit_while_it_is_held_is_told_of() {
    let bench = Bench::new();
    bench.write("squares.nc", squares());
    let (link, board) = stubborn_board();
    let mut terminal = Terminal::run(&bench, 100, 30, &[&RUN[..], &["--to", &link]].concat());
    terminal.waits_for("running");
    terminal.types(" ");
    terminal.waits_for("HELD");
    std::thread::sleep(Duration::from_millis(900));
    terminal.types("s");
    let ran = terminal.ends();
    assert_eq!(ran.status, 4, "{}", ran.out);
    assert!(ran.out.contains("says S 500 while it is held: LOOK WHETHER"), "{}", ran.out);
    assert!(ran.out.contains("; the beam is off"), "{}", ran.out);
    board.join().unwrap();
}

#[test]
fn a_stop_that_holds_a_board_for_its_reset_is_not_told_as_a_hold() {
    let bench = Bench::new();
    bench.write("squares.nc", squares());
    let (link, board) = stubborn_board();
    let mut terminal = Terminal::run(&bench, 100, 30, &[&RUN[..], &["--to", &link]].concat());
    terminal.waits_for("running");
    terminal.types("s");
    let ran = terminal.ends();
    assert_eq!(ran.status, 4, "{}", ran.out);
    assert!(!ran.out.contains("LOOK WHETHER"), "{}", ran.out);
    assert!(ran.out.contains("; the beam is off"), "{}", ran.out);
    board.join().unwrap();
}
