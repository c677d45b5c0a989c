//! What the terminal screenshots of the documentation show is what the program says today. The text of each stands
//! in docs/screens; with `TINKITE_SCREENS=write` it is written anew, and docs/screens/make takes the pictures.

use crate::common::terminal::Terminal;
use crate::common::{Bench, RigProcess, signal};
use std::io::{BufRead, BufReader, Read};
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::{Duration, Instant};

/// Pictures, the calls that they show, and how many lines of what comes back fit.
const SCREENS: [(&str, &[&str], usize); 13] = [
    ("look", &["look sail-panel.svg"], 40),
    ("look-dxf", &["look spar-hub.dxf"], 40),
    ("look-pdf", &["look reel-cheek.pdf"], 40),
    ("look-svg", &["look name-tag.svg"], 40),
    ("look-bitmaps", &["look stamp.png bow-photo.jpg label.bmp medal.stl"], 40),
    ("shapes", &["look sail-panel.svg --shapes"], 40),
    (
        "begin",
        &[
            "begin sail-panel.svg -o guessed.kite.toml",
            "begin sail-panel.svg -o said.kite.toml --cut outermost --score rest --leave-out fills --material \"ripstop 0.1 mm\" --zero stock --speed \"score=30 %\" --power S300",
        ],
        40,
    ),
    ("plan", &["check sail-panel.kite.toml", "plan sail-panel.kite.toml"], 40),
    ("plan-hubs", &["plan hubs.kite.toml"], 40),
    ("emit", &["emit sail-panel.kite.toml -o -"], 40),
    ("read", &["read sail-panel.nc --machine bench-laser"], 40),
    ("explain", &["read sail-panel.nc --explain"], 40),
    (
        "machine",
        &[
            "machine list",
            "machine show reel-laser",
            "machine new shed-laser --like tube-laser --width \"700 mm\" --depth \"450 mm\"",
            "machine check bench-laser",
        ],
        40,
    ),
];

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs")
}

#[test]
fn screenshots_show_what_the_program_says() {
    let bench = Bench::new();
    for name in [
        "spar-hub.dxf",
        "reel-cheek.pdf",
        "name-tag.svg",
        "stamp.png",
        "bow-photo.jpg",
        "label.bmp",
        "medal.stl",
        "hubs.kite.toml",
        "tube-laser.machine.toml",
        "reel-laser.machine.toml",
        "printer-laser.machine.toml",
    ] {
        bench.demo(name);
    }
    bench.ok(&["emit", "sail-panel.kite.toml"]);
    for (name, calls, most) in SCREENS {
        let mut shown = String::new();
        for call in calls {
            let words = call.split('"').enumerate().flat_map(|(n, part)| match n % 2 {
                0 => part.split_whitespace().collect::<Vec<_>>(),
                _ => vec![part],
            });
            let args: Vec<&str> = words.chain(["--colour", "always"]).collect();
            let ran = bench.run(&args);
            assert_eq!(ran.status, 0, "{call}: {}", ran.err);
            shown += &format!("$ tinkite {call}\n{}{}", ran.out, ran.err);
        }
        let shown = shown.replace(bench.config().to_str().unwrap_or_default(), "/home/you/.config");
        let mut lines: Vec<&str> = shown.lines().collect();
        lines.truncate(most);
        let shown = lines.join("\n") + "\n";
        hold(name, &shown, str::to_string);
    }
}

/// Holds the text of a screen against the one that its picture was taken from; `told` is the part of it that is
/// the same in every run.
fn hold(name: &str, shown: &str, told: impl Fn(&str) -> String) {
    let path = folder().join(format!("screens/{name}.txt"));
    if std::env::var_os("TINKITE_SCREENS").is_some_and(|word| word == "write") {
        std::fs::write(&path, shown).expect("the text of a screen");
    }
    let kept = std::fs::read_to_string(&path).unwrap_or_default();
    assert_eq!(told(&kept), told(shown), "{name}: TINKITE_SCREENS=write, then docs/screens/make");
    let pictures = ["screenshots", "running", "machines"]
        .map(|room| folder().join(format!("{room}/{name}.png")));
    assert!(pictures.iter().any(|picture| picture.exists()), "{name} has no picture");
}

/// The words alone: every figure, time, address and digest is `#`, room between them one space. Drawn cells are left
/// out, and lines of progress, of which there are more the longer it takes.
fn words(shown: &str) -> String {
    let mut told = String::new();
    for line in shown.lines() {
        let plain: String = line.chars().map(|c| if c.is_ascii() { c } else { ' ' }).collect();
        let line: Vec<&str> = plain
            .split_whitespace()
            .map(|word| if word.chars().any(|c| c.is_ascii_digit()) { "#" } else { word })
            .collect();
        // A duration has as many parts as it is long.
        let line = line.join(" ").replace("# min # s", "# s").replace("# min", "# s");
        if !line.is_empty() && !line.starts_with("# %, line") {
            told += &line;
            told.push('\n');
        }
    }
    told
}

/// Runs a call, stops it as Ctrl-C does two seconds after it has said that its stream begins, and returns all that it
/// said.
fn stopped(bench: &Bench, args: &[&str], begins: &str) -> String {
    let mut run =
        bench.command(args).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("a run");
    let mut err = BufReader::new(run.stderr.take().expect("what it says"));
    let mut said = String::new();
    while !said.contains(begins) {
        assert!(err.read_line(&mut said).expect("its lines") > 0, "{said}");
    }
    std::thread::sleep(Duration::from_secs(2));
    signal("-INT", &run);
    err.read_to_string(&mut said).expect("its other lines");
    assert_eq!(run.wait().expect("its end").code(), Some(4), "{said}");
    said
}

#[test]
fn the_screenshot_of_a_run_that_goes_on_shows_its_words() {
    let bench = Bench::new();
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "8"]);
    let note = ["--note", "first of ten"];
    let first = ["run", "sail-panel.kite.toml", "--to", &rig.link];
    let mut shown = "$ tinkite run sail-panel.kite.toml --note \"first of ten\"\n".to_string();
    shown += &stopped(&bench, &[&first[..], &note].concat(), "streaming");
    shown += "\n$ tinkite run --go-on\n";
    shown += &stopped(&bench, &["run", "--go-on"], "going on in line");
    for call in [&["run", "--go-on"][..], &["log", "list"], &["log", "show", "1"]] {
        let ran = bench.run(call);
        assert_eq!(ran.status, 0, "{}", ran.err);
        shown += &format!("\n$ tinkite {}\n{}{}", call.join(" "), ran.err, ran.out);
    }
    hold("go-on", &shown, words);
}

/// A screen as a terminal is told it, row by row, each change of style from the plain one.
fn formatted(screen: &vt100::Screen) -> String {
    let (rows, columns) = screen.size();
    let mut told = String::new();
    for row in 0..rows {
        let mut before = String::new();
        for cell in (0..columns).filter_map(|column| screen.cell(row, column)) {
            let mut style = "\x1b[0".to_string();
            style += if cell.bold() { ";1" } else { "" };
            style += if cell.dim() { ";2" } else { "" };
            if let vt100::Color::Idx(colour) = cell.fgcolor() {
                style += &format!(";38;5;{colour}");
            }
            if style != before {
                told += &style;
                told.push('m');
                before = style;
            }
            told += if cell.has_contents() { cell.contents() } else { " " };
        }
        told = format!("{}\x1b[0m\r\n", told.trim_end());
    }
    told
}

#[test]
fn the_screenshot_of_a_run_shows_its_words() {
    let bench = Bench::new();
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "8"]);
    let (columns, rows) = (139, 41);
    let args = ["run", "sail-panel.kite.toml", "--to", &rig.link, "--colour", "always"];
    let terminal = Terminal::run(&bench, columns, rows, &args);
    let since = Instant::now();
    let shown = loop {
        let mut screen = vt100::Parser::new(rows, columns, 0);
        screen.process(&terminal.bytes());
        let screen = screen.screen();
        let mut bar = screen.rows(0, columns).filter(|row| row.contains('━'));
        let half = bar.any(|row| (50..80).any(|done| row.contains(&format!(" {done} %"))));
        // A frame may be half drawn when it is read, and a slow computer lets the controller wait for a moment.
        let contents = screen.contents();
        let whole = ["running", "s stop", "h help"].iter().all(|words| contents.contains(words));
        if half && whole {
            let yellow =
                |at: u16| screen.cell(at / columns, at % columns).map(vt100::Cell::fgcolor);
            let burnt = (0..rows * columns).filter(|at| yellow(*at) == Some(vt100::Color::Idx(3)));
            assert!(burnt.count() > 100, "colours were asked for, whatever NO_COLOR says");
            break formatted(screen);
        }
        assert!(since.elapsed() < Duration::from_secs(60), "{}", screen.contents());
        std::thread::sleep(Duration::from_millis(50));
    };
    terminal.vanishes();
    hold("run", &shown, |text| {
        let mut screen = vt100::Parser::new(rows, columns, 0);
        screen.process(text.as_bytes());
        words(&screen.screen().contents())
    });
}

/// What is drawn comes in pieces: a screen on which nothing changed for so long is whole.
const WHOLE: Duration = Duration::from_millis(500);

/// A screen of the machine by hand, as soon as all of these words stand on it and it is whole.
fn by_hand(bench: &Bench, args: &[&str], keys: &str, wanted: &[&str]) -> String {
    let (columns, rows) = (100, 30);
    let mut terminal = Terminal::run(bench, columns, rows, args);
    // What the head stands on is known by then.
    terminal.waits_for("mm from the front");
    terminal.types(keys);
    let since = Instant::now();
    let (mut drawn, mut changed) = (String::new(), Instant::now());
    let shown = loop {
        let mut screen = vt100::Parser::new(rows, columns, 0);
        screen.process(&terminal.bytes());
        let contents = screen.screen().contents();
        if contents != drawn {
            (drawn, changed) = (contents.clone(), Instant::now());
        }
        if changed.elapsed() > WHOLE && wanted.iter().all(|words| contents.contains(words)) {
            break formatted(screen.screen());
        }
        assert!(since.elapsed() < Duration::from_secs(60), "{contents}");
        std::thread::sleep(Duration::from_millis(50));
    };
    terminal.vanishes();
    shown
}

#[test]
fn the_screens_of_the_machine_by_hand_show_their_words_and_every_key() {
    let bench = Bench::new();
    let told = |text: &str| {
        let mut screen = vt100::Parser::new(30, 100, 0);
        screen.process(text.as_bytes());
        words(&screen.screen().contents())
    };
    // One with everything that a panel can have.
    bench.change("bench-laser.machine.toml", "[beam]", "[beam]\npointer = \"1 %\"");
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--head", "120,80"]);
    let args = ["head", "sail-panel.kite.toml", "--to", &rig.link, "--colour", "always"];
    let panel = by_hand(&bench, &args, "2", &["zero", "120.00 mm from the left", "q  leave"]);
    for key in ["arrows", "1 2 3", "space", "z", "c", "p", "d", "o", "u", "q"] {
        let mut screen = vt100::Parser::new(30, 100, 0);
        screen.process(panel.as_bytes());
        let shown = screen.screen().contents();
        assert!(
            shown.lines().any(|line| line.trim_start().starts_with(&format!("{key}  "))),
            "{key}: {shown}"
        );
    }
    hold("panel", &panel, told);
    // And with the marks of a job, the first of which has been found.
    let text = bench.read("sail-panel.kite.toml");
    let (head, rest) = text.split_once("[place]").unwrap();
    let rest = &rest[rest.find("# Steps run").unwrap()..];
    let marks = "[place]\n[[place.mark]]\ndrawn = [\"13 mm\", \"13 mm\"]\nfound = [\"33 mm\", \"33 mm\"]\n[[place.mark]] # by the tail\ndrawn = [\"113 mm\", \"13 mm\"]\n\n";
    bench.write("marked.kite.toml", [head, marks, rest].concat());
    let args = ["head", "mark", "marked.kite.toml", "--to", &rig.link, "--colour", "always"];
    let panel = by_hand(&bench, &args, "\rn", &["2 of 2", "mark 1 of marked", "q  leave"]);
    hold("marks", &panel, told);
}

#[test]
fn the_screen_of_the_head_by_calls_shows_their_words() {
    let bench = Bench::new();
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--locked", "--zero", "100,50"]);
    bench.change("bench-laser.machine.toml", "\"rig:\"", &format!("\"{}\"", rig.link));
    let text = bench.read("sail-panel.kite.toml");
    let (head, rest) = text.split_once("[place]").unwrap();
    let rest = &rest[rest.find("# Steps run").unwrap()..];
    bench.write("stock.kite.toml", [head, "[place]\nzero = \"stock\"\n\n", rest].concat());
    let mut shown = String::new();
    for (call, status) in [
        ("head where", 0),
        ("head go 120 80", 3),
        ("head home", 0),
        ("head go 120 80", 0),
        ("head move 300 0", 2),
        ("head zero", 0),
        ("edge stock.kite.toml --shape hull", 0),
    ] {
        let args: Vec<&str> = call.split(' ').chain(["--colour", "always"]).collect();
        let ran = bench.run(&[&args[..], &["--machine", "bench-laser"]].concat());
        assert_eq!(ran.status, status, "{call}: {}", ran.err);
        shown += &format!("$ tinkite {call} --machine bench-laser\n{}{}\n", ran.err, ran.out);
    }
    hold("hand", &shown, words);
}
