//! What every command has in common: units of reports, defaults that are set once, completions, and making things
//! again when a file changes.

use crate::common::{Bench, Ran, RigProcess, signal};
use std::io::{BufRead, BufReader};
use std::process::{Child, ChildStderr, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

/// A configuration folder with this in its file.
fn configured(text: &str) -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir(folder.path().join("tinkite")).unwrap();
    std::fs::write(folder.path().join("tinkite/config.toml"), text).unwrap();
    folder
}

/// Runs with a configuration folder and variables.
fn run_with(bench: &Bench, folder: &tempfile::TempDir, set: &[(&str, &str)], args: &[&str]) -> Ran {
    let mut command = bench.command(args);
    command.env("XDG_CONFIG_HOME", folder.path()).envs(set.iter().copied());
    Ran::from(command.output().unwrap())
}

/// Numbers in front of words like "mm" or "in".
fn figures(text: &str, word: &str) -> Vec<f64> {
    let words: Vec<&str> = text.split_whitespace().collect();
    let numbers = words.windows(2).filter(|pair| pair[1].trim_matches(',') == word);
    numbers.filter_map(|pair| pair[0].parse().ok()).collect()
}

#[test]
fn inches_are_the_same_lengths_divided_by_25_4() {
    let bench = Bench::new();
    // What somebody called a machine is not a report's length.
    bench.change("bench-laser.machine.toml", ", 400 x 300 mm diode", "");
    bench.ok(&["emit", "sail-panel.kite.toml", "-o", "a.nc"]);
    for call in [
        &["plan", "sail-panel.kite.toml"][..],
        &["look", "sail-panel.svg"],
        &["look", "sail-panel.svg", "--measure", "20 mm, 20 mm"],
        &["read", "a.nc", "--machine", "bench-laser"],
    ] {
        let mm = figures(&bench.ok(call), "mm");
        let text = bench.ok(&[call, &["--units", "in"]].concat());
        let inches = figures(&text, "in");
        assert!(!mm.is_empty() && mm.len() == inches.len(), "{call:?}: {mm:?} {inches:?}");
        for (mm, inch) in mm.iter().zip(&inches) {
            assert!((mm / 25.4 - inch).abs() < 0.06, "{call:?}: {mm} mm and {inch} in");
        }
        // What the program itself is written in is no length.
        assert!(!text.replace("written in mm", "").contains(" mm"), "{text}");
        // Other programs get what they always get.
        let json = [call, &["--json"]].concat();
        assert_eq!(bench.ok(&json), bench.ok(&[&json[..], &["--units", "in"]].concat()));
    }
}

#[test]
fn an_option_wins_over_a_variable_and_a_variable_over_the_file() {
    let bench = Bench::new();
    bench.demo("tube-laser.machine.toml");
    let folder = configured("machine = \"tube-laser\"\nunits = \"in\"\n");
    let begun = |set: &[(&str, &str)], more: &[&str]| {
        let call = [&["begin", "sail-panel.svg", "-o", "-", "--quiet"], more].concat();
        let ran = run_with(&bench, &folder, set, &call);
        assert_eq!(ran.status, 0, "{}", ran.err);
        let line = ran.out.lines().find(|line| line.starts_with("machine")).unwrap().to_string();
        line.split('"').nth(1).unwrap().to_string()
    };
    let variable = [("TINKITE_MACHINE", "printer-laser")];
    assert_eq!(begun(&[], &[]), "tube-laser");
    assert_eq!(begun(&variable, &[]), "printer-laser");
    assert_eq!(begun(&variable, &["--machine", "bench-laser"]), "bench-laser");
    let planned = |set: &[(&str, &str)], more: &[&str]| {
        let call = [&["plan", "sail-panel.kite.toml", "--verbose"], more].concat();
        run_with(&bench, &folder, set, &call)
    };
    let by_file = planned(&[], &[]);
    assert!(by_file.out.contains(" in burnt") && by_file.err.contains("config.toml"));
    let by_variable = planned(&[("TINKITE_UNITS", "mm")], &[]);
    assert!(by_variable.out.contains(" mm burnt") && by_variable.err.contains("TINKITE_UNITS"));
    let said = planned(&[("TINKITE_UNITS", "mm")], &["--units", "in"]);
    assert!(said.out.contains(" in burnt") && !said.err.contains("TINKITE_UNITS"));
    // A job names its machine itself: what is set once is not put in its place.
    assert!(by_file.out.contains("Bench laser"), "{}", by_file.out);
}

#[test]
fn what_is_set_wrongly_is_refused_with_its_place() {
    let bench = Bench::new();
    let plan = ["plan", "sail-panel.kite.toml"];
    for (text, says) in [
        ("units = \"cm\"", "`mm` or `in`"),
        ("unit = \"in\"", "unknown field `unit`"),
        ("units = 5", "config.toml"),
        ("units = ", "config.toml"),
    ] {
        let ran = run_with(&bench, &configured(text), &[], &plan);
        assert_eq!((ran.status, ran.out.as_str()), (1, ""), "{text}");
        assert!(ran.err.contains(says) && ran.err.contains("config.toml"), "{}", ran.err);
    }
    for (variable, value) in [("TINKITE_UNITS", "cm"), ("TINKITE_COLOUR", "blue")] {
        let ran = run_with(&bench, &configured(""), &[(variable, value)], &plan);
        assert_eq!(ran.status, 2, "{}", ran.err);
        assert!(ran.err.contains(variable) && ran.err.contains(value), "{}", ran.err);
    }
    let nobody = run_with(&bench, &configured(""), &[], &["head", "where"]);
    assert_eq!(nobody.status, 2);
    let unknown = run_with(
        &bench,
        &configured("machine = \"shed\""),
        &[],
        &["head", "where", "--to", "rig:"],
    );
    assert!(unknown.status == 1 && unknown.err.contains("no machine called \"shed\""));
}

#[test]
fn the_shell_is_told_of_steps_machines_and_runs() {
    let bench = Bench::new();
    bench.demo("tube-laser.machine.toml");
    let offered = |words: &[&str]| {
        let mut command = bench.command(&[&["--", "tinkite"], words].concat());
        command.env("COMPLETE", "fish");
        let ran = Ran::from(command.output().unwrap());
        assert_eq!(ran.status, 0, "{}", ran.err);
        let first = |line: &str| line.split('\t').next().unwrap_or_default().to_string();
        ran.out.lines().map(first).collect::<Vec<_>>()
    };
    let steps = offered(&["plan", "sail-panel.kite.toml", "--only", ""]);
    assert_eq!(steps, ["emblem", "folds", "outline"]);
    assert_eq!(offered(&["plan", "--machine", "tube"]), ["tube-laser"]);
    assert!(offered(&["log", "note", ""]).iter().all(|word| word.starts_with('-')));
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "max", "--once"]);
    bench.ok(&["run", "sail-panel.kite.toml", "--to", &rig.link, "--confirmed", "--plain"]);
    assert_eq!(offered(&["log", "note", ""])[0], "1");
    // A broken log, or none, is no reason to say anything while somebody types.
    assert!(offered(&["recipe", "show", "cu"]).contains(&"cut".to_string()));
}

#[test]
fn several_jobs_are_planned_one_after_the_other() {
    let bench = Bench::new();
    for name in ["tail-weight.kite.toml", "name-tag.svg", "kite-stamp.kite.toml", "kite-stamp.svg"]
    {
        bench.demo(name);
    }
    let jobs = ["sail-panel.kite.toml", "kite-stamp.kite.toml"];
    let seconds = |job: &str| bench.json(&["plan", job])["seconds"].as_f64().unwrap();
    let both = bench.json(&[&["plan"], &jobs[..]].concat());
    let sum: f64 = jobs.iter().map(|job| seconds(job)).sum();
    assert!((both["seconds"].as_f64().unwrap() - sum).abs() < 0.01);
    assert_eq!(both["jobs"].as_array().unwrap().len(), 2);
    assert_eq!(both["jobs"][1], bench.json(&["plan", jobs[1]]));
    let text = bench.ok(&[&["plan"], &jobs[..]].concat());
    assert!(text.lines().last().unwrap().contains("in all"), "{text}");
    // One that is refused: nothing is told of the others as if all were well.
    bench.change("kite-stamp.kite.toml", "machine", "mashine");
    let ran = bench.run(&[&["plan"], &jobs[..]].concat());
    assert_eq!((ran.status, ran.out.as_str()), (1, ""));
}

/// A program that watches, and what it says.
struct Watching {
    child: Child,
    lines: Receiver<String>,
}

impl Watching {
    fn start(bench: &Bench, args: &[&str]) -> Self {
        let mut command = bench.command(args);
        let mut child = command.stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap();
        let (tell, lines) = channel();
        let stream: BufReader<ChildStderr> = BufReader::new(child.stderr.take().unwrap());
        std::thread::spawn(move || {
            for line in stream.lines().map_while(Result::ok) {
                let _ = tell.send(line);
            }
        });
        Self { child, lines }
    }

    /// What it says until a line with these words.
    fn until(&self, words: &str) -> String {
        let mut said = String::new();
        while !said.contains(words) {
            let line = self.lines.recv_timeout(Duration::from_secs(60));
            assert!(line.is_ok(), "it never said {words:?}: {said}");
            said.push_str(&line.unwrap());
            said.push('\n');
        }
        said
    }
}

impl Drop for Watching {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

#[test]
fn a_plan_that_watches_says_what_a_change_did() {
    let bench = Bench::new();
    let mut watching = Watching::start(&bench, &["plan", "sail-panel.kite.toml", "--watch"]);
    watching.until("Ctrl-C stops");
    bench.change("sail-panel.kite.toml", "\"25 mm/s\"", "\"50 mm/s\"");
    let said = watching.until("Ctrl-C stops");
    assert!(said.contains("sail-panel.kite.toml changed"), "{said}");
    assert!(said.contains(" less)") && said.contains("burnt 3642.2 mm as before"), "{said}");
    // The drawing belongs to the job.
    bench.change("sail-panel.svg", "<svg", "<svg data-again=\"1\"");
    assert!(watching.until("Ctrl-C stops").contains("sail-panel.svg changed"));
    // A job that is refused is waited for.
    bench.change("sail-panel.kite.toml", "speed", "sped");
    assert!(watching.until("Ctrl-C stops").contains("no key called sped"));
    bench.change("sail-panel.kite.toml", "sped", "speed");
    let said = watching.until("Ctrl-C stops");
    assert!(said.contains("time") && said.contains("as before"), "{said}");
    signal("-INT", &watching.child);
    assert_eq!(watching.child.wait().unwrap().code(), Some(4));
}

#[test]
fn a_picture_that_watches_is_drawn_again_and_never_takes_another_files_place() {
    let bench = Bench::new();
    bench.write("panel.svg", "somebody's own");
    let call = ["draw", "sail-panel.kite.toml", "-o", "panel.svg", "--watch"];
    {
        let watching = Watching::start(&bench, &call);
        assert!(watching.until("Ctrl-C stops").contains("is already there"));
        assert_eq!(bench.read("panel.svg"), "somebody's own");
    }
    let watching = Watching::start(&bench, &[&call[..], &["--force"]].concat());
    watching.until("Ctrl-C stops");
    let first = bench.read("panel.svg");
    assert!(first.starts_with("<svg"));
    bench.change("sail-panel.kite.toml", "\"25 mm/s\"", "\"50 mm/s\"");
    watching.until("Ctrl-C stops");
    assert_ne!(bench.read("panel.svg"), first);
    // What somebody puts in its place meanwhile stays.
    bench.write("panel.svg", "somebody's own");
    bench.change("sail-panel.kite.toml", "\"50 mm/s\"", "\"40 mm/s\"");
    assert!(watching.until("Ctrl-C stops").contains("no longer the picture"));
    assert_eq!(bench.read("panel.svg"), "somebody's own");
}

#[test]
fn a_bundle_is_not_watched() {
    let bench = Bench::new();
    bench.ok(&["bundle", "sail-panel.kite.toml"]);
    let said = bench.refused(2, &["plan", "sail-panel.kite.zip", "--watch"]);
    assert!(said.contains("watch the job's folder"), "{said}");
}

#[test]
fn a_key_that_is_set_twice_is_refused() {
    let bench = Bench::new();
    let twice = ["--set", "steps.outline.power=\"50 %\"", "--set", "steps.outline.power=\"60 %\""];
    let said = bench.refused(2, &[&["plan", "sail-panel.kite.toml"], &twice[..]].concat());
    assert!(said.contains("steps.outline.power") && said.contains("twice"), "{said}");
}

#[test]
fn a_folder_with_one_job_needs_no_name() {
    let bench = Bench::new();
    let named = bench.ok(&["plan", "sail-panel.kite.toml"]);
    let ran = bench.run(&["plan"]);
    assert_eq!((ran.status, &ran.out), (0, &named));
    assert!(ran.err.contains("the job of this folder: sail-panel.kite.toml"), "{}", ran.err);
    for call in [
        &["check"][..],
        &["emit", "-o", "-"],
        &["draw", "-o", "a.svg"],
        &["run", "--to", "rig:", "--plain"],
    ] {
        bench.ok(call);
    }
    // A program beside it may be meant as well: what moves a machine is named then.
    bench.write("other.nc", "M5\n");
    assert!(bench.refused(2, &["run", "--to", "rig:"]).contains("<JOB|PROGRAM>"));
    bench.ok(&["check"]);
    // What a call lacks beside it is told as ever; with two jobs nobody guesses.
    assert!(bench.refused(2, &["draw"]).contains("--output"));
    assert!(bench.refused(2, &["run", "--go-on", "--from-line", "3"]).contains("cannot be used"));
    bench.write("b.kite.toml", bench.read("sail-panel.kite.toml"));
    assert!(bench.refused(2, &["plan"]).contains("<JOB>"));
}
