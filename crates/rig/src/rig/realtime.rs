//! Real-time bytes: taken out of the stream at once, never answered by `ok`.

use super::{Pending, Rig, State};
use crate::gcode::Modal;
use crate::motion::Drive;
use crate::planner::Overrides;
use std::fmt::Write as _;

/// How far the head is off when it was stopped in motion, mm along each axis.
const LOST_STEPS: f64 = 0.3;

impl Rig {
    /// Acts on a real-time byte; whether it was one.
    pub(super) fn act_at_once(&mut self, byte: u8) -> bool {
        match byte {
            b'?' => self.report_status(),
            b'!' => self.hold(State::Hold),
            b'~' => self.go_on(),
            0x18 => self.reset(),
            0x84 => self.hold(State::Door),
            0x85 => self.cancel_jog(),
            0x90..=0x9d => self.override_by(byte),
            0x9e if self.state == State::Hold && self.head.speed <= 0.0 => {
                self.beam_stopped = !self.beam_stopped;
            }
            0xa0 | 0xa1 => self.modal.air = !self.modal.air,
            0x80.. => {}
            _ => return false,
        }
        true
    }

    /// Feed, rapid and power overrides, in percent: 10 to 200, rapids 25, 50 or 100.
    fn override_by(&mut self, byte: u8) {
        let mut o = self.planner.overrides;
        let shift = |percent: u16, by: i16| percent.saturating_add_signed(by).clamp(10, 200);
        match byte {
            0x90 => o.feed = 100,
            0x91 => o.feed = shift(o.feed, 10),
            0x92 => o.feed = shift(o.feed, -10),
            0x93 => o.feed = shift(o.feed, 1),
            0x94 => o.feed = shift(o.feed, -1),
            0x95 => o.rapid = 100,
            0x96 => o.rapid = 50,
            0x97 => o.rapid = 25,
            0x99 => o.beam = 100,
            0x9a => o.beam = shift(o.beam, 10),
            0x9b => o.beam = shift(o.beam, -10),
            0x9c => o.beam = shift(o.beam, 1),
            0x9d => o.beam = shift(o.beam, -1),
            _ => {}
        }
        self.planner.change(o);
    }

    fn cancel_jog(&mut self) {
        if self.jogging && self.head.is_moving(&self.planner) {
            self.head.drive = Drive::Braking;
        }
    }

    pub(super) fn hold(&mut self, held: State) {
        let busy = self.head.is_moving(&self.planner) || self.pending.is_some();
        // An open door holds a standing machine as well, and outranks an operator's hold.
        let door = held == State::Door && self.state == State::Hold;
        if (self.state == State::Ready && (busy || held == State::Door)) || door {
            self.state = held;
            self.head.drive = Drive::Braking;
        }
    }

    pub(super) fn go_on(&mut self) {
        if matches!(self.state, State::Hold | State::Door) && self.head.speed <= 0.0 {
            if self.waits_for_operator() {
                self.pending = Some(Pending::Sync);
            }
            self.state = State::Ready;
            self.beam_stopped = false;
            self.head.drive = Drive::Planned;
            self.planner.plan();
            self.take_lines();
        }
    }

    pub(super) fn reset(&mut self) {
        let moving = self.head.speed > 0.0;
        if moving {
            // Motors that are stopped at once lose steps.
            self.record.slip[0] += LOST_STEPS;
            self.record.slip[1] -= LOST_STEPS;
        }
        self.planner.overrides = Overrides::default();
        self.beam_stopped = false;
        self.inbox.clear();
        self.arrivals.clear();
        self.drop_motion();
        self.modal = Modal {
            offsets: self.modal.offsets.reset(),
            protocol: self.modal.protocol,
            ..Modal::default()
        };
        self.modal.at = self.work_position();
        self.banner();
        let locked = matches!(self.state, State::Alarm | State::Sleep);
        self.state = if moving || locked { State::Alarm } else { State::Ready };
        if moving && !self.setup.ways.words {
            self.output.push_str("ALARM:3\r\n");
        }
        if self.state == State::Alarm {
            self.output.push_str("[MSG:'$H'|'$X' to unlock]\r\n");
        }
    }

    fn report_status(&mut self) {
        let state = match self.state {
            State::Alarm => "Alarm",
            State::Check => "Check",
            State::Sleep => "Sleep",
            State::Hold if self.head.speed > 0.0 => "Hold:1",
            State::Hold => "Hold:0",
            State::Door if self.head.speed > 0.0 => "Door:2",
            State::Door => "Door:0",
            State::Ready if matches!(self.pending, Some(Pending::Home)) => "Home",
            State::Ready if self.jogging && self.is_busy() => "Jog",
            State::Ready if self.is_busy() || self.pending.is_some() => "Run",
            State::Ready => "Idle",
        };
        let ways = self.setup.ways;
        let offset = self.modal.offsets.total();
        let from = if ways.work_position { offset } else { [0.0; 4] };
        let [x, y, turn, z] = [0, 1, 2, 3].map(|n| self.head.at[n] - from[n]);
        let place = if ways.work_position { "WPos" } else { "MPos" };
        let room = if ways.tells_room {
            format!(
                "|Bf:{},{}",
                self.setup.planner.saturating_sub(self.planner.blocks.len()),
                self.setup.buffer.saturating_sub(self.inbox.len())
            )
        } else {
            String::new()
        };
        let o = self.planner.overrides;
        let s = self.s_now();
        let turn = if self.setup.turning { format!(",{turn:.3}") } else { String::new() };
        let pressed = if self.is_touching() { "|Pn:P" } else { "" };
        let _ = write!(
            self.output,
            "<{state}|{place}:{x:.3},{y:.3},{z:.3}{turn}{room}|FS:{:.0},{s:.0}|WCO:{:.3},{:.3},{:.3}|Ov:{},{},{}{pressed}>\r\n",
            self.head.speed * 60.0,
            offset[0],
            offset[1],
            offset[3],
            o.feed,
            o.rapid,
            o.beam,
        );
    }
}
