//! `cargo xtask house`: the laws of docs/ARCHITECTURE.md, held against the tree.

mod circles;
mod crates;
mod links;
mod modules;
mod pictures;
mod shared;
mod words;

use crate::Done;
use crate::packages::Packages;
use std::fmt::Write as _;

/// Holds every law; all that is broken is told at once.
pub(super) fn check() -> Done<String> {
    let packages = Packages::read()?;
    let laws = [
        ("no circle of files or rooms", circles::broken(&packages)?),
        ("crates stand on what their list says", crates::find_unlisted(&packages)?),
        ("demo and tests share one build", shared::apart()?),
        ("rust-version is the newest that a package asks for", crates::compiler(&packages)),
        ("licences go together with ours", crates::licences(&packages)),
        ("the computation names no command and no option", words::commands(&packages)?),
        ("every picture is made or shown by something", pictures::orphans()?),
        ("links in the docs lead somewhere", links::dead()?),
    ];
    let mut told = String::new();
    let mut broken = 0;
    for (law, found) in &laws {
        broken += found.len();
        writeln!(told, "{} {law}", if found.is_empty() { "holds " } else { "BROKEN" })?;
        for one in found {
            writeln!(told, "       {one}")?;
        }
    }
    let told = told.trim_end().to_string();
    if broken > 0 { Err(format!("the house is not in order\n{told}").into()) } else { Ok(told) }
}
