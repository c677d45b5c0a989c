//! The machine by hand: each call against the rig, and what the rig says of itself afterwards.

use crate::common::terminal::Terminal;
use crate::common::{Bench, Ran, RigProcess, signal};
use serde_json::{Value, json};
use std::time::Duration;

fn rig(bench: &Bench, args: &[&str]) -> RigProcess {
    let args =
        [&["--tcp", "127.0.0.1:0", "--pace", "20", "--record", "record.json"], args].concat();
    RigProcess::start(bench, &args)
}

/// Where the head is and where its zero, both from the corner of the bed.
fn stands(bench: &Bench, call: &[&str], rig: &RigProcess, machine: &str) -> Value {
    let link = ["--machine", machine, "--to", &rig.link];
    bench.json(&[&["head"], call, &link].concat())
}

#[test]
fn the_head_goes_where_it_is_sent_and_the_zero_stays_where_it_was_set() {
    let bench = Bench::new();
    let rig = rig(&bench, &["--head", "30,20", "--zero", "100 mm, 50 mm"]);
    let call = |args: &[&str]| stands(&bench, args, &rig, "bench-laser");
    let at = call(&["where"]);
    assert_eq!(
        (&at["on_bed_mm"], &at["zero_on_bed_mm"]),
        (&json!([30.0, 20.0]), &json!([100.0, 50.0]))
    );
    assert_eq!((&at["locked"], &at["dark"]), (&json!(false), &json!("untouched")));
    let at = call(&["go", "250", "1 in"]);
    assert_eq!((&at["on_bed_mm"], &at["dark"]), (&json!([250.0, 25.4]), &json!("confirmed")));
    let at = call(&["move", "-100.5", "+10 mm"]);
    assert_eq!(at["on_bed_mm"], json!([149.5, 35.4]));
    let at = call(&["go", "-20", "0", "--from", "stock", "--speed", "20 mm/s"]);
    assert_eq!(
        (&at["on_bed_mm"], &at["from_zero_mm"]),
        (&json!([80.0, 50.0]), &json!([-20.0, 0.0]))
    );
    let link = ["--machine", "bench-laser", "--to", &rig.link];
    let told = bench.ok(&[&["head", "move", "0", "-0"], &link[..]].concat());
    assert!(told.contains("the head is 20 mm left of it"), "{told}");
    let at = call(&["zero"]);
    let told = bench.ok(&[&["head", "where"], &link[..]].concat());
    assert!(told.contains("the head is on it") && told.starts_with("ready\n"), "{told}");
    assert_eq!(
        (&at["zero_on_bed_mm"], &at["from_zero_mm"]),
        (&json!([80.0, 50.0]), &json!([0.0, 0.0]))
    );
    call(&["move", "5", "5"]);
    let at = call(&["zero", "x"]);
    assert_eq!(at["zero_on_bed_mm"], json!([85.0, 50.0]));
    // A job that counts from there burns there.
    bench.change("sail-panel.kite.toml", "[place]", "[place]\nzero = \"stock\"");
    let at = call(&["home"]);
    assert_eq!((&at["on_bed_mm"], &at["dark"]), (&json!([0.0, 0.0]), &json!("confirmed")));
    rig.end();
    let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    assert_eq!((&record["burn_mm"], &record["errors"]), (&json!(0.0), &json!(0)));
}

#[test]
fn what_would_leave_the_bed_is_refused_before_anything_is_sent() {
    let bench = Bench::new();
    let rig = rig(&bench, &["--head", "30,20"]);
    for (call, told) in [
        (&["go", "400.5", "10"][..], "0.5 mm on the right"),
        (&["go", "10", "-3"], "3 mm in front"),
        (&["move", "-31", "300"], "1 mm on the left and 20 mm at the back"),
        (&["go", "1e9", "0"], "no machine is as large"),
        (&["go", "nan", "0"], "no machine is as large"),
        (&["go", "10 furlongs", "0"], "furlongs"),
        (&["go", "10", "10", "--speed", "0"], "above zero"),
        (&["zero", "z"], "no Z axis"),
        (&["zero", "w"], "[possible values: x, y, z]"),
    ] {
        let link = ["--machine", "bench-laser", "--to", &rig.link];
        let refused = bench.refused(2, &[&["head"], call, &link].concat());
        assert!(refused.contains(told), "{call:?}: {refused}");
    }
    let at = stands(&bench, &["where"], &rig, "bench-laser");
    assert_eq!(at["on_bed_mm"], json!([30.0, 20.0]));
    rig.end();
    let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    assert_eq!((&record["travel_mm"], &record["errors"]), (&json!(0.0), &json!(0)));
    let gone =
        bench.refused(3, &["head", "where", "--machine", "bench-laser", "--to", "tcp:127.0.0.1:9"]);
    assert!(gone.contains("127.0.0.1:9"), "{gone}");
}

#[test]
fn a_locked_controller_is_unlocked_or_homed_and_moves_only_then() {
    let bench = Bench::new();
    for opener in ["unlock", "home"] {
        let rig = rig(&bench, &["--locked", "--head", "30,20", "--force"]);
        let link = ["--machine", "bench-laser", "--to", &rig.link];
        assert_eq!(stands(&bench, &["where"], &rig, "bench-laser")["locked"], json!(true));
        for call in [&["move", "1", "0"][..], &["zero"]] {
            let refused = bench.refused(3, &[&["head"], call, &link].concat());
            assert!(refused.contains("head home, or head unlock"), "{refused}");
        }
        let refused =
            bench.refused(3, &[&["run", "sail-panel.kite.toml", "--to"], &link[3..]].concat());
        assert!(refused.contains("locked by an alarm"), "{refused}");
        let opened = stands(&bench, &[opener], &rig, "bench-laser");
        assert_eq!((&opened["locked"], &opened["dark"]), (&json!(false), &json!("confirmed")));
        let at = stands(&bench, &["move", "1", "0"], &rig, "bench-laser")["on_bed_mm"].clone();
        assert_eq!(at, if opener == "home" { json!([1.0, 0.0]) } else { json!([31.0, 20.0]) });
        let again = bench.ok(&[&["head", "unlock"], &link[..]].concat());
        assert!(again.contains("it was not locked"), "{again}");
        rig.end();
    }
}

#[test]
fn every_corner_may_be_the_machines_zero_and_axes_may_point_anywhere() {
    for (origin, reversed, offset) in [
        ("bottom-right", "reversed = true", "[\"0 mm\", \"0 mm\"]"),
        ("top-left", "", "[\"3 mm\", \"-4 mm\"]"),
        ("centre", "reversed = true", "[\"-7 mm\", \"2 mm\"]"),
    ] {
        let bench = Bench::new();
        let profile = bench.read("bench-laser.machine.toml");
        let profile = profile
            .replace(
                "origin = \"bottom-left\"",
                &format!("origin = \"{origin}\"\noffset = {offset}"),
            )
            .replace("[axis.x]", &format!("[axis.x]\n{reversed}"));
        bench.write("mine.machine.toml", profile);
        let rig = rig(&bench, &["--machine", "mine", "--head", "200,150"]);
        let at = stands(&bench, &["go", "12", "34"], &rig, "mine");
        assert_eq!(at["on_bed_mm"], json!([12.0, 34.0]), "{origin}");
        let at = stands(&bench, &["move", "10", "-4"], &rig, "mine");
        assert_eq!(at["on_bed_mm"], json!([22.0, 30.0]), "{origin}");
        let link = ["--machine", "mine", "--to", &rig.link];
        bench.refused(2, &[&["head", "go", "400.1", "0"], &link[..]].concat());
        rig.end();
    }
}

#[test]
fn a_printer_board_does_what_its_protocol_can_and_the_rest_is_said() {
    let bench = Bench::new();
    bench.demo("printer-laser.machine.toml");
    let rig = rig(&bench, &["--machine", "printer-laser"]);
    let link = ["--machine", "printer-laser", "--to", &rig.link];
    let at = stands(&bench, &["go", "40", "30"], &rig, "printer-laser");
    assert_eq!((&at["position_mm"], &at["dark"]), (&json!([40.0, 30.0, 0.0]), &json!("confirmed")));
    let at = stands(&bench, &["move", "-10", "0"], &rig, "printer-laser");
    assert_eq!(at["position_mm"], json!([30.0, 30.0, 0.0]));
    let refused = bench.refused(2, &[&["head", "unlock"], &link[..]].concat());
    assert!(refused.contains("has no lock"), "{refused}");
    let refused =
        bench.refused(3, &[&["head", "go", "1", "1", "--from", "stock"], &link[..]].concat());
    assert!(refused.contains("does not tell where the zero"), "{refused}");
    let at = stands(&bench, &["zero"], &rig, "printer-laser");
    assert_eq!(at["position_mm"], json!([0.0, 0.0, 0.0]));
    rig.end();
}

#[test]
fn a_call_that_is_stopped_stops_the_head() {
    let bench = Bench::new();
    // A step of 10 mm takes this head 2 s, and all forty presses are there before it has begun to move: a head that
    // took each of them would be at 40 mm by the time the panel is left.
    let slow = ["--tcp", "127.0.0.1:0", "--pace", "0.05", "--head", "10,10"];
    let rig = RigProcess::start(&bench, &slow);
    typed(&bench, &rig, &BENCH, &["3", &RIGHT.repeat(40)], 6000);
    let at = stands(&bench, &["where"], &rig, "bench-laser")["on_bed_mm"][0].as_f64().unwrap();
    assert!((20.0..=30.0).contains(&at), "{at}");
    rig.end();
}

/// A triangle with its corners at (20, 10), (60, 10) and (20, 40) of a drawing 80 mm high.
const TRIANGLE: &str = r#"<path id="t" d="M20 70H60L20 40Z" stroke="red"/>"#;
const STEP: &str = "[[step]]\nname = \"s\"\ntake = { stroke = \"red\" }\nmake = \"score\"\nspeed = \"60 mm/s\"\npower = \"30 %\"\n";

fn triangle(zero: &str) -> Bench {
    Bench::drawn(
        TRIANGLE,
        &format!("[place]\nat = [\"20 mm\", \"10 mm\"]\nzero = \"{zero}\""),
        STEP,
    )
}

#[test]
fn the_head_is_led_round_the_job_and_back_in_the_dark() {
    // Once round the rectangle of 40 × 30 mm, the hull of 40 + 30 + 50 mm, and the ways there and back.
    for (shape, times, round) in [("box", 1, 140.0), ("hull", 1, 120.0), ("box", 3, 3.0 * 140.0)] {
        let bench = triangle("bed");
        let rig = rig(&bench, &["--head", "20,10"]);
        let n = times.to_string();
        let call = ["edge", "a.kite.toml", "--shape", shape, "--times", &n, "--to", &rig.link];
        let told = bench.json(&call);
        assert_eq!(told["on_bed_mm"], json!([20.0, 10.0, 60.0, 40.0]));
        assert_eq!((&told["dark"], &told["times"]), (&json!("confirmed"), &json!(times)));
        let at = stands(&bench, &["where"], &rig, "bench-laser");
        assert_eq!(at["on_bed_mm"], json!([20.0, 10.0]));
        rig.end();
        let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
        let travel = record["travel_mm"].as_f64().unwrap();
        assert!((travel - round).abs() < 0.1, "{shape}: {travel}");
        assert_eq!(record["burn_mm"], 0.0);
    }
}

#[test]
fn the_edge_counts_from_where_the_run_will() {
    let bench = triangle("head");
    let rig = rig(&bench, &["--head", "100,80", "--zero", "200,150"]);
    let call = ["edge", "a.kite.toml", "--to", &rig.link];
    let told = bench.json(&call)["on_bed_mm"].clone();
    let ran = bench.run(&["run", "a.kite.toml", "--to", &rig.link]);
    assert_eq!(ran.status, 0, "{}", ran.err);
    rig.end();
    let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    let burnt = &record["extents_mm"];
    for n in 0..2 {
        let (min, max) = (&burnt["min"][n], &burnt["max"][n]);
        let near = |a: &Value, b: &Value| (a.as_f64().unwrap() - b.as_f64().unwrap()).abs() < 0.01;
        assert!(near(min, &told[n]) && near(max, &told[n + 2]), "{told} {burnt}");
    }
    let bench = triangle("stock");
    let rig = self::rig(&bench, &["--head", "100,80", "--zero", "200,150"]);
    let told = bench.json(&["edge", "a.kite.toml", "--to", &rig.link])["on_bed_mm"].clone();
    let at = stands(&bench, &["where"], &rig, "bench-laser");
    assert_eq!(at["on_bed_mm"], json!([100.0, 80.0]));
    assert!(told[0].as_f64().unwrap() >= 200.0 && told[1].as_f64().unwrap() >= 150.0, "{told}");
    rig.end();
}

#[test]
fn an_edge_that_would_leave_the_bed_is_refused_with_how_far() {
    let bench = triangle("head");
    let rig = rig(&bench, &["--head", "380,290"]);
    let refused = bench.refused(2, &["edge", "a.kite.toml", "--to", &rig.link]);
    assert!(
        refused.contains("would leave the bed, ") && refused.contains("on the right"),
        "{refused}"
    );
    let bench = triangle("bed");
    let rig_with_zero = self::rig(&bench, &["--zero", "5,5"]);
    let refused = bench.refused(3, &["edge", "a.kite.toml", "--to", &rig_with_zero.link]);
    assert!(refused.contains("work offset"), "{refused}");
    let nothing = Bench::drawn(TRIANGLE, "", "");
    nothing.refused(1, &["edge", "a.kite.toml", "--to", &rig.link]);
    rig.end();
    rig_with_zero.end();
}

/// Types keys into a panel, one after the other, and leaves it.
fn typed(bench: &Bench, rig: &RigProcess, call: &[&str], keys: &[&str], pause: u64) -> Ran {
    let mut panel = Terminal::run(bench, 90, 30, &[&["head"], call, &["--to", &rig.link]].concat());
    panel.waits_for("stop: the head stands where it is");
    panel.waits_for("front");
    for key in keys {
        panel.types(key);
        std::thread::sleep(Duration::from_millis(pause));
    }
    panel.types("q");
    let ran = panel.ends();
    assert_eq!(ran.status, 0, "{}", ran.out);
    assert!(ran.out.contains("left; the beam is off"), "{}", ran.out);
    ran
}

const LEFT: &str = "\u{1b}[D";
const RIGHT: &str = "\u{1b}[C";
const UP: &str = "\u{1b}[A";
const BENCH: [&str; 2] = ["--machine", "bench-laser"];

#[test]
fn the_panel_drives_the_head_in_steps_and_sets_the_zero() {
    let bench = Bench::new();
    let rig = rig(&bench, &["--head", "100,100"]);
    let keys = [RIGHT, "3", UP, "1", LEFT, "z", "2", RIGHT];
    let ran = typed(&bench, &rig, &BENCH, &keys, 400);
    let told = "the zero on the stock lies 100.9 mm from the left and 110 mm from the front now";
    assert!(ran.out.contains(told), "{}", ran.out);
    let at = stands(&bench, &["where"], &rig, "bench-laser");
    assert_eq!(
        (&at["on_bed_mm"], &at["from_zero_mm"]),
        (&json!([101.9, 110.0]), &json!([1.0, 0.0]))
    );
    rig.end();
    let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    assert_eq!((&record["burn_mm"], &record["errors"]), (&json!(0.0), &json!(0)));
}

#[test]
fn a_panel_never_leaves_the_bed_and_opens_a_lock_first() {
    let bench = Bench::new();
    let rig = rig(&bench, &["--head", "395,295", "--locked"]);
    let ran = typed(&bench, &rig, &BENCH, &["3", LEFT, "u", RIGHT, UP, "2", RIGHT], 400);
    assert!(ran.out.contains("o looks for home, u unlocks"), "{}", ran.out);
    assert!(ran.out.contains("that is beside the bed, 5 mm on the right"), "{}", ran.out);
    assert!(ran.out.contains("that is beside the bed, 5 mm at the back"), "{}", ran.out);
    let at = stands(&bench, &["where"], &rig, "bench-laser");
    assert_eq!(at["on_bed_mm"], json!([396.0, 295.0]));
    rig.end();
}

#[test]
fn a_key_that_is_held_runs_no_more_than_a_step_ahead() {
    let bench = Bench::new();
    let rig =
        RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "1", "--head", "10,10"]);
    // Forty presses of 10 mm, 25 ms apart: the head does 100 mm/s.
    let keys = [&["3"][..], &[RIGHT; 40]].concat();
    typed(&bench, &rig, &BENCH, &keys, 25);
    let at = stands(&bench, &["where"], &rig, "bench-laser")["on_bed_mm"][0].as_f64().unwrap();
    assert!((30.0..=130.0).contains(&at), "{at}");
    rig.end();
}

#[test]
fn the_panel_goes_round_the_corners_of_a_job() {
    let bench = triangle("head");
    let rig = rig(&bench, &["--head", "100,80"]);
    let told = bench.json(&["edge", "a.kite.toml", "--to", &rig.link])["on_bed_mm"].clone();
    typed(&bench, &rig, &["a.kite.toml"], &["c", "c", "c"], 700);
    let at = stands(&bench, &["where"], &rig, "bench-laser")["on_bed_mm"].clone();
    assert_eq!(at, json!([told[2], told[3]]));
    rig.end();
    let refused = bench.refused(2, &["head", "--machine", "bench-laser"]);
    assert!(refused.contains("wants a terminal"), "{refused}");
}

#[test]
fn a_panel_whose_terminal_vanishes_lets_the_controller_go() {
    let bench = Bench::new();
    let rig = rig(&bench, &["--head", "100,100", "--once"]);
    let panel =
        Terminal::run(&bench, 90, 30, &["head", "--machine", "bench-laser", "--to", &rig.link]);
    panel.waits_for("stop: the head stands where it is");
    panel.waits_for("front");
    panel.vanishes();
    // It ends when its only client has gone.
    rig.rest();
}

#[test]
fn the_pointer_is_weak_and_goes_off_by_itself() {
    let bench = Bench::new();
    let none = bench.refused(2, &["head", "pointer", "--machine", "bench-laser", "--to", "rig:"]);
    assert!(none.contains("has no pointer"), "{none}");
    bench.change(
        "bench-laser.machine.toml",
        "floor   = 10",
        "floor = 10\npointer = \"1.5 %\"\npointer-for = \"3 s\"",
    );
    let rig = rig(&bench, &["--head", "30,20"]);
    let link = ["--machine", "bench-laser", "--to", &rig.link];
    let long = bench.refused(2, &[&["head", "pointer", "--for", "3.5"], &link[..]].concat());
    assert!(long.contains("3 s at most"), "{long}");
    let at = stands(&bench, &["pointer", "--for", "2s"], &rig, "bench-laser");
    assert_eq!((&at["on_bed_mm"], &at["dark"]), (&json!([30.0, 20.0]), &json!("confirmed")));
    rig.end();
    let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    let lit = record["lit_standing_seconds"].as_f64().unwrap();
    assert!((lit - 2.0).abs() < 0.01, "{record}");
    assert_eq!((&record["burn_mm"], &record["beam_on"]), (&json!(0.0), &json!(false)));
    // Its sender dies, or is stopped, and it is dark all the same.
    for name in ["-KILL", "-INT"] {
        let args = ["--tcp", "127.0.0.1:0", "--pace", "1", "--record", "record.json", "--force"];
        let rig = RigProcess::start(&bench, &args);
        let call = ["head", "pointer", "--machine", "bench-laser", "--to", &rig.link];
        let mut command = bench.command(&call);
        let mut child = command.stderr(std::process::Stdio::null()).spawn().unwrap();
        std::thread::sleep(Duration::from_millis(2500));
        signal(name, &child);
        child.wait().unwrap();
        std::thread::sleep(Duration::from_millis(2500));
        rig.end();
        let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
        let lit = record["lit_standing_seconds"].as_f64().unwrap();
        assert!(lit > 0.1 && lit <= 3.01, "{name}: {record}");
        assert_eq!(record["beam_on"], false);
    }
}

/// The workshop with a machine that moves its focus.
fn hubs() -> Bench {
    let bench = Bench::new();
    for name in ["hubs.kite.toml", "spar-hub.dxf", "tube-laser.machine.toml"] {
        bench.demo(name);
    }
    bench
}

#[test]
fn the_focus_comes_onto_the_stock_and_stays_within_its_axis() {
    let bench = hubs();
    let rig = rig(&bench, &["--machine", "tube-laser", "--head", "100,50"]);
    let call = |args: &[&str]| stands(&bench, args, &rig, "tube-laser");
    let heights = |at: &Value| (at["position_mm"][2].clone(), at["offsets_mm"]["G54"][2].clone());
    // The profile's focus lies 10 mm above the bed at the machine's zero.
    assert_eq!(heights(&call(&["focus", "4 mm"])), (json!(-6.0), json!(-6.0)));
    assert_eq!(heights(&call(&["move", "0", "0", "2.5"])), (json!(-3.5), json!(-6.0)));
    assert_eq!(
        heights(&call(&["go", "90", "40", "-2", "--from", "bed"])),
        (json!(-2.0), json!(-6.0))
    );
    let at = call(&["go", "0", "-10", "1", "--from", "stock"]);
    assert_eq!(
        (heights(&at), &at["on_bed_mm"]),
        ((json!(-5.0), json!(-6.0)), &json!([0.0, 590.0]))
    );
    assert_eq!(heights(&call(&["focus", "--block"])), (json!(-5.0), json!(-5.0)));
    let link = ["--machine", "tube-laser", "--to", &rig.link];
    for (args, told) in [
        (&["focus", "40"][..], "10 mm above the range"),
        (&["focus", "0"], "no thickness"),
        (&["focus", "4 furlongs"], "furlongs"),
        (&["move", "0", "0", "-20"], "8 mm below the range of [axis.z]"),
        (&["focus", "sail-panel.kite.toml", "--block"], "cannot be used with"),
    ] {
        let refused = bench.refused(2, &[&["head"], args, &link[..]].concat());
        assert!(refused.contains(told), "{args:?}: {refused}");
    }
    // The job says its machine and how thick its stock is.
    let at = bench.json(&["head", "focus", "hubs.kite.toml", "--to", &rig.link]);
    assert_eq!(heights(&at), (json!(-6.0), json!(-6.0)));
    // By keys: up a step of 1 mm, down one of 0.1 mm.
    let ran = typed(&bench, &rig, &["--machine", "tube-laser"], &["\x1b[5~", "1", "\x1b[6~"], 400);
    assert!(ran.out.contains("a step up, down: the focus"), "{}", ran.out);
    assert_eq!(heights(&call(&["where"])), (json!(-5.1), json!(-6.0)));
    rig.end();
    let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    assert_eq!((&record["burn_mm"], &record["errors"]), (&json!(0.0), &json!(0)));
}

#[test]
fn a_probe_finds_the_surface_and_the_focus_lies_on_it() {
    let bench = hubs();
    bench.change(
        "tube-laser.machine.toml",
        "height = \"10 mm\"",
        "height = \"10 mm\"\nprobe = \"4.5 mm\"",
    );
    let machine = ["--machine", "tube-laser.machine.toml"];
    let rig = rig(&bench, &[&machine[..], &["--head", "100,50", "--surface", "-7.25"]].concat());
    let link = [&machine[..], &["--to", &rig.link]].concat();
    let focus = [&["head", "focus", "--probe"], &link[..]].concat();
    let at = bench.json(&focus);
    assert_eq!((&at["position_mm"][2], &at["dark"]), (&json!(-2.75), &json!("confirmed")));
    assert_eq!(at["offsets_mm"]["G54"][2], json!(-2.75));
    // Again, from a zero of its own: the same.
    let told = bench.ok(&focus);
    assert!(told.contains("the probe touched at Z -7.25; the focus lies on the surface"), "{told}");
    assert_eq!(
        bench.json(&[&["head", "where"], &link[..]].concat())["offsets_mm"]["G54"][2],
        json!(-2.75)
    );
    // Touching already: nothing is sent.
    bench.ok(&[&["head", "move", "0", "0", "-4.5"], &link[..]].concat());
    let told = bench.refused(2, &focus);
    assert!(told.contains("touches something already"), "{told}");
    rig.end();
    let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    assert_eq!((&record["burn_mm"], &record["errors"]), (&json!(0.0), &json!(0)));
}

#[test]
fn a_probe_that_finds_nothing_sets_no_zero() {
    let bench = hubs();
    let told = bench.refused(2, &["head", "focus", "--probe", "--machine", "tube-laser"]);
    assert!(told.contains("probe = \"4 mm\""), "{told}");
    bench.change(
        "tube-laser.machine.toml",
        "height = \"10 mm\"",
        "height = \"10 mm\"\nprobe = \"4.5 mm\"",
    );
    let machine = ["--machine", "tube-laser.machine.toml"];
    let rig = rig(&bench, &machine);
    let link = [&machine[..], &["--to", &rig.link]].concat();
    let told = bench.refused(3, &[&["head", "focus", "--probe"], &link[..]].concat());
    assert!(told.contains("the probe failed") && told.contains("the beam is off"), "{told}");
    bench.ok(&[&["head", "unlock"], &link[..]].concat());
    let at = bench.json(&[&["head", "where"], &link[..]].concat());
    assert_eq!((&at["position_mm"][2], &at["offsets_mm"]["G54"][2]), (&json!(-12.0), &json!(0.0)));
    let told = bench.refused(2, &["head", "focus", "--probe", "--machine", "bench-laser"]);
    assert!(told.contains("no [axis.z]"), "{told}");
    rig.end();
}

#[test]
fn without_an_axis_people_are_told_how_far_the_bed_must_be() {
    let bench = hubs();
    let told = bench.refused(2, &["head", "focus", "3 mm", "--machine", "bench-laser"]);
    assert!(told.contains("6 mm above the surface, 9 mm above the bed"), "{told}");
    let plan = bench.ok(&["plan", "sail-panel.kite.toml"]);
    assert!(
        plan.contains("focus    the head 6 mm above the surface, 6.1 mm above the bed"),
        "{plan}"
    );
    let plan = bench.json(&["plan", "hubs.kite.toml"]);
    let focus = json!({"z_mm": -6.0, "above_surface_and_bed_mm": [8.0, 12.0]});
    assert_eq!(plan["focus"], focus);
    bench.change("bench-laser.machine.toml", "block = \"6 mm\"", "");
    let told =
        bench.refused(2, &["head", "focus", "3 mm", "--machine", "bench-laser.machine.toml"]);
    assert!(told.contains("block = \"7 mm\" into [focus]"), "{told}");
    assert!(!bench.ok(&["plan", "sail-panel.kite.toml"]).contains("focus    "));
}

#[test]
fn motors_that_were_let_go_are_locked_until_somebody_answers_for_the_position() {
    let bench = Bench::new();
    for machine in ["bench-laser", "printer-laser"] {
        let rig = rig(&bench, &["--machine", machine, "--force"]);
        let link = ["--machine", machine, "--to", &rig.link];
        let told = bench.ok(&[&["head", "free"], &link[..]].concat());
        assert!(told.contains("the motors are free, and the position is lost"), "{told}");
        assert!(told.contains("; the beam is off"), "{told}");
        if machine == "bench-laser" {
            let refused = bench.refused(3, &[&["head", "move", "1", "0"], &link[..]].concat());
            assert!(refused.contains("head home, or head unlock"), "{refused}");
            // Once more, of one that is locked.
            let at = stands(&bench, &["free"], &rig, machine);
            assert_eq!((&at["position_mm"], &at["dark"]), (&json!(null), &json!("confirmed")));
        }
        assert_eq!(stands(&bench, &["home"], &rig, machine)["locked"], json!(false));
        rig.end();
    }
}

/// A job with two marks, the second of which nobody has found.
fn marked(bench: &Bench, zero: &str) {
    let text = bench.read("sail-panel.kite.toml");
    let (head, rest) = text.split_once("[place]").unwrap();
    let rest = &rest[rest.find("# Steps run").unwrap()..];
    let place = format!(
        "[place]\nzero = \"{zero}\"\n[[place.mark]] # lower left\ndrawn = [\"13 mm\", \"13 mm\"]\nfound = [\"33 mm\", \"33 mm\"] # by eye\n[[place.mark]]\ndrawn = [\"113 mm\", \"13 mm\"]\n\n"
    );
    std::fs::write(bench.path("marked.kite.toml"), [head, &place, rest].concat()).unwrap();
}

#[test]
fn marks_are_found_with_the_head_and_written_into_the_job() {
    for zero in ["bed", "stock"] {
        let bench = Bench::new();
        marked(&bench, zero);
        let begin = if zero == "bed" { (0.0, 0.0) } else { (10.0, 5.0) };
        let set = format!("{},{}", begin.0, begin.1);
        let rig = rig(&bench, &["--head", "60,40", "--zero", &set]);
        let text = bench.read("marked.kite.toml");
        bench.refused(1, &["check", "marked.kite.toml"]);
        // To the mark as it was found, a step to the right, that is it; then where the second one must lie
        // by the first, and a step away.
        let mut panel =
            Terminal::run(&bench, 90, 34, &["head", "mark", "marked.kite.toml", "--to", &rig.link]);
        panel.waits_for("1 of 2: the point");
        panel.waits_for("mm from the front");
        for key in ["c", RIGHT, "\r", "c", UP, "\r", "q"] {
            panel.types(key);
            std::thread::sleep(Duration::from_millis(500));
        }
        let ran = panel.ends();
        assert!(ran.out.contains("2 of 2 marks were written"), "{}", ran.out);
        assert!(ran.out.contains("found = [\"134 mm\", \"34 mm\"]"), "{}", ran.out);
        let wanted = text
            .replace("[\"33 mm\", \"33 mm\"]", "[\"34 mm\", \"33 mm\"]")
            .replace("\"13 mm\"]\n\n", "\"13 mm\"]\nfound = [\"134 mm\", \"34 mm\"]\n\n");
        assert_eq!(bench.read("marked.kite.toml"), wanted);
        bench.ok(&["check", "marked.kite.toml"]);
        // One alone, without a terminal.
        let told = bench.json(&["head", "mark", "marked.kite.toml", "1", "--to", &rig.link]);
        assert_eq!(told["dark"], json!("untouched"));
        assert!(
            bench.read("marked.kite.toml").contains("found = [\"134 mm\", \"34 mm\"] # by eye")
        );
        for (args, told) in [
            (&["3"][..], "no mark 3: the job has 2"),
            (&["0"], "no mark 0"),
            (&[], "without a terminal one mark is written at a time"),
        ] {
            let call = [&["head", "mark", "marked.kite.toml", "--to", &rig.link], args].concat();
            assert!(bench.refused(2, &call).contains(told), "{args:?}");
        }
        let none =
            bench.refused(2, &["head", "mark", "sail-panel.kite.toml", "1", "--to", &rig.link]);
        assert!(none.contains("the job has no marks"), "{none}");
        bench.change("marked.kite.toml", &format!("\"{zero}\""), "\"head\"");
        let none = bench.refused(2, &["head", "mark", "marked.kite.toml", "1", "--to", &rig.link]);
        assert!(none.contains("counts from the head"), "{none}");
        rig.end();
    }
}

/// Two squares, one of them with a hole, and a line that sticks out of the other.
const SQUARES: &str = r#"<path d="M10 50h20v20h-20z M15 55h10v10h-10z" stroke="red"/><path d="M50 50h20v20h-20z" stroke="red"/><path d="M60 60h30" stroke="red"/>"#;

#[test]
fn the_outline_goes_along_the_outermost_lines_alone() {
    let bench = Bench::drawn(SQUARES, "[place]\nat = [\"10 mm\", \"10 mm\"]", STEP);
    let rig = rig(&bench, &["--head", "10,10"]);
    let call = ["edge", "a.kite.toml", "--shape", "outline", "--to", &rig.link];
    let told = bench.json(&call);
    assert_eq!((&told["lines"], &told["on_bed_mm"]), (&json!(3), &json!([10.0, 10.0, 90.0, 30.0])));
    let box_told = bench.json(&["edge", "a.kite.toml", "--to", &rig.link]);
    assert_eq!((&box_told["lines"], &box_told["corners"]), (&json!(1), &json!(5)));
    rig.end();
}

/// Lets a machine have a pointer.
fn point(bench: &Bench, machine: &str) {
    bench.change(machine, "[beam]\n", "[beam]\npointer = \"1.5 %\"\npointer-for = \"12 s\"\n");
}

#[test]
fn the_pointer_is_led_weak_and_never_stands_lit() {
    for (zero, begin) in [("bed", (20.0, 10.0)), ("stock", (120.0, 60.0))] {
        let bench = triangle(zero);
        point(&bench, "bench-laser.machine.toml");
        let set = if zero == "stock" { "100,50" } else { "0,0" };
        let rig = rig(&bench, &["--head", "5,5", "--zero", set]);
        let call = ["edge", "a.kite.toml", "--pointer", "--to", &rig.link];
        let told = bench.json(&[&call[..], &["--times", "2"]].concat());
        assert_eq!((&told["dark"], &told["pointer"]), (&json!("confirmed"), &json!(true)));
        let slow = bench.refused(2, &[&call[..], &["--speed", "5"]].concat());
        assert!(slow.contains("28.0 s") && slow.contains("12 s at most"), "{slow}");
        let at = stands(&bench, &["where"], &rig, "bench-laser");
        assert_eq!(at["on_bed_mm"], json!([5.0, 5.0]));
        rig.end();
        let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
        // Twice 140 mm, as weak as it was said, and dark on the ways there and back.
        assert!((record["burn_mm"].as_f64().unwrap() - 280.0).abs() < 0.01, "{record}");
        assert_eq!((&record["lit_standing_seconds"], &record["errors"]), (&json!(0.0), &json!(0)));
        assert!(record["s"][1].as_f64().unwrap() <= 15.0, "{record}");
        let corner = |n: usize, of: &str| record["extents_mm"][of][n].as_f64().unwrap();
        assert!(
            (corner(0, "min") - begin.0).abs() < 0.01
                && (corner(1, "max") - begin.1 - 30.0).abs() < 0.01
        );
    }
    let bench = triangle("bed");
    let none = bench.refused(2, &["edge", "a.kite.toml", "--pointer"]);
    assert!(none.contains("no pointer"), "{none}");
    point(&bench, "bench-laser.machine.toml");
    bench.change("bench-laser.machine.toml", "follows-speed = true", "follows-speed = false");
    let none = bench.refused(2, &["edge", "a.kite.toml", "--pointer"]);
    assert!(none.contains("burns on where the head stands"), "{none}");
}

#[test]
fn round_the_rotary_the_object_turns_under_the_edge() {
    let bench = Bench::new();
    for name in ["line-reel.kite.toml", "line-reel.svg", "reel-laser.machine.toml"] {
        bench.demo(name);
    }
    // A tube that lights at less.
    bench.change("reel-laser.machine.toml", "floor   = 60", "floor   = 5");
    point(&bench, "reel-laser.machine.toml");
    let text = bench.read("line-reel.kite.toml");
    for zero in ["bed", "head"] {
        let place = format!("[place]\nzero = \"{zero}\"\n");
        bench.write("line-reel.kite.toml", text.replace("[place]\n", &place));
        let here = if zero == "head" { "150,100" } else { "100,100" };
        let machine = ["--machine", "reel-laser", "--diameter", "70 mm", "--head", here, "--force"];
        let rig = rig(&bench, &machine);
        let call =
            ["edge", "line-reel.kite.toml", "--pointer", "--to", &rig.link, "--speed", "100"];
        let told = bench.json(&call);
        assert_eq!(told["dark"], json!("confirmed"));
        let along = &told["along_mm"];
        let from = along[0].as_f64().unwrap();
        assert!((along[1].as_f64().unwrap() - from - 84.0).abs() < 0.01, "{told}");
        assert!((from - if zero == "bed" { 60.0 } else { 210.0 }).abs() < 0.01, "{told}");
        let at = stands(&bench, &["where"], &rig, "reel-laser");
        assert_eq!(at["on_bed_mm"][0], json!(if zero == "head" { 150.0 } else { 100.0 }));
        rig.end();
        let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
        // Twice along it and twice round it, of 70 mm diameter.
        let round = 2.0 * (84.0 + 70.0 * std::f64::consts::PI);
        assert!((record["burn_mm"].as_f64().unwrap() - round).abs() < 0.1, "{zero}: {record}");
        assert_eq!(record["lit_standing_seconds"], json!(0.0));
    }
    // Beyond the tailstock.
    let machine =
        ["--machine", "reel-laser", "--diameter", "70 mm", "--head", "400,100", "--force"];
    let rig = rig(&bench, &machine);
    let refused = bench.refused(2, &["edge", "line-reel.kite.toml", "--to", &rig.link]);
    assert!(refused.contains("reach of the rotary (40 to 520 mm"), "{refused}");
    rig.end();
}

#[test]
fn a_key_puts_an_end_to_the_edge_and_the_head_goes_back() {
    for lit in [false, true] {
        let bench = triangle("bed");
        point(&bench, "bench-laser.machine.toml");
        let args = ["--tcp", "127.0.0.1:0", "--record", "record.json", "--head", "200,100"];
        let rig = RigProcess::start(&bench, &args);
        let call = ["edge", "a.kite.toml", "--speed", "40", "--to", &rig.link, "--pointer"];
        let mut edge = Terminal::run(&bench, 90, 30, &call[..if lit { 7 } else { 6 }]);
        edge.waits_for("any key puts an end to it");
        std::thread::sleep(Duration::from_millis(4500));
        edge.types("x");
        edge.waits_for("and back; the beam is off");
        edge.types("n");
        let ran = edge.ends();
        assert!(ran.status == 0, "{} {}", ran.status, ran.out);
        let at = stands(&bench, &["where"], &rig, "bench-laser");
        assert_eq!((&at["on_bed_mm"], &at["locked"]), (&json!([200.0, 100.0]), &json!(false)));
        rig.end();
        let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
        assert_eq!(record["burn_mm"].as_f64().unwrap() > 0.0, lit, "{record}");
        assert_eq!(record["errors"], json!(0));
    }
}

#[test]
fn a_port_that_is_not_there_is_named_with_those_that_are() {
    let bench = Bench::new();
    let call = ["head", "where", "--machine", "bench-laser", "--to", "serial:/dev/no-such-port"];
    let told = bench.refused(3, &call);
    assert!(told.contains("there is no such port"), "{told}");
    assert!(told.contains("no serial port is there at all") || told.contains("these are there"));
}

#[test]
fn keys_of_the_panel_light_the_pointer_and_put_everything_out() {
    let bench = Bench::new();
    point(&bench, "bench-laser.machine.toml");
    let args = ["--tcp", "127.0.0.1:0", "--record", "record.json", "--head", "50,50"];
    let rig = RigProcess::start(&bench, &args);
    let call = ["head", "--machine", "bench-laser", "--to", &rig.link];
    let mut panel = Terminal::run(&bench, 90, 32, &call);
    panel.waits_for("light the pointer for a while");
    panel.waits_for("mm from the front");
    panel.types("p");
    panel.waits_for("the pointer is lit for 12 s; d puts it out");
    std::thread::sleep(Duration::from_millis(1500));
    panel.types("d");
    let ran = panel.ends();
    assert!(ran.out.contains("left; the beam is off"), "{}", ran.out);
    rig.end();
    let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    // It was lit, weakly, and went out long before its time.
    let lit = record["lit_standing_seconds"].as_f64().unwrap();
    assert!((0.8..6.0).contains(&lit), "{record}");
    assert_eq!((&record["burn_mm"], &record["beam_on"]), (&json!(0.0), &json!(false)));
    // A machine without one shows no key for it.
    let ran =
        typed(&bench, &self::rig(&bench, &["--force"]), &["--machine", "tube-laser"], &["p"], 300);
    assert!(!ran.out.contains("light the pointer"), "{}", ran.out);
}

#[test]
fn a_pointer_is_lit_only_where_s_means_what_the_profile_says() {
    let bench = triangle("bed");
    point(&bench, "bench-laser.machine.toml");
    // The controller is another one: S 15 of 255 would be six percent.
    let profile = bench.read("bench-laser.machine.toml");
    bench.write(
        "other.machine.toml",
        profile
            .replace("full    = 1000", "full    = 255")
            .replace("pointer = \"1.5 %\"\npointer-for = \"12 s\"\n", ""),
    );
    let rig = rig(&bench, &["--machine", "other"]);
    let link = ["--to", &rig.link];
    for call in [
        &["edge", "a.kite.toml", "--pointer"][..],
        &["head", "pointer", "--machine", "bench-laser"],
    ] {
        let refused = bench.refused(3, &[call, &link].concat());
        assert!(refused.contains("S 255 for full power ($30), and the profile 1000"), "{refused}");
    }
    rig.end();
    let record: Value = serde_json::from_str(&bench.read("record.json")).unwrap();
    assert_eq!((&record["burn_mm"], &record["lit_standing_seconds"]), (&json!(0.0), &json!(0.0)));
}

#[test]
fn what_the_simulated_machine_does_is_told_as_that() {
    let bench = Bench::new();
    bench.demo("sail-panel.kite.toml");
    bench.demo("sail-panel.svg");
    let led = bench.ok(&["edge", "sail-panel.kite.toml", "--to", "rig:"]);
    assert!(led.contains("on the simulated machine"), "{led}");
    let stands = bench.ok(&["head", "where", "--machine", "bench-laser", "--to", "rig:"]);
    assert!(stands.contains("the simulated machine: nothing on a bench moves"), "{stands}");
    let ran = bench.run(&["run", "sail-panel.kite.toml", "--to", "rig:"]);
    assert!(ran.err.contains("to the simulated machine; Ctrl-C"), "{}", ran.err);
    assert!(ran.out.contains(", on the simulated machine"), "{}", ran.out);
    // A controller on a link is taken for one.
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "max"]);
    let led = bench.ok(&["edge", "sail-panel.kite.toml", "--to", &rig.link]);
    assert!(!led.contains("simulated"), "{led}");
}
