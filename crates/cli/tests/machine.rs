//! Machine profiles: found, shown, written, held against a controller, measured; and what they may
//! not say.

use crate::common::Bench;
use crate::common::terminal::Terminal;

fn bench() -> Bench {
    let bench = Bench::new();
    for name in ["tube-laser", "reel-laser", "printer-laser"] {
        bench.demo(&format!("{name}.machine.toml"));
    }
    bench
}

#[test]
fn a_profile_is_found_beside_the_job_then_in_the_users_folder_then_among_the_shipped() {
    let bench = Bench::new();
    let own = bench.path("config/tinkite/machines");
    std::fs::create_dir_all(&own).unwrap();
    let text = bench.read("bench-laser.machine.toml");
    let named = |title: &str| text.replacen("Bench laser, 400 x 300 mm diode", title, 1);
    std::fs::write(own.join("bench-laser.machine.toml"), named("mine")).unwrap();
    std::fs::write(own.join("shop.machine.toml"), named("the shop's")).unwrap();
    let show = |name: &str| {
        let out = bench
            .command(&["machine", "show", name, "--json"])
            .env("XDG_CONFIG_HOME", bench.path("config"))
            .output()
            .unwrap();
        let value: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
        (value["title"].as_str().unwrap().to_string(), value["from"].as_str().unwrap().to_string())
    };
    assert_eq!(show("shop").0, "the shop's");
    assert!(show("shop").1.contains("your own folder"));
    // Beside the job wins.
    assert!(show("bench-laser").0.starts_with("Bench laser"));
    std::fs::remove_file(bench.path("bench-laser.machine.toml")).unwrap();
    assert_eq!(show("bench-laser").0, "mine");
    assert!(show("reel-laser").1.starts_with("shipped"));
    // A path works from anywhere: two people share one profile.
    assert_eq!(show(own.join("shop.machine.toml").to_str().unwrap()).0, "the shop's");
    let told = bench.refused(1, &["machine", "show", "reel-lasr"]);
    assert!(told.contains("did you mean \"reel-laser\""), "{told}");
}

#[test]
fn the_list_names_each_machine_once() {
    let bench = bench();
    let list = bench.json(&["machine", "list"]);
    let names: Vec<&str> =
        list["machines"].as_array().unwrap().iter().map(|m| m["name"].as_str().unwrap()).collect();
    let mut sorted = names.clone();
    sorted.sort_unstable();
    sorted.dedup();
    assert_eq!(sorted.len(), names.len());
    assert!(names.contains(&"printer-laser") && names.contains(&"tube-laser"));
    bench.write("broken.machine.toml", "tinkite = 1\n[bed");
    assert!(bench.ok(&["machine", "list"]).contains("cannot be read"));
}

#[test]
fn a_ceiling_may_be_said_in_what_was_measured() {
    let bench = bench();
    bench.demo("tube-laser.machine.toml");
    let tube = bench.read("tube-laser.machine.toml");
    let with = |ceiling: &str| {
        let keep = |line: &&str| !line.trim_start().starts_with("ceiling");
        let rest = tube.lines().filter(keep).collect::<Vec<_>>().join("\n");
        bench.write(
            "t.machine.toml",
            rest.replacen("[beam]", &format!("[beam]\nceiling = \"{ceiling}\""), 1),
        );
    };
    let percent = || {
        bench.json(&["machine", "show", "./t.machine.toml"])["ceiling_percent"].as_f64().unwrap()
    };
    // A measured row: what is read there in mA and W is its percentage.
    let row = tube.lines().filter(|line| line.contains(" mA\"")).nth(1).unwrap();
    let cells: Vec<&str> = row.split('"').skip(1).step_by(2).collect();
    let wanted: f64 = cells[0].trim_end_matches(" %").parse().unwrap();
    for cell in &cells {
        with(cell);
        assert!((percent() - wanted).abs() < 1e-6, "{cell}: {}", percent());
    }
    with("900 mA");
    assert!(bench.refused(1, &["machine", "show", "./t.machine.toml"]).contains("table ends at"));
}

#[test]
fn a_new_profile_keeps_the_comments_and_takes_what_was_said() {
    let bench = bench();
    bench.ok(&[
        "machine",
        "new",
        "shed",
        "--like",
        "tube-laser",
        "--width",
        "700 mm",
        "--depth",
        "45 cm",
        "--speed",
        "350 mm/s",
        "--full",
        "1000",
        "--origin",
        "bottom-right",
    ]);
    let text = bench.read("shed.machine.toml");
    assert!(text.contains("# to the right") && text.contains("\"45 cm\""), "{text}");
    let shown = bench.json(&["machine", "show", "shed"]);
    assert_eq!(shown["bed_mm"], serde_json::json!([700.0, 450.0]));
    assert_eq!(shown["top_speed_mm_s"], serde_json::json!([350.0, 350.0]));
    assert_eq!((&shown["origin"], &shown["full"]), (&"bottom-right".into(), &1000.0.into()));
    // Nothing is overwritten, and what makes no profile is not written.
    assert!(bench.refused(2, &["machine", "new", "shed"]).contains("already there"));
    assert!(bench.refused(1, &["machine", "new", "x", "--width", "12"]).contains("no unit"));
    assert!(bench.refused(1, &["machine", "new", "x", "--origin", "left"]).contains("cannot be"));
    assert!(bench.refused(2, &["machine", "new", "../x"]).contains("no name"));
}

#[test]
fn a_profile_is_read_from_a_controller_and_each_difference_is_named() {
    let bench = bench();
    bench.ok(&["machine", "new", "read", "--like", "bench-laser", "--from", "rig:"]);
    let itself = bench.ok(&["machine", "check", "read", "--to", "rig:"]);
    assert!(itself.contains("Nothing was checked"), "{itself}");
    assert_eq!(bench.json(&["machine", "check", "read", "--to", "rig:"])["simulated"], true);
    // The controller is that of the shipped profile; the profile is changed afterwards.
    bench.change("read.machine.toml", "full    = 1000", "full    = 255");
    let listen = ["rig", "--tcp", "127.0.0.1:0", "--pace", "max", "--once"];
    let mut rig = bench.command(&listen).stdout(std::process::Stdio::piped()).spawn().unwrap();
    let mut first = String::new();
    let mut out = std::io::BufReader::new(rig.stdout.take().unwrap());
    std::io::BufRead::read_line(&mut out, &mut first).unwrap();
    let link = first.trim().strip_prefix("the rig listens on ").unwrap();
    let ran = bench.run(&["machine", "check", "read", "--to", link, "--json"]);
    rig.wait().unwrap();
    assert_eq!(ran.status, 1);
    let told: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
    let differ: Vec<&str> = told["pairs"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|pair| pair["same"] == false)
        .map(|pair| pair["setting"].as_str().unwrap())
        .collect();
    assert_eq!(differ, ["$30"]);
}

#[test]
fn readings_become_the_power_table_and_one_that_falls_is_refused() {
    let bench = bench();
    let readings = ["10 % = 4 mA, 3 W", "30% = 10 mA, 18 W", "80 % = 24 mA, 58 W"];
    let call = |more: &[&str]| {
        let args: Vec<String> = ["machine", "measure", "reel-laser"]
            .iter()
            .chain(&readings)
            .chain(more)
            .map(ToString::to_string)
            .collect();
        bench.ok(&args.iter().map(String::as_str).collect::<Vec<_>>())
    };
    assert!(call(&[]).contains("[\"30 %\", \"10 mA\", \"18 W\"]"));
    call(&["-o", "measured.machine.toml", "--draw", "curve.svg"]);
    let curve = bench.read("curve.svg");
    assert!(curve.contains(">58 W<") && curve.matches("<circle").count() == 6);
    call(&["--keep"]);
    for name in ["measured.machine.toml", "reel-laser.machine.toml"] {
        let text = bench.read(name);
        assert!(text.contains("\"18 W\"") && text.contains("# below this S value"), "{text}");
    }
    // Power can be asked for in W now: half way between readings, by the curve.
    bench.demo("line-reel.svg");
    bench.demo("line-reel.kite.toml");
    bench.change("line-reel.kite.toml", "power = \"20 %\"", "power = \"18 W\"");
    let plan = bench.json(&["plan", "line-reel.kite.toml", "--only", "waves"]);
    assert_eq!(plan["steps"][0]["power_percent"][0], 30.0);
    for (reading, words) in [
        (["10 % = 4 mA", "30 % = 3 mA"], "falls"),
        (["30 % = 4 mA", "10 % = 5 mA"], "must rise"),
        (["10 % = 4 mA", "30 % = 3 W"], "not every row"),
        (["10 % 4 mA", "30 % = 5 mA"], "has no ="),
        (["10 mA = 4 mA", "30 % = 5 mA"], "percentage"),
    ] {
        let told = bench.refused(2, &["machine", "measure", "tube-laser", reading[0], reading[1]]);
        assert!(told.contains(words), "{told}");
    }
    let one = bench.refused(2, &["machine", "measure", "tube-laser", "10 % = 4 mA", "--keep"]);
    assert!(one.contains("one reading is no table"), "{one}");
}

#[test]
fn lines_of_a_profiles_own_may_not_light_the_beam_or_move_the_zero() {
    let bench = bench();
    let own = |line: &str| {
        let profile = bench.read("bench-laser.machine.toml");
        bench.write("own.machine.toml", format!("{profile}\n[program]\nopening = [\"{line}\"]\n"));
        bench.run(&["machine", "show", "own"])
    };
    for (line, words) in [
        ("M3 S100", "lights the beam"),
        ("m4", "lights the beam"),
        ("M106 S255", "lights the beam"),
        ("S50", "gives the beam power"),
        ("G1 X5 F100", "is a feed move"),
        ("X5", "no one has checked"),
        ("G0 X900", "no one has checked"),
        ("G91", "numbers mean"),
        ("G92 X0", "numbers mean"),
        ("G10 L20 P1 X0", "numbers mean"),
        ("G20", "numbers mean"),
        ("M2", "ends the program"),
        ("!", "act upon at once"),
        ("hello", "not a line"),
        ("G0 Z#1", "not a line"),
    ] {
        let ran = own(line);
        assert_eq!(ran.status, 1, "{line}: {}", ran.out);
        let told = ran.err.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ");
        assert!(told.contains(words), "{line}: {told}");
    }
    for line in ["G28", "M64 P1", "G4 P0.5", "M7", "(warm up)", "G28 Z0"] {
        assert_eq!(own(line).status, 0, "{line}");
    }
    // They stand where they should: after the first line of all, and at the end.
    bench.write(
        "own.machine.toml",
        bench.read("bench-laser.machine.toml").replace("[air]", "[program]\nopening = [\"M64 P1\"]\nclosing = [\"M65 P1\"]\nfrequency = \"M67 E0 Q{kHz}\"\n[air]"),
    );
    let job =
        bench.read("sail-panel.kite.toml").replace("[[step]]", "[[step]]\nfrequency = \"20 kHz\"");
    bench.write("a.kite.toml", job.replace("bench-laser", "own"));
    let text = bench.ok(&["emit", "a.kite.toml", "-o", "-", "--terse"]);
    assert!(text.starts_with("M5 S0\nM64 P1\nG21"), "{text}");
    assert!(text.ends_with("M5 S0\nM9\nM65 P1\nM2\n"));
    assert_eq!(text.matches("M67 E0 Q20\n").count(), 1);
    // What the profile says that its controller has is sent to it: over a link and on a card.
    let with = |from: &str, to: &str| {
        let own = bench.read("own.machine.toml");
        bench.write("own.machine.toml", own.replace(from, to));
    };
    std::fs::create_dir(bench.path("card")).unwrap();
    for line in ["M67 E0 Q{kHz}", "M102 P{Hz}"] {
        with("M67 E0 Q{kHz}", line);
        assert!(bench.ok(&["check", "a.kite.toml"]).contains("nothing is wrong"), "{line}");
        let planned = bench.json(&["plan", "a.kite.toml"])["burn_mm"].as_f64().unwrap();
        let ran = bench.ok(&["run", "a.kite.toml", "--to", "rig:max"]);
        assert!(ran.contains(&format!("{planned:.1} mm burnt")), "{line}: {ran}");
        bench.ok(&["run", "a.kite.toml", "--card", "card", "--force"]);
        bench.ok(&["emit", "a.kite.toml", "-o", "a.nc", "--force"]);
        let read = bench.ok(&["read", "a.nc", "--machine", "./own.machine.toml"]);
        assert!(read.contains("nothing wrong was found"), "{line}: {read}");
    }
    // One message a kind: two steps without one, and all of them where the profile has no code.
    bench.write(
        "b.kite.toml",
        job.replace("bench-laser", "own").replacen("frequency = \"20 kHz\"\n", "", 2),
    );
    let told = bench.run(&["check", "b.kite.toml", "--json"]).out;
    assert_eq!(told.matches("\"frequency\"").count(), 1, "{told}");
    bench.write("a.kite.toml", &job);
    let told = bench.run(&["check", "a.kite.toml", "--json"]).out;
    assert_eq!(told.matches("has no code for it").count(), 1, "{told}");
}

#[test]
fn wrong_profiles_are_told_by_line_with_a_cure() {
    let bench = bench();
    for (from, to, words) in [
        ("axis     = \"A\"", "axis     = \"D\"", "cannot be \"D\""),
        ("axis     = \"A\"", "axis     = \"Y\"", "has no per-turn"),
        ("axis     = \"A\"", "axis     = \"B\"", "there is no [axis.b]"),
        ("axis     = \"A\"", "axis     = \"A\"\nper-turn = \"80 mm\"", "no length of a turn"),
        ("along    = \"X\"", "along    = \"Z\"", "cannot be \"Z\""),
        ("reach    = [\"40 mm\", \"520 mm\"]", "reach    = [\"50 mm\", \"20 mm\"]", "upwards"),
        (
            "top-speed    = \"360 deg/s\"",
            "top-speed    = \"360 mm/s\"",
            "not a unit of a turning speed",
        ),
        (
            "origin = \"bottom-left\"",
            "origin = \"bottom-left\"\noffset = \"5 mm\"",
            "should be a list",
        ),
        ("follows-speed = true", "follows-speed = true\non = \"M3\"", "leave on out"),
        (
            "follows-speed = true",
            "follows-speed = true\non = \"M106\"",
            "code of the reprap dialect",
        ),
        ("follows-speed = true", "follows-speed = true\noff = \"M107\"", "do not belong together"),
        ("dialect = \"grbl\"", "dialect = \"reprap\"", "goes at the feed"),
    ] {
        bench.demo("reel-laser.machine.toml");
        bench.change("reel-laser.machine.toml", from, to);
        let told = bench.refused(1, &["machine", "show", "reel-laser"]);
        let told = told.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ");
        assert!(told.contains(words) && told.contains("reel-laser.machine.toml:"), "{to}: {told}");
    }
}

#[test]
fn whoever_is_asked_is_told_at_once_what_is_wrong_and_keeps_the_rest() {
    let bench = bench();
    let mut asked = Terminal::run(&bench, 100, 40, &["machine", "new", "mine"]);
    for (question, typed) in [
        ("spoken to (grbl, ngc, reprap) [grbl]: ", "klingon"),
        ("\"klingon\" is none of grbl", ""),
        ("Where is it", "carrier pigeon"),
        ("pigeon", "serial:/dev/ttyACM0@250000"),
        ("How wide is the bed [400 mm]: ", "12"),
        ("no unit", "60 cm"),
        ("How deep", ""),
        ("Where is its zero", "top-left"),
        ("Which way does X count", "away"),
        ("Which way does Y count (right, left, away, towards) [right]: ", "towards"),
        ("cannot both run across", "away"),
        ("X count, seen from the front (right, left, away, towards) [right]: ", "left"),
        ("Top speed of X", "9000 mm/min"),
        ("Top speed of Y", ""),
        ("Acceleration of X", ""),
        ("Acceleration of Y", "900 mm/s2"),
        ("means 100 %", "much"),
        ("no number", "255"),
        ("Most power", "120 %"),
        ("at most 100 %", "80 %"),
    ] {
        asked.waits_for(question);
        asked.types(&format!("{typed}\n"));
    }
    let ran = asked.ends();
    assert!(ran.status == 0 && ran.out.contains("600 x 300 mm"), "{}", ran.out);
    let shown = bench.json(&["machine", "show", "mine"]);
    assert_eq!(shown["bed_mm"], serde_json::json!([600.0, 300.0]));
    assert_eq!((&shown["origin"], &shown["full"]), (&"top-left".into(), &255.0.into()));
    assert_eq!(shown["top_speed_mm_s"], serde_json::json!([150.0, 200.0]));
    let text = bench.read("mine.machine.toml");
    for line in [
        "to = \"serial:/dev/ttyACM0@250000\" # rig: is the simulated controller",
        "ceiling = \"80 %\"                # more than this is refused: it wears the source",
        "width  = \"60 cm\"                # to the right",
        "reversed = true",
    ] {
        assert!(text.contains(line), "{line}\n{text}");
    }
    // Nobody answers on: nothing is written.
    let mut gone = Terminal::run(&bench, 100, 40, &["machine", "new", "gone"]);
    gone.waits_for("spoken to");
    gone.types("\n\u{4}");
    let ran = gone.ends();
    assert!(ran.status == 2 && ran.out.contains("nothing was written"), "{}", ran.out);
    assert!(!bench.path("gone.machine.toml").exists());
}

#[test]
fn flags_say_what_questions_ask() {
    let bench = bench();
    fn new<'a>(args: &[&'a str]) -> Vec<&'a str> {
        [&["machine", "new", "said"], args, &["--force"]].concat()
    }
    let printer = ["--dialect", "reprap", "--link", "serial:/dev/ttyACM0@250000", "--full", "200"];
    assert!(bench.ok(&new(&printer)).contains("like printer-laser"));
    let text = bench.read("said.machine.toml");
    assert!(text.contains("250000") && text.contains("full    = 200"), "{text}");
    for (args, keys) in [
        (&["--x", "left"][..], (false, true, false)),
        (&["--y", "towards"], (false, false, true)),
        (&["--x", "away", "--y", "left"], (true, false, true)),
        (&["--y", "right"], (true, false, false)),
    ] {
        bench.ok(&new(args));
        let text = bench.read("said.machine.toml");
        let (_, x) = text.split_once("[axis.x]").unwrap();
        let (x, y) = x.split_once("[axis.y]").unwrap();
        let said = (
            text.contains("exchanged = true"),
            x.contains("reversed = true"),
            y.contains("reversed = true"),
        );
        assert_eq!(said, keys, "{args:?}\n{text}");
    }
    let refused = bench.refused(2, &new(&["--x", "left", "--y", "right"]));
    assert!(refused.contains("cannot both run across"), "{refused}");
}
