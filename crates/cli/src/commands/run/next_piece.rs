//! Waiting until somebody says that the next piece lies in its place: by a key in a terminal, by a line on standard
//! input elsewhere (a foot switch, a script).

use super::keys::key_that;
use super::screen::RawKeys;
use crate::console::Console;
use ratatui_crossterm::crossterm::event::KeyCode;
use std::io::{self, BufRead, IsTerminal};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Duration;
use tinkite_files::refusal::Refusal;
use tinkite_operate::stopping::Stopping;

/// How often it is looked whether somebody does not want to wait.
const GLANCE: Duration = Duration::from_millis(50);

/// Somebody lays in a piece for so long at most: behind it nobody is there.
const PATIENCE: Duration = Duration::from_secs(12 * 60 * 60);

/// What somebody says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Word {
    /// Burn it.
    Burn,
    /// Finish what broke off.
    Finish,
    /// Burn the same anew, on new stock.
    Anew,
    /// No more.
    End,
}

/// Who says it.
pub(super) enum Somebody {
    /// One who sits at a terminal.
    AtTerminal,
    /// Whoever writes lines.
    Writing(Arc<Lines>),
}

/// What comes on standard input.
#[derive(Default)]
pub(super) struct Lines {
    /// How many lines have come.
    count: AtomicU64,
    /// No more will come.
    over: AtomicBool,
}

impl Somebody {
    /// Whoever is there.
    pub(super) fn there(console: &Console) -> Self {
        if io::stdin().is_terminal() && io::stderr().is_terminal() && !console.json {
            return Self::AtTerminal;
        }
        let lines = Arc::new(Lines::default());
        let counted = Arc::clone(&lines);
        // Nobody waits for this thread: it ends with standard input, or with the process.
        std::thread::spawn(move || {
            let mut input = io::stdin().lock();
            // Nothing of a line is kept, however long it is.
            while let Ok(1..) = input.skip_until(b'\n') {
                counted.count.fetch_add(1, Ordering::SeqCst);
            }
            counted.over.store(true, Ordering::SeqCst);
        });
        Self::Writing(lines)
    }

    /// Waits until it is said that `piece` lies in its place. What was typed before does not count.
    ///
    /// # Errors
    /// It is not said.
    pub(super) fn says_next(
        &self,
        piece: &str,
        stopping: &Stopping,
        console: &Console,
    ) -> Result<(), Refusal> {
        let not = |why: &str| Err(Refusal::Stopped(format!("{why}; nothing of {piece} was sent")));
        match self {
            Self::AtTerminal => {
                let keys = [(KeyCode::Enter, Word::Burn), (KeyCode::Char('q'), Word::End)];
                let asked = format!("{piece}: lay it in  [Enter: burn it   q: end here]");
                match key(&asked, &keys, stopping, console) {
                    Word::Burn => Ok(()),
                    _ => not("ended here"),
                }
            }
            Self::Writing(lines) => {
                if !console.json {
                    console.complain(&format!(
                        "{piece}: lay it in; a line on standard input burns it"
                    ));
                }
                let before = lines.count.load(Ordering::SeqCst);
                while !stopping.is_wanted() {
                    // Whether any will come is asked first: the last line comes before the end.
                    let over = lines.over.load(Ordering::SeqCst);
                    if lines.count.load(Ordering::SeqCst) > before {
                        return Ok(());
                    }
                    if over {
                        return not(
                            "standard input has ended, and nobody says that the next piece lies in its place",
                        );
                    }
                    std::thread::sleep(GLANCE);
                }
                not("stopped")
            }
        }
    }

    /// Waits until it is said what becomes of a piece that broke off; nobody who only writes lines is asked.
    pub(super) fn says_of_broken(
        &self,
        piece: &str,
        stopping: &Stopping,
        console: &Console,
    ) -> Word {
        let Self::AtTerminal = self else { return Word::End };
        let keys = [
            (KeyCode::Char('f'), Word::Finish),
            (KeyCode::Char('a'), Word::Anew),
            (KeyCode::Char('q'), Word::End),
        ];
        let asked = format!(
            "{piece} broke off  [f: finish it, it still lies in its place   a: anew, new stock is laid in   q: end here]"
        );
        key(&asked, &keys, stopping, console)
    }
}

/// One of these keys; others mean nothing, and whoever goes away ends it.
pub(super) fn key(
    asked: &str,
    keys: &[(KeyCode, Word)],
    stopping: &Stopping,
    console: &Console,
) -> Word {
    console.complain(asked);
    let Ok(_keyboard) = RawKeys::begin() else { return Word::End };
    let keys = keys.to_vec();
    let known = keys.clone();
    let typed = key_that(stopping, PATIENCE, move |key| word_of(key, &known).is_some());
    typed.and_then(|key| word_of(key, &keys)).unwrap_or(Word::End)
}

/// What a key means among these.
fn word_of(key: KeyCode, keys: &[(KeyCode, Word)]) -> Option<Word> {
    let key = match key {
        KeyCode::Char(letter) => KeyCode::Char(letter.to_ascii_lowercase()),
        KeyCode::Esc => KeyCode::Char('q'),
        other => other,
    };
    keys.iter().find(|(known, _)| *known == key).map(|(_, word)| *word)
}
