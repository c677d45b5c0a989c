//! What is written down is what is read back; what worked comes first; what is brought in is checked.

use super::tried::UsedRecipe;
use super::*;
use tinkite_reader::Place;
use tinkite_run::{Marked, ReportedStanding, Whereabouts};

const PROGRAM: &[u8] = b"G21 G90\nM4 S0\nG1X5F600S300\nM5\n";

fn log() -> (tempfile::TempDir, Log) {
    let folder = tempfile::tempdir().unwrap();
    let log = Log::open(&folder.path().join("runs.sqlite")).unwrap();
    (folder, log)
}

fn step(name: &str, make: &str, thickness: Option<f64>, seconds: Option<f64>) -> StepEntry {
    let tried = Tried {
        make: make.into(),
        thickness_mm: thickness,
        speed_mm_s: 12.0,
        power_percent: 55.5,
        passes: 2,
        spacing_mm: None,
        recipe: Some(UsedRecipe { book: "shop.toml".into(), title: "cut".into() }),
    };
    StepEntry {
        name: name.into(),
        line: 3,
        planned_seconds: 9.5,
        seconds,
        settings: "12 mm/s".into(),
        tried: Some(tried),
    }
}

fn began(after: Option<i64>, began_ms: i64, steps: Vec<StepEntry>) -> Began {
    Began {
        kind: if after.is_some() { RunKind::Again } else { RunKind::Run },
        after,
        began_ms,
        job: "kite.kite.toml".into(),
        lines: 4,
        machine: "bench".into(),
        profile: "tinkite = 1\n".into(),
        made: None,
        link: "rig:".into(),
        material: Some("Birch Plywood 3 mm".into()),
        diameter: Some(40.0),
        zero: Some("stock".into()),
        steps,
        planned_seconds: 9.5,
        standing: ReportedStanding {
            at: [1.0, 2.0, 3.0, 0.0, 0.0, 0.0],
            offset: [10.0, 20.0, 0.0, 0.0, 0.0, 0.0],
            shift: [0.5, 0.0, 0.0],
        },
        note: None,
    }
}

fn begin(log: &Log, began: &Began) -> i64 {
    log.begin(began, &mut io::Cursor::new(PROGRAM)).unwrap()
}

fn reached(line: u32) -> Reached {
    Reached {
        seen: Place { line, way: 1, share: 0.25 },
        sent: 4,
        acknowledged: 3,
        position: Some([Some(5.0), Some(6.0), None, None, None, None]),
        seconds: 7.5,
    }
}

fn end(log: &Log, run: i64, how: &'static str, whereabouts: Whereabouts, steps: Vec<StepEntry>) {
    let why = (how != "done").then(|| "the lid".to_string());
    let ending = Ending { how, why, dark: "confirmed", whereabouts, reached: reached(3), steps };
    log.end(run, &ending).unwrap();
}

fn sought() -> Sought {
    Sought { material: "birch plywood 3 mm".into(), ..Sought::default() }
}

#[test]
fn what_was_written_is_read_back() {
    let (_folder, log) = log();
    let here = Place { line: 3, way: 0, share: 0.5 };
    let there = Place { line: 4, way: 2, share: 0.75 };
    let ends = [
        (Whereabouts::End, Marked::End, "done"),
        (Whereabouts::Here(here), Marked::Here(here), "stopped"),
        (Whereabouts::Between(here, there), Marked::Between(here, there), "failed"),
        (Whereabouts::Asking, Marked::Asking, "failed"),
        (Whereabouts::Lost, Marked::Lost, "failed"),
    ];
    for (n, (whereabouts, marked, how)) in ends.into_iter().enumerate() {
        let run = begin(&log, &began(None, n as i64, vec![step("a", "cut", Some(3.0), None)]));
        assert_eq!(log.entry(None).unwrap().how, None, "it runs");
        end(&log, run, how, whereabouts, vec![step("a", "cut", Some(3.0), Some(8.0))]);
        let entry = log.entry(Some(run)).unwrap();
        assert_eq!(entry.marked, marked, "{how}");
        assert_eq!((entry.how.as_deref(), entry.dark.as_deref()), (Some(how), Some("confirmed")));
        assert_eq!(entry.reached, reached(3));
        assert_eq!(entry.began.standing, began(None, 0, Vec::new()).standing);
        assert_eq!(entry.began.steps[0].seconds, Some(8.0));
        assert_eq!(entry.began.diameter, Some(40.0));
        let mut program = Vec::new();
        log.program(run).unwrap().read_to_end(&mut program).unwrap();
        assert_eq!(program, PROGRAM);
    }
    assert_eq!(log.entries(2).unwrap().iter().map(|run| run.id).collect::<Vec<_>>(), [5, 4]);
    assert!(matches!(log.entry(Some(77)), Err(LogError::NoRun { run: 77, .. })));
    assert!(matches!(log.note(77, "x"), Err(LogError::NoRun { run: 77, .. })));
    assert!(matches!(log.program(77), Err(LogError::NoProgram { run: 77 })));
    log.note(1, "first").unwrap();
    log.note(1, "second").unwrap();
    assert_eq!(log.entry(Some(1)).unwrap().began.note.as_deref(), Some("first; second"));
    assert!(log.is_in_place(1, 0).is_ok() && log.is_in_place(1, 9).is_err());
}

#[test]
fn a_log_that_is_looked_into_must_be_there() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("none.sqlite");
    assert!(Log::look_into(&path).is_err() && !path.exists(), "looking makes nothing");
    drop(Log::open(&path).unwrap());
    let log = Log::look_into(&path).unwrap();
    assert!(matches!(log.entry(None), Err(LogError::NoRuns { .. })));
    let held = log.hold(3).unwrap();
    assert!(matches!(log.hold(3), Err(LogError::Held { run: 3 })));
    assert!(log.hold(4).is_ok());
    drop(held);
    assert!(log.hold(3).is_ok());
}

#[test]
fn verdicts_have_words_and_two_of_them_are_good() {
    for (verdict, word) in Verdict::ALL {
        assert_eq!((verdict.word(), Verdict::of(word)), (word, verdict));
        assert!(Verdict::is_word(word));
        assert_eq!(verdict.is_good(), ["good", "through"].contains(&word));
    }
    assert!(!Verdict::is_word("splendid"));
    assert_eq!(Verdict::of("splendid"), Verdict::Other);
}

/// Runs on one material: the run, the thickness, how it ended, how it was judged.
fn tries(log: &Log, sought: &Sought) -> Vec<(i64, String)> {
    log.tries(sought).unwrap().into_iter().map(|one| (one.run, one.step)).collect()
}

#[test]
fn what_worked_at_this_thickness_comes_first() {
    let (_folder, log) = log();
    let run = |thickness: Option<f64>, how: &'static str, seconds| {
        let steps = vec![step("a", "cut", thickness, seconds)];
        let run = begin(&log, &began(None, 0, steps.clone()));
        end(&log, run, how, Whereabouts::End, steps);
        run
    };
    let judge = |run, verdict| log.note_outcome(run, None, verdict, Some("so"), run).unwrap();
    let thick = run(Some(6.0), "done", Some(1.0));
    let bad = run(Some(3.0), "done", Some(1.0));
    let good = run(Some(3.0), "done", Some(1.0));
    let silent = run(Some(3.0), "done", None);
    let near = run(Some(3.3), "done", Some(1.0));
    let unsaid = run(None, "done", Some(1.0));
    let broken_off = run(Some(3.0), "stopped", None);
    let finished_step = run(Some(3.0), "stopped", Some(1.0));
    let thin = run(Some(1.4), "done", Some(1.0));
    judge(bad, Verdict::NotThrough);
    judge(good, Verdict::Charred);
    judge(good, Verdict::Through);
    let order = |thickness| -> Vec<i64> {
        tries(&log, &Sought { thickness, ..sought() }).into_iter().map(|(run, _)| run).collect()
    };
    let wanted = [good, bad, finished_step, silent, near, thick, thin, unsaid];
    assert_eq!(order(Some(3.0)), wanted, "6 is as 1.5 to 3, so that 1.4 is farther");
    let wanted = [good, bad, thin, finished_step, unsaid, near, silent, thick];
    assert_eq!(order(None), wanted, "no thickness asked for: the latest first");
    assert!(!order(None).contains(&broken_off), "what was not finished was not tried");
    judge(broken_off, Verdict::Pale);
    assert!(order(None).contains(&broken_off), "unless somebody says how it went");
    let all = log.tries(&sought()).unwrap();
    let one = all.iter().find(|one| one.run == good).unwrap();
    assert_eq!((one.outcome, one.text.as_deref()), (Some(Verdict::Through), Some("so")));
    assert_eq!(one.tried.recipe.as_ref().unwrap().title, "cut");
    let note = log.entry(Some(bad)).unwrap().began.note;
    assert_eq!(note.as_deref(), Some("a: not-through, so"));
}

#[test]
fn only_what_is_sought_is_found() {
    let (_folder, log) = log();
    let steps =
        vec![step("edge", "cut", Some(3.0), Some(1.0)), step("sun", "engrave", None, Some(1.0))];
    let first = begin(&log, &began(None, 0, steps.clone()));
    end(&log, first, "done", Whereabouts::End, steps.clone());
    let other = begin(&log, &Began { machine: "tube".into(), ..began(None, 1, steps.clone()) });
    end(&log, other, "done", Whereabouts::End, steps.clone());
    let again = begin(&log, &began(Some(first), 2, steps.clone()));
    end(&log, again, "done", Whereabouts::End, steps);
    let with = |make: Option<&str>, machine: Option<&str>| {
        let (make, machine) = (make.map(String::from), machine.map(String::from));
        tries(&log, &Sought { make, machine, ..sought() })
    };
    assert_eq!(with(None, None).len(), 6);
    assert_eq!(
        with(Some("engrave"), None),
        [(again, "sun".into()), (other, "sun".into()), (first, "sun".into())]
    );
    assert_eq!(with(Some("cut"), Some("tube")), [(other, "edge".into())]);
    assert!(with(Some("score"), None).is_empty());
    assert!(tries(&log, &Sought { material: "cork".into(), ..Sought::default() }).is_empty());
    let series: Vec<_> =
        log.tries(&sought()).unwrap().into_iter().map(|one| (one.run, one.series)).collect();
    assert!(series.contains(&(again, Some(first))) && series.contains(&(first, None)));
    // Of several steps the one that is meant has to be said.
    assert!(matches!(
        log.note_outcome(first, None, Verdict::Good, None, 1),
        Err(LogError::WhichStep { .. })
    ));
    assert!(log.note_outcome(first, Some("moon"), Verdict::Good, None, 1).is_err());
    assert_eq!(log.note_outcome(first, Some("sun"), Verdict::Good, None, 1).unwrap().name, "sun");
}

#[test]
fn what_is_carried_out_comes_in_once_and_whole() {
    let (_folder, from) = log();
    let steps = vec![step("a", "cut", Some(3.0), Some(1.0))];
    let first = begin(&from, &began(None, 10, steps.clone()));
    end(&from, first, "done", Whereabouts::End, steps.clone());
    from.note_outcome(first, None, Verdict::Good, None, 11).unwrap();
    let second = begin(&from, &began(Some(first), 20, steps.clone()));
    let between = Whereabouts::Between(
        Place { line: 2, way: 0, share: 0.5 },
        Place { line: 3, way: 0, share: 1.0 },
    );
    end(&from, second, "failed", between, steps);
    let mut bare = Vec::new();
    assert_eq!(from.carry_out(false, &mut bare).unwrap(), 2);
    let mut whole = Vec::new();
    assert_eq!(from.carry_out(true, &mut whole).unwrap(), 2);

    let (_other, to) = log();
    // Numbers are others here: something was run before.
    begin(&to, &began(None, 5, Vec::new()));
    let counts = |text: &[u8]| to.carry_in("x", &mut &text[..], 99).unwrap();
    assert_eq!(counts(&bare), Carried { new: 2, known: 0, noted: 1 });
    assert!(!to.has_program(2).unwrap(), "none went along");
    assert_eq!(counts(&whole), Carried { new: 0, known: 2, noted: 0 }, "not twice");
    assert!(to.has_program(2).unwrap() && to.has_program(3).unwrap(), "the programs came later");
    let mut program = Vec::new();
    to.program(3).unwrap().read_to_end(&mut program).unwrap();
    assert_eq!(program, PROGRAM);
    let (there, here) = (from.entry(Some(second)).unwrap(), to.entry(Some(3)).unwrap());
    assert_eq!(
        (here.began.kind, to.entry(Some(2)).unwrap().began.kind),
        (RunKind::Again, RunKind::Run)
    );
    assert_eq!(here.began.after, Some(2), "it follows the run that came with it");
    assert_eq!((here.marked, here.reached, here.why), (there.marked, there.reached, there.why));
    assert!(here.brought && !to.entry(Some(1)).unwrap().brought);
    assert_eq!(to.entry(None).unwrap().id, 1, "the last that was run from here");
    assert_eq!(to.tries(&sought()).unwrap()[0].outcome, Some(Verdict::Good));
}

#[test]
fn what_is_no_run_is_refused_with_its_line_and_nothing_stays() {
    let (_folder, from) = log();
    let steps = vec![step("a", "cut", Some(3.0), Some(1.0))];
    let run = begin(&from, &began(None, 10, steps.clone()));
    end(&from, run, "done", Whereabouts::End, steps);
    from.note_outcome(run, None, Verdict::Good, None, 11).unwrap();
    let mut text = Vec::new();
    from.carry_out(true, &mut text).unwrap();
    let text = String::from_utf8(text).unwrap();
    let (head, line) = text.trim_end().split_once('\n').unwrap();
    let (_other, to) = log();
    let refused = |text: String| {
        let why = to.carry_in("runs.jsonl", &mut text.as_bytes(), 1).unwrap_err().to_string();
        assert!(to.entries(9).unwrap().is_empty(), "nothing stays: {why}");
        why
    };
    let program = line.split("\"program\":\"").nth(1).unwrap().split('"').next().unwrap();
    for (from, into, told) in [
        ("\"run\":1", "\"run\":\"one\"", "no number"),
        ("\"kind\":\"run\"", "\"kind\":\"walk\"", "no run is of kind \"walk\""),
        (
            "\"how\":\"done\"",
            "\"how\":\"perhaps\"",
            "how is \"perhaps\", and may be done, stopped, failed",
        ),
        ("\"dark\":\"confirmed\"", "\"dark\":\"surely\"", "dark is"),
        ("\"lines\":4", "\"lines\":4,\"colour\":\"red\"", "nothing of a run is called \"colour\""),
        ("\"lines\":4", "\"lines\":[4]", "lines should be text or a number"),
        ("\"lines\":4", "\"lines\":\"many\"", "cannot store TEXT value"),
        ("\"result\":\"good\"", "\"result\":\"splendid\"", "no result is called \"splendid\""),
        ("\"noted\":11", "\"noted\":\"now\"", "a result has no time"),
        (program, &program[..program.len() - 8], "its program"),
        (&line[line.len() - 1..], "", "it is no JSON"),
    ] {
        assert!(line.contains(from), "{from} in {line}");
        let at = line.rfind(from).unwrap();
        let broken = format!("{head}\n{}{into}{}", &line[..at], &line[at + from.len()..]);
        let why = refused(broken);
        assert!(why.contains(told) && why.contains('2'), "{into}: {why}");
    }
    assert!(refused(line.to_string()).contains("not a file of exported runs"));
    assert!(refused(head.replace('1', "2")).contains("a later version"));
    assert!(matches!(to.carry_in("x", &mut &b""[..], 1), Err(LogError::Empty { .. })));
}
