//! What is planned is what is sent: powers, speeds and times of the emitted program, held against
//! closed forms and against what the rig does with it.

use crate::common::Bench;

const JOB: &str = "a.kite.toml";

fn step(make: &str, speed: &str, power: &str, more: &str) -> String {
    format!(
        "[[step]]\nname = \"s\"\ntake = {{ colour = \"red\" }}\nmake = \"{make}\"\nspeed = {speed}\npower = {power}\n{more}\n"
    )
}

/// Seconds that the plan says and that the rig needs.
fn seconds(bench: &Bench) -> (f64, f64) {
    let planned = bench.json(&["plan", JOB])["seconds"].as_f64().unwrap();
    let out = bench.ok(&["run", JOB, "--to", "rig:max", "--json"]);
    let end: serde_json::Value = serde_json::from_str(out.lines().last().unwrap()).unwrap();
    assert_eq!(end["how"], "done", "{out}");
    (planned, end["seconds"].as_f64().unwrap())
}

#[track_caller]
fn agree(bench: &Bench) {
    agree_but_for(bench, 0.1);
}

/// Besides moving, the rig's session asks and waits for a moment at both ends: `asking`, s.
#[track_caller]
fn agree_but_for(bench: &Bench, asking: f64) {
    let (planned, ran) = seconds(bench);
    assert!((planned - ran).abs() < 0.01 * ran + asking, "plan {planned} s, rig {ran} s");
}

#[test]
fn several_powers_together_are_held_against_the_ceiling() {
    let bench = Bench::new();
    bench.demo("stamp.png");
    bench.write(
        JOB,
        "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"stamp.png\"\nwidth = \"20 mm\"\n[place]\nat = [\"50 mm\", \"50 mm\"]\n[[step]]\nname = \"s\"\ntake = { kind = \"bitmap\" }\nmake = \"engrave\"\nspeed = \"60 mm/s\"\npower = [\"20 %\", \"60 %\"]\nimage = { spacing = \"0.5 mm\", power-to = \"80 %\" }\n",
    );
    let told = bench.told(JOB);
    assert!(told.contains("power-to in image in pass 2: 240 % (S2400) is above"), "{told}");

    let square = r#"<rect x="10" y="10" width="40" height="40" fill="red" stroke="red"/>"#;
    let more = "lines = { spacing = \"0.5 mm\" }\nshoulder = { over = \"2 mm\", from = \"40 %\" }";
    let bench =
        Bench::drawn(square, "", &step("engrave", "\"60 mm/s\"", "[\"20 %\", \"75 %\"]", more));
    let told = bench.told(JOB);
    assert!(told.contains("from in shoulder in pass 2: 150 % (S1500) is above"), "{told}");

    let more =
        "bridges = { count = 2, width = \"2 mm\", power = \"90 %\" }\nramp = { slow = \"80 %\" }";
    let bench = Bench::drawn(square, "", &step("cut", "\"60 mm/s\"", "\"50 %\"", more));
    let told = bench.told(JOB);
    assert!(told.contains("power across bridges together with slow in ramp: 144 %"), "{told}");
}

/// What of a line from X10 to X50 is said by a program: each lit part with its S, and F in mm/s.
fn lit_parts(text: &str) -> Vec<([f64; 2], f64, f64)> {
    let (mut x, mut s, mut f, mut parts) = (10.0_f64, 0.0_f64, 0.0_f64, Vec::new());
    for text in text.lines().filter(|line| !line.starts_with(';')) {
        let word = |letter: char| -> Option<f64> {
            let rest = &text[text.find(letter)? + 1..];
            let end = rest.find(|c: char| !(c.is_ascii_digit() || "-.".contains(c)));
            rest[..end.unwrap_or(rest.len())].parse().ok()
        };
        s = word('S').unwrap_or(s);
        f = word('F').map_or(f, |f| f / 60.0);
        let Some(to) = word('X') else { continue };
        if s > 0.0 && (to - x).abs() > 1e-9 {
            parts.push(([x, to], s, f));
        }
        x = to;
    }
    parts
}

/// Speed at a place of that line, from standstill to standstill at 1500 mm/s² and at most 200 mm/s.
fn speed(x: f64) -> f64 {
    (3000.0 * (x - 10.0).min(50.0 - x)).max(0.0).sqrt().min(200.0)
}

#[test]
fn power_follows_the_speed_that_is_really_run() {
    // From a standstill (the pierce) to a standstill (the end).
    let line = r#"<path d="M10 20 H50" stroke="red"/>"#;
    let more = "ramp = { slow = \"10 %\" }\npierce = { dwell = \"0.1 s\", power = \"20 %\" }";
    let bench = Bench::drawn(line, "", &step("cut", "\"200 mm/s\"", "\"60 %\"", more));
    let profile = bench.read("bench-laser.machine.toml");
    assert!(profile.contains("acceleration = \"1500 mm/s2\""), "{profile}");
    bench.change("bench-laser.machine.toml", "follows-speed = true ", "follows-speed = false");
    agree(&bench);
    let text = bench.ok(&["emit", JOB, "-o", "-"]);
    assert!(text.contains("M3") && !text.contains("M4"), "{text}");
    let parts = lit_parts(&text);
    assert!((20..400).contains(&parts.len()), "{text}");
    for ([a, b], s, f) in parts {
        let wanted = 1000.0 * (0.1 + 0.5 * speed(f64::midpoint(a, b)) / 200.0);
        assert!((s - wanted).abs() <= 1.5 && f == 200.0, "S{s}, not {wanted}, from X{a} to X{b}");
    }
}

/// M4 burns S · v / F: less than asked where the head is slower than F, nothing at standstill. What
/// a part burns in all is what a constant beam of the wanted power would.
#[test]
fn power_at_standstill_is_had_with_a_beam_that_goes_out_when_lines_stop_coming() {
    let line = r#"<path d="M10 20 H50" stroke="red"/>"#;
    for (power, slow) in [(0.6, 0.1), (0.5, 0.25), (0.4, 0.4), (0.3, 0.45)] {
        // The pierce has the head stand where the line begins.
        let pierce = "pierce = { dwell = \"0.1 s\", power = \"20 %\" }";
        let ramp = format!("ramp = {{ slow = \"{} %\" }}\n{pierce}", 100.0 * slow);
        let power_text = format!("\"{} %\"", 100.0 * power);
        let bench = Bench::drawn(line, "", &step("cut", "\"200 mm/s\"", &power_text, &ramp));
        agree(&bench);
        assert!(!bench.codes(JOB).contains(&"constant-power".to_string()));
        let text = bench.ok(&["emit", JOB, "-o", "-"]);
        assert_eq!(text.matches("M3 ").count(), text.matches("G4").count(), "{text}");
        let parts = lit_parts(&text);
        let (mut burnt, mut asked) = (0.0, 0.0);
        assert!((20..400).contains(&parts.len()) || slow == power, "{text}");
        for ([a, b], s, f) in parts {
            // The wanted power over the time that the part takes, in steps that are even in time
            // where the head speeds up.
            let steps = 20_000;
            let place = |n: i32| {
                let share = f64::from(n) / f64::from(steps);
                let eased = share * share * (3.0 - 2.0 * share);
                a + (b - a) * eased
            };
            let wanted: f64 = (0..steps)
                .map(|n| {
                    let (from, to) = (place(n), place(n + 1));
                    let v = speed(f64::midpoint(from, to));
                    (to - from) / v * 1000.0 * (slow + (power - slow) * v / 200.0)
                })
                .sum();
            let got = s * (b - a) / f;
            assert!(
                (got - wanted).abs() <= 0.006 * wanted,
                "{got} of {wanted}, X{a} to X{b}\n{text}"
            );
            assert!(f <= 200.0 && s <= 900.0);
            (burnt, asked) = (burnt + got, asked + wanted);
        }
        assert!((burnt - asked).abs() < 0.002 * asked, "{burnt} of {asked}");
    }
    // Above the ceiling of 90 % at the ends: a constant beam, and told.
    for (power, slow) in [("60 %", "31 %"), ("30 %", "46 %")] {
        let more = format!("ramp = {{ slow = \"{slow}\" }}");
        let step = step("cut", "\"200 mm/s\"", &format!("\"{power}\""), &more);
        let bench = Bench::drawn(line, "", &step);
        assert_eq!(bench.codes(JOB), ["constant-power"]);
        assert!(bench.ok(&["emit", JOB, "-o", "-"]).contains("M3"));
    }
}

#[test]
fn plan_and_rig_agree_where_corners_curves_and_power_meet() {
    let square = r#"<rect x="10" y="10" width="40" height="40" stroke="red"/>"#;
    let slow = Bench::drawn(
        square,
        "",
        &step("cut", "\"200 mm/s\"", "\"60 %\"", "ramp = { slow = \"10 %\" }"),
    );
    agree(&slow);
    let circles: String = (0..60)
        .map(|n| {
            let (x, y) = (8 + n % 10 * 9, 8 + n / 10 * 9);
            format!(r#"<circle cx="{x}" cy="{y}" r="3" stroke="red"/>"#)
        })
        .collect();
    for speed in ["\"150 mm/s\"", "\"20 mm/s\""] {
        for more in ["", "kerf = \"0.2 mm\"\nlead-in = \"1 mm\"", "ramp = { slow = \"10 %\" }"] {
            agree(&Bench::drawn(&circles, "", &step("cut", speed, "\"60 %\"", more)));
        }
    }
}

/// A job on the bench laser with another `[link]`.
fn on_a_link(body: &str, steps: &str, more: &str) -> Bench {
    let bench = Bench::drawn(body, "", steps);
    let profile = bench.read("bench-laser.machine.toml");
    let keep = |line: &&str| !line.starts_with("lines-per-second");
    let profile: String = profile.lines().filter(keep).flat_map(|l| [l, "\n"]).collect();
    let dialect = "\ndialect = \"grbl\"";
    assert!(profile.contains(dialect));
    bench
        .write("bench-laser.machine.toml", profile.replace(dialect, &format!("{dialect}\n{more}")));
    bench
}

#[test]
fn a_link_that_is_too_slow_is_told_and_counted() {
    // 100 rows of 4 mm at 150 mm/s: four lines in 90 ms or so.
    let body = r#"<rect x="20" y="20" width="4" height="20" fill="red"/>"#;
    let step = step("engrave", "\"150 mm/s\"", "\"30 %\"", "lines = { spacing = \"0.2 mm\" }");
    let starved = |link: &str| {
        let bench = on_a_link(body, &step, link);
        // Ten questions or so before the program, each a line.
        agree_but_for(&bench, if link.ends_with(" 10") { 1.1 } else { 0.1 });
        let told = bench.codes(JOB).contains(&"starved".to_string());
        let plan = bench.json(&["plan", JOB]);
        // The program read back takes as long as the job that it was made of.
        bench.ok(&["emit", JOB, "-o", "p.nc"]);
        let read = bench.json(&["read", "p.nc", "--machine", "bench-laser"]);
        let (read, planned) =
            (read["seconds"].as_f64().unwrap(), plan["seconds"].as_f64().unwrap());
        assert!((read - planned).abs() < 0.01 * planned, "{read} {planned}");
        let number = |key: &str| plan["steps"][0][key].as_f64().unwrap();
        (told, number("seconds"), number("starved_seconds"))
    };
    let (told, fast, waits) = starved("");
    assert!(!told && waits < 0.01);
    let (told, seconds, waits) = starved("lines-per-second = 1000");
    assert!(!told && (seconds - fast).abs() < 0.01 && waits < 0.02, "{seconds} {fast} {waits}");
    let (told, seconds, waits) = starved("lines-per-second = 10");
    let lines = on_a_link(body, &step, "").ok(&["emit", JOB, "-o", "-", "--terse"]).lines().count();
    assert!(told && waits > 1.0, "{seconds} {fast}");
    // And a question for each half of the buffer, as far as lines fill it.
    let (least, most) = (lines as f64 / 10.0, lines as f64 / 10.0 * 1.2);
    assert!(seconds > least && seconds < most, "{seconds} {lines}");
}

#[test]
fn a_picture_that_is_slowed_by_its_link_is_told_though_the_head_never_stands() {
    let bench = Bench::new();
    bench.demo("kite-stamp.kite.toml");
    bench.demo("kite-stamp.svg");
    let plan = || bench.json(&["plan", "kite-stamp.kite.toml"]);
    assert!(plan()["steps"][0]["starved_seconds"].as_f64().unwrap() < 0.01);
    let profile = bench.read("bench-laser.machine.toml");
    assert!(profile.contains("lines-per-second = 2000"));
    bench.write("bench-laser.machine.toml", profile.replace("second = 2000", "second = 600"));
    let slowed = plan();
    assert!(slowed["steps"][0]["starved_seconds"].as_f64().unwrap() > 3.0, "{slowed}");
    let told = slowed["problems"].as_array().unwrap();
    assert!(told.iter().any(|problem| problem["code"] == "starved"), "{slowed}");
    let out = bench.ok(&["run", "kite-stamp.kite.toml", "--to", "rig:max", "--json"]);
    let end: serde_json::Value = serde_json::from_str(out.lines().last().unwrap()).unwrap();
    let (planned, ran) = (slowed["seconds"].as_f64().unwrap(), end["seconds"].as_f64().unwrap());
    assert!((planned - ran).abs() < 0.01 * ran, "{planned} {ran}");
}

#[test]
fn the_baud_of_a_serial_link_counts() {
    // Small circles as chords: bytes by the dozen in each millimetre.
    let circle = |n: i32| format!(r#"<circle cx="{}" cy="30" r="0.6" stroke="red"/>"#, 20 + 3 * n);
    let body: String = (0..12).map(circle).collect();
    let fast = step("score", "\"60 mm/s\"", "\"30 %\"", "ramp = { slow = \"20 %\" }");
    let bench = Bench::drawn(&body, "", &fast);
    let profile = bench.read("bench-laser.machine.toml");
    bench.write(
        "bench-laser.machine.toml",
        profile.replace("to = \"rig:\"", "to = \"serial:/dev/none@2400\""),
    );
    agree(&bench);
    assert!(bench.codes(JOB).contains(&"starved".to_string()));
    let text = bench.ok(&["emit", JOB, "-o", "-", "--terse"]);
    let seconds = bench.json(&["plan", JOB])["seconds"].as_f64().unwrap();
    // With a question of three bytes for each half of a buffer of 128.
    let carried = text.len() as f64 * (1.0 + 3.0 / 62.0) / 240.0;
    for wrong in ["@fast", "@0"] {
        let to = format!("to = \"serial:/dev/none{wrong}\"");
        bench.write("bench-laser.machine.toml", profile.replace("to = \"rig:\"", &to));
        let refused = bench.refused(1, &["plan", JOB]);
        assert!(refused.contains("baud above zero"), "{wrong}: {refused}");
    }
    assert!((seconds - carried).abs() < 0.02 * carried, "{seconds} {carried}");
}

#[test]
fn no_speed_becomes_a_feed_of_nothing() {
    let line = r#"<path d="M10 20 H11" stroke="red"/>"#;
    let bench = Bench::drawn(line, "", &step("cut", "\"0.0005 mm/s\"", "\"60 %\"", ""));
    bench.ok(&["emit", JOB]);
    assert!(bench.read("a.nc").contains("F0.03\n"), "{}", bench.read("a.nc"));
    bench.change(JOB, "0.0005 mm/s", "0.0000005 mm/s");
    assert!(bench.told(JOB).contains("its F word would be 0"));
}

#[test]
fn eight_bits_are_said_as_they_are_and_a_ramp_without_effect_is_told() {
    let line = r#"<path d="M10 20 H50" stroke="red"/>"#;
    let bench = Bench::drawn(line, "", &step("cut", "\"20 mm/s\"", "\"33 %\"", ""));
    bench.change("bench-laser.machine.toml", "full    = 1000", "full = 255\nlevels = 256");
    bench.ok(&["emit", JOB]);
    assert!(bench.read("a.nc").contains("S84F1200\n"), "{}", bench.read("a.nc"));
    let flat = step("cut", "\"2 mm/s\"", "\"60 %\"", "ramp = { slow = \"59.99 %\" }");
    assert_eq!(Bench::drawn(line, "", &flat).codes(JOB), ["slow-without-effect", "constant-power"]);
}

/// A line of two passes is left where it was begun: what lies there comes next.
#[test]
fn order_knows_where_passes_leave_the_head() {
    let lines = r#"<path id="long" d="M10 20 H80" stroke="red"/><path id="far" d="M84 20 H88" stroke="blue"/><path id="near" d="M10 24 H14" stroke="blue"/>"#;
    let blue = step("score", "\"60 mm/s\"", "\"20 %\"", "").replace("red", "blue");
    for (passes, first) in [(2, "near"), (3, "far")] {
        let red = step("cut", "\"60 mm/s\"", "\"60 %\"", &format!("passes = {passes}"));
        let both = format!("{red}{}", blue.replace("name = \"s\"", "name = \"t\""));
        let bench = Bench::drawn(lines, "", &both);
        let text = bench.ok(&["emit", JOB, "-o", "-"]);
        let second = text.split("step 2 of 2").nth(1).unwrap();
        let part = second.lines().find(|line| line.starts_with("; part 1")).unwrap();
        assert!(part.contains(first), "{passes} passes: {part}");
    }
}
