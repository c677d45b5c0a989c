//! Where a controller says that the head is.

use tinkite_machine::Machine;
use tinkite_reader::Axes;
use tinkite_wire::Status;

/// A position on the machine's axes of which some are known: X, Y, Z (mm), A, B, C (degrees).
pub type Position = [Option<f64>; 6];

/// Turns what a controller reports into machine positions.
#[derive(Debug, Clone, Copy)]
pub struct Reports {
    /// The offset that was told last, mm; work positions need it.
    offset: Option<[f64; 3]>,
    /// Which of A, B, C the fourth number is.
    turning: usize,
}

impl Reports {
    /// For a machine whose program's zero lies at `offset`, where that is known.
    #[must_use]
    pub fn new(machine: &Machine, offset: Option<[f64; 3]>) -> Self {
        Self { offset, turning: turning(machine) }
    }

    /// The position in a status, if it tells one.
    pub fn position(&mut self, status: &Status) -> Option<Position> {
        self.offset = status.offset.or(self.offset);
        let told = status.position?;
        let from = if status.machine_position { [0.0; 3] } else { self.offset? };
        let mut position: Position = [None; 6];
        for axis in 0..3 {
            position[axis] = Some(told[axis] + from[axis]);
        }
        position[self.turning] = status.turn;
        Some(position)
    }
}

/// Which axis (A, B or C: 3 to 5) the fourth number of a position means.
#[must_use]
pub fn turning(machine: &Machine) -> usize {
    match machine.rotary.map(|rotary| rotary.letter) {
        Some(b'B') => 4,
        Some(b'C') => 5,
        _ => 3,
    }
}

/// A position as axes; what is not known counts as `otherwise` has it.
pub(crate) fn fill(position: &Position, otherwise: &Axes) -> Axes {
    std::array::from_fn(|axis| position[axis].unwrap_or(otherwise[axis]))
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_wire::Message;

    fn machine(rotary: Option<&str>) -> Machine {
        let mut text = String::from(
            "tinkite = 1\nname = \"Small\"\n[bed]\nwidth = \"100 mm\"\ndepth = \"80 mm\"\n",
        );
        let axes = ["x", "y"].into_iter().map(str::to_string);
        for axis in axes.chain(rotary.map(str::to_lowercase)) {
            let unit = if axis.len() == 1 && "abc".contains(&axis) { "deg" } else { "mm" };
            text += &format!(
                "[axis.{axis}]\ntop-speed = \"200 {unit}/s\"\nacceleration = \"1000 {unit}/s2\"\n"
            );
        }
        if let Some(letter) = rotary {
            text += &format!("[rotary]\naxis = \"{letter}\"\nalong = \"X\"\n");
        }
        text += "[beam]\nfull = 1000\nwidth = \"0.1 mm\"\n";
        tinkite_machine::read("m", &text).unwrap()
    }

    fn status(text: &str) -> Status {
        let line = format!("<Run|{text}|FS:600,0>");
        let Message::Status(status) = Message::parse(&line) else { unreachable!("{line}") };
        status
    }

    const NOWHERE: Position = [None; 6];

    #[test]
    fn a_work_position_is_a_machine_position_once_the_offset_is_known() {
        let mut reports = Reports::new(&machine(None), None);
        assert_eq!(reports.position(&status("WPos:1,2,3")), None);
        let told = [Some(11.0), Some(-18.0), Some(33.0), None, None, None];
        assert_eq!(reports.position(&status("WPos:1,2,3|WCO:10,-20,30")), Some(told));
        // It is told now and then only, and holds until it is told anew.
        assert_eq!(reports.position(&status("WPos:1,2,3")), Some(told));
        let moved = [Some(1.5), Some(2.0), Some(3.0), None, None, None];
        assert_eq!(reports.position(&status("WPos:1,2,3|WCO:0.5,0,0")), Some(moved));
        let mut known = Reports::new(&machine(None), Some([10.0, -20.0, 30.0]));
        assert_eq!(known.position(&status("WPos:1,2,3")), Some(told));
    }

    #[test]
    fn a_machine_position_stays_what_it_is() {
        let mut reports = Reports::new(&machine(None), Some([10.0, 20.0, 30.0]));
        let told = [Some(1.0), Some(2.0), Some(3.0), None, None, None];
        assert_eq!(reports.position(&status("MPos:1,2,3|WCO:7,7,7")), Some(told));
        assert_eq!(reports.position(&status("WCO:7,7,7")), None);
    }

    #[test]
    fn the_fourth_number_is_of_the_axis_that_turns() {
        for (letter, axis) in [(None, 3), (Some("A"), 3), (Some("B"), 4), (Some("C"), 5)] {
            let machine = machine(letter);
            assert_eq!(turning(&machine), axis);
            let mut told = NOWHERE;
            for (n, value) in [(0, 1.0), (1, 2.0), (2, 3.0), (axis, 90.0)] {
                told[n] = Some(value);
            }
            let found = Reports::new(&machine, None).position(&status("MPos:1,2,3,90"));
            assert_eq!(found, Some(told), "{letter:?}");
        }
    }

    #[test]
    fn what_is_not_known_is_filled_from_elsewhere() {
        let known = [Some(1.0), None, Some(0.0), None, Some(-5.0), None];
        let filled = fill(&known, &[9.0, 8.0, 7.0, 6.0, 5.0, 4.0]);
        assert_eq!(filled, [1.0, 8.0, 0.0, 6.0, -5.0, 4.0]);
    }
}
