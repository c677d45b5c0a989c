//! `tinkite man`.

use crate::args::Man;
use crate::console::Console;
use crate::defaults::plain_command;
use std::path::Path;
use tinkite_files::refusal::Refusal;

pub(super) fn run(args: &Man, console: &Console) -> Result<(), Refusal> {
    let Some(folder) = &args.into else {
        let mut page = Vec::new();
        clap_mangen::Man::new(plain_command())
            .render(&mut page)
            .map_err(|error| Refusal::output("standard output", error))?;
        return console.result(&String::from_utf8_lossy(&page));
    };
    let failed = |error: std::io::Error| Refusal::output(folder.display().to_string(), error);
    let taken = folder.exists() && std::fs::read_dir(folder).map_err(failed)?.next().is_some();
    if taken {
        let why = format!("{} is not empty: name a new folder", folder.display());
        return Err(Refusal::Usage(why));
    }
    // All pages or none: they are written beside it, and get their place when they are whole.
    let beside = folder.parent().filter(|above| !above.as_os_str().is_empty());
    let beside = beside.unwrap_or(Path::new("."));
    std::fs::create_dir_all(beside).map_err(failed)?;
    let pages = tempfile::Builder::new().prefix(".tinkite-").tempdir_in(beside).map_err(failed)?;
    let whole = pages.path().join("pages");
    std::fs::create_dir(&whole).map_err(failed)?;
    clap_mangen::generate_to(plain_command(), &whole).map_err(failed)?;
    std::fs::rename(&whole, folder).map_err(failed)?;
    console.say(&format!("wrote the manual pages into {}", folder.display()));
    Ok(())
}
