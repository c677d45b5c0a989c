//! The rig on a TCP port.

use super::{Pace, Port, Traffic, serve};
use crate::rig::Rig;
use std::io::{self, Read, Write};
use std::net::TcpStream;
use std::sync::atomic::AtomicBool;
use std::time::Duration;

struct TcpPort {
    stream: TcpStream,
    wait: Duration,
}

impl Port for TcpPort {
    fn read(&mut self, buffer: &mut [u8], wait: Duration) -> io::Result<Option<usize>> {
        if wait != self.wait {
            self.stream.set_read_timeout(Some(wait))?;
            self.wait = wait;
        }
        match self.stream.read(buffer) {
            Ok(0) => Ok(None),
            Ok(count) => Ok(Some(count)),
            Err(e)
                if matches!(
                    e.kind(),
                    io::ErrorKind::WouldBlock
                        | io::ErrorKind::TimedOut
                        | io::ErrorKind::Interrupted
                ) =>
            {
                Ok(Some(0))
            }
            Err(_) => Ok(None),
        }
    }

    fn write(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.stream.write_all(bytes)
    }
}

/// Serves the client at the other end of `stream` until it goes away or `stop` is set.
///
/// # Errors
/// A stream that cannot be set up.
pub fn serve_tcp(
    rig: &mut Rig,
    stream: TcpStream,
    pace: Pace,
    stop: &AtomicBool,
) -> io::Result<Traffic> {
    stream.set_nonblocking(false)?;
    stream.set_nodelay(true)?;
    serve(rig, &mut TcpPort { stream, wait: Duration::MAX }, pace, stop)
}
