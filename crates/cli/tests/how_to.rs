//! What the how-to shows can be typed: its jobs are written down, its lines run in turn.

use crate::common::pages::{page, words, workshop};
use crate::common::{Bench, RigProcess};

#[test]
fn a_job_in_one_call_works_as_it_is_written() {
    let bench = workshop();
    let text = page("BEGIN.md");
    let typed = text.lines().filter_map(|line| line.strip_prefix("    tinkite "));
    for line in typed.clone() {
        let words = words(line);
        bench.ok(&words.iter().map(String::as_str).collect::<Vec<_>>());
    }
    assert_eq!(typed.count(), 5);
    // Every word of the page for parts of a drawing is one, and the other way round.
    for word in tinkite_core::WORDS {
        assert!(text.contains(&format!("`{word}`")), "{word} is not on the page");
    }
}

#[test]
fn every_evening_works_as_it_is_written() {
    let text = page("HOW-TO.md");
    let bench = workshop();
    let (mut jobs, mut typed) = (0, 0);
    let mut lines = text.lines();
    while let Some(line) = lines.next() {
        if let Some(file) = line.strip_prefix("```csv ") {
            let table: Vec<&str> = lines.by_ref().take_while(|line| *line != "```").collect();
            bench.write(file, table.join("\n"));
        }
        if let Some(file) = line.strip_prefix("```toml ") {
            let job: Vec<&str> = lines.by_ref().take_while(|line| *line != "```").collect();
            bench.write(file, job.join("\n"));
            jobs += 1;
            // Nothing is wrong with it, and nothing doubtful.
            let told = bench.json(&["check", file])["problems"].clone();
            let doubts: Vec<_> = told
                .as_array()
                .expect("a list")
                .iter()
                .filter(|p| p["severity"] != "note")
                .collect();
            assert!(doubts.is_empty(), "{file}: {doubts:?}");
        }
        if let Some(line) = line.strip_prefix("    tinkite ") {
            let words = words(line);
            bench.ok(&words.iter().map(String::as_str).collect::<Vec<_>>());
            typed += 1;
        }
    }
    assert_eq!((jobs, typed), (6, 26));
}

#[test]
fn the_first_ten_minutes_work_as_they_are_written() {
    let text = page("FIRST-RUN.md");
    let bench = Bench::new();
    bench.demo("name-tag.svg");
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "max"]);
    let mut typed = 0;
    for line in text.lines().filter_map(|line| line.strip_prefix("    tinkite ")) {
        // The machine of this test is the simulated one, on an address in place of a port.
        let words = words(line).into_iter().map(|word| match word.starts_with("serial:") {
            true => rig.link.clone(),
            false => word,
        });
        bench.ok(&words.collect::<Vec<_>>().iter().map(String::as_str).collect::<Vec<_>>());
        typed += 1;
    }
    assert_eq!(typed, 10);
    assert!(bench.read("mine.machine.toml").contains(&rig.link), "the profile names the port");
}
