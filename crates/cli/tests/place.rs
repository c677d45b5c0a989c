//! Where a job lies: zeros, anchors, offsets of the controller; and the rotary.

use crate::common::Bench;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Stdio};

const SQUARE: &str = r#"<rect x="20" y="20" width="40" height="30" stroke="red"/>"#;
const CUT: &str = "[[step]]\nname = \"cut\"\ntake = { stroke = \"red\" }\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n";

fn placed(place: &str) -> Bench {
    Bench::drawn(SQUARE, &format!("[place]\n{place}"), CUT)
}

/// A rig on TCP that stays, and the lines it said.
struct Rig {
    child: Child,
    address: String,
    /// Kept open: the rig says something when a client has gone.
    _lines: BufReader<std::process::ChildStdout>,
}

impl Rig {
    fn start(bench: &Bench) -> Self {
        let mut child = bench
            .command(&["rig", "--tcp", "127.0.0.1:0", "--pace", "max"])
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut first = String::new();
        let mut lines = BufReader::new(child.stdout.take().unwrap());
        lines.read_line(&mut first).unwrap();
        let address = first.trim().rsplit_once("tcp:").unwrap().1.to_string();
        Self { child, address, _lines: lines }
    }

    /// Sends lines by hand, and waits for an answer to each.
    fn tell(&self, lines: &str) {
        let mut stream = TcpStream::connect(&self.address).unwrap();
        stream.set_read_timeout(Some(std::time::Duration::from_secs(10))).unwrap();
        for line in lines.lines() {
            stream.write_all(format!("{line}\n").as_bytes()).unwrap();
            let mut heard = String::new();
            let mut byte = [0];
            while !heard.ends_with("ok\r\n") {
                stream.read_exact(&mut byte).unwrap();
                heard.push(byte[0] as char);
                assert!(!heard.contains("error:"), "{line}: {heard}");
            }
        }
    }

    fn link(&self) -> String {
        format!("tcp:{}", self.address)
    }
}

impl Drop for Rig {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

#[test]
fn a_program_that_counts_from_the_stock_has_its_anchor_at_the_zero() {
    for (anchor, x, y) in
        [("bottom-left", "X0", "X40"), ("centre", "X-20", "X20"), ("top-right", "X-40", "X0")]
    {
        let bench = placed(&format!("zero = \"stock\"\nanchor = \"{anchor}\"\n"));
        let text = bench.ok(&["emit", "a.kite.toml", "-o", "-"]);
        assert!(text.contains(x) || text.contains(y), "{anchor}\n{text}");
        let read = bench.json(&["plan", "a.kite.toml"]);
        let width = read["extents_mm"]["max"][0].as_f64().unwrap()
            - read["extents_mm"]["min"][0].as_f64().unwrap();
        assert!((width - 40.0).abs() < 1e-6);
        assert!(text.contains("zero that is set on the stock"));
        // It sets nothing that stays.
        assert!(!text.contains("G92") && !text.contains("G10"));
    }
}

#[test]
fn from_the_head_the_program_is_relative_and_comes_back() {
    let bench = placed("zero = \"head\"\nanchor = \"centre\"\n");
    let text = bench.ok(&["emit", "a.kite.toml", "-o", "-", "--terse"]);
    assert!(text.contains("G21 G91") && text.ends_with("G90\nM2\n"), "{text}");
    let sums = |letter: char| -> f64 {
        text.lines()
            .filter(|line| !line.starts_with('M') || line.contains(letter))
            .flat_map(|line| {
                let at = line.find(letter)?;
                let number: String = line[at + 1..]
                    .chars()
                    .take_while(|c| c.is_ascii_digit() || matches!(c, '.' | '-'))
                    .collect();
                number.parse::<f64>().ok()
            })
            .sum()
    };
    assert!(sums('X').abs() < 1e-9 && sums('Y').abs() < 1e-9, "{text}");
}

#[test]
fn a_run_reads_where_the_zero_is_and_refuses_what_would_leave_the_bed() {
    let bench = placed("zero = \"stock\"\nanchor = \"bottom-left\"\n");
    let rig = Rig::start(&bench);
    rig.tell("G21 G90\nG0 X370 Y100\nG4 P0.01\nG10 L20 P1 X0 Y0");
    let told = bench.refused(1, &["run", "a.kite.toml", "--to", &rig.link()]);
    assert!(told.contains("10 mm beyond the right edge"), "{told}");
    rig.tell("G0 X-20\nG4 P0.01");
    // The zero stays where it was set; only setting it anew helps.
    assert!(bench.refused(1, &["run", "a.kite.toml", "--to", &rig.link()]).contains("right edge"));
    rig.tell("G10 L20 P1 X0 Y0");
    let ran = bench.run(&["run", "a.kite.toml", "--to", &rig.link()]);
    assert_eq!(ran.status, 0, "{}", ran.err);
    assert!(ran.err.contains("350 mm from the left and 100 mm from the front"), "{}", ran.err);
    // A job that counts from the bed is not run with somebody's zero still set.
    bench.change("a.kite.toml", "zero = \"stock\"\n", "at = [\"10 mm\", \"10 mm\"]\n");
    let told = bench.refused(1, &["run", "a.kite.toml", "--to", &rig.link()]);
    assert!(
        told.contains("work offset of X 350 Y 100 mm") && told.contains("head zero --clear"),
        "{told}"
    );
    rig.tell("G10 L20 P1 X350 Y100");
    assert_eq!(bench.run(&["run", "a.kite.toml", "--to", &rig.link()]).status, 0);
}

#[test]
fn from_the_head_a_run_knows_where_the_head_is() {
    let bench = placed("zero = \"head\"\nanchor = \"centre\"\n");
    let rig = Rig::start(&bench);
    // A head that stands where a controller begins, there and in a rehearsal that is asked for so.
    for more in [&["--to", &*rig.link()][..], &["--to", "rig:", "--head", "0,0"]] {
        let told = bench.refused(1, &[&["run", "a.kite.toml"], more].concat());
        assert!(
            told.contains("beyond the left edge") || told.contains("beyond the front edge"),
            "{told}"
        );
    }
    rig.tell("G21 G90\nG0 X200 Y150\nG4 P0.01");
    for _ in 0..2 {
        // It comes back to where it began, so it can be run again.
        let ran = bench.run(&["run", "a.kite.toml", "--to", &rig.link()]);
        assert!(ran.status == 0 && ran.err.contains("200 mm from the left"), "{}", ran.err);
    }
}

#[test]
fn a_job_with_a_zero_of_its_own_must_find_room_somewhere() {
    let bench = Bench::drawn(
        r#"<rect x="0" y="0" width="100" height="80" stroke="red"/>"#,
        "[place]\nzero = \"stock\"\ncopies = { columns = 5, rows = 1 }\n",
        CUT,
    );
    assert!(bench.told("a.kite.toml").contains("100 mm too wide"));
    bench.change("a.kite.toml", "zero = \"stock\"", "zero = \"stok\"");
    assert!(bench.told("a.kite.toml").contains("did you mean \"stock\""));
}

fn reel(name: &str) -> Bench {
    let bench = Bench::new();
    for file in ["line-reel.svg", "line-reel.kite.toml", "reel-label.svg", "reel-barrel.kite.toml"]
    {
        bench.demo(file);
    }
    bench.demo("reel-laser.machine.toml");
    assert!(bench.path(name).exists());
    bench
}

#[test]
fn a_full_wrap_closes_at_the_seam_without_a_doubled_line() {
    let bench = reel("line-reel.kite.toml");
    let text = bench.ok(&["emit", "line-reel.kite.toml", "-o", "-", "--terse"]);
    let (mut angle, mut lit) = (0.0_f64, false);
    let mut band = std::collections::BTreeSet::new();
    for line in text.lines().take_while(|line| !line.contains("F2")) {
        if let Some((_, rest)) = line.split_once('A') {
            let end = rest.find(|c: char| c.is_alphabetic()).unwrap_or(rest.len());
            angle = rest[..end].parse().unwrap();
        }
        if let Some((_, s)) = line.split_once('S') {
            lit = !s.starts_with('0');
        }
        // Rows of the band go to X68 or back to X60.
        if lit && (line.starts_with("X68") || line.starts_with("X60")) {
            band.insert((angle * 1000.0).round() as i64);
        }
    }
    let angles: Vec<f64> = band.iter().map(|a| *a as f64 / 1000.0).collect();
    // 219.911 mm at 0.2 mm: 1100 rows that divide the turn evenly, the last as far from the first
    // as from its neighbour.
    assert_eq!(angles.len(), 1100);
    let step = 360.0 / 1100.0;
    for pair in angles.windows(2) {
        assert!((pair[1] - pair[0] - step).abs() < 0.0015, "{pair:?}");
    }
    assert!((angles[0] + 360.0 - angles[1099] - step).abs() < 0.0015);
    let plan = bench.json(&["plan", "line-reel.kite.toml"]);
    let codes: Vec<&str> =
        plan["problems"].as_array().unwrap().iter().map(|p| p["code"].as_str().unwrap()).collect();
    assert_eq!(codes, ["seam"]);
    // The mark on the seam is 8 mm long and drawn at both ends: burnt once.
    let waves = plan["steps"][1]["burn_mm"].as_f64().unwrap();
    bench.change("line-reel.svg", " M78 219.9115 H86", "");
    let once =
        bench.json(&["plan", "line-reel.kite.toml"])["steps"][1]["burn_mm"].as_f64().unwrap();
    assert!((waves - once).abs() < 0.01, "{waves} {once}");
}

#[test]
fn artwork_wider_than_the_object_is_refused_unless_it_may_overlap() {
    let bench = reel("line-reel.kite.toml");
    bench.change("line-reel.kite.toml", "diameter = \"70 mm\"", "circumference = \"210 mm\"");
    let told = bench.told("line-reel.kite.toml");
    assert!(told.contains("9.912 mm would be burnt twice"), "{told}");
    bench.change("line-reel.kite.toml", "seam ", "overlap = true\nseam ");
    bench.ok(&["emit", "line-reel.kite.toml"]);
    bench.ok(&["draw", "line-reel.kite.toml", "-o", "over.svg"]);
    assert!(bench.read("over.svg").contains(">overlap<"));
}

#[test]
fn turned_jobs_run_on_the_rig_in_the_planned_time() {
    let bench = reel("line-reel.kite.toml");
    for (job, more) in [
        ("line-reel.kite.toml", ""),
        ("reel-barrel.kite.toml", ""),
        ("line-reel.kite.toml", "axis     = \"Y\"\nper-turn = \"80 mm\""),
    ] {
        if !more.is_empty() {
            bench.change("reel-laser.machine.toml", "axis     = \"A\"", more);
        }
        let skip: &[&str] =
            if job.starts_with("line") { &["--skip", "band and kites"] } else { &[] };
        let plan = bench.json(&[&["plan", job], skip].concat());
        let out = bench.ok(&[&["run", job, "--to", "rig:", "--json"], skip].concat());
        let end: serde_json::Value = serde_json::from_str(out.lines().last().unwrap()).unwrap();
        let (planned, took) = (plan["seconds"].as_f64().unwrap(), end["seconds"].as_f64().unwrap());
        assert!((took / planned - 1.0).abs() < 0.01, "{job}: {planned} {took}");
    }
}

#[test]
fn the_focus_of_a_barrel_is_told_and_the_profile_bounds_the_artwork() {
    let bench = reel("reel-barrel.kite.toml");
    let plan = bench.json(&["plan", "reel-barrel.kite.toml"]);
    let rotary = &plan["rotary"];
    // From 69 mm in the middle to 62.45 mm at the label's left edge, by the measured profile.
    let height = rotary["surface_changes_height_mm"].as_f64().unwrap();
    assert!((height - 3.27).abs() < 0.05, "{rotary}");
    let best = rotary["best_focus_below_thickest_mm"].as_f64().unwrap();
    assert!((best - height / 2.0).abs() < 1e-3);
    assert_eq!(rotary["axis"], "A");
    bench.change("reel-laser.machine.toml", "focus-depth = \"4 mm\"", "focus-depth = \"2 mm\"");
    assert_eq!(bench.codes("reel-barrel.kite.toml"), ["out-of-focus"]);
    bench.change("reel-barrel.kite.toml", "at     = [\"75 mm\"", "at     = [\"55 mm\"");
    assert!(bench.told("reel-barrel.kite.toml").contains("before its start"));
    for (from, to, words) in [
        ("hold    = \"chuck\"", "hold    = \"rollers\"", "no known angle"),
        ("[\"20 mm\", \"64 mm\"]", "[\"20 mm\", \"6400 mm\"]", "diameter from 0.5 mm"),
        ("[\"20 mm\", \"64 mm\"]", "[\"0 mm\", \"64 mm\"]", "must rise"),
        ("keep = \"size\"", "keep = \"shape\"", "cannot be \"shape\""),
        ("hold    = \"chuck\"", "hold    = \"chuck\"\ndiameter = \"70 mm\"", "gives both"),
    ] {
        bench.demo("reel-barrel.kite.toml");
        bench.change("reel-barrel.kite.toml", from, to);
        let told = bench.told("reel-barrel.kite.toml");
        assert!(told.contains(words), "{to}: {told}");
    }
    bench.demo("reel-barrel.kite.toml");
    bench.change("reel-barrel.kite.toml", "reel-laser", "bench-laser");
    assert!(bench.told("reel-barrel.kite.toml").contains("has no rotary"));
    // A cone that falls away too steeply is only grazed.
    bench.demo("reel-barrel.kite.toml");
    bench.change("reel-barrel.kite.toml", "[\"20 mm\", \"64 mm\"]", "[\"20 mm\", \"240 mm\"]");
    assert!(bench.told("reel-barrel.kite.toml").contains("only grazes"));
}

#[test]
fn a_turned_job_from_the_head_is_held_against_the_bed_along_its_axis() {
    for stand_in in [false, true] {
        let bench = reel("reel-barrel.kite.toml");
        if stand_in {
            bench.change(
                "reel-laser.machine.toml",
                "axis     = \"A\"",
                "axis     = \"Y\"\nper-turn = \"80 mm\"",
            );
        }
        bench.change(
            "reel-barrel.kite.toml",
            "[place]\nanchor = \"left\"\nat     = [\"75 mm\", \"0 mm\"]",
            "[place]\nzero = \"head\"\nanchor = \"right\"",
        );
        // The label hangs to the left of the zero: the object must have been measured there.
        bench.change("reel-barrel.kite.toml", "at   = \"60 mm\"", "at   = \"0 mm\"");
        assert!(bench.told("reel-barrel.kite.toml").contains("before its start"));
        bench.change("reel-barrel.kite.toml", "anchor = \"right\"", "anchor = \"left\"");
        let ran = bench.run(&["run", "reel-barrel.kite.toml", "--to", "rig:"]);
        assert_eq!(ran.status, 0, "{}", ran.err);
        // A longer object than the bed has room for from here.
        bench.change(
            "reel-barrel.kite.toml",
            "file = \"reel-label.svg\"",
            "file = \"reel-label.svg\"\nwidth = \"118 mm\"",
        );
        bench.change("reel-laser.machine.toml", "width  = \"600 mm\"", "width  = \"110 mm\"");
        bench.change("reel-laser.machine.toml", "reach    = [\"40 mm\", \"520 mm\"]", "");
        let told = bench.refused(1, &["run", "reel-barrel.kite.toml", "--to", "rig:"]);
        assert!(told.contains("too wide") || told.contains("right edge"), "{told}");
    }
}

#[test]
fn top_turns_the_zero_and_the_seam_only_the_picture() {
    let bench = reel("line-reel.kite.toml");
    let deg = |bench: &Bench| {
        let plan = bench.json(&["plan", "line-reel.kite.toml"]);
        let turned = plan["rotary"]["turned"].as_array().unwrap().clone();
        [turned[0].as_f64().unwrap(), turned[1].as_f64().unwrap()]
    };
    let near = |a: [f64; 2], b: [f64; 2]| (a[0] - b[0]).abs() < 0.01 && (a[1] - b[1]).abs() < 0.01;
    assert!(near(deg(&bench), [-180.0, 180.0]));
    bench.change("line-reel.kite.toml", "seam     = \"180 deg\"", "seam     = \"90 deg\"");
    assert!(near(deg(&bench), [-180.0, 180.0]));
    bench.change("line-reel.kite.toml", "seam     = \"90 deg\"", "top = \"90 deg\"");
    assert!(near(deg(&bench), [-90.0, 270.0]));
    bench.change("reel-laser.machine.toml", "reversed = false", "reversed = true");
    assert!(near(deg(&bench), [-90.0, 270.0]));
    bench.change("line-reel.kite.toml", "hold     = \"chuck\"", "hold     = \"rollers\"");
    // 70 mm on rollers of 30 mm: the roller turns 70/30 times as far.
    assert!(near(deg(&bench), [90.0 - 180.0 * 7.0 / 3.0, 90.0 + 180.0 * 7.0 / 3.0]));
}

#[test]
fn a_bitmap_all_the_way_round_closes_at_the_seam() {
    let bench = reel("line-reel.kite.toml");
    bench.demo("kite-sky.png");
    bench.write("wrap.kite.toml", "tinkite = 1\nmachine = \"reel-laser\"\n[[artwork]]\nfile = \"kite-sky.png\"\nstretch = true\nwidth = \"40 mm\"\nheight = \"219.9115 mm\"\n[rotary]\nhold = \"chuck\"\ndiameter = \"70 mm\"\n[place]\nanchor = \"left\"\nat = [\"100 mm\", \"0 mm\"]\n[[step]]\ntake = { kind = \"bitmap\" }\nmake = \"engrave\"\nspeed = \"120 mm/s\"\npower = \"30 %\"\nimage = { spacing = \"0.7 mm\", grey = true }\n");
    let text = bench.ok(&["emit", "wrap.kite.toml", "-o", "-", "--terse"]);
    let mut rows = std::collections::BTreeSet::new();
    for word in text.lines().filter_map(|line| line.split_once('A')).map(|(_, rest)| rest) {
        let end = word.find(|c: char| c.is_alphabetic()).unwrap_or(word.len());
        rows.insert((word[..end].parse::<f64>().unwrap() * 1000.0).round() as i64);
    }
    // 219.911 / 0.7 is 314.2: 314 rows, evenly round.
    let rows: Vec<f64> = rows.into_iter().map(|a| a as f64 / 1000.0).collect();
    let step = 360.0 / 314.0;
    assert_eq!(rows.len(), 314);
    assert!((rows[0] + 360.0 - rows[313] - step).abs() < 0.002, "{} {}", rows[0], rows[313]);
}

#[test]
fn beyond_the_rotarys_reach_nothing_goes() {
    let bench = reel("line-reel.kite.toml");
    bench.change("line-reel.kite.toml", "[\"60 mm\"", "[\"35 mm\"");
    let told = bench.told("line-reel.kite.toml");
    assert!(told.contains("leaves the rotary's reach: 5 mm beyond the left edge"), "{told}");
}

#[test]
fn a_rotary_along_y_turns_b() {
    let bench = reel("reel-barrel.kite.toml");
    bench.change("reel-laser.machine.toml", "[axis.a]", "[axis.b]");
    bench.change("reel-laser.machine.toml", "axis     = \"A\"", "axis     = \"B\"");
    bench.change("reel-laser.machine.toml", "along    = \"X\"", "along    = \"Y\"");
    bench.change("reel-laser.machine.toml", "[\"40 mm\", \"520 mm\"]", "[\"40 mm\", \"380 mm\"]");
    let plan = bench.json(&["plan", "reel-barrel.kite.toml"]);
    assert_eq!(plan["rotary"]["axis"], "B");
    let text = bench.ok(&["emit", "reel-barrel.kite.toml", "-o", "-", "--terse"]);
    assert!(text.contains("Y75") && text.contains('B') && !text.contains('X'), "{text}");
    bench.ok(&["run", "reel-barrel.kite.toml", "--to", "rig:"]);
}

#[test]
fn a_controller_with_an_offset_of_its_own_is_no_surprise() {
    let bench = placed("at = [\"10 mm\", \"10 mm\"]\n");
    bench.change(
        "bench-laser.machine.toml",
        "origin = \"bottom-left\"",
        "offset = [\"-400 mm\", \"-300 mm\"]\norigin = \"bottom-left\"",
    );
    let out = bench.ok(&["run", "a.kite.toml", "--to", "rig:"]);
    // In the machine's own coordinates it lies below zero.
    assert!(out.contains("X -390 to -350, Y -290 to -260 mm"), "{out}");
    assert!(bench.ok(&["machine", "check", "bench-laser"]).contains("agree"));
    let plain = Rig::start(&Bench::new());
    let told = bench.refused(1, &["run", "a.kite.toml", "--to", &plain.link()]);
    assert!(told.contains("work offset of X 0 Y 0 mm"), "{told}");
}

/// A square of 20 mm, scored on what the rotary holds.
fn on_the_rotary(bench: &Bench, rotary: &str, place: &str, speed: &str) -> serde_json::Value {
    let square = r#"<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="20mm" viewBox="0 0 20 20"><path d="M0 0H20V20H0Z" fill="none" stroke="red"/></svg>"#;
    bench.write("square.svg", square);
    bench.write(
        "square.kite.toml",
        format!("tinkite = 1\nmachine = \"./own.machine.toml\"\n[[artwork]]\nfile = \"square.svg\"\n[rotary]\n{rotary}\n[place]\n{place}\n[[step]]\ntake = {{ stroke = \"red\" }}\nmake = \"score\"\nspeed = \"{speed} mm/s\"\npower = \"20 %\"\n"),
    );
    let plan = bench.run(&["plan", "square.kite.toml", "--json"]);
    serde_json::from_str(&plan.out).unwrap_or_else(|_| panic!("{}\n{}", plan.out, plan.err))
}

fn reel_laser(bench: &Bench, from: &str, to: &str) {
    let profile = std::fs::read_to_string(
        std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/reel-laser.machine.toml"),
    );
    let profile = profile.unwrap();
    assert!(profile.contains(from), "{from}");
    bench.write("own.machine.toml", profile.replacen(from, to, 1));
}

#[test]
fn the_top_is_what_the_axis_reads_whichever_way_it_turns_and_whatever_it_drives() {
    let bench = Bench::new();
    // 20 mm round an object of 100 mm are 22.918 degrees of it, and 76.394 of a roller of 30 mm.
    for (device, hold, turned) in [
        (false, "chuck", [90.0, 112.918]),
        (true, "chuck", [67.082, 90.0]),
        (false, "rollers", [90.0, 166.394]),
        (true, "rollers", [13.606, 90.0]),
    ] {
        reel_laser(&bench, "reversed = false", &format!("reversed = {device}"));
        let rotary = format!("hold = \"{hold}\"\ndiameter = \"100 mm\"\ntop = \"90 deg\"");
        let place = "anchor = \"bottom-left\"\nat = [\"200 mm\", \"0 mm\"]";
        let plan = on_the_rotary(&bench, &rotary, place, "20");
        for n in 0..2 {
            let is = plan["rotary"]["turned"][n].as_f64().unwrap();
            assert!((is - turned[n]).abs() < 0.002, "{device}{hold}: {is} {turned:?}");
        }
    }
}

#[test]
fn a_place_on_a_profile_is_along_the_axis_and_a_zero_may_lie_within_it() {
    let bench = Bench::new();
    reel_laser(&bench, "axis     = \"A\"", "axis     = \"A\"");
    // A cone up to 140 mm, a cylinder of 100 mm behind it.
    let profile = "hold = \"chuck\"\nprofile = [[\"0 mm\", \"20 mm\"], [\"40 mm\", \"100 mm\"], [\"160 mm\", \"100 mm\"]]\n";
    let along = |plan: &serde_json::Value| {
        let value = |end: &str| plan["extents_mm"][end][0].as_f64().unwrap();
        [value("min"), value("max")].map(|x| (x * 100.0).round() / 100.0)
    };
    let at = "anchor = \"bottom-left\"\nat = [\"200 mm\", \"0 mm\"]";
    for keep in ["size", "angle"] {
        let rotary = format!("{profile}at = \"100 mm\"\nkeep = \"{keep}\"");
        let plan = on_the_rotary(&bench, &rotary, at, "20");
        assert_eq!(along(&plan), [200.0, 220.0], "{keep}: {plan}");
        // The ruler's 200 stands under the square, and under the object.
        bench.ok(&["draw", "square.kite.toml", "-o", "a.svg", "--force"]);
    }
    // The pointer stands on the thickest place, and the zero is set there.
    let zero = "zero = \"head\"\nanchor = \"centre\"";
    let plan = on_the_rotary(&bench, &format!("{profile}at = \"-100 mm\""), zero, "20");
    assert_eq!(along(&plan), [-10.0, 10.0], "{plan}");
    // 360 degrees a second are 314 mm/s there, and 63 at the thin end, where nothing burns.
    let codes = |plan: &serde_json::Value| -> Vec<String> {
        let all = plan["problems"].as_array().unwrap().iter();
        all.map(|problem| problem["code"].as_str().unwrap().to_string()).collect()
    };
    let plan = on_the_rotary(&bench, &format!("{profile}at = \"100 mm\""), at, "150");
    assert!(!codes(&plan).contains(&"over-speed".into()), "{plan}");
    let thin = "anchor = \"bottom-left\"\nat = [\"102 mm\", \"0 mm\"]";
    let plan = on_the_rotary(&bench, &format!("{profile}at = \"100 mm\""), thin, "150");
    assert!(codes(&plan).contains(&"over-speed".into()), "{plan}");
}
