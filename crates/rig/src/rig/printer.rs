//! The text protocol of 3-D-printer firmware: numbered lines with a checksum, and one `ok` for each.

use super::{Pending, Rig, State};
use crate::gcode::Beam;
use crate::offsets::Offsets;
use crate::settings::Protocol;
use std::fmt::Write as _;

/// Which line is to come next.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Counter {
    last: u64,
    /// When it last said that it is busy, s.
    busy_said: f64,
}

/// Firmware that cannot answer yet says so this often, s.
const BUSY_EVERY: f64 = 2.0;

impl Rig {
    /// While a line waits for its `ok` the sender is kept waiting.
    pub(super) fn say_busy(&mut self, now: f64) {
        let waits = self.setup.protocol == Protocol::Reprap && self.pending.is_some();
        if !waits {
            self.printer.busy_said = now;
        } else if now - self.printer.busy_said >= BUSY_EVERY {
            self.printer.busy_said = now;
            self.output.push_str("echo:busy: processing\r\n");
        }
    }

    /// Takes a line with or without its number.
    pub(super) fn printer_line(&mut self, line: &str) {
        if line.is_empty() {
            // Firmware passes over empty lines without an answer.
            return;
        }
        let text = match self.strip_frame(line) {
            Ok(text) => text,
            Err(why) => {
                let next = self.printer.last + 1;
                let _ = write!(
                    self.output,
                    "Error:{why}, Last Line: {}\r\nResend: {next}\r\n",
                    self.printer.last
                );
                self.record.errors += 1;
                return self.ok();
            }
        };
        if text.is_empty() {
            return self.ok();
        }
        match text.split_whitespace().next().unwrap_or_default() {
            "M110" => self.ok(),
            "M112" => self.emergency(),
            "M410" => {
                self.drop_motion();
                self.modal.at = self.work_position();
                self.ok();
            }
            "M108" | "M84" | "M18" => self.ok(),
            "G28" => {
                self.planner.push(self.head.at, [0.0; 4], None, None, &self.setup);
                self.pending = Some(Pending::Home);
                // Its coordinates are the machine's again.
                self.modal.offsets = Offsets::default();
            }
            "M114" => {
                let [x, y, _, z] = self.work_position();
                let _ = write!(self.output, "X:{x:.2} Y:{y:.2} Z:{z:.2} E:0.00\r\n");
                self.ok();
            }
            "M115" => {
                self.output.push_str("FIRMWARE_NAME:simulated machine PROTOCOL_VERSION:1.0\r\n");
                self.ok();
            }
            _ => match self.program_line(text) {
                Ok(true) => self.ok(),
                Ok(false) => {}
                // Firmware says what it did not understand, and goes on.
                Err(_) => {
                    let _ = write!(self.output, "echo:Unknown command: \"{text}\"\r\n");
                    self.record.errors += 1;
                    self.ok();
                }
            },
        }
    }

    /// The line without its number and checksum.
    fn strip_frame<'l>(&mut self, line: &'l str) -> Result<&'l str, &'static str> {
        let Some(numbered) = line.strip_prefix('N') else {
            return if line.contains('*') { Err("No Line Number with checksum") } else { Ok(line) };
        };
        let (body, sum) = line.rsplit_once('*').ok_or("No Checksum with line number")?;
        let found = body.bytes().fold(0_u8, |sum, byte| sum ^ byte);
        if sum.trim().parse() != Ok(found) {
            return Err("checksum mismatch");
        }
        let digits = numbered.find(|c: char| !c.is_ascii_digit()).unwrap_or(numbered.len());
        let number: u64 = numbered[..digits].parse().map_err(|_| "No line number")?;
        let text = body[1 + digits..].trim();
        if text.starts_with("M110") {
            self.printer.last = number;
            return Ok(text);
        }
        if number != self.printer.last + 1 {
            return Err("Line Number is not Last Line Number+1");
        }
        self.printer.last = number;
        Ok(text)
    }

    pub(super) fn emergency(&mut self) {
        self.drop_motion();
        self.modal.beam = Beam::Off;
        self.modal.s = 0.0;
        self.state = State::Alarm;
        self.output.push_str("Error:Printer halted. kill() called!\r\n");
    }
}
