//! Places on the bed, and where they are on the machine's axes.

use tinkite_core::geometry::Point;
use tinkite_core::machine::FocusAxis;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;

/// A place may miss the bed by this much, mm: rounding.
const SLACK: f64 = 0.0015;

/// The place on the machine's axes, mm, of one that is told from the front left corner of the bed.
pub fn axes(machine: &Machine, on_bed: Point) -> Point {
    let plane = on_bed.to_vec2() - machine.bed.origin_offset();
    machine.bed.offset + machine.pointing.to_machine(plane)
}

/// The place from the front left corner of the bed, mm, of one on the machine's axes.
pub fn on_bed(machine: &Machine, axes: Point) -> Point {
    let plane = machine.pointing.to_plane(axes - machine.bed.offset);
    (plane + machine.bed.origin_offset()).to_point()
}

/// By how much a place lies beside the bed and where, if it does.
pub fn beside(machine: &Machine, on_bed: Point) -> Option<String> {
    let bed = &machine.bed;
    let sides = [
        (-on_bed.x, "on the left"),
        (on_bed.x - bed.width, "on the right"),
        (-on_bed.y, "in front"),
        (on_bed.y - bed.depth, "at the back"),
    ];
    let beside = sides.into_iter().filter(|(by, _)| *by > SLACK);
    let told: Vec<String> =
        beside.map(|(by, side)| format!("{} mm {side}", plain(by, 2))).collect();
    (!told.is_empty()).then(|| told.join(" and "))
}

/// By how much a height of the focus, mm from its zero on the stock, lies beyond its axis' range, if it does.
pub fn beyond(axis: &FocusAxis, height: f64) -> Option<String> {
    let (low, high) = axis.range;
    let (by, side) = if height < low { (low - height, "below") } else { (height - high, "above") };
    (by > SLACK).then(|| {
        format!(
            "{} mm {side} the range of [axis.z], {} to {} mm",
            plain(by, 2),
            plain(low, 2),
            plain(high, 2)
        )
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_go_to_the_axes_and_back_and_what_lies_beside_is_named() {
        let text = include_str!("../../../demo/bench-laser.machine.toml");
        for origin in ["bottom-left", "bottom-right", "top-left", "top-right", "centre"] {
            let text = text.replace("bottom-left", origin);
            let machine = tinkite_core::machine::read("m", &text).unwrap();
            let there = on_bed(&machine, axes(&machine, Point::new(12.0, 34.0)));
            assert!((there - Point::new(12.0, 34.0)).hypot() < 1e-9, "{origin}: {there:?}");
            assert_eq!(beside(&machine, there), None);
        }
        let machine = tinkite_core::machine::read("m", text).unwrap();
        let told = beside(&machine, Point::new(-1.5, 310.0));
        assert_eq!(told.as_deref(), Some("1.5 mm on the left and 10 mm at the back"));
        let told = beside(&machine, Point::new(400.25, -0.5));
        assert_eq!(told.as_deref(), Some("0.25 mm on the right and 0.5 mm in front"));
    }
}
