//! `tinkite recipe print`: a sheet to hang at the machine.

use super::chosen::{holds, shelf};
use crate::args::RecipePrint;
use crate::console::Console;
use std::io::Write;
use tinkite_core::job::recipe::{FoundRecipe, Kept};
use tinkite_core::picture;
use tinkite_files::output::Output;
use tinkite_files::refusal::Refusal;
use tinkite_report::png;

pub(super) fn run(args: &RecipePrint, console: &Console) -> Result<(), Refusal> {
    let is_page = args.output.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("html"));
    if !is_page {
        png::kind_of(&args.output).map_err(|_| {
            Refusal::Usage(format!("{}: name a .html, .svg or .png", args.output.display()))
        })?;
    }
    let shelf = shelf(console)?;
    let mut found: Vec<FoundRecipe<'_>> = shelf
        .all()
        .filter(|found| args.start || found.book.kept != Kept::Shipped)
        .filter(|found| holds(&args.filter, found.recipe))
        .collect();
    if found.is_empty() {
        return Err(Refusal::Usage(
            "there is nothing to print: no book of yours has such a recipe; --start prints those that ship"
                .into(),
        ));
    }
    found.sort_by_key(|found| {
        let thickness = found.recipe.thickness.map_or(0, |mm| (mm * 1000.0) as u64);
        (found.recipe.material.to_lowercase(), thickness, found.recipe.make)
    });
    let written = if is_page {
        let page = picture::book_page(&found);
        Output::create(&args.output, args.writing.into())?
            .write(|out| out.write_all(page.as_bytes()))?
    } else {
        png::write(&args.output, args.writing.into(), || picture::book_sheet(&found))?
    };
    console.result(&written.words())
}
