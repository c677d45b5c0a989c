//! The one question that `tinkite begin` asks: what a drawing in one colour is for.

use crate::console::Console;
use std::io::{BufRead, IsTerminal, Write};
use tinkite_core::{Deed, Said};
use tinkite_files::refusal::Refusal;

/// Asks where somebody sits at a terminal; nothing where the guess is taken or nobody is there.
pub(super) fn ask(colour: &str, console: &Console) -> Result<Option<Vec<Said>>, Refusal> {
    let somebody = std::io::stdin().is_terminal() && std::io::stderr().is_terminal();
    if !somebody || console.json || console.quiet {
        return Ok(None);
    }
    let mut prompt = std::io::stderr().lock();
    let _ = write!(
        prompt,
        "All lines are {colour}. Enter: cut them all. o: cut the outermost, score the rest. s: score. e: engrave: "
    )
    .and_then(|()| prompt.flush());
    let mut line = String::new();
    let read = std::io::stdin()
        .lock()
        .read_line(&mut line)
        .map_err(|source| Refusal::System { what: "the answer cannot be read", source })?;
    if read == 0 {
        return Err(Refusal::Usage("no answer; nothing was written".into()));
    }
    let one = |deed, what: &str| Said { deed, what: what.into() };
    match line.trim() {
        "" => Ok(None),
        "o" => Ok(Some(vec![one(Deed::Cut, "outermost"), one(Deed::Score, "rest")])),
        "s" => Ok(Some(vec![one(Deed::Score, colour)])),
        "e" => Ok(Some(vec![one(Deed::Engrave, colour)])),
        other => Err(Refusal::Usage(format!(
            "\"{other}\" is none of Enter, o, s and e; nothing was written"
        ))),
    }
}
