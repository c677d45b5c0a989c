//! What the simulated machine is.

use crate::axes::Axes;

/// The languages of controllers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Protocol {
    /// The public `grbl` interface.
    #[default]
    Grbl,
    /// The text protocol of 3-D-printer firmware.
    Reprap,
}

/// How a board speaks, where boards differ.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ways {
    /// What it says when it starts.
    pub banner: Banner,
    /// Whether a status tells its room (`Bf:`).
    pub tells_room: bool,
    /// Whether a status tells the place from the work zero (`WPos:`) instead of the machine's.
    pub work_position: bool,
    /// Whether errors and alarms have words instead of numbers.
    pub words: bool,
    /// Whether `$I` is answered with an error.
    pub no_build: bool,
}

impl Default for Ways {
    /// As the interface's documentation has it.
    fn default() -> Self {
        Self {
            banner: Banner::Usual,
            tells_room: true,
            work_position: false,
            words: false,
            no_build: false,
        }
    }
}

/// What a board says when it starts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Banner {
    /// `Grbl 1.1h …`
    Usual,
    /// The same behind a vendor's name.
    Vendor,
    /// Nothing at all.
    Silent,
}

/// The machine that the rig pretends to be. Lengths in mm, speeds in mm/s, accelerations in mm/s².
#[derive(Debug, Clone, PartialEq)]
pub struct Setup {
    /// Least coordinate of X and Y.
    pub low: [f64; 2],
    /// Greatest coordinate of X and Y.
    pub high: [f64; 2],
    /// Top speed of X, Y and the axis that turns (deg/s).
    pub top_speed: [f64; 3],
    /// Acceleration of X, Y and the axis that turns (deg/s²).
    pub acceleration: [f64; 3],
    /// Whether there is an axis that turns.
    pub turning: bool,
    /// Diameter of what it turns, mm.
    pub diameter: Option<f64>,
    /// The work offset that it wakes up with.
    pub offset: [f64; 2],
    /// Which language it speaks.
    pub protocol: Protocol,
    /// Where the focus axis stands when a probe on the head touches the surface; none: nothing is there.
    pub surface: Option<f64>,
    /// Top speed and acceleration of the focus.
    pub focus: [f64; 2],
    /// Junction deviation, mm.
    pub corner: f64,
    /// S value at full power.
    pub full: f64,
    /// Whether S changes without stopping and G0 has the beam off.
    pub laser_mode: bool,
    /// Whether moves beyond `low` and `high` raise an alarm.
    pub soft_limits: bool,
    /// Bytes of the receive buffer.
    pub buffer: usize,
    /// Places in the planner.
    pub planner: usize,
    /// Lines that it works through in a second; none: as many as come.
    pub lines_per_second: Option<f64>,
    /// Bytes that the cable carries in a second; none: as many as are sent.
    pub bytes_per_second: Option<f64>,
    /// Whether it finds its zero by itself, and is locked until it has (`$22`).
    pub homes: bool,
    /// Codes that its firmware has beyond the interface: letter and number. They take words of their own, and switch
    /// what is not simulated.
    pub own: Vec<(u8, f64)>,
    /// How it speaks.
    pub ways: Ways,
}

impl Default for Setup {
    /// A bed of 400 × 300 mm.
    fn default() -> Self {
        Self {
            low: [0.0, 0.0],
            high: [400.0, 300.0],
            top_speed: [250.0, 200.0, 360.0],
            acceleration: [1500.0, 1200.0, 3600.0],
            turning: false,
            diameter: None,
            offset: [0.0; 2],
            protocol: Protocol::Grbl,
            surface: None,
            focus: [10.0, 100.0],
            corner: 0.01,
            full: 1000.0,
            laser_mode: true,
            soft_limits: true,
            buffer: 128,
            planner: 15,
            lines_per_second: None,
            bytes_per_second: None,
            homes: false,
            own: Vec::new(),
            ways: Ways::default(),
        }
    }
}

impl Setup {
    /// Top speeds of X, Y, what turns and the focus.
    pub(crate) fn top_speeds(&self) -> Axes {
        let [x, y, turn] = self.top_speed;
        [x, y, turn, self.focus[0]]
    }

    /// Accelerations of X, Y, what turns and the focus.
    pub(crate) fn accelerations(&self) -> Axes {
        let [x, y, turn] = self.acceleration;
        [x, y, turn, self.focus[1]]
    }

    /// The `$` settings, as the interface numbers them.
    pub(crate) fn dollars(&self) -> Vec<(u16, f64)> {
        let flag = |on: bool| f64::from(u8::from(on));
        vec![
            (10, 1.0),
            (11, self.corner),
            (12, ARC_TOLERANCE),
            (13, 0.0),
            (20, flag(self.soft_limits)),
            (21, 0.0),
            (22, flag(self.homes)),
            (30, self.full),
            (31, 0.0),
            (32, flag(self.laser_mode)),
            (110, self.top_speed[0] * 60.0),
            (111, self.top_speed[1] * 60.0),
            (120, self.acceleration[0]),
            (121, self.acceleration[1]),
            (130, self.high[0] - self.low[0]),
            (131, self.high[1] - self.low[1]),
        ]
    }

    /// Changes one setting; whether there is such a setting.
    pub(crate) fn set(&mut self, key: u16, value: f64) -> bool {
        let positive = value > 0.0;
        match key {
            10 | 12 | 13 | 21 | 22 | 31 => {}
            11 if positive => self.corner = value,
            20 => self.soft_limits = value != 0.0,
            30 if positive => self.full = value,
            32 => self.laser_mode = value != 0.0,
            110 | 111 if positive => self.top_speed[usize::from(key - 110)] = value / 60.0,
            120 | 121 if positive => self.acceleration[usize::from(key - 120)] = value,
            130 | 131 if positive => {
                let axis = usize::from(key - 130);
                self.high[axis] = self.low[axis] + value;
            }
            _ => return false,
        }
        true
    }
}

/// Arcs become chords that stray this far at most, mm.
pub(crate) const ARC_TOLERANCE: f64 = 0.002;
