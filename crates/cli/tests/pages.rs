//! Every line that a page or a help text says to type works in the demo's folder, and every option stands on a page.

use crate::common::pages::{page, words, workshop};
use crate::common::{Bench, RigProcess, signal};
use std::collections::BTreeSet;
use std::path::Path;
use std::process::Stdio;

/// What a line may be refused for here: it needs somebody at a terminal, or what this shop has not.
const NOT_HERE: [&str; 6] = [
    "the panel wants a terminal",
    "has no marks",
    "has no pointer",
    "has no probe",
    // The steps of this shop were simulated in no time.
    "run some jobs first",
    // Other lines of the page have driven the head meanwhile.
    "when its position is right all the same",
];

/// Lines that wait until somebody ends them.
const WAITING: [&str; 2] = ["rig", "--watch"];

/// A machine that has run twelve times, and once more until it was stopped.
struct Shop {
    rig: RigProcess,
    bench: Bench,
}

impl Shop {
    fn open() -> Self {
        let bench = workshop();
        let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "60"]);
        let run = ["run", "sail-panel.kite.toml", "--to", &rig.link, "--confirmed"];
        for _ in 0..12 {
            bench.ok(&[&run[..], &["--only", "outline"]].concat());
        }
        let mut broken =
            bench.command(&run).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        std::thread::sleep(std::time::Duration::from_millis(1500));
        signal("-INT", &broken);
        assert_eq!(broken.wait().unwrap().code(), Some(4));
        bench.ok(&["log", "export", "-o", "shop.jsonl", "--programs"]);
        Self { rig, bench }
    }

    /// A new folder with the demo's files, and with the log of this shop.
    fn fresh(&self) -> Bench {
        let bench = workshop();
        std::fs::copy(self.bench.log(), bench.log()).unwrap();
        bench.write("shop.jsonl", std::fs::read(self.bench.path("shop.jsonl")).unwrap());
        for name in ["sail-panel", "line-reel"] {
            bench.ok(&["emit", &format!("{name}.kite.toml")]);
        }
        bench
    }

    /// Types a line, with the machine of this shop at every port; tells whether it was typed, or what went wrong.
    fn types(&self, bench: &Bench, line: &str) -> Result<bool, String> {
        let line = line.split(" > ").next().unwrap_or(line);
        let words: Vec<String> = words(line)
            .into_iter()
            .map(|word| {
                let elsewhere = word.starts_with("serial:") || word.starts_with("tcp:");
                if elsewhere { self.rig.link.clone() } else { word }
            })
            .collect();
        let args: Vec<&str> = words.iter().map(String::as_str).collect();
        if WAITING.iter().any(|word| args.contains(word)) {
            return Ok(false);
        }
        let ran = bench.run(&args);
        let excused = NOT_HERE.iter().any(|why| ran.err.contains(why));
        if ran.status == 0 || excused {
            Ok(true)
        } else {
            Err(format!("tinkite {line}\n{}", ran.err))
        }
    }
}

/// Lines of a page that are typed; one that ends in a backslash goes on in the next.
fn typed(text: &str) -> Vec<String> {
    let text = text.replace("\\\n", " ");
    text.lines().filter_map(|line| line.strip_prefix("    tinkite ")).map(str::to_string).collect()
}

#[test]
fn every_line_of_every_page_can_be_typed() {
    let shop = Shop::open();
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs");
    let mut names: Vec<String> = std::fs::read_dir(docs)
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .filter(|name| name.ends_with(".md"))
        .collect();
    names.sort();
    let (mut count, mut wrong) = (0, Vec::new());
    for name in names {
        // These have tests of their own, which write down their jobs as well.
        if ["HOW-TO.md", "BEGIN.md", "FIRST-RUN.md"].contains(&name.as_str()) {
            continue;
        }
        let lines = typed(&page(&name));
        let bench = if lines.is_empty() { continue } else { shop.fresh() };
        for line in lines {
            match shop.types(&bench, &line) {
                Ok(was) => count += usize::from(was),
                Err(why) => wrong.push(format!("{name}: {why}")),
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(count > 70, "{count}");
}

/// The words of each command that has no commands below it or can do without.
fn commands(bench: &Bench) -> Vec<Vec<String>> {
    fn walk(bench: &Bench, path: Vec<String>, all: &mut Vec<Vec<String>>) {
        let args: Vec<&str> = path.iter().map(String::as_str).chain(["--help"]).collect();
        let help = bench.ok(&args);
        let below = help.lines().skip_while(|line| *line != "Commands:").skip(1);
        for line in below.take_while(|line| !line.is_empty()) {
            let name = line.split_whitespace().next().unwrap_or("help");
            if line.starts_with("  ") && !line.starts_with("   ") && name != "help" {
                walk(bench, path.iter().cloned().chain([name.to_string()]).collect(), all);
            }
        }
        all.push(path);
    }
    let mut all = Vec::new();
    walk(bench, Vec::new(), &mut all);
    all
}

fn help(bench: &Bench, command: &[String]) -> String {
    bench.ok(&command.iter().map(String::as_str).chain(["--help"]).collect::<Vec<_>>())
}

#[test]
fn every_example_of_every_help_can_be_typed() {
    let shop = Shop::open();
    let (mut count, mut wrong) = (0, Vec::new());
    for command in commands(&shop.bench) {
        let help = help(&shop.bench, &command);
        let examples = help.lines().skip_while(|line| *line != "Examples:").skip(1);
        // A long one goes on in the next line; what it is for stands farther in.
        let mut lines: Vec<String> = Vec::new();
        for line in examples.filter(|line| !line.starts_with("   ")) {
            match (line.strip_prefix("  tinkite "), lines.last_mut()) {
                (Some(line), _) => lines.push(line.into()),
                (None, Some(last)) => *last += &format!(" {}", line.trim()),
                (None, None) => {}
            }
        }
        assert!(!lines.is_empty(), "{command:?} has no example");
        let bench = shop.fresh();
        for line in lines {
            match shop.types(&bench, &line) {
                Ok(was) => count += usize::from(was),
                Err(why) => wrong.push(why),
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(count > 80, "{count}");
}

#[test]
fn every_option_stands_on_a_page() {
    let bench = Bench::new();
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs");
    let mut pages = std::fs::read_to_string(docs.join("../README.md")).unwrap();
    for entry in std::fs::read_dir(docs).unwrap() {
        let path = entry.unwrap().path();
        if path.extension().is_some_and(|e| e == "md") {
            pages += &std::fs::read_to_string(path).unwrap();
        }
    }
    let is_named = |option: &str| {
        pages.match_indices(option).any(|(at, _)| {
            let behind = pages[at + option.len()..].chars().next();
            !behind.is_some_and(|sign| sign.is_alphanumeric() || sign == '-')
        })
    };
    let mut missing = BTreeSet::new();
    for command in commands(&bench) {
        for line in help(&bench, &command).lines() {
            let line = line.trim_start();
            let option = line.split_whitespace().find(|word| word.starts_with("--"));
            if line.starts_with('-')
                && !line.contains("--version")
                && let Some(option) = option
                && !is_named(option.trim_end_matches(','))
            {
                missing.insert(format!("tinkite {} {option}", command.join(" ")));
            }
        }
    }
    assert!(missing.is_empty(), "on no page: {missing:#?}");
}
