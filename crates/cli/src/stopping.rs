//! Ctrl-C and its like: noticed, never obeyed blindly, so that the beam goes off first. Ctrl-Z, too:
//! a program that the terminal stops could not switch off the beam.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Whether somebody wants this program to stop.
#[derive(Debug, Clone, Default)]
pub(crate) struct Stopping(Arc<AtomicBool>);

impl Stopping {
    /// Watches for Ctrl-C, Ctrl-Z, Ctrl-\\, a closed terminal and a polite kill from now on.
    pub(crate) fn watch() -> std::io::Result<Self> {
        use signal_hook::consts::{SIGINT, SIGTERM};
        let stopping = Self::default();
        #[cfg(unix)]
        for signal in {
            use signal_hook::consts::{SIGHUP, SIGQUIT, SIGTSTP};
            [SIGHUP, SIGQUIT, SIGTSTP]
        } {
            signal_hook::flag::register(signal, stopping.0.clone())?;
        }
        for signal in [SIGINT, SIGTERM] {
            signal_hook::flag::register(signal, stopping.0.clone())?;
        }
        Ok(stopping)
    }

    /// Whether it was asked for.
    pub(crate) fn wanted(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }

    /// The flag itself.
    pub(crate) fn flag(&self) -> &AtomicBool {
        &self.0
    }
}
