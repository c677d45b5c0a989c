//! Engraving all the way round: lines that meet themselves at the seam.

use tinkite_job::Job;
use tinkite_machine::frame::Keep;

/// Artwork whose width round the object differs by no more than this from the circumference closes
/// on itself, mm.
const CLOSES: f64 = 0.02;

/// Whether something so wide round the object of a job goes exactly once round.
pub(super) fn goes_round(job: &Job, width: f64) -> bool {
    let Some(round) = &job.round else { return false };
    let true_everywhere = round.is_cylinder() || round.keep == Keep::Angle;
    true_everywhere && (width - round.circumference()).abs() < CLOSES
}

/// The spacing nearest to the asked one at which lines of this angle (rad) that go once round meet
/// at the seam: going round shifts them by whole lines.
pub(super) fn closing_spacing(job: &Job, width: f64, angle: f64, spacing: f64) -> f64 {
    let Some(round) = job.round.as_ref().filter(|_| goes_round(job, width)) else { return spacing };
    let shift = round.circumference() * angle.cos().abs();
    if shift < spacing / 2.0 {
        // Lines that run round the object meet their own ends.
        return spacing;
    }
    shift / (shift / spacing).round().max(1.0)
}
