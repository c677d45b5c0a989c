//! `tinkite machine list`.

use crate::console::Console;
use serde::Serialize;
use std::path::Path;
use tinkite_core::quantity::plain;
use tinkite_files::machines::{ProfileOrigin, all, own_folder};
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_report::table::table;

#[derive(Debug, Serialize)]
struct ListJson {
    machines: Vec<OneJson>,
}

#[derive(Debug, Serialize)]
struct OneJson {
    name: String,
    from: String,
    title: Option<String>,
    bed_mm: Option<[f64; 2]>,
    dialect: Option<&'static str>,
}

pub(super) fn run(console: &Console) -> Result<(), Refusal> {
    let one = |found: &tinkite_files::machines::FoundProfile| {
        let machine = found.read(&mut Sources::new()).ok();
        OneJson {
            name: found.name.clone(),
            from: match &found.from {
                ProfileOrigin::File(path) | ProfileOrigin::Own(path) => path.display().to_string(),
                ProfileOrigin::Shipped => "shipped".into(),
            },
            title: machine.as_ref().map(|machine| machine.name.clone()),
            bed_mm: machine.as_ref().map(|machine| [machine.bed.width, machine.bed.depth]),
            dialect: machine.as_ref().map(|machine| machine.dialect.name()),
        }
    };
    let machines: Vec<OneJson> = all(Path::new("")).iter().map(one).collect();
    if console.json {
        return console.json(&ListJson { machines });
    }
    let rows = machines.iter().map(|machine| {
        let bed = machine.bed_mm.map_or_else(
            || "cannot be read: machine show tells why".into(),
            |[w, d]| format!("{} x {}", plain(w, 1), plain(d, 1)),
        );
        let title = machine.title.clone().unwrap_or_default();
        let dialect = machine.dialect.unwrap_or_default().to_string();
        vec![machine.name.clone(), title, bed, dialect, machine.from.clone()]
    });
    console.result(&table(
        &["name", "machine", "bed mm", "dialect", "from"],
        rows.collect(),
        &[],
    ))?;
    if let Some(own) = own_folder() {
        console.say(&format!(
            "profiles in {} can be named from everywhere; a path works as well",
            own.display()
        ));
    }
    Ok(())
}
