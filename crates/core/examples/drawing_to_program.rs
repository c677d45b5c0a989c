//! From a drawing to a program, and back: `cargo run -p tinkite-core --example drawing_to_program`.
#![allow(clippy::print_stdout, clippy::disallowed_macros)] // an example shows what it makes

use std::error::Error;
use tinkite_core::problem::Problems;
use tinkite_core::program::measure::Measure;
use tinkite_core::program::{Comments, Program};
use tinkite_core::{Choice, artwork, compile, doc, job, machine};

fn main() -> Result<(), Box<dyn Error>> {
    let machine = machine::read("small", doc::MACHINE).map_err(words)?;
    let job = job::read("hub.kite.toml", doc::JOB, machine).map_err(words)?;
    let drawing =
        artwork::read("hub.svg", doc::DRAWING.as_bytes(), &Default::default()).map_err(words)?;
    let compiled = compile(drawing, &job, &Choice::default()).map_err(words)?;
    for problem in &compiled.problems {
        println!("{}: {}", problem.code, problem.message);
    }
    let planned = compiled.within.planned().totals.seconds();

    let mut text = Vec::new();
    Program::new(compiled.within).write(Comments::Full, &mut text)?;
    print!("{}", String::from_utf8_lossy(&text));

    let mut measure = Measure::new("hub.nc", Some(&job.machine), None);
    text.split(|byte| *byte == b'\n').for_each(|line| measure.line(line));
    let report = measure.finish();
    println!(
        "planned {planned:.2} s, read back {:.2} s, {:.2} mm burnt",
        report.seconds, report.burn
    );
    Ok(())
}

/// Problems in one line.
fn words(problems: Problems) -> String {
    problems
        .iter()
        .map(|p| format!("{}: {} ({})", p.code, p.message, p.help))
        .collect::<Vec<_>>()
        .join("; ")
}
