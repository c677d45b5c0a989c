use super::*;
use crate::Fill;
use tinkite_machine as machine;

const MACHINE: &str = include_str!("../../../../demo/bench-laser.machine.toml");

const JOB: &str = r#"
tinkite = 1
machine = "bench-laser"
[[artwork]]
file = "a.svg"
[[step]]
name = "emblem"
take = { fill = "black" }
make = "engrave"
speed = "100 mm/s"
power = "30 %"
lines = { spacing = "0.2 mm", angle = "90 deg" }
[[step]]
name = "outline"
take = [{ stroke = "red", not = { group = "jig" } }, { hairline = "0.05 mm" }]
make = "cut"
speed = "600 mm/min"
power = "80 %"
passes = 2
"#;

fn job_of(text: &str) -> Result<Job, Vec<String>> {
    let machine = machine::read("bench-laser", MACHINE).unwrap();
    read("a.kite.toml", text, machine).map_err(|problems| {
        let line = |p: &Problem| {
            let line = p.place.as_ref().and_then(|place| place.line).unwrap_or(0);
            format!("{line} {}: {} | {}", p.code, p.message, p.help)
        };
        problems.iter().map(line).collect()
    })
}

fn messages(from: &str, to: &str) -> Vec<String> {
    assert!(JOB.contains(from), "{from}");
    job_of(&JOB.replace(from, to)).unwrap_err()
}

#[test]
fn a_job_is_read_and_decided() {
    let job = job_of(JOB).unwrap();
    let engrave = job.steps[0].operation.engrave().unwrap();
    let Fill::Lines(lines) = &engrave.fill else { panic!("{engrave:?}") };
    assert_eq!((lines.spacing, lines.advance), (0.2, None));
    assert_eq!((job.steps[1].speed().0, job.steps[1].passes.len()), (10.0, 2));
    assert_eq!(job.tolerance, 0.01);
    assert_eq!(Request::of(JOB).machine.as_deref(), Some("bench-laser"));
}

#[test]
fn mistakes_are_told_with_line_words_and_cure() {
    insta::assert_snapshot!(messages("speed = \"100 mm/s\"", "speed = 100").join("\n"), @r#"10 quantity: speed in step 1 ("emblem"): "100" has no unit, and a speed needs one | write it with a unit, for example "100 mm/s" (units: % of top speed, mm/s, mm/min, m/min, in/s, in/min)"#);
    insta::assert_snapshot!(messages("speed = \"100 mm/s\"", "speeed = \"100 mm/s\"").join("\n"), @r#"
    6 missing-key: step 1 ("emblem") has no speed | add speed = "20 mm/s"
    10 unknown-key: step 1 ("emblem") has no key called speeed | did you mean speed?
    "#);
    insta::assert_snapshot!(messages("speed = \"100 mm/s\"", "speed = \"-4 mm/s\"").join("\n"), @r#"10 out-of-range: speed in step 1 ("emblem") is "-4 mm/s", and must be above zero | give speed a value that is above zero"#);
    insta::assert_snapshot!(messages("make = \"cut\"", "make = \"cutt\"").join("\n"), @r#"16 unknown-word: make in step 2 ("outline") cannot be "cutt" | did you mean "cut"? (possible: "cut", "score", "engrave")"#);
    insta::assert_snapshot!(messages("passes = 2", "passes = \"two\"").join("\n"), @r#"19 wrong-type: passes in step 2 ("outline") should be a whole number from 1 to 1000, and here is text | write passes as a whole number from 1 to 1000"#);
    insta::assert_snapshot!(messages("passes = 2", "frequency = \"20 kHz\"").join("\n"), @r#"
    13 frequency: "outline": a pulse frequency is asked for, and the profile of Bench laser, 400 x 300 mm diode has no code for it | add frequency = "M67 E0 Q{kHz}" (as your controller has it) to [program] of the profile
    6 frequency: "emblem": no frequency is said, and step "outline" says one: which they would run with depends on the order | give every step its frequency
    "#);
    insta::assert_snapshot!(messages("angle = \"90 deg\"", "angle = \"90 deg\", advance = \"upwards\"").join("\n"), @"12 advance: the lines cannot follow each other in the direction in which they run | choose another advance or another angle");
    insta::assert_snapshot!(messages("fill = \"black\"", "fill = \"blakc\"").join("\n"), @r##"8 colour: "blakc" is not a colour | write a colour like "#1a2b3c" or "red""##);
    insta::assert_snapshot!(messages("name = \"outline\"", "name = \"emblem\"").join("\n"), @r#"13 same-name: two steps are called "emblem" | give each step a name of its own"#);
}

#[test]
fn broken_toml_is_told_with_its_line() {
    let lines = job_of("tinkite = 1\nname = \"kite\n").unwrap_err();
    assert!(lines[0].starts_with("2 toml:"), "{lines:?}");
    assert!(job_of("").is_err());
    assert!(job_of("\u{0}\u{1}").is_err());
}
