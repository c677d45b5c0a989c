//! The axes: what each can do, which way it points, and how the head travels.

use crate::section::Section;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{
    Acceleration, AngularAcceleration, AngularSpeed, Length, Speed, parse,
};

/// What one axis can do.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Axis {
    /// Top speed, mm/s; deg/s where the axis turns.
    pub top_speed: f64,
    /// Acceleration, mm/s²; deg/s² where the axis turns.
    pub acceleration: f64,
}

/// Which way the controller's X and Y point, seen from the operator.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Pointing {
    /// X runs away from the operator and Y to the right.
    pub exchanged: bool,
    /// X runs the other way round: to the left, or towards the operator when exchanged.
    pub x_reversed: bool,
    /// Y runs the other way round.
    pub y_reversed: bool,
}

/// Everything that `[axis]` says.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Axes {
    pub(super) x: Axis,
    pub(super) y: Axis,
    pub(super) z: Option<FocusAxis>,
    /// The turning axes A, B and C, in deg/s and deg/s².
    pub(super) turning: [Option<Axis>; 3],
    pub(super) pointing: Pointing,
}

/// How the head travels with the beam off.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Travel {
    /// As a rapid move: each axis as fast as it can.
    Rapid,
    /// As a feed move at this speed.
    Feed(Speed),
}

/// The axis that carries the focus: up is away from the bed, 0 is where the operator has focused.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FocusAxis {
    /// What the axis can do.
    pub axis: Axis,
    /// Lowest and highest position that a program may ask for, mm.
    pub range: (f64, f64),
    /// How high the focus is lifted for travel between paths, mm; 0 leaves it where it is.
    pub clearance: f64,
}

/// Reads `[axis]`.
pub(super) fn read(section: Section<'_, '_>) -> Option<Axes> {
    let (x, x_reversed) = linear(section.required_section("x"));
    let (y, y_reversed) = linear(section.required_section("y"));
    let z = section.section("z").map(focus_axis);
    let turning = ["a", "b", "c"].map(|letter| section.section(letter).map(turning_axis));
    let exchanged = section.flag("exchanged").unwrap_or(false);
    section.finish();
    let mut turns = [None; 3];
    for (kept, read) in turns.iter_mut().zip(turning) {
        *kept = read.map_or(Some(None), |axis| axis.map(Some))?;
    }
    Some(Axes {
        x: x?,
        y: y?,
        z: z.map_or(Some(None), |z| z.map(Some))?,
        turning: turns,
        pointing: Pointing { exchanged, x_reversed, y_reversed },
    })
}

fn linear(section: Option<Section<'_, '_>>) -> (Option<Axis>, bool) {
    let Some(section) = section else { return (None, false) };
    let reversed = section.flag("reversed").unwrap_or(false);
    (axis(section), reversed)
}

fn turning_axis(section: Section<'_, '_>) -> Option<Axis> {
    let speed = section.required_positive::<AngularSpeed>("top-speed", "top-speed = \"180 deg/s\"");
    let acceleration = section
        .required_positive::<AngularAcceleration>("acceleration", "acceleration = \"900 deg/s2\"");
    section.finish();
    Some(Axis { top_speed: speed?.0.to_degrees(), acceleration: acceleration?.0.to_degrees() })
}

fn focus_axis(section: Section<'_, '_>) -> Option<FocusAxis> {
    if !section.has("range") {
        section.missing("range", "range = [\"-10 mm\", \"30 mm\"], down and up from the focus");
    }
    let range = section.point("range", parse::<Length>);
    if range.is_some_and(|r| r.x > 0.0 || r.y < 0.0 || r.x >= r.y) {
        let span = section.span_of("range");
        section.out_of_range("range", span, &section.written("range"), "from below zero to above");
    }
    let axis = axis(section)?;
    Some(FocusAxis { axis, range: range.map(|r| (r.x, r.y))?, clearance: 0.0 })
}

fn axis(section: Section<'_, '_>) -> Option<Axis> {
    let top_speed = section.required_positive::<Speed>("top-speed", "top-speed = \"200 mm/s\"");
    let acceleration =
        section.required_positive::<Acceleration>("acceleration", "acceleration = \"1500 mm/s2\"");
    section.finish();
    Some(Axis { top_speed: top_speed?.0, acceleration: acceleration?.0 })
}

/// Reads `[travel]`; its clearance belongs to the focus and is read before.
pub(super) fn travel(section: Section<'_, '_>) -> Option<Travel> {
    let as_feed = section.choice("as", &[("rapid", false), ("feed", true)]).unwrap_or(false);
    let speed = section.positive::<Speed>("speed");
    section.has("clearance");
    if !as_feed && section.has("speed") {
        section.report(
            Problem::error(
                Code::TravelSpeed,
                "a rapid move takes its speed from the controller, so a speed for it would be ignored",
                "leave speed out, or set as = \"feed\"",
            ),
            section.span_of("speed"),
        );
    }
    let travel = match (as_feed, speed) {
        (false, _) => Some(Travel::Rapid),
        (true, speed) => {
            if speed.is_none() && !section.has("speed") {
                section.missing("speed", "speed = \"150 mm/s\"");
            }
            speed.map(Travel::Feed)
        }
    };
    section.finish();
    travel
}
