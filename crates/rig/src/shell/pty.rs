//! The rig on a pseudo-terminal, which programs open like a serial port.

use super::{Pace, Port, Traffic, serve};
use crate::rig::Rig;
use serialport::{SerialPort, TTYPort};
use std::io::{self, Read, Write};
use std::sync::atomic::AtomicBool;
use std::time::{Duration, Instant};

struct PtyPort<'p> {
    master: &'p mut TTYPort,
    /// A line's speed: nothing may be read faster than it could have come.
    throttle: Option<Throttle>,
    spoken: bool,
    wait: Duration,
}

/// Lets bytes through no faster than a serial line of this speed does.
struct Throttle {
    bytes_per_second: f64,
    /// When the line is free again.
    free_at: Instant,
}

impl Throttle {
    /// How many bytes the line may have delivered by now, having been busy since `free_at`.
    fn allowance(&self) -> usize {
        let now = Instant::now();
        // A line that stood idle does not save up: one byte is what it may deliver at once.
        let behind = now.saturating_duration_since(self.free_at).as_secs_f64();
        ((behind * self.bytes_per_second) as usize).max(1)
    }

    fn took(&mut self, count: usize) {
        let time = Duration::from_secs_f64(count as f64 / self.bytes_per_second);
        let now = Instant::now();
        // Up to a few milliseconds of lateness are the scheduler's, not the line's.
        let earliest = now.checked_sub(Duration::from_millis(4)).unwrap_or(now);
        self.free_at = self.free_at.max(earliest) + time;
        if self.free_at > now {
            std::thread::sleep(self.free_at - now);
        }
    }
}

impl Port for PtyPort<'_> {
    fn read(&mut self, buffer: &mut [u8], wait: Duration) -> io::Result<Option<usize>> {
        if wait != self.wait {
            self.master.set_timeout(wait).map_err(io::Error::from)?;
            self.wait = wait;
        }
        let most = self.throttle.as_ref().map_or(buffer.len(), |t| t.allowance().min(buffer.len()));
        match self.master.read(&mut buffer[..most]) {
            Ok(count) => {
                self.spoken |= count > 0;
                if let Some(throttle) = &mut self.throttle {
                    throttle.took(count);
                }
                Ok(Some(count))
            }
            Err(e)
                if matches!(
                    e.kind(),
                    io::ErrorKind::TimedOut
                        | io::ErrorKind::WouldBlock
                        | io::ErrorKind::Interrupted
                ) =>
            {
                Ok(Some(0))
            }
            // The other end is closed: not yet opened, or gone after it has spoken.
            Err(_) if self.spoken => Ok(None),
            Err(_) => {
                std::thread::sleep(wait.max(Duration::from_millis(1)));
                Ok(Some(0))
            }
        }
    }

    fn write(&mut self, bytes: &[u8]) -> io::Result<()> {
        // Nobody listening at the other end of a cable is no error; a read notices who went.
        let _ = self.master.write_all(bytes);
        Ok(())
    }
}

/// Serves one client on the pseudo-terminal `master`, at the speed of a serial line of `baud`
/// (ten bits a byte) when given, until it goes away or `stop` is set.
///
/// # Errors
/// A terminal that can no longer be read.
pub fn serve_pty(
    rig: &mut Rig,
    master: &mut TTYPort,
    baud: Option<u32>,
    pace: Pace,
    stop: &AtomicBool,
) -> io::Result<Traffic> {
    let throttle = baud
        .map(|baud| Throttle { bytes_per_second: f64::from(baud) / 10.0, free_at: Instant::now() });
    let mut port = PtyPort { master, throttle, spoken: false, wait: Duration::MAX };
    serve(rig, &mut port, pace, stop)
}
