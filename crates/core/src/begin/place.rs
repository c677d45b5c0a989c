//! How large a drawing is made, and where it lies.

use super::Wishes;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::problem::{Code, Problem, Remedy};
use tinkite_base::quantity::plain;
use tinkite_machine::Machine;

/// Distance from the machine's zero corner at which a starter job lies, mm: room for run-up.
const MARGIN: f64 = 10.0;

/// How large a drawing is made.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Made {
    /// Of its true size.
    pub(super) scale: f64,
    /// It was too large for the bed.
    pub(super) fitted: bool,
}

/// The size that was wished for, or the largest that lies on the bed with room for run-up; `between` of
/// its width keeps its size.
pub(super) fn made(own: Rect, between: f64, wishes: &Wishes, machine: &Machine) -> Made {
    let wished = wishes.width.map(|width| width / own.width());
    let wished = wished.or(wishes.height.map(|height| height / own.height()));
    if let Some(scale) = wished.filter(|scale| scale.is_finite() && *scale > 0.0) {
        return Made { scale, fitted: false };
    }
    let room = |bed: f64, size: f64| (bed - 2.0 * MARGIN) / size.max(1e-9);
    let across = room(machine.bed.width - between, own.width() - between);
    let scale = across.min(room(machine.bed.depth, own.height()));
    // A drawing of the bed's own size is meant to fill it.
    let fits = own.width() <= machine.bed.width && own.height() <= machine.bed.depth;
    if fits || scale <= 0.0 {
        Made { scale: 1.0, fitted: false }
    } else {
        Made { scale, fitted: true }
    }
}

/// Where the lower left corner lies that nobody has placed, mm from the front left corner of the bed.
fn usual(extents: Rect, machine: &Machine) -> Point {
    let margin = |room: f64, size: f64| ((room - size) / 2.0).clamp(0.0, MARGIN);
    let bed = &machine.bed;
    Point::new(margin(bed.width, extents.width()), margin(bed.depth, extents.height()))
}

/// A job that would leave the bed is not begun.
pub(super) fn fits(extents: Rect, machine: &Machine, at: Option<Point>) -> Result<(), Problem> {
    let at = at.unwrap_or_else(|| usual(extents, machine));
    let end = at + Vec2::new(extents.width(), extents.height());
    let bed = &machine.bed;
    // Sizes are written in thousandths.
    let over = [-at.x, -at.y, end.x - bed.width, end.y - bed.depth].into_iter().fold(0.0, f64::max);
    if over <= 2e-3 {
        return Ok(());
    }
    let message = format!(
        "{} x {} mm from {} mm from the left and {} mm from the front would leave the bed by {} mm",
        plain(extents.width(), 2),
        plain(extents.height(), 2),
        plain(at.x, 2),
        plain(at.y, 2),
        plain(over, 2)
    );
    Err(Problem::error(Code::NoRoom, message, "make it smaller, or move it")
        .with_remedy(Remedy::SizeOrPlace))
}

pub(super) fn place(extents: Option<Rect>, machine: &Machine, at: Option<Point>) -> String {
    let Some(extents) = extents else { return String::new() };
    let bed = &machine.bed;
    // Places in a job are on the machine's own axes.
    let at = machine
        .pointing
        .to_machine(at.unwrap_or_else(|| usual(extents, machine)).to_vec2() - bed.origin_offset());
    let (x, y) = (at.x + 0.0, at.y + 0.0);
    format!(
        "\n[place]\nanchor = \"bottom-left\"   # this corner of the drawing ({} x {} mm) …\nat     = [\"{} mm\", \"{} mm\"]   # … lies here\n",
        plain(extents.width(), 2),
        plain(extents.height(), 2),
        plain(x, 3),
        plain(y, 3)
    )
}
