//! Ctrl-C and its like: noticed, never obeyed blindly, so that the beam goes off first. Ctrl-Z, too:
//! a program that the terminal stops could not switch off the beam.

use std::io;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};
use tinkite_files::refusal::Refusal;

/// Whether somebody wants this program to stop.
#[derive(Debug, Clone, Default)]
pub struct Stopping {
    flag: Arc<AtomicBool>,
    /// Nothing is left that has to be stopped: a signal ends the process, as it does everywhere.
    over: Arc<AtomicBool>,
    /// The moment from which on it is wanted without a signal.
    from: Option<Instant>,
}

impl Stopping {
    /// Watches for Ctrl-C, Ctrl-Z, Ctrl-\\, a closed terminal and a polite kill from now on.
    pub fn watch() -> Result<Self, Refusal> {
        Self::listening()
            .map_err(|source| Refusal::System { what: "Ctrl-C cannot be watched", source })
    }

    fn listening() -> io::Result<Self> {
        use signal_hook::consts::{SIGINT, SIGTERM};
        use signal_hook::flag::{register, register_conditional_default};
        let stopping = Self::default();
        let watch = |signal| {
            register_conditional_default(signal, stopping.over.clone())?;
            register(signal, stopping.flag.clone())
        };
        #[cfg(unix)]
        for signal in {
            use signal_hook::consts::{SIGHUP, SIGQUIT, SIGTSTP};
            [SIGHUP, SIGQUIT, SIGTSTP]
        } {
            watch(signal)?;
        }
        for signal in [SIGINT, SIGTERM] {
            watch(signal)?;
        }
        Ok(stopping)
    }

    /// Whether it was asked for.
    pub fn is_wanted(&self) -> bool {
        self.flag.load(Ordering::Relaxed) || self.from.is_some_and(|from| Instant::now() >= from)
    }

    /// Nothing is left that has to be stopped: from now on a signal ends the process.
    pub fn let_go(&self) {
        self.over.store(true, Ordering::Relaxed);
    }

    /// The same, and after this time in any case.
    pub fn or_after(self, time: Option<Duration>) -> Self {
        Self { from: time.map(|time| Instant::now() + time), ..self }
    }

    /// The flag itself.
    pub fn flag(&self) -> &AtomicBool {
        &self.flag
    }
}
