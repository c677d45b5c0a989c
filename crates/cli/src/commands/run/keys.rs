//! The keyboard while a program runs.

use ratatui_crossterm::crossterm::event::{
    self, Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers,
};
use std::io;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use tinkite_operate::run::drive::News;
use tinkite_operate::run::hand::{Hand, RunOrder};
use tinkite_operate::run::news::Fact;
use tinkite_operate::stopping::Stopping;
use tinkite_wire::Adjust;

/// How often it is looked whether the run is over.
const GLANCE: Duration = Duration::from_millis(50);

/// What can be done, for the screen.
pub(super) const HELP: [(&str, &str); 6] = [
    ("space", "hold, and go on: also after a door, an M0 or a hold at the machine"),
    ("s", "stop with the beam off; run --go-on finishes it later (Ctrl-C, too)"),
    ("up, down", "10 % faster, slower"),
    ("right, left", "10 % more power, less; never above the machine's ceiling"),
    ("0", "the program's own speed and power"),
    ("h", "this help"),
];

/// What a key means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Meaning {
    Orders(&'static [RunOrder]),
    Stop,
    Help,
}

fn meaning(key: KeyEvent) -> Option<Meaning> {
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        return matches!(key.code, KeyCode::Char('c' | 'z' | '\\' | '4')).then_some(Meaning::Stop);
    }
    Some(match key.code {
        KeyCode::Char(' ') => Meaning::Orders(&[RunOrder::HoldOrGoOn]),
        KeyCode::Char('s' | 'S') => Meaning::Stop,
        KeyCode::Up => Meaning::Orders(&[RunOrder::Adjust(Adjust::Faster)]),
        KeyCode::Down => Meaning::Orders(&[RunOrder::Adjust(Adjust::Slower)]),
        KeyCode::Right => Meaning::Orders(&[RunOrder::Adjust(Adjust::Stronger)]),
        KeyCode::Left => Meaning::Orders(&[RunOrder::Adjust(Adjust::Weaker)]),
        KeyCode::Char('0') => Meaning::Orders(&[
            RunOrder::Adjust(Adjust::FullSpeed),
            RunOrder::Adjust(Adjust::FullPower),
        ]),
        KeyCode::Char('h' | 'H' | '?') => Meaning::Help,
        _ => return None,
    })
}

/// Throws away what was typed before anybody was asked.
pub(in crate::commands) fn forget_typed() -> io::Result<()> {
    while event::poll(Duration::ZERO)? {
        event::read()?;
    }
    Ok(())
}

/// Passes on what is typed until `over`. A keyboard that is gone is like one that nobody touches: signals
/// still stop the run.
pub(super) fn listen(hand: &Hand, stopping: &Stopping, shown: &News, over: &AtomicBool) {
    while !over.load(Ordering::Relaxed) {
        let event = match event::poll(GLANCE) {
            // What is typed behind the run is for whoever asks then: a reader that is late would take it away.
            Ok(true) if over.load(Ordering::Relaxed) => return,
            Ok(true) => event::read(),
            Ok(false) => continue,
            Err(error) => Err(error),
        };
        match event {
            Ok(Event::Key(key)) if key.kind != KeyEventKind::Release => match meaning(key) {
                Some(Meaning::Orders(orders)) => orders.iter().for_each(|o| hand.order(*o)),
                Some(Meaning::Stop) => stopping.flag().store(true, Ordering::Relaxed),
                Some(Meaning::Help) => shown.fact(Fact::Help),
                None => {}
            },
            Ok(Event::Resize(..)) => shown.fact(Fact::Resized),
            Ok(_) => {}
            Err(_) => return,
        }
    }
}

/// The next key that is typed; `None` when nobody types for so long, or the run is to stop.
pub(super) fn one_key(stopping: &Stopping, patience: Duration) -> Option<KeyCode> {
    key_that(stopping, patience, |_| true)
}

/// The next key that means something; others are passed over.
pub(super) fn key_that(
    stopping: &Stopping,
    patience: Duration,
    means: impl Fn(KeyCode) -> bool + Send + 'static,
) -> Option<KeyCode> {
    forget_typed().ok()?;
    let (sender, receiver) = std::sync::mpsc::channel();
    // Nobody waits for this thread: a terminal that has gone never lets a reader go.
    std::thread::spawn(move || {
        while let Ok(event) = event::read() {
            if let Event::Key(key) = event
                && key.kind == KeyEventKind::Press
                && (key.modifiers.contains(KeyModifiers::CONTROL) || means(key.code))
            {
                // Whoever asked may have gone.
                let _ = sender.send(key);
                return;
            }
        }
    });
    let since = std::time::Instant::now();
    while since.elapsed() < patience && !stopping.is_wanted() {
        if let Ok(key) = receiver.recv_timeout(GLANCE) {
            let plain = !key.modifiers.contains(KeyModifiers::CONTROL);
            return plain.then_some(key.code);
        }
    }
    None
}
