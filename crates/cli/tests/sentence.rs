//! A job in one call: what somebody says of a drawing's parts, what is guessed of the others, and that both are told.

use crate::common::Bench;
use crate::common::terminal::Terminal;
use serde_json::Value;

/// A page of 100 × 80 mm without ids: a frame, a hole in it, a fold, a stray line, and a mark that is filled.
const CARD: &str = r##"<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="80mm" viewBox="0 0 100 80" fill="none" stroke-width="0.5">
<rect x="10" y="10" width="60" height="40" stroke="black"/>
<circle cx="30" cy="30" r="5" stroke="black"/>
<path d="M40 12v36" stroke="red"/>
<path d="M75 60h20" stroke="lime"/>
<rect x="50" y="20" width="10" height="10" fill="blue"/>
</svg>"##;

fn bench(svg: &str) -> Bench {
    let bench = Bench::new();
    bench.write("card.svg", svg);
    bench
}

fn begun(bench: &Bench, more: &[&str]) -> Value {
    bench.json(&[&["begin", "card.svg", "-o", "a.kite.toml", "--force"], more].concat())
}

/// Of each step of the job its name, what it makes, and how much it burns in mm.
fn burnt(bench: &Bench) -> Vec<(String, String, f64)> {
    let plan = bench.json(&["plan", "a.kite.toml"]);
    let text = |step: &Value, key: &str| step[key].as_str().unwrap().to_string();
    let steps = plan["steps"].as_array().unwrap().iter();
    steps.map(|s| (text(s, "name"), text(s, "make"), s["burn_mm"].as_f64().unwrap())).collect()
}

#[track_caller]
fn expect(bench: &Bench, wanted: &[(&str, &str, f64)]) {
    let found = burnt(bench);
    let named: Vec<(&str, &str)> = found.iter().map(|(n, m, _)| (n.as_str(), m.as_str())).collect();
    let wanted_named: Vec<(&str, &str)> = wanted.iter().map(|(n, m, _)| (*n, *m)).collect();
    assert_eq!(named, wanted_named);
    for ((name, _, burn), (_, _, wanted)) in found.iter().zip(wanted) {
        assert!((burn - wanted).abs() < 0.02, "{name}: {burn} and not {wanted}");
    }
}

/// The circle's length.
const ROUND: f64 = std::f64::consts::TAU * 5.0;

#[test]
fn a_sentence_is_a_job() {
    let bench = bench(CARD);
    let said = [
        "--cut",
        "black",
        "--score",
        "red",
        "--leave-out",
        "lime",
        "--leave-out",
        "#00f",
        "--material",
        "card 0.3 mm",
        "--zero",
        "stock",
        "--speed",
        "cut=40 %",
        "--power",
        "score=S150",
        "--passes",
        "cut=2",
    ];
    let told = begun(&bench, &said);
    // Two passes of 200 mm and the circle; a line of 36 mm.
    expect(&bench, &[("score red", "score", 36.0), ("cut black", "cut", 2.0 * (200.0 + ROUND))]);
    let plan = bench.json(&["plan", "a.kite.toml"]);
    let (score, cut) = (&plan["steps"][0], &plan["steps"][1]);
    // The machine's top speed is 200 mm/s, its full power S1000.
    assert_eq!(cut["speed_mm_s"], 80.0);
    assert_eq!((&score["power_percent"][0], &score["s"][0]), (&15.0.into(), &150.0.into()));
    assert_eq!(plan["leftovers"], Value::Array(Vec::new()));
    let text = bench.read("a.kite.toml");
    for line in ["material = \"card\"", "thickness = \"0.3 mm\"", "zero = \"stock\""] {
        assert!(text.contains(line), "{line}:\n{text}");
    }
    // What was decided is told, what was guessed as a guess.
    let decisions = told["decisions"].as_array().unwrap();
    let (score, cut) = (&decisions[0], &decisions[1]);
    assert_eq!((&score["said"], &cut["said"]), (&true.into(), &true.into()));
    let setting = |one: &Value, key: &str| {
        let all = one["settings"].as_array().unwrap();
        all.iter().find(|s| s["key"] == key).map(|s| (s["value"].clone(), s["said"].clone()))
    };
    assert_eq!(setting(cut, "speed"), Some(("40 %".into(), true.into())));
    assert_eq!(setting(cut, "power"), Some(("60 %".into(), false.into())));
    let left: Vec<&Value> = decisions.iter().filter(|one| one["make"].is_null()).collect();
    assert_eq!(left.len(), 2, "{told}");
    // The two left-out shapes are part of no size: the frame alone is.
    assert_eq!(told["artworks"][0]["made_mm"], serde_json::json!([60.0, 40.0]));
    let seconds = told["seconds"].as_f64().unwrap();
    assert!((seconds - plan["seconds"].as_f64().unwrap()).abs() < 0.01, "{told}");
}

#[test]
fn shapes_without_ids_are_resized_cut_scored_and_left_out_by_their_place() {
    let black = CARD.replace("red", "black").replace("lime", "black");
    let bench = bench(&black.replace("fill=\"blue\"", "stroke=\"black\""));
    let listed = bench.json(&["look", "card.svg", "--shapes"]);
    let shapes = listed["files"][0]["shapes"].as_array().unwrap();
    let name = |n: usize| shapes[n]["name"].as_str().unwrap();
    assert_eq!((name(0), name(4), shapes.len()), ("shape-1", "shape-5", 5));
    assert_eq!(shapes[3]["length_mm"], 20.0);
    // The stray line goes, the frame is cut, the rest scored, all of it twice as large.
    begun(&bench, &["--leave-out", name(3), "--cut", name(0), "--score", "rest", "--width", "120"]);
    let rest = 2.0 * (ROUND + 36.0 + 40.0);
    expect(&bench, &[("score rest", "score", rest), ("cut shape-1", "cut", 400.0)]);
    // The same by the take that a point gives.
    let measured = bench.json(&["look", "card.svg", "--measure", "80,20"]);
    assert_eq!(measured["measures"][0]["take"], "{ id = \"shape-4\" }");
    let shown = bench.ok(&["look", "card.svg", "--measure", "80,20"]);
    assert!(shown.contains("take      { id = \"shape-4\" }"), "{shown}");
}

#[test]
fn what_says_more_counts_more() {
    let bench = bench(CARD);
    // The outermost line is black, and shape-2 is: each is said more closely than black.
    begun(
        &bench,
        &["--score", "black", "--cut", "outermost", "--engrave", "shape-2", "--leave-out", "fills"],
    );
    let steps = burnt(&bench);
    let names: Vec<&str> = steps.iter().map(|(name, ..)| name.as_str()).collect();
    // Red and lime are guessed: one is a red line, the other none.
    assert_eq!(
        names,
        ["engrave shape-2", "score black", "score #00ff00", "cut #ff0000", "cut outermost"]
    );
    // Shape-2 is engraved and scored: its line and its inside are two things.
    assert!((steps[1].2 - ROUND).abs() < 0.02 && (steps[4].2 - 200.0).abs() < 0.02, "{steps:?}");
    // Of the frame and the fill of one shape, one may go alone.
    let both = CARD.replace("fill=\"blue\"", "fill=\"blue\" stroke=\"black\"");
    bench.write("card.svg", both);
    let told = begun(&bench, &["--leave-out", "black", "--cut", "red", "--leave-out", "lime"]);
    assert!(!bench.read("a.kite.toml").contains("leave-out = [{ colour = \"#000000\" }]"));
    expect_names(&bench, &["engrave #0000ff", "cut red"]);
    assert_eq!(told["artworks"][0]["made_mm"], serde_json::json!([20.0, 36.0]), "{told}");
    assert_eq!(bench.codes("a.kite.toml"), [""; 0]);
}

#[track_caller]
fn expect_names(bench: &Bench, wanted: &[&str]) {
    let steps = burnt(bench);
    let names: Vec<&str> = steps.iter().map(|(name, ..)| name.as_str()).collect();
    assert_eq!(names, wanted);
}

#[test]
fn the_line_round_everything_and_hairlines_are_guessed_to_be_cut() {
    let guess = |svg: &str| -> Vec<(String, String)> {
        let bench = bench(svg);
        begun(&bench, &[]);
        burnt(&bench).into_iter().map(|(name, make, _)| (name, make)).collect()
    };
    let pair = |name: &str, make: &str| (name.to_string(), make.to_string());
    // No line is red: the one round everything is cut.
    let inside = CARD
        .replace("stroke=\"red\"", "stroke=\"purple\"")
        .replace("<path d=\"M75 60h20\" stroke=\"lime\"/>", "");
    let steps = guess(&inside);
    assert_eq!(steps[1], pair("score #800080", "score"));
    assert_eq!(steps[2], pair("cut #000000", "cut"));
    // Hairlines among wider lines are cut.
    let fine = CARD
        .replace("stroke=\"red\"", "stroke=\"purple\" stroke-width=\"0.05\"")
        .replace("lime", "teal");
    let steps = guess(&fine);
    assert!(steps.contains(&pair("cut #800080", "cut")), "{steps:?}");
    assert!(steps.contains(&pair("score #008080", "score")), "{steps:?}");
}

#[test]
fn every_guess_names_the_word_that_changes_it() {
    let bench = Bench::new();
    for file in ["sail-panel.svg", "kite-stamp.svg", "spar-hub.dxf", "reel-cheek.pdf"] {
        bench.demo(file);
        let call = ["begin", file, "-o", "a.kite.toml", "--force"];
        let told = bench.json(&call);
        let makes = |told: &Value| -> Vec<(Value, Value)> {
            let all = told["decisions"].as_array().unwrap().iter();
            all.map(|one| (one["what"].clone(), one["make"].clone())).collect()
        };
        for one in told["decisions"].as_array().unwrap() {
            let word = one["otherwise"].as_str().unwrap();
            let (option, what) = word.split_once(' ').unwrap();
            let other = bench.json(&[&call[..], &[option, what.trim_matches('"')]].concat());
            let same = |(_, make): &(Value, Value)| *make == one["make"];
            let now = makes(&other).into_iter().filter(same).count();
            let before = makes(&told).into_iter().filter(same).count();
            assert!(now < before || other["decisions"] != told["decisions"], "{file}: {word}");
        }
    }
}

#[test]
fn a_drawing_in_one_colour_is_asked_about() {
    let black = CARD.replace("red", "black").replace("lime", "black");
    let bench = bench(&black.replace("fill=\"blue\"", "stroke=\"black\""));
    let call = ["begin", "card.svg", "-o", "a.kite.toml", "--force"];
    for (answer, makes) in [
        ("\r", &["cut #000000"][..]),
        ("o\r", &["score rest", "cut outermost"]),
        ("s\r", &["score #000000"]),
    ] {
        let mut terminal = Terminal::run(&bench, 120, 40, &call);
        terminal.waits_for("All lines are #000000");
        terminal.types(answer);
        let ran = terminal.ends();
        assert_eq!(ran.status, 0, "{}", ran.out);
        expect_names(&bench, makes);
    }
    let before = bench.read("a.kite.toml");
    let mut terminal = Terminal::run(&bench, 120, 40, &call);
    terminal.waits_for("All lines are #000000");
    terminal.types("x\r");
    assert_eq!(terminal.ends().status, 2);
    assert_eq!(bench.read("a.kite.toml"), before);
    // Nobody is asked who says what it is for, and where nobody sits.
    let mut terminal = Terminal::run(&bench, 120, 40, &[&call[..], &["--score", "black"]].concat());
    terminal.waits_for("wrote");
    terminal.types("");
    assert_eq!(terminal.ends().status, 0);
    assert!(bench.ok(&call).contains("guessed: the only colour of line"));
}

#[test]
fn words_for_nothing_and_two_words_for_one_thing_are_refused() {
    let bench = bench(CARD);
    for (said, told) in [
        (&["--cut", "blak"][..], "\"blak\": nothing in the drawing is that"),
        (&["--cut", "#000001"], "did you mean \"#000000\"?"),
        (&["--cut", "outermst"], "did you mean \"outermost\"?"),
        (&["--score", "shape-9"], "did you mean \"shape-"),
        (&["--engrave", "bitmaps"], "nothing in the drawing is that"),
        (&["--cut", "bitmaps"], "a bitmap has no lines to follow"),
        (&["--cut", "black", "--score", "#000"], "are the same shapes"),
        (&["--cut", "rest", "--score", "rest"], "are the same shapes"),
        (&["--leave-out", "rest"], "nothing else was said"),
        (
            &[
                "--cut",
                "lines",
                "--score",
                "black",
                "--engrave",
                "red",
                "--leave-out",
                "red",
                "--leave-out",
                "lime",
            ],
            "leaves nothing of it",
        ),
        (
            &[
                "--cut",
                "lines",
                "--leave-out",
                "black",
                "--leave-out",
                "red",
                "--leave-out",
                "lime",
            ],
            "leaves nothing of it",
        ),
        (&["--cut", "red", "--speed", "engrav=9 mm/s"], "did you mean \"engrave\"?"),
        (&["--leave-out", "fills", "--speed", "engrave=9 mm/s"], "no step is that"),
        (&["--speed", "cut=fast"], "\"fast\" is not a speed"),
        (&["--speed", "cut=0 %"], "above zero"),
        (&["--power", "cut=12 mA"], "no table"),
        (&["--power", "cut=0 %"], "leave a part out"),
        (&["--passes", "cut=0"], "number of passes"),
        (&["--speed", "9 mm/s", "--speed", "8 mm/s"], "said twice"),
    ] {
        let refused = bench.refused(1, &[&["begin", "card.svg"], said].concat());
        assert!(refused.contains(told), "{said:?}: {refused}");
    }
    for said in [
        &["--speed", "cut="][..],
        &["--zero", "middle"],
        &["--width", "wide"],
        &["--width", "1/0 in"],
    ] {
        bench.refused(2, &[&["begin", "card.svg"], said].concat());
    }
}

#[test]
fn lengths_speeds_and_powers_are_taken_as_they_are_said() {
    let bench = Bench::new();
    let job = "sail-panel.kite.toml";
    let whole = bench.read(job);
    let plan = |speed: &str, power: &str| {
        let text = whole.replace(
            "speed = \"60 mm/s\"\npower = \"15 %\"",
            &format!("speed = {speed}\npower = {power}"),
        );
        assert_ne!(text, whole);
        bench.write(job, text);
        let folds = bench.json(&["plan", job])["steps"][1].clone();
        (folds["speed_mm_s"].as_f64().unwrap(), folds["s"][0].as_f64().unwrap())
    };
    assert_eq!(plan("\"30 %\"", "\"S150\""), (60.0, 150.0));
    assert_eq!(plan("\"2 in/s\"", "\"s250.0\""), (50.8, 250.0));
    // What is refused is told in the other words.
    bench.write(job, whole.replace("power = \"15 %\"", "power = \"S11000\""));
    let refused = bench.refused(1, &["check", job]);
    assert!(refused.contains("1100 % (S11000) is above"), "{refused}");
    bench.write(job, whole.replace("speed = \"60 mm/s\"", "speed = \"150 %\""));
    let refused = bench.refused(1, &["check", job]);
    assert!(refused.contains("over-speed"), "{refused}");
    // Inches, as fractions too, in files and in options; a number alone is mm in options.
    for (said, mm) in
        [("\"1 1/2 in\"", 38.1), ("\"1.5\\\"\"", 38.1), ("\"3/2 inch\"", 38.1), ("\"50 mm\"", 50.0)]
    {
        bench.write(
            job,
            whole.replace(
                "file = \"sail-panel.svg\"",
                &format!("file = \"sail-panel.svg\"\nwidth = {said}"),
            ),
        );
        let size = bench.json(&["plan", job])["extents_mm"].clone();
        let width = size["max"][0].as_f64().unwrap() - size["min"][0].as_f64().unwrap();
        assert!((width - mm).abs() < 0.01, "{said}: {size}");
    }
    for (said, mm) in [("40", 40.0), ("1 1/2 in", 38.1), ("40 mm", 40.0)] {
        let told = bench.json(&[
            "begin",
            "sail-panel.svg",
            "-o",
            "b.kite.toml",
            "--force",
            "--width",
            said,
        ]);
        let made = told["artworks"][0]["made_mm"][0].as_f64().unwrap();
        assert!((made - mm).abs() < 0.002, "{told}");
    }
    bench.write(
        job,
        whole
            .replace("[place]", "[place]\n# x\n")
            .replace("at     = [\"20 mm\", \"20 mm\"]", "at = [\"1/8 mm\", \"20 mm\"]"),
    );
    let refused = bench.refused(1, &["check", job]);
    assert!(
        refused.contains("is a fraction, and those are for inches") && refused.contains("0.125 mm"),
        "{refused}"
    );
}

#[test]
fn what_is_guessed_beside_what_was_said_takes_what_is_left_and_nothing_else() {
    // Fills with and without a line of another colour; a part in a part; a line that is open.
    let bench = bench(
        r##"<svg xmlns="http://www.w3.org/2000/svg" width="120mm" height="90mm" viewBox="0 0 120 90" stroke-width="0.5">
<rect id="a" x="5" y="5" width="40" height="30" stroke="red" fill="#808000"/>
<circle id="b" cx="25" cy="20" r="5" fill="#808000"/>
<rect id="c" x="60" y="5" width="40" height="30" stroke="black" fill="#808000"/>
<rect id="d" x="65" y="10" width="10" height="10" stroke="black" fill="none"/>
<path id="e" d="M5 60h50" stroke="blue" fill="none"/>
</svg>"##,
    );
    for (said, left) in [
        (&["--score", "fills", "--score", "b"][..], &["score #000000", "score #0000ff"][..]),
        (&["--score", "black", "--cut", "fills"], &["engrave #808000", "score #0000ff"]),
        (&["--cut", "fills", "--engrave", "c"], &["score #000000", "score #0000ff"]),
        (&["--cut", "outermost", "--engrave", "d"], &["engrave #808000", "score #0000ff"]),
        (&["--leave-out", "rest", "--engrave", "#808000"], &[]),
    ] {
        begun(&bench, said);
        let told = bench.run(&["check", "a.kite.toml"]);
        assert!(
            !told.err.contains('×') && !told.err.contains("leftover"),
            "{said:?}\n{}",
            told.err
        );
        let names: Vec<String> = burnt(&bench).into_iter().map(|(name, ..)| name).collect();
        for name in left {
            assert!(names.iter().any(|own| own == name), "{said:?}: {names:?}");
        }
    }
}

#[test]
fn a_drawing_with_nothing_in_it_is_told_so() {
    let bench = bench(r#"<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm"/>"#);
    let refused = bench.refused(1, &["begin", "card.svg", "--cut", "red"]);
    assert!(refused.contains("the drawing has neither lines nor fills"), "{refused}");
    assert!(!bench.refused(1, &["begin", "card.svg", "--engrave", "bitmaps"]).contains("did you"));
}
