//! Where the simulated machine stands for a job that counts from its head or from the zero on its stock.

use crate::place::axes;
use tinkite_core::geometry::{Point, Rect, Vec2};
use tinkite_core::job::Zero;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;
use tinkite_link::Stand;

/// A job lies so far from the edges of the bed, mm, where there is room.
const MARGIN: f64 = 10.0;

/// Where a zero must lie, mm from the front left corner of the bed, so that a program whose moves reach over `extents`
/// (mm on the machine's axes, from its zero) lies on the bed; none where it does from the machine's own zero.
fn zero_for(machine: &Machine, extents: Rect) -> Option<Point> {
    let corners = [extents.origin(), Point::new(extents.x1, extents.y1)];
    let [a, b] = corners.map(|corner| machine.pointing.to_plane(corner.to_vec2()).to_point());
    let moves = Rect::from_points(a, b);
    let bed = Rect::new(0.0, 0.0, machine.bed.width, machine.bed.depth);
    let own = moves + machine.bed.origin_offset();
    if bed.union(own) == bed {
        return None;
    }
    let margin = |room: f64, size: f64| ((room - size) / 2.0).clamp(0.0, MARGIN);
    let corner =
        Vec2::new(margin(bed.width(), moves.width()), margin(bed.height(), moves.height()));
    Some((corner - moves.origin().to_vec2()).to_point())
}

/// How the simulated machine stands, and what is said of that where nobody chose it. `head` and `zero` are places that
/// somebody says, mm from the front left corner of the bed.
#[must_use]
pub fn stand(
    machine: &Machine,
    (counts_from, extents): (Option<Zero>, Option<Rect>),
    (head, zero): (Option<Point>, Option<Point>),
) -> (Stand, Option<String>) {
    let on_axes = |place: Point| {
        let at = axes(machine, place);
        [at.x, at.y]
    };
    let mut stand = Stand { head: head.map(on_axes), zero: zero.map(on_axes) };
    let place = extents.and_then(|extents| zero_for(machine, extents));
    let Some(place) = place else { return (stand, None) };
    let what = match counts_from {
        Some(Zero::Stock) if zero.is_none() => {
            stand.zero = Some(on_axes(place));
            "its zero on the stock is set"
        }
        Some(Zero::Head) if head.is_none() => {
            stand.head = Some(on_axes(place));
            "its head stands"
        }
        _ => return (stand, None),
    };
    let told = format!(
        "a rehearsal on the simulated machine: {what} {} mm from the left and {} mm from the front, so that the job lies on the bed",
        plain(place.x, 2),
        plain(place.y, 2)
    );
    (stand, Some(told))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_job_lies_on_the_bed_wherever_its_zero_is_in_it() {
        let text = include_str!("../../../demo/bench-laser.machine.toml");
        for origin in ["bottom-left", "bottom-right", "top-left", "top-right", "centre"] {
            let machine =
                tinkite_core::machine::read("m", &text.replace("bottom-left", origin)).unwrap();
            for moves in [
                Rect::new(-30.0, -20.0, 30.0, 20.0),
                Rect::new(-60.0, -40.0, 0.0, 0.0),
                Rect::new(0.0, 0.0, 60.0, 40.0),
                Rect::new(-195.0, -149.0, 200.0, 150.0),
            ] {
                let zero = zero_for(&machine, moves);
                // Its corners, by way of the axes: apart from the plane in which they were chosen.
                let zero = axes(&machine, zero.unwrap_or(machine.bed.origin_offset().to_point()));
                for corner in [moves.origin(), Point::new(moves.x1, moves.y1)] {
                    let at = crate::place::on_bed(&machine, zero + corner.to_vec2());
                    assert_eq!(crate::place::beside(&machine, at), None, "{origin}: {moves:?}");
                }
            }
        }
    }
}
