//! A controller on the network.

use super::{Heard, Link, LinkError, hear};
use std::io::{self, Read, Write};
use std::net::{TcpStream, ToSocketAddrs};
use std::time::Duration;
use tinkite_wire::Instant;

/// How long opening and sending may take.
const PATIENCE: Duration = Duration::from_secs(5);

pub(super) struct TcpLink {
    stream: TcpStream,
    wait: Duration,
    began: std::time::Instant,
}

impl TcpLink {
    /// Opens `HOST:PORT`.
    pub(super) fn open(address: &str) -> Result<Self, LinkError> {
        let failed = |source| LinkError::Tcp { address: address.into(), source };
        let target = address.to_socket_addrs().map_err(failed)?.next();
        let target = target.ok_or_else(|| LinkError::NoAddress(address.into()))?;
        let stream = TcpStream::connect_timeout(&target, PATIENCE).map_err(failed)?;
        stream
            .set_nodelay(true)
            .and_then(|()| stream.set_write_timeout(Some(PATIENCE)))
            .map_err(failed)?;
        Ok(Self { stream, wait: Duration::MAX, began: std::time::Instant::now() })
    }
}

impl Link for TcpLink {
    fn send(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.stream.write_all(bytes)
    }

    fn hear(&mut self, buffer: &mut [u8], wait: Duration) -> io::Result<Heard> {
        let wait = wait.max(Duration::from_millis(1));
        if wait != self.wait {
            self.stream.set_read_timeout(Some(wait))?;
            self.wait = wait;
        }
        hear(self.stream.read(buffer))
    }

    fn now(&self) -> Instant {
        Instant(self.began.elapsed().as_micros() as u64)
    }
}
