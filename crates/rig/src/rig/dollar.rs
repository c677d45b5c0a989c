//! `$` commands: the controller about itself, homing, jogging.

use super::{Pending, Rig, State};
use crate::gcode::{Beam, Command, Modal};
use std::fmt::Write as _;

impl Rig {
    pub(super) fn dollar(&mut self, command: &str) -> Result<bool, u16> {
        let idle = !self.head.is_moving(&self.planner) && self.pending.is_none();
        match command {
            "" => self
                .output
                .push_str("[HLP:$$ $# $G $I $x=val $J=line $SLP $C $X $H ~ ! ? ctrl-x]\r\n"),
            "$" => {
                for (key, value) in self.setup.dollars() {
                    let _ = write!(self.output, "${key}={value}\r\n");
                }
            }
            "I" if self.setup.ways.no_build => return Err(3),
            "I" => {
                let options = if self.setup.laser_mode { "VL" } else { "V" };
                let _ = write!(
                    self.output,
                    "[VER:1.1h.rig:]\r\n[OPT:{options},{},{}]\r\n",
                    self.setup.planner, self.setup.buffer
                );
            }
            "G" => self.report_modal(),
            "#" => {
                for (n, [x, y, _, z]) in (54..).zip(self.modal.offsets.systems()) {
                    let _ = write!(self.output, "[G{n}:{x:.3},{y:.3},{z:.3}]\r\n");
                }
                let [x, y, _, z] = self.modal.offsets.shift();
                let _ = write!(
                    self.output,
                    "[G28:0.000,0.000,0.000]\r\n[G92:{x:.3},{y:.3},{z:.3}]\r\n"
                );
            }
            "X" if self.state == State::Alarm => {
                self.state = State::Ready;
                self.output.push_str("[MSG:Caution: Unlocked]\r\n");
            }
            "X" => {}
            "H" if !idle => return Err(8),
            "H" => {
                self.state = State::Ready;
                self.planner.push(self.head.at, [0.0; 4], None, None, &self.setup);
                self.pending = Some(Pending::Home);
                return Ok(false);
            }
            "SLP" if !idle => return Err(8),
            "SLP" => {
                self.modal.beam = Beam::Off;
                self.state = State::Sleep;
                self.output.push_str("[MSG:Sleeping]\r\n");
            }
            "C" if self.state == State::Check => self.state = State::Ready,
            "C" if idle && self.state == State::Ready => self.state = State::Check,
            "C" => return Err(8),
            _ => {
                if let Some(jog) = command.strip_prefix("J=") {
                    return self.jog(jog);
                }
                let (key, value) = command.split_once('=').ok_or(3_u16)?;
                let (key, value) =
                    (key.parse().map_err(|_| 3_u16)?, value.parse().map_err(|_| 2_u16)?);
                if !idle {
                    return Err(8);
                }
                if !self.setup.set(key, value) {
                    return Err(3);
                }
            }
        }
        Ok(true)
    }

    fn jog(&mut self, line: &str) -> Result<bool, u16> {
        let idle = self.state == State::Ready && (self.jogging || !self.is_busy());
        if !idle || self.pending.is_some() {
            return Err(9);
        }
        // A jog has modes of its own and leaves the program's alone.
        let mut jog = Modal { motion: 1, feed: 0.0, ..self.modal.clone() };
        let offset = jog.offsets.total();
        let order = jog.line(line)?;
        let Command::Moves { to, feed } = order else { return Err(16) };
        for point in &to {
            let machine = [0, 1, 2, 3].map(|n| point[n] + offset[n]);
            if (0..2).any(|n| {
                machine[n] < self.setup.low[n] - 1e-3 || machine[n] > self.setup.high[n] + 1e-3
            }) {
                return Err(15);
            }
            self.jogging = true;
            self.plan_move(machine, feed, None);
        }
        // A jog leaves the offsets alone.
        self.modal.at = jog.at;
        Ok(true)
    }

    fn report_modal(&mut self) {
        let m = &self.modal;
        let beam = match m.beam {
            Beam::Off => "M5",
            Beam::Constant => "M3",
            Beam::Dynamic => "M4",
        };
        let _ = write!(
            self.output,
            "[GC:G{} G{} G17 G{} G{} G{} {beam} {} T0 F{} S{}]\r\n",
            m.motion,
            54 + m.offsets.in_force(),
            if m.inches { 20 } else { 21 },
            if m.relative { 91 } else { 90 },
            if m.inverse_time { 93 } else { 94 },
            if m.air { "M8" } else { "M9" },
            m.feed,
            m.s
        );
    }
}
