//! What somebody confirms before the beam may light: point by point, or once for scripts.

use super::keys::forget_typed;
use super::screen::RawKeys;
use crate::args::Run;
use crate::console::Console;
use crate::neutral;
use ratatui_crossterm::crossterm::event::{self, Event, KeyCode, KeyEventKind, KeyModifiers};
use std::io::{self, IsTerminal, Write};
use tinkite_core::machine::Machine;
use tinkite_files::refusal::Refusal;

/// Has the machine's checklist confirmed. Nothing is asked for a simulation in this process.
///
/// # Errors
/// A checklist that nobody is there to confirm, and a point that was not confirmed.
pub(super) fn confirm(
    machine: &Machine,
    link: &str,
    args: &Run,
    console: &Console,
) -> Result<(), Refusal> {
    let points = &machine.attendance.checklist;
    if points.is_empty() || tinkite_link::is_simulated(link) {
        return Ok(());
    }
    if args.confirmed {
        console.say(&format!("confirmed: {}", points.join("; ")));
        return Ok(());
    }
    let terminal = io::stdin().is_terminal() && io::stderr().is_terminal();
    if !terminal || console.json {
        return Err(Refusal::Usage(format!(
            "{} has a checklist ({}): run it in a terminal, where each point is asked, or say --confirmed when all of it is so; nothing was sent",
            machine.name,
            points.join("; ")
        )));
    }
    let keyboard = RawKeys::begin().map_err(cannot_ask)?;
    forget_typed().map_err(cannot_ask)?;
    for point in points {
        let point = neutral::text(point, false);
        write(&format!("{point}?  [y or Enter: yes; any other key: no]  "))?;
        let yes = answer().map_err(cannot_ask)?;
        write(if yes { "yes\r\n" } else { "no\r\n" })?;
        if !yes {
            drop(keyboard);
            let why = format!("not confirmed: {point}; nothing was sent");
            return Err(Refusal::Stopped(why));
        }
    }
    Ok(())
}

fn cannot_ask(error: io::Error) -> Refusal {
    Refusal::System { what: "the checklist cannot be asked in this terminal", source: error }
}

fn write(text: &str) -> Result<(), Refusal> {
    let mut out = io::stderr().lock();
    out.write_all(text.as_bytes()).and_then(|()| out.flush()).map_err(cannot_ask)
}

/// One key: whether it means yes.
fn answer() -> io::Result<bool> {
    loop {
        if let Event::Key(key) = event::read()?
            && key.kind == KeyEventKind::Press
        {
            let plain = !key.modifiers.contains(KeyModifiers::CONTROL);
            return Ok(plain && matches!(key.code, KeyCode::Enter | KeyCode::Char('y' | 'Y')));
        }
    }
}
