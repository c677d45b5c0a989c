//! Jobs of the workshop with some of their lines changed by chance: whatever is not refused becomes
//! a program in which no error is found that was not told, and which takes the time that was planned.

use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;
use tinkite_core::job::{self, Zero};
use tinkite_core::machine;
use tinkite_core::program::measure::Measure;
use tinkite_core::program::{Comments, Program};
use tinkite_core::{Choice, artwork, compile};

macro_rules! demo {
    ($file:literal) => {
        include_bytes!(concat!("../../../demo/", $file))
    };
}

/// Job, drawing and machine.
type Demo = (&'static [u8], (&'static str, &'static [u8]), &'static [u8]);

const DEMOS: [Demo; 4] = [
    (
        demo!("sail-panel.kite.toml"),
        ("sail-panel.svg", demo!("sail-panel.svg")),
        demo!("bench-laser.machine.toml"),
    ),
    (
        demo!("hubs.kite.toml"),
        ("spar-hub.dxf", demo!("spar-hub.dxf")),
        demo!("tube-laser.machine.toml"),
    ),
    (
        demo!("line-reel.kite.toml"),
        ("line-reel.svg", demo!("line-reel.svg")),
        demo!("reel-laser.machine.toml"),
    ),
    (
        demo!("reel-barrel.kite.toml"),
        ("reel-label.svg", demo!("reel-label.svg")),
        demo!("reel-laser.machine.toml"),
    ),
];

/// Numbers that people and slips of theirs write.
const NUMBERS: [&str; 22] = [
    "0", "1", "2", "3", "5", "7", "10", "12.5", "20", "45", "60", "90", "99.9", "100", "250",
    "360", "0.05", "0.2", "0.5", "1.5", "-3", "0.0005",
];

/// What may be done to a line.
#[derive(Debug, Clone)]
enum Change {
    /// Another number in place of the so many-th.
    Number(usize, usize),
    /// Left out.
    Gone,
    /// Another line of a step before it.
    Before(usize),
}

/// Lines that fit into some step or other.
const LINES: [&str; 16] = [
    "passes = 2",
    "ramp = { slow = \"60 %\" }",
    "ramp = { start = { from = \"20 %\", over = \"2 mm\" } }",
    "kerf = \"0.3 mm\"",
    "side = \"inside\"",
    "overlap = \"1 mm\"",
    "lead-in = { length = \"2 mm\", shape = \"arc\" }",
    "pierce = { power = \"50 %\", dwell = \"0.2 s\" }",
    "bridges = { count = 3, width = \"0.6 mm\" }",
    "order = \"part-by-part\"",
    "order = \"upwards\"",
    "passes-by = \"sheet\"",
    "focus = \"-1 mm\"",
    "air = false",
    "start = \"corner\"",
    "shared-edges = true",
];

fn changes() -> impl Strategy<Value = Vec<(usize, Change)>> {
    let change = prop_oneof![
        (0usize..4, 0..NUMBERS.len()).prop_map(|(which, number)| Change::Number(which, number)),
        Just(Change::Gone),
        (0..LINES.len()).prop_map(Change::Before),
    ];
    proptest::collection::vec((0usize..200, change), 1..5)
}

/// The so many-th number of a line, as a range of bytes.
fn number(line: &str, which: usize) -> Option<std::ops::Range<usize>> {
    let is = |c: char| c.is_ascii_digit() || c == '.';
    let mut all = Vec::new();
    let mut begin = None;
    for (at, c) in line.char_indices().chain([(line.len(), ' ')]) {
        match (is(c), begin) {
            (true, None) => begin = Some(at),
            (false, Some(from)) => {
                all.push(from..at);
                begin = None;
            }
            _ => {}
        }
    }
    (!all.is_empty()).then(|| all[which % all.len()].clone())
}

fn changed(text: &str, changes: &[(usize, Change)]) -> String {
    let mut lines: Vec<String> = text
        .lines()
        .map(|line| line.split("  #").next().unwrap_or("").trim_end().to_string())
        .filter(|line| !line.is_empty() && !line.starts_with('#'))
        .collect();
    for (at, change) in changes {
        let at = at % lines.len();
        match change {
            Change::Number(which, new) => {
                // Colours have digits, too: then the step takes something else, or nothing.
                if let Some(range) = number(&lines[at], *which) {
                    lines[at].replace_range(range, NUMBERS[*new]);
                }
            }
            Change::Gone => {
                lines.remove(at);
            }
            Change::Before(line) => lines.insert(at, LINES[*line].to_string()),
        }
    }
    lines.join("\n")
}

fn config() -> ProptestConfig {
    let kept = FileFailurePersistence::Direct("tests/mutated.proptest-regressions");
    ProptestConfig { cases: 96, failure_persistence: Some(Box::new(kept)), ..Default::default() }
}

proptest! {
    #![proptest_config(config())]

    #[test]
    fn what_is_not_refused_can_be_sent(which in 0..DEMOS.len(), changes in changes()) {
        let (job, (name, drawing), profile) = DEMOS[which];
        let text = |bytes: &[u8]| String::from_utf8(bytes.to_vec()).unwrap();
        let machine = machine::read("m", &text(profile)).unwrap();
        let job_text = changed(&text(job), &changes);
        let Ok(job) = job::read("job", &job_text, machine) else { return Ok(()) };
        let art = artwork::read(name, drawing, &Default::default()).unwrap();
        if job.artworks.len() != 1 || job.placement.copies.columns * job.placement.copies.rows > 30 {
            return Ok(());
        }
        let Ok(compiled) = compile(art, &job, &Choice::default()) else { return Ok(()) };
        let planned = compiled.within.planned();
        if planned.totals.moves > 100_000 {
            return Ok(());
        }
        let seconds = planned.totals.seconds();
        let mut out = Vec::new();
        Program::new(compiled.within).write(Comments::Full, &mut out).unwrap();
        let diameter = job.round.as_ref().map(tinkite_core::frame::Round::diameter);
        let mut measure = Measure::new("a.nc", Some(&job.machine), diameter);
        if job.placement.zero != Zero::Bed || job.round.is_some() {
            measure = measure.anywhere();
        }
        out.split(|byte| *byte == b'\n').for_each(|line| measure.line(line));
        let report = measure.finish();
        prop_assert!(!report.problems.refuse(), "{:#?}\n{job_text}", report.problems);
        prop_assert!(report.beam_off_at_end);
        // How a rotary's feeds are counted only the profile knows.
        if job.round.is_none() {
            let off = (report.seconds / seconds - 1.0).abs();
            prop_assert!(off < 0.01 || (report.seconds - seconds).abs() < 0.1, "{seconds} {}\n{job_text}", report.seconds);
        }
    }
}
