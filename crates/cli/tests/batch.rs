//! Copies with words of their own: a table, serial numbers, shapes that a copy goes without.

use crate::common::{Bench, RigProcess, signal};
use std::process::Stdio;
use std::time::Duration;

/// A tag of 60 × 20 mm with two lines of words.
fn tags(copies: &str, first: &str, second: &str) -> Bench {
    let bench = Bench::new();
    bench.write(
        "tags.kite.toml",
        format!(
            r##"tinkite = 1
name = "tags"
machine = "bench-laser"
[stock]
width = "200 mm"
depth = "50 mm"
[place]
at = ["5 mm", "5 mm"]
{copies}
[[shape]]
kind = "rectangle"
name = "tag"
width = "60 mm"
depth = "20 mm"
colour = "red"
[[shape]]
kind = "text"
name = "line-1"
text = "{first}"
height = "5 mm"
at = ["0 mm", "3 mm"]
colour = "black"
[[shape]]
kind = "text"
name = "line-2"
text = "{second}"
height = "3 mm"
at = ["0 mm", "-6 mm"]
colour = "black"
[[step]]
name = "engraved"
take = {{ fill = "black" }}
make = "engrave"
speed = "100 mm/s"
power = "30 %"
lines = {{ spacing = "0.2 mm" }}
[[step]]
name = "cut"
take = {{ stroke = "red" }}
make = "cut"
speed = "8 mm/s"
power = "80 %"
"##
        ),
    );
    bench.write("names.csv", NAMES);
    bench
}

const NAMES: &str = "name,wing,without\nAda,Red,\nBo,,\nCy,Blue,line-2\nDee,Red,\nEli,Red,\nFay,Green,\nGus,Blue,\n";

const EACH: &str = "copies = { each = \"names.csv\", leave-out = \"without\", gap = \"2 mm\", number = { first = 41, digits = 4 } }";

/// What a program does, without what it says of itself.
fn moves(bench: &Bench, args: &[&str]) -> String {
    let program = bench.ok(&[&["emit", "tags.kite.toml", "-o", "-"], args].concat());
    program.lines().filter(|line| !line.starts_with(';')).collect::<Vec<_>>().join("\n")
}

#[test]
fn a_copy_has_the_words_of_its_row() {
    // One tag on each sheet, so that a sheet is what a job with those very words would be.
    let one = |bench: Bench| {
        bench.change("tags.kite.toml", "width = \"200 mm\"", "width = \"70 mm\"");
        bench.change("tags.kite.toml", "depth = \"50 mm\"", "depth = \"30 mm\"");
        bench
    };
    let batch = one(tags(EACH, "{name}", "wing {wing}: {number} {{}}"));
    let wings = ["Red", "", "Blue", "Red"];
    for (n, name) in ["Ada", "Bo", "Cy", "Dee"].into_iter().enumerate() {
        let second = format!("wing {}: 004{} {{}}", wings[n], n + 1);
        let plain = one(tags("", name, &second));
        if name == "Cy" {
            let text = plain.read("tags.kite.toml");
            let at = text.find("[[shape]]\nkind = \"text\"\nname = \"line-2\"").unwrap();
            let end = text.find("[[step]]").unwrap();
            plain.write("tags.kite.toml", [&text[..at], &text[end..]].concat());
        }
        let sheet = (n + 1).to_string();
        assert_eq!(moves(&batch, &["--sheet", &sheet]), moves(&plain, &[]), "{name}");
    }
}

#[test]
fn sheets_and_parts_are_told_by_their_rows() {
    let bench = tags(EACH, "{name}", "wing {wing}");
    let told = |sheet: &str| bench.run(&["check", "tags.kite.toml", "--sheet", sheet]).err;
    let words =
        |text: String| text.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ");
    let first = words(told("1"));
    assert!(
        first.contains("7 rows of names.csv take 2 sheets, and this is sheet 1 with rows 1 to 6"),
        "{first}"
    );
    assert!(words(told("2")).contains("this is sheet 2 with row 7"));
    let program = bench.ok(&["emit", "tags.kite.toml", "-o", "-"]);
    for row in 1..=6 {
        assert!(program.contains(&format!(": tag, row {row}\n")), "{row}: {program}");
        assert!(program.contains(&format!(": engraved, row {row}\n")), "{row}");
    }
    assert!(!program.contains("row 7"));
    let second = bench.ok(&["emit", "tags.kite.toml", "-o", "-", "--sheet", "2"]);
    assert!(second.contains(": tag, row 7\n") && !second.contains("row 6"), "{second}");
    bench.ok(&["draw", "tags.kite.toml", "-o", "tags.svg"]);
    let svg = bench.read("tags.svg");
    assert!((1..=6).all(|row| svg.contains(&format!(">row {row}<"))), "{svg}");
}

#[test]
fn words_that_are_too_long_are_made_smaller() {
    let bench = tags(EACH, "{name}", "x");
    bench.write(
        "names.csv",
        "name,without\nI,\nA name that is much too long for any tag of this size,\n",
    );
    bench.change("tags.kite.toml", "height = \"5 mm\"", "height = \"5 mm\"\nwidest = \"50 mm\"");
    // Both tags are 60 mm wide, and nothing reaches over.
    let right = |only: &str| {
        let plan = bench.json(&["plan", "tags.kite.toml", "--only", only]);
        plan["extents_mm"]["max"][0].as_f64().unwrap()
    };
    assert!((right("cut") - (5.0 + 60.0 + 2.0 + 60.0)).abs() < 0.01);
    // The words of the second tag end 5 mm before its edge; a letter's own width and a row's end are less than 0.3 mm.
    assert!((right("engraved") - (5.0 + 60.0 + 2.0 + 55.0)).abs() < 0.3, "{}", right("engraved"));
}

#[test]
fn tables_and_words_that_do_not_fit_are_refused() {
    let refused = |names: &str, first: &str, says: &str| {
        let bench = tags(EACH, first, "x");
        bench.write("names.csv", names);
        let told = bench.told("tags.kite.toml");
        assert!(told.contains(says), "{names:?}: {told}");
    };
    refused(NAMES, "{nme}", "has no column \"nme\"");
    refused(NAMES, "{name", "a brace without its other one");
    refused("name,without\nA,1,2\n", "{name}", "names.csv:2: row 1 of names.csv has 3 cells");
    refused("name,without\n", "{name}", "has no rows");
    refused(
        "name,without\nA,line-9\n",
        "{name}",
        "leaves \"line-9\" out, and no shape has that id",
    );
    refused("name\nA\n", "{name}", "has no column \"without\"");
    let missing = tags(EACH, "{name}", "x");
    std::fs::remove_file(missing.path("names.csv")).unwrap();
    assert!(missing.told("tags.kite.toml").contains("names.csv cannot be read"));
    let both = tags(&EACH.replace("each", "count = 2, each"), "{name}", "x");
    assert!(both.told("tags.kite.toml").contains("both each and count"));
    let nothing = tags("copies = { count = 3, number = { first = 1 } }", "{name}", "{number}");
    assert!(nothing.told("tags.kite.toml").contains("there is no table"));
    let many = tags("copies = { count = 20000, number = { first = 1 } }", "a", "{number}");
    assert!(many.told("tags.kite.toml").contains("more than 5000"));
    // Without a table or numbers a brace is a brace.
    tags("", "{name", "}").ok(&["plan", "tags.kite.toml"]);
}

#[test]
fn a_bundle_carries_the_table() {
    let bench = tags(&EACH.replace("names.csv", "data/names.csv"), "{name}", "{wing}");
    std::fs::create_dir(bench.path("data")).unwrap();
    std::fs::rename(bench.path("names.csv"), bench.path("data/names.csv")).unwrap();
    bench.ok(&["bundle", "tags.kite.toml"]);
    let here = moves(&bench, &[]);
    let there = Bench::new();
    std::fs::copy(bench.path("tags.kite.zip"), there.path("tags.kite.zip")).unwrap();
    let program = there.ok(&["emit", "tags.kite.zip", "-o", "-"]);
    let program: Vec<_> = program.lines().filter(|line| !line.starts_with(';')).collect();
    assert_eq!(program.join("\n"), here);
}

#[test]
fn serial_numbers_go_on_behind_what_finished_runs_have_burnt() {
    let number =
        "copies = { count = 3, gap = \"2 mm\", number = { first = 7, digits = 3, go-on = true } }";
    let bench = tags(number, "No {number}", "x");
    let emitted = |bench: &Bench| bench.ok(&["emit", "tags.kite.toml", "-o", "-"]);
    assert!(emitted(&bench).contains(": tag, number 007\n"), "{}", emitted(&bench));
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0", "--pace", "max"]);
    let to = ["run", "tags.kite.toml", "--to", &rig.link];
    bench.ok(&to);
    let next = emitted(&bench);
    assert!(next.contains(": tag, number 010\n") && !next.contains("number 009"), "{next}");
    let told = bench.run(&["check", "tags.kite.toml"]).err;
    assert!(told.contains("serial numbers go on with 10: run 1 burnt up to 9"), "{told}");
    assert!(bench.ok(&["log", "show", "1"]).contains("serial numbers 7 to 9"));
    // What the call says counts.
    let own =
        bench.ok(&["emit", "tags.kite.toml", "-o", "-", "--set", "place.copies.number.first=500"]);
    assert!(own.contains("number 500"), "{own}");
    // The same program once more, or another try of it, has the numbers that it had.
    bench.ok(&["run", "--again", "1", "--set", "steps.cut.power=\"70 %\"", "--to", &rig.link]);
    assert!(emitted(&bench).contains("number 010"));
    let log = bench.path("other.sqlite").display().to_string();
    let elsewhere = bench.refused(2, &[&to[..], &["--log", &log]].concat());
    assert!(elsewhere.contains("TINKITE_LOG"), "{elsewhere}");
}

#[test]
fn a_run_that_was_stopped_has_burnt_no_numbers_and_says_at_which_part() {
    let number = "copies = { count = 3, gap = \"2 mm\", number = { first = 7, go-on = true } }";
    let bench = tags(number, "No {number}", "x");
    let rig = RigProcess::start(&bench, &["--tcp", "127.0.0.1:0"]);
    let args = ["run", "tags.kite.toml", "--to", &rig.link];
    let mut run = bench.command(&args).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    std::thread::sleep(Duration::from_secs(2));
    signal("-INT", &run);
    assert_eq!(run.wait().unwrap().code(), Some(4));
    let shown = bench.ok(&["log", "show", "1"]);
    assert!(shown.contains("part: engraved, number 7"), "{shown}");
    assert!(bench.ok(&["emit", "tags.kite.toml", "-o", "-"]).contains("number 7\n"));
    // The numbers come again, which is said.
    let told = bench.run(&["check", "tags.kite.toml"]).err;
    let told = told.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ");
    assert!(told.contains("run 1 began some of them and was not finished"), "{told}");
}
