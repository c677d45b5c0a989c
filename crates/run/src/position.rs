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
