//! `tinkite read`.

use crate::args::Read;
use crate::console::Console;
use crate::door;
use std::fs::File;
use std::io::{self, BufRead, BufReader};
use tinkite_core::machine::Machine;
use tinkite_core::program::measure::{Explainer, Measure, Report};
use tinkite_files::kind::{self, FileKind};
use tinkite_files::load;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_operate::run::lines::each_line;
use tinkite_report::read as report;

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
        Some([x, y]) => measure.standing([x, y, 0.0, 0.0, 0.0, 0.0], &[[x, y, 0.0, 0.0, 0.0, 0.0]]),
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
    kind::refuse(&args.program, FileKind::Program)?;
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
