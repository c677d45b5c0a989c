//! What a job counts from, as the controller stands.

use crate::place::on_bed;
use tinkite_core::geometry::Point;
use tinkite_core::job::Zero;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_wire::Connected;

/// Where the program's zero lies and where the head stands, mm from the front left corner of the bed.
pub fn counts_from(
    machine: &Machine,
    connected: &Connected,
    zero: Zero,
) -> Result<(Point, Point), Refusal> {
    let flat = |at: [f64; 3]| on_bed(machine, Point::new(at[0], at[1]));
    let untold = |what: &str| {
        Refusal::Link(format!("this controller does not tell where {what} is: nothing was sent"))
    };
    let head = flat(connected.position.ok_or_else(|| untold("its head"))?);
    let own = machine.bed.origin_offset().to_point();
    let set = connected.work_offset(Some("G54")).map(flat);
    let begin = match zero {
        Zero::Head => head,
        Zero::Stock => set.ok_or_else(|| untold("the zero on the stock"))?,
        Zero::Bed => {
            if let Some(set) = set.filter(|set| (*set - own).hypot() > 0.01) {
                return Err(Refusal::Link(format!(
                    "the job counts from the machine's own zero, and the controller has a work offset (its zero lies {} mm from the left and {} mm from the front of the bed): tinkite head zero --clear takes it back, or set zero = \"stock\" in [place]; nothing was sent",
                    plain(set.x, 2),
                    plain(set.y, 2)
                )));
            }
            own
        }
    };
    Ok((begin, head))
}
