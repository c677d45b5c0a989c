//! `tinkite read`.

use crate::args::Read;
use crate::console::Console;
use crate::door;
use crate::kind::{self, Kind};
use crate::load;
use crate::refusal::{Refusal, Sources};
use crate::report::read as report;
use std::fs::File;
use std::io::{self, BufRead, BufReader};
use tinkite_core::machine::Machine;
use tinkite_core::problem::{Code, Place, Problem};
use tinkite_core::program::measure::{Explainer, Measure, Report};

/// Lines longer than this (bytes) are in no program: a binary file was named.
const LONGEST_LINE: usize = 64 << 10;

/// Calls `each` for every line of a program, without its end.
pub(super) fn each_line(
    name: &str,
    reader: &mut impl BufRead,
    mut each: impl FnMut(&[u8]),
) -> Result<(), Refusal> {
    let mut line = Vec::with_capacity(256);
    let mut number = 0;
    loop {
        line.clear();
        let count = io::Read::take(&mut *reader, LONGEST_LINE as u64)
            .read_until(b'\n', &mut line)
            .map_err(|error| Refusal::unreadable(name, &error))?;
        if count == 0 {
            return Ok(());
        }
        number += 1;
        if line.last() == Some(&b'\n') {
            line.pop();
        } else if count >= LONGEST_LINE {
            let problem = Problem::error(
                Code::Format,
                "a line has more than 64 kB, so this is no machine program",
                "name a text file of RS-274/NGC lines",
            );
            return Err(Refusal::Problems(
                problem.at(Place::line(name, number)).into(),
                Sources::new(),
            ));
        }
        each(&line);
    }
}

/// Measures a program.
fn measure(
    name: &str,
    reader: &mut impl BufRead,
    machine: Option<&Machine>,
    args: &Read,
    console: &Console,
) -> Result<Report, Refusal> {
    let mut measure = Measure::new(name, machine, args.diameter);
    measure = match args.zero {
        Some([x, y]) => measure.standing([x, y, 0.0, 0.0, 0.0, 0.0], [x, y, 0.0, 0.0, 0.0, 0.0]),
        None => measure.zero_unsaid(),
    };
    if !args.explain {
        each_line(name, reader, |line| measure.line(line))?;
        return Ok(measure.finish());
    }
    let mut explainer = Explainer::new(machine);
    let (mut number, mut shown) = (0, Ok(()));
    each_line(name, reader, |line| {
        number += 1;
        measure.line(line);
        // A terminal must not act on what stands in a file.
        let text: String = String::from_utf8_lossy(line)
            .chars()
            .map(|c| if c.is_control() && c != '\t' { ' ' } else { c })
            .collect();
        let row = format!("{number:>6}  {:<34}  {}", text.trim_end(), explainer.line(line));
        shown = std::mem::replace(&mut shown, Ok(())).and_then(|()| console.result(row.trim_end()));
    })?;
    shown?;
    Ok(measure.finish())
}

pub(super) fn run(args: &Read, console: &Console) -> Result<(), Refusal> {
    kind::refuse(&args.program, Kind::Program)?;
    let name = args.program.display().to_string();
    let mut sources = Sources::new();
    let machine = args
        .machine
        .as_ref()
        .map(|machine| load::typed_machine(machine, &args.program, &mut sources))
        .transpose()?;
    let report = if name == "-" {
        measure("standard input", &mut io::stdin().lock(), machine.as_ref(), args, console)?
    } else {
        let file = File::open(&args.program).map_err(|error| Refusal::unreadable(&name, &error))?;
        measure(
            &name,
            &mut BufReader::with_capacity(1 << 16, file),
            machine.as_ref(),
            args,
            console,
        )?
    };
    if console.json {
        console.json(&report::json(&report))?;
    } else {
        console.result(&report::text(
            &name,
            &report,
            machine.as_ref().map(|m| m.name.as_str()),
            console.unit,
        ))?;
        door::show(&report.problems, &Sources::new(), console);
    }
    if report.problems.refuse() { Err(Refusal::Reported) } else { Ok(()) }
}
