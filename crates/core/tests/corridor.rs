//! Laws of the whole corridor, on random drawings: what is planned is what the program's text does.

use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;
use std::fmt::Write as _;
use tinkite_core::job;
use tinkite_core::machine;
use tinkite_core::problem::Severity;
use tinkite_core::program::measure::{Measure, Report};
use tinkite_core::program::{Comments, Program};
use tinkite_core::{Choice, Compiled, artwork, compile};

const MACHINE: &str = include_str!("../../../demo/bench-laser.machine.toml");

const JOB: &str = r#"
tinkite = 1
machine = "bench-laser"
tolerance = "0.02 mm"
[[artwork]]
file = "a.svg"
[place]
anchor = "centre"
at = ["200 mm", "150 mm"]
[[step]]
name = "fill"
take = { fill = "black", kind = "closed" }
make = "engrave"
speed = "150 mm/s"
power = "25 %"
lines = { spacing = "0.7 mm", angle = "30 deg" }
[[step]]
name = "cut"
take = { stroke = "red" }
make = "cut"
speed = "30 mm/s"
power = "70 %"
passes = 2
"#;

/// One shape: kind, place, size, and numbers to bend it with.
type Seed = (u8, f64, f64, f64, [f64; 6]);

fn drawing(shapes: &[Seed]) -> String {
    let mut svg = String::from(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="200mm" viewBox="0 0 200 200" fill="none">"#,
    );
    for (kind, x, y, size, n) in shapes {
        let paint = if kind % 2 == 0 { "stroke='red'" } else { "fill='black'" };
        let _ = match kind / 2 {
            0 => write!(svg, "<circle cx='{x}' cy='{y}' r='{size}' {paint}/>"),
            1 => write!(
                svg,
                "<rect x='{x}' y='{y}' width='{size}' height='{}' rx='{}' {paint}/>",
                size * 1.5,
                n[0].abs() * 0.1
            ),
            2 => write!(
                svg,
                "<path d='M{x} {y}c{} {} {} {} {} {}Z' {paint}/>",
                n[0], n[1], n[2], n[3], n[4], n[5]
            ),
            // Tiny: about as large as the resolution of a program's text.
            _ => {
                write!(svg, "<circle cx='{x}' cy='{y}' r='{}' stroke='red'/>", 0.0006 + size * 1e-4)
            }
        };
    }
    svg + "</svg>"
}

fn compiled(svg: &str, dialect: &str) -> Option<(job::Job, Compiled)> {
    let machine =
        machine::read("m", &MACHINE.replace("\"grbl\"", &format!("\"{dialect}\""))).unwrap();
    let mut job = job::read("job", JOB, machine).unwrap();
    let art = artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
    // A step that takes nothing is refused; that is tested elsewhere.
    for (name, paint) in [("fill", "black"), ("cut", "red")] {
        if !svg.contains(&format!("='{paint}'")) {
            job.steps.retain(|step| step.name != name);
        }
    }
    match compile(art, &job, &Choice::default()) {
        Ok(compiled) => Some((job, compiled)),
        // What random shapes may be refused for, and nothing else.
        Err(problems) => {
            let known = ["takes-nothing", "no-area", "nothing", "open-shape"];
            let other = problems
                .iter()
                .find(|p| p.severity == Severity::Error && !known.contains(&p.code.text()));
            assert!(other.is_none(), "{other:?}");
            None
        }
    }
}

fn read_back(job: &job::Job, compiled: Compiled) -> (Compiled, Report, Vec<u8>) {
    let program = Program::new(compiled.within.clone());
    let mut text = Vec::new();
    program.write(Comments::Full, &mut text).unwrap();
    let mut measure = Measure::new("p", Some(&job.machine), None);
    text.split(|b| *b == b'\n').for_each(|line| measure.line(line));
    (compiled, measure.finish(), text)
}

fn seeds() -> impl Strategy<Value = Vec<Seed>> {
    let one = (
        0u8..8,
        20.0..150.0f64,
        20.0..150.0f64,
        0.5..25.0f64,
        proptest::array::uniform6(-30.0..30.0f64),
    );
    proptest::collection::vec(one, 1..14)
}

/// Failing cases are kept beside this file.
fn config() -> ProptestConfig {
    let kept = FileFailurePersistence::Direct("tests/corridor.proptest-regressions");
    ProptestConfig {
        cases: 96,
        failure_persistence: Some(Box::new(kept)),
        ..ProptestConfig::default()
    }
}

proptest! {
    #![proptest_config(config())]

    #[test]
    fn a_program_does_what_was_planned(shapes in seeds()) {
        let svg = drawing(&shapes);
        for dialect in ["grbl", "ngc"] {
            let Some((job, compiled)) = compiled(&svg, dialect) else { continue };
            let (compiled, report, text) = read_back(&job, compiled);
            let codes: Vec<_> = report.problems.iter().map(|p| (p.code, p.message.clone())).collect();
            prop_assert!(codes.is_empty(), "{codes:?}");
            let totals = &compiled.within.planned().totals;
            // Each end of each move is rounded to a micrometre.
            let slack = 0.002 * totals.moves as f64 + 0.01;
            prop_assert!((totals.burn() - report.burn).abs() < slack, "{} {}", totals.burn(), report.burn);
            prop_assert!((totals.travel() - report.travel).abs() < slack);
            let (planned, read) = (totals.burnt.unwrap(), report.burn_extents.unwrap());
            for (a, b) in [(planned.x0, read.x0), (planned.y0, read.y0), (planned.x1, read.x1), (planned.y1, read.y1)] {
                prop_assert!((a - b).abs() < 0.003, "{planned:?} {read:?}");
            }
            prop_assert!(report.beam_off_at_end);
            let ceiling = job.machine.beam.full * job.machine.beam.ceiling.0;
            prop_assert!(report.s.is_some_and(|(least, most)| least >= 249.9 && most <= ceiling));
            // Every shape is taken or left over; what is not was named as of no length, or unseen.
            let taken: usize = compiled.taken.iter().map(|t| t.shapes.len()).sum();
            let told = compiled.problems.iter().any(|p| ["stray", "not-visible"].contains(&p.code.text()));
            let missing = shapes.len().saturating_sub(taken + compiled.leftovers.len());
            prop_assert_eq!(missing > 0, told, "{} missing, {:?}", missing, compiled.problems);
            // The same job, the same bytes.
            let (job_again, again) = compiled_again(&svg, dialect);
            prop_assert!(read_back(&job_again, again).2 == text);
        }
    }
}

fn compiled_again(svg: &str, dialect: &str) -> (job::Job, Compiled) {
    compiled(svg, dialect).unwrap_or_else(|| panic!("compiled once and then not again"))
}
