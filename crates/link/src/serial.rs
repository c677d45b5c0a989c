//! A controller on a serial port.

use super::{Heard, Link, LinkError, hear};
use serialport::SerialPort;
use std::io::{self, Read, Write};
use std::path::Path;
use std::time::Duration;
use tinkite_machine::BAUD;
use tinkite_wire::Instant;

pub(super) struct SerialLink {
    port: Box<dyn SerialPort>,
    wait: Duration,
    began: std::time::Instant,
}

impl SerialLink {
    /// Opens `PORT@BAUD` (8 data bits, no parity, 1 stop bit).
    pub(super) fn open(name: &str) -> Result<Self, LinkError> {
        let (path, baud) = match name.rsplit_once('@') {
            Some((path, baud)) => (path, baud.parse().map_err(|_| LinkError::Baud(baud.into()))?),
            None => (name, BAUD),
        };
        let port = serialport::new(path, baud)
            .timeout(Duration::from_millis(20))
            .open()
            .map_err(|error| LinkError::Serial(cannot_open(path, &error)))?;
        Ok(Self { port, wait: Duration::from_millis(20), began: std::time::Instant::now() })
    }
}

/// Why a port does not open, and what to do.
fn cannot_open(path: &str, error: &serialport::Error) -> String {
    let kind = match error.kind() {
        serialport::ErrorKind::Io(kind) => kind,
        serialport::ErrorKind::NoDevice if Path::new(path).exists() => io::ErrorKind::ResourceBusy,
        serialport::ErrorKind::NoDevice => io::ErrorKind::NotFound,
        _ => io::ErrorKind::Other,
    };
    // What the library makes of the error leaves out why a port that is there may not be opened.
    let seen = std::fs::File::options().read(true).write(true).open(path);
    let kind = match seen {
        Err(error) if error.kind() == io::ErrorKind::PermissionDenied => error.kind(),
        Err(error) if error.kind() == io::ErrorKind::NotFound => error.kind(),
        _ => kind,
    };
    match kind {
        io::ErrorKind::NotFound => {
            let there = ports();
            let there = if there.is_empty() {
                "no serial port is there at all: is the cable in, and does it carry data?"
                    .to_string()
            } else {
                format!("these are there: {}", there.join(", "))
            };
            format!("serial:{path}: there is no such port; {there}")
        }
        io::ErrorKind::PermissionDenied => format!(
            "serial:{path}: this account may not open it; {}",
            group(path).map_or("ask who runs this computer".into(), |group| format!(
                "it belongs to the group {group}: sudo usermod -aG {group} $USER, then log in anew"
            ))
        ),
        io::ErrorKind::ResourceBusy => {
            format!("serial:{path} is held by another program: close it there first")
        }
        _ => format!(
            "serial:{path} does not open: {error}; check the cable, and that no other program holds it"
        ),
    }
}

/// The serial ports of this computer.
fn ports() -> Vec<String> {
    let mut names: Vec<String> = serialport::available_ports()
        .unwrap_or_default()
        .into_iter()
        .filter(|port| !matches!(port.port_type, serialport::SerialPortType::Unknown))
        .map(|port| port.port_name)
        .collect();
    names.sort();
    names
}

/// The name of the group that may open a port, where one may.
#[cfg(unix)]
fn group(path: &str) -> Option<String> {
    use std::os::unix::fs::MetadataExt;
    let port = std::fs::metadata(path).ok()?;
    let number =
        Some(port.gid()).filter(|gid| *gid != 0 && port.mode() & 0o060 == 0o060)?.to_string();
    let groups = std::fs::read_to_string("/etc/group").ok()?;
    groups.lines().find_map(|line| {
        let mut fields = line.split(':');
        let name = fields.next()?;
        (fields.nth(1)? == number).then(|| name.to_string())
    })
}

#[cfg(not(unix))]
fn group(_path: &str) -> Option<String> {
    None
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
        hear(self.port.read(buffer))
    }

    fn now(&self) -> Instant {
        Instant(self.began.elapsed().as_micros() as u64)
    }
}
