//! Behind a run: the air is given time to clear, and somebody is asked how it went.

use super::keys::one_key;
use super::screen::RawKeys;
use crate::console::Console;
use ratatui_crossterm::crossterm::event::KeyCode;
use serde::Serialize;
use std::sync::atomic::Ordering;
use std::time::{Duration, Instant};
use tinkite_core::machine::Machine;
use tinkite_core::quantity::clock;
use tinkite_operate::stopping::Stopping;

#[derive(Debug, Serialize)]
struct AirClear {
    event: &'static str,
    waited_seconds: f64,
}

/// How often it is looked whether somebody does not want to wait.
const GLANCE: Duration = Duration::from_millis(50);

/// Waits until the extraction has cleared the air. Ctrl-C ends the waiting, and that is said.
pub(super) fn clear_air(machine: &Machine, stopping: &Stopping, console: &Console) {
    let seconds = machine.attendance.clear_air;
    if seconds <= 0.0 {
        return;
    }
    if !console.json {
        console.say(&format!("leave the lid closed: the air clears for {}", clock(seconds)));
    }
    // What stopped the run was obeyed.
    stopping.flag().store(false, Ordering::Relaxed);
    let since = Instant::now();
    while since.elapsed().as_secs_f64() < seconds && !stopping.is_wanted() {
        std::thread::sleep(GLANCE);
    }
    let waited = since.elapsed().as_secs_f64();
    let whole = waited >= seconds;
    if console.json {
        let event = if whole { "air-clear" } else { "air-not-clear" };
        let event = AirClear { event, waited_seconds: (waited * 10.0).round() / 10.0 };
        // Nobody may listen any more.
        let _ = console.event(&event);
    } else if whole {
        console.say("the lid may be opened");
    } else {
        let left = clock((seconds - waited).max(0.0));
        console.complain(&format!(
            "NOT waited for: the air needs {left} more; leave the lid closed so long"
        ));
    }
}

/// Asks whether a job is to be run now; one key.
pub(super) fn run_now(console: &Console) -> bool {
    console.complain("run it now?  y yes  any other key: no");
    let Ok(keyboard) = RawKeys::begin() else { return false };
    let key = one_key(&Stopping::default(), PATIENCE);
    drop(keyboard);
    matches!(key, Some(KeyCode::Char('y' | 'Y')))
}

/// What can be said of a run with one key.
const WORDS: [(char, &str); 3] = [('g', "good"), ('n', "not through"), ('c', "charred")];
/// Nobody answers for so long: nobody is there.
const PATIENCE: Duration = Duration::from_secs(120);

/// Asks how it went; one key, or none.
pub(super) fn how_it_went(stopping: &Stopping, console: &Console) -> Option<&'static str> {
    let keys = WORDS.map(|(key, words)| format!("{key} {words}"));
    console.complain(&format!("how did it go?  {}  any other key: say nothing", keys.join("  ")));
    let keyboard = RawKeys::begin().ok()?;
    let key = one_key(stopping, PATIENCE);
    drop(keyboard);
    let KeyCode::Char(key) = key? else { return None };
    let found = WORDS.iter().find(|(letter, _)| *letter == key.to_ascii_lowercase());
    found.map(|(_, words)| *words)
}
