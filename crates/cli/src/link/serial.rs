//! A controller on a serial port.

use super::{Heard, Link, heard};
use crate::refusal::Refusal;
use serialport::SerialPort;
use std::io::{self, Read, Write};
use std::time::Duration;
use tinkite_core::job::machine::BAUD;
use tinkite_wire::Instant;

pub(crate) struct SerialLink {
    port: Box<dyn SerialPort>,
    wait: Duration,
    began: std::time::Instant,
}

impl SerialLink {
    /// Opens `PORT@BAUD` (8 data bits, no parity, 1 stop bit).
    pub(crate) fn open(name: &str) -> Result<Self, Refusal> {
        let (path, baud) = match name.rsplit_once('@') {
            Some((path, baud)) => (
                path,
                baud.parse()
                    .map_err(|_| Refusal::Usage(format!("\"{baud}\" is not a baud rate")))?,
            ),
            None => (name, BAUD),
        };
        let port = serialport::new(path, baud).timeout(Duration::from_millis(20)).open().map_err(|error| {
            Refusal::Link(format!("serial:{path} does not open: {error}; check the cable, and that no other program holds it"))
        })?;
        Ok(Self { port, wait: Duration::from_millis(20), began: std::time::Instant::now() })
    }
}

impl Link for SerialLink {
    fn send(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.port.write_all(bytes)
    }

    fn hear(&mut self, buffer: &mut [u8], wait: Duration) -> io::Result<Heard> {
        let wait = wait.max(Duration::from_millis(1));
        if wait != self.wait {
            self.port.set_timeout(wait).map_err(io::Error::from)?;
            self.wait = wait;
        }
        heard(self.port.read(buffer))
    }

    fn now(&self) -> Instant {
        Instant(self.began.elapsed().as_micros() as u64)
    }
}
