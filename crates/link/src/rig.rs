//! The simulated controller in this process.

use super::{Heard, Link, LinkError};
use std::io;
use std::time::Duration;
use tinkite_base::geometry::Vec2;
use tinkite_base::rs274::{Word, words};
use tinkite_machine::Dialect;
use tinkite_machine::Machine;
use tinkite_rig::shell::Pace;
use tinkite_rig::{Protocol, Rig, Setup};
use tinkite_wire::Instant;

/// How a rig stands when it is switched on, on the machine's axes, mm.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Stand {
    /// Where its head is; left out: at the machine's zero.
    pub head: Option<[f64; 2]>,
    /// Where its zero on the stock is set; left out: where the profile has it.
    pub zero: Option<[f64; 2]>,
}

impl Stand {
    /// A rig that pretends to be `machine` and stands so.
    #[must_use]
    pub fn rig(self, machine: &Machine, diameter: Option<f64>) -> Rig {
        let mut setup = setup(machine, diameter);
        setup.offset = self.zero.unwrap_or(setup.offset);
        let mut rig = Rig::new(setup);
        if let Some(head) = self.head {
            rig.stand_at(head);
        }
        rig
    }
}

/// A rig that pretends to be `machine`; its rotary is in use when something of a diameter (mm) is
/// held in it.
pub fn setup(machine: &Machine, diameter: Option<f64>) -> Setup {
    let corner = -machine.bed.origin_offset();
    let ends = [corner, corner + Vec2::new(machine.bed.width, machine.bed.depth)]
        .map(|end| machine.pointing.to_machine(end));
    let turning = machine.rotary.filter(|rotary| rotary.per_turn.is_none());
    let turn = turning.map_or([360.0, 3600.0], |r| [r.axis.top_speed, r.axis.acceleration]);
    // Where the rotary stands in for an axis there is no end to it.
    let endless = machine.rotary.filter(|r| r.per_turn.is_some()).map(|rotary| rotary.letter);
    let offset = machine.bed.offset;
    let (mut low, mut high) = (
        [ends[0].x.min(ends[1].x) + offset.x, ends[0].y.min(ends[1].y) + offset.y],
        [ends[0].x.max(ends[1].x) + offset.x, ends[0].y.max(ends[1].y) + offset.y],
    );
    if let (Some(_), Some(letter)) = (diameter, endless) {
        let axis = usize::from(letter == b'Y');
        (low[axis], high[axis]) = (-1e6, 1e6);
    }
    Setup {
        low,
        high,
        top_speed: [machine.x.top_speed, machine.y.top_speed, turn[0]],
        acceleration: [machine.x.acceleration, machine.y.acceleration, turn[1]],
        turning: turning.is_some(),
        diameter,
        offset: [offset.x, offset.y],
        protocol: match machine.dialect {
            Dialect::Reprap => Protocol::Reprap,
            Dialect::Grbl | Dialect::Ngc => Protocol::Grbl,
        },
        focus: machine
            .z
            .map_or(Setup::default().focus, |z| [z.axis.top_speed, z.axis.acceleration]),
        planner: machine.look_ahead.map_or(Setup::default().planner, |n| n as usize),
        corner: machine.junction_deviation,
        full: machine.beam.full,
        laser_mode: machine.beam.follows_speed,
        lines_per_second: machine.supply.lines_per_second,
        bytes_per_second: machine.supply.bytes_per_second,
        own: own_codes(machine),
        ..Setup::default()
    }
}

/// The codes in the profile's own lines that are not the interface's: the controller that they were written for has
/// them.
fn own_codes(machine: &Machine) -> Vec<(u8, f64)> {
    // Air, a dwell, and what every controller has that finds its way home.
    let known = |word: &Word| match word.letter {
        b'M' => (7.0..=9.0).contains(&word.value),
        b'G' => {
            [0.0, 4.0, 17.0, 21.0, 40.0, 49.0, 53.0, 61.0, 80.0, 90.0, 94.0].contains(&word.value)
        }
        _ => true,
    };
    let (mut own, mut line) = (Vec::new(), Vec::new());
    for said in machine.own_lines() {
        if words(said.as_bytes(), &mut line).is_ok() {
            own.extend(
                line.iter().filter(|word| !known(word)).map(|word| (word.letter, word.value)),
            );
        }
    }
    own
}

/// `real`, `max` or a number of times as fast as real.
///
/// # Errors
/// Anything else.
pub fn pace(text: &str) -> Result<Pace, LinkError> {
    match (text, text.parse::<f64>()) {
        ("max", _) => Ok(Pace::Max),
        ("real", _) => Ok(Pace::Times(1.0)),
        (_, Ok(times)) if times.is_finite() && times > 0.0 && times <= 1e6 => {
            Ok(Pace::Times(times))
        }
        _ => Err(LinkError::Pace(text.into())),
    }
}

/// A link to a rig in this process, in its own time.
pub struct RigLink {
    rig: Rig,
    pace: Pace,
    began: std::time::Instant,
    /// Said by the rig and not yet fetched.
    said: Vec<u8>,
}

impl RigLink {
    /// To this rig, which runs at this pace.
    #[must_use]
    pub fn new(rig: Rig, pace: Pace) -> Self {
        Self { rig, pace, began: std::time::Instant::now(), said: Vec::new() }
    }

    fn fetch(&mut self, buffer: &mut [u8]) -> Heard {
        self.said.extend(self.rig.take_output());
        let count = self.said.len().min(buffer.len());
        buffer[..count].copy_from_slice(&self.said[..count]);
        self.said.drain(..count);
        if count == 0 { Heard::Nothing } else { Heard::Bytes(count) }
    }
}

impl Link for RigLink {
    fn send(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.rig.receive(bytes);
        Ok(())
    }

    fn hear(&mut self, buffer: &mut [u8], wait: Duration) -> io::Result<Heard> {
        // Nobody stands at a machine that is in this process only.
        if self.rig.waits_for_operator() {
            self.rig.receive(b"~");
        }
        if !self.said.is_empty() {
            return Ok(self.fetch(buffer));
        }
        if let Pace::Times(times) = self.pace {
            if !self.rig.has_output() {
                std::thread::sleep(wait.min(Duration::from_millis(2)));
            }
            self.rig.advance(self.began.elapsed().as_secs_f64() * times);
        } else {
            // Time goes by until the rig has something to say or the wait is over.
            let until = self.rig.now() + wait.as_secs_f64();
            while !self.rig.has_output() {
                match self.rig.next_event() {
                    Some(next) if next <= until => {
                        self.rig.advance_to_next();
                    }
                    _ => {
                        self.rig.advance(until);
                        break;
                    }
                }
            }
        }
        Ok(self.fetch(buffer))
    }

    fn now(&self) -> Instant {
        let seconds = match self.pace {
            Pace::Max => self.rig.now(),
            Pace::Times(_) => self.began.elapsed().as_secs_f64(),
        };
        Instant((seconds * 1e6) as u64)
    }

    fn rig(&self) -> Option<&Rig> {
        Some(&self.rig)
    }

    fn is_real(&self) -> bool {
        self.pace != Pace::Max
    }
}
