//! What files, notes and controllers say is shown on a terminal, and never obeyed by it.

use crate::common::Bench;
use std::io::{BufRead, BufReader, Write};

/// A title, the clipboard, a cleared screen by a C1 sign, another direction of reading.
const EVIL: &str = "kite\x1b]0;title\x07\x1b]52;c;QUFB\x07\u{9b}2J\u{202e}gnp";

/// Whether a terminal would obey something, or read it the other way round.
fn acts(text: &str) -> bool {
    let turns = |c: char| matches!(c, '\u{200e}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}');
    text.chars().any(|c| (c.is_control() && c != '\n' && c != '\t') || turns(c))
}

#[test]
fn names_of_files_and_notes_do_nothing() {
    let bench = Bench::new();
    let drawing = format!("{EVIL}.svg");
    bench.write(
        &drawing,
        "<svg xmlns='http://www.w3.org/2000/svg' width='40mm' height='40mm' viewBox='0 0 40 40'><path id='a\u{9b}2J\u{202e}b' d='M5 5H30V30H5Z' fill='none' stroke='red'/></svg>",
    );
    let missing = format!("{EVIL}.kite.toml");
    let log = ["--log", "runs.sqlite"];
    let run = ["run", "job.kite.toml", "--to", "rig:", "--note", EVIL, "--log", "runs.sqlite"];
    bench.write(
        "job.kite.toml",
        format!(
            "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = {drawing:?}\n[[step]]\nname = \"cut\"\ntake = {{ stroke = \"red\" }}\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n"
        )
        .replace("\\u{1b}", "\\u001b")
        .replace("\\u{7}", "\\u0007")
        .replace("\\u{9b}", "\\u009b")
        .replace("\\u{202e}", "\\u202e"),
    );
    let calls: [&[&str]; 9] = [
        &["look", &drawing],
        &["look", &drawing, "--verbose"],
        &["check", &missing],
        &["plan", "job.kite.toml"],
        &run,
        &[&["log", "list"], &log[..]].concat(),
        &[&["log", "show", "1"], &log[..]].concat(),
        &[&["log", "note", "1", EVIL], &log[..]].concat(),
        &["begin", &drawing, "-o", "-"],
    ];
    for call in calls {
        for how in [&[][..], &["--json"], &["--colour", "always"]] {
            let out = bench.run(&[call, how].concat());
            // This program's own colours are nothing foreign.
            let plain = |text: &str| {
                let mut parts = text.split("\x1b[");
                let first = parts.next().unwrap_or_default().to_string();
                parts.fold(first, |out, part| match part.split_once('m') {
                    Some((codes, rest))
                        if codes.chars().all(|c| c.is_ascii_digit() || c == ';') =>
                    {
                        out + rest
                    }
                    _ => out + "\x1b[" + part,
                })
            };
            let (said, told) = (plain(&out.out), plain(&out.err));
            // A job file that is written is a file, whatever stands in it.
            let written = call.first() == Some(&"begin");
            assert!(written || !acts(&said), "{call:?} {how:?}: {said:?}");
            assert!(!acts(&told), "{call:?} {how:?}: {told:?}");
        }
    }
}

/// A controller written by hand, which says what no terminal should obey and never gets to a run.
#[test]
fn what_a_controller_says_does_nothing() {
    let bench = Bench::new();
    bench.demo("sail-panel.svg");
    bench.demo("sail-panel.kite.toml");
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let to = format!("tcp:{}", listener.local_addr().unwrap());
    let board = std::thread::spawn(move || {
        let (mut stream, _) = listener.accept().unwrap();
        let mut reader = BufReader::new(stream.try_clone().unwrap());
        let _ = stream.write_all(format!("[MSG:{EVIL}]\r\nALARM:{EVIL}\r\n").as_bytes());
        let mut line = Vec::new();
        while reader.read_until(b'?', &mut line).is_ok_and(|count| count > 0) {
            let _ = stream.write_all(b"<Alarm|MPos:0,0,0|FS:0,0|WCO:0,0,0>\r\n");
            line.clear();
        }
    });
    for how in [&[][..], &["--json"]] {
        let call = ["run", "sail-panel.kite.toml", "--to", &to, "--log", "runs.sqlite", "--plain"];
        let out = bench.run(&[&call[..], how].concat());
        assert_ne!(out.status, 0);
        assert!(!acts(&out.out) && !acts(&out.err), "{:?} {:?}", out.out, out.err);
        if how.is_empty() {
            break;
        }
    }
    drop(board);
}
