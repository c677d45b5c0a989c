//! `tinkite completions`: a script that asks this program what can come next, so that steps, machines, recipes and
//! runs are completed as well.

use crate::args::Completions;
use crate::console::Console;
use clap_complete::env::Shells;
use tinkite_files::refusal::Refusal;

pub(super) fn run(args: &Completions, console: &Console) -> Result<(), Refusal> {
    let shells = Shells::builtins();
    let name = args.shell.to_string();
    let Some(shell) = shells.completer(&name) else {
        return Err(Refusal::Usage(format!("there are no completions for {name}")));
    };
    let mut script = Vec::new();
    shell
        .write_registration("COMPLETE", "tinkite", "tinkite", "tinkite", &mut script)
        .map_err(|error| Refusal::output("standard output", error))?;
    console.result(&String::from_utf8_lossy(&script))
}
