//! The rig on a real link, in real, faster or no time.

mod pty;
mod tcp;

pub use pty::serve_pty;
pub use tcp::serve_tcp;

use crate::rig::Rig;
use std::io;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// How simulated time follows the clock.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Pace {
    /// This many simulated seconds in a real one.
    Times(f64),
    /// As fast as lines come in: time goes by only when the planner is full, or when nothing more
    /// has come for a moment.
    Max,
}

/// How a client's visit went, as the line saw it.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Traffic {
    /// Bytes received.
    pub bytes: u64,
    /// Real seconds from the first byte to the last.
    pub seconds: f64,
}

/// The two directions of a link. Reads never wait longer than a moment.
pub(crate) trait Port {
    /// Reads what is there; nothing when nothing came within `wait`; `None` when the other end
    /// has gone.
    fn read(&mut self, buffer: &mut [u8], wait: Duration) -> io::Result<Option<usize>>;
    /// Sends all of it.
    fn write(&mut self, bytes: &[u8]) -> io::Result<()>;
}

/// Nobody is connected for so long: it goes on with what it has. What it says is heard by the next one.
pub fn alone(rig: &mut Rig, pace: Pace, time: Duration) {
    match pace {
        Pace::Times(times) => rig.advance(rig.now() + time.as_secs_f64() * times),
        Pace::Max => while rig.advance_to_next() && !rig.waits_for_operator() {},
    }
}

/// A pause of this length means that nothing more is coming for now.
const QUIET: Duration = Duration::from_millis(2);
/// How long a read waits while nothing is going on.
const PATIENCE: Duration = Duration::from_millis(20);

/// Serves one client until it goes away or `stop` is set.
pub(crate) fn serve(
    rig: &mut Rig,
    port: &mut dyn Port,
    pace: Pace,
    stop: &AtomicBool,
) -> io::Result<Traffic> {
    let (began, sim_began) = (Instant::now(), rig.now());
    let mut traffic = Traffic::default();
    let mut first: Option<Instant> = None;
    let mut buffer = [0; 4096];
    while !stop.load(Ordering::Relaxed) {
        if rig.has_closed() {
            return Ok(traffic);
        }
        if rig.has_output() {
            let output = rig.take_output();
            if port.write(&output).is_err() {
                return Ok(traffic);
            }
        }
        let wait = match pace {
            Pace::Max if rig.is_full() => Duration::ZERO,
            Pace::Max if rig.next_event().is_some() => QUIET,
            Pace::Times(_) if rig.next_event().is_some() => Duration::from_millis(1),
            _ => PATIENCE,
        };
        let count = if wait.is_zero() { Some(0) } else { port.read(&mut buffer, wait)? };
        match count {
            None => return Ok(traffic),
            Some(0) => {
                if pace == Pace::Max {
                    rig.advance_to_next();
                }
            }
            Some(count) => {
                let now = Instant::now();
                traffic.bytes += count as u64;
                traffic.seconds = (now - *first.get_or_insert(now)).as_secs_f64();
                rig.receive(&buffer[..count]);
            }
        }
        if let Pace::Times(times) = pace {
            rig.advance(sim_began + began.elapsed().as_secs_f64() * times);
        }
    }
    Ok(traffic)
}
