//! Whether a program stays on the bed, now that the controller has said where it counts from.

use super::program::ProgramFile;
use tinkite_core::geometry::Point;
use tinkite_core::job::Zero;
use tinkite_core::problem::Code;
use tinkite_core::quantity::plain;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_wire::Connected;

/// A work offset may differ from the profile's by this much, mm.
const SAME: f64 = 0.01;

/// Holds the program against the bed from where the machine stands, before the beam lights; what
/// the operator should know is returned.
///
/// # Errors
/// What would leave the bed, and a work offset that a job which counts from the bed does not expect.
pub(super) fn check(
    program: &mut ProgramFile,
    connected: &Connected,
) -> Result<Vec<String>, Refusal> {
    // Our own programs say which coordinate system they mean.
    let system = program.about.zero.map(|_| "G54");
    let Some(offset) = connected.work_offset(system) else {
        return Ok(match program.about.zero {
            Some(Zero::Bed) => Vec::new(),
            _ => vec![
                "this controller does not tell where its zero is: whether the program stays on the bed is not checked".into(),
            ],
        });
    };
    let bed = program.about.machine.bed.offset;
    let from_bed = |p: [f64; 3]| [p[0] - bed.x, p[1] - bed.y, p[2]];
    let away = from_bed(offset);
    if program.about.zero == Some(Zero::Bed) && (away[0].abs() > SAME || away[1].abs() > SAME) {
        return Err(Refusal::Unfit(format!(
            "the job counts from the machine's own zero, and the controller has a work offset of X {} Y {} mm (G54 and G92); tinkite head zero --clear takes it back, or set zero = \"stock\" in [place]",
            plain(offset[0], 3),
            plain(offset[1], 3),
        )));
    }
    let position = connected.position.map_or(away, from_bed);
    let report = program.measured_at(position, away)?;
    if report.problems.refuse() {
        return Err(Refusal::Problems(report.problems, Sources::new()));
    }
    if let Some(problem) = report.problems.iter().find(|p| p.code == Code::OffsetUnknown) {
        return Err(Refusal::Unfit(format!(
            "{}: a run is followed in G54 and in what the program sets itself (G10 L2)",
            problem.message
        )));
    }
    program.report = report;
    let told = match program.about.zero {
        Some(Zero::Stock) => Some(("the zero set on the stock", away)),
        Some(Zero::Head) => Some(("where the head stands", position)),
        _ => None,
    };
    Ok(told
        .map(|(what, at)| {
            let origin = program.about.machine.bed.origin_offset();
            let plane = program.about.machine.pointing.to_plane(Point::new(at[0], at[1]).to_vec2());
            let on_bed = plane + origin;
            format!(
                "counts from {what}: {} mm from the left and {} mm from the front of the bed",
                plain(on_bed.x, 2),
                plain(on_bed.y, 2)
            )
        })
        .into_iter()
        .collect())
}
