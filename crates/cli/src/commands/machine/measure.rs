//! `tinkite machine measure`: what was read at the meters becomes the profile's power table.

use super::{changed, times};
use crate::args::MachineMeasure;
use crate::console::Console;
use std::path::Path;
use tinkite_core::machine::edit;
use tinkite_core::picture;
use tinkite_core::quantity::{PowerSetpoint, parse_power};
use tinkite_core::source::table::{Measured, Table};
use tinkite_files::machines::find;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_report::png;

pub(super) fn run(args: &MachineMeasure, console: &Console) -> Result<(), Refusal> {
    if args.times {
        return times::run(args, console);
    }
    if let Some(path) = &args.draw {
        png::kind_of(path)?;
    }
    let found = find(&args.name, Path::new(""))?;
    let profile = found.read(&mut Sources::new())?;
    let rows = args.readings.iter().map(|text| row(text)).collect::<Result<Vec<_>, _>>()?;
    if rows.len() < 2 {
        return Err(Refusal::Usage(
            "one reading is no table: power between two readings is worked out from them; measure at two powers at least, such as 10 % and 80 %".into(),
        ));
    }
    let table = Table::new(&rows)
        .map_err(|why| Refusal::Usage(format!("{why}; measure again, from weak to strong")))?;
    let change = edit::Change { section: "beam", key: "table", value: edit::table_text(&rows) };
    let what = format!("{} readings in [beam] table", rows.len());
    let shown = format!("[beam]\ntable = {}", edit::table_text(&rows));
    changed::keep(&found, &[change], &what, &shown, args, console)?;
    if let Some(path) = &args.draw {
        let title = profile.name.clone();
        let written =
            png::write(path, args.writing.into(), || picture::power_curve(&table, &rows, &title))?;
        console.result(&written.words())?;
    }
    Ok(())
}

/// One reading: `10 % = 2.1 mA`, `10 % = 4 W`, or both with a comma between.
fn row(text: &str) -> Result<Measured, Refusal> {
    let wrong = |why: &str| {
        Refusal::Usage(format!("\"{text}\" is no reading: {why}; write \"10 % = 2.1 mA, 4 W\""))
    };
    let (share, readings) = text.split_once('=').ok_or_else(|| wrong("it has no ="))?;
    let share = match parse_power(share.trim()) {
        Ok(PowerSetpoint::Share(share)) if (0.0..=1.0).contains(&share) => share,
        Ok(_) => return Err(wrong("what was asked for is a percentage up to 100")),
        Err(error) => return Err(wrong(&error.message)),
    };
    let mut row = Measured { share, current: None, watts: None };
    for reading in readings.split(',') {
        match parse_power(reading.trim()) {
            Ok(PowerSetpoint::Current(current)) => row.current = Some(current),
            Ok(PowerSetpoint::Watts(watts)) => row.watts = Some(watts),
            Ok(PowerSetpoint::Share(_) | PowerSetpoint::Level(_)) => {
                return Err(wrong("what was read is in mA or W"));
            }
            Err(error) => return Err(wrong(&error.message)),
        }
    }
    Ok(row)
}
