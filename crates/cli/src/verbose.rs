//! `--verbose`: what was read, found and decided, in order, on standard error. Whoever finds or decides
//! something says so with `::log::info!`.

use crate::neutral;
use log::{LevelFilter, Log, Metadata, Record};

/// Writes what this program says of itself; libraries are not of interest to a person at a laser.
struct Teller;

impl Log for Teller {
    fn enabled(&self, metadata: &Metadata<'_>) -> bool {
        metadata.target().starts_with("tinkite")
    }

    fn log(&self, record: &Record<'_>) {
        if self.enabled(record.metadata()) {
            // Nobody is left to tell when that fails.
            let _ = std::io::Write::write_fmt(
                &mut std::io::stderr().lock(),
                format_args!("{}\n", neutral::text(&record.args().to_string(), false)),
            );
        }
    }

    fn flush(&self) {}
}

/// From now on everything that is told is shown.
pub(crate) fn listen() {
    // Fails only where somebody listens already.
    if log::set_logger(&Teller).is_ok() {
        log::set_max_level(LevelFilter::Info);
    }
}
