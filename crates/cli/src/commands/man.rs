//! `tinkite man`.

use crate::args::Man;
use crate::console::Console;
use crate::defaults::plain_command;
use crate::refusal::Refusal;

pub(super) fn run(args: &Man, console: &Console) -> Result<(), Refusal> {
    let Some(folder) = &args.into else {
        let mut page = Vec::new();
        clap_mangen::Man::new(plain_command())
            .render(&mut page)
            .map_err(|error| Refusal::output("standard output", &error))?;
        return console.result(&String::from_utf8_lossy(&page));
    };
    let failed = |error: std::io::Error| Refusal::output(&folder.display().to_string(), &error);
    std::fs::create_dir_all(folder).map_err(failed)?;
    if std::fs::read_dir(folder).map_err(failed)?.next().is_some() {
        let why = format!("{} is not empty: name a new folder", folder.display());
        return Err(Refusal::Usage(why));
    }
    clap_mangen::generate_to(plain_command(), folder).map_err(failed)?;
    console.say(&format!("wrote the manual pages into {}", folder.display()));
    Ok(())
}
