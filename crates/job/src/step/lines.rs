//! Parallel lines that fill an area.

use super::rows::{Advance, Directions, read_rows};
use tinkite_base::quantity::{Angle, parse};
use tinkite_machine::section::Section;
use toml::de::DeValue;

/// How separate areas of a step are walked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Islands {
    /// In groups: together where that is planned to be quicker than apart.
    Quickest,
    /// A line runs through all of them before the next begins.
    Together,
    /// One is finished before the next begins.
    OneByOne,
}

const ISLANDS: [(&str, Islands); 3] = [
    ("quickest", Islands::Quickest),
    ("together", Islands::Together),
    ("one-by-one", Islands::OneByOne),
];

/// How an area is filled with parallel lines.
#[derive(Debug, Clone, PartialEq)]
pub struct Lines {
    /// Distance between neighbouring lines, mm.
    pub spacing: f64,
    /// Directions of the lines, radians counter-clockwise from X; the first, then those that cross
    /// it, each over the whole area.
    pub angles: Vec<f64>,
    /// Whether the direction is the one that takes least time, whatever stands in `angles`.
    pub quickest_angle: bool,
    /// In which directions they are walked.
    pub directions: Directions,
    /// Length before and after each line in which the head moves at speed with the beam off, mm;
    /// none is worked out from speed and acceleration.
    pub run_up: Option<f64>,
    /// Towards which edge the lines follow each other; none is upwards, or rightwards for lines
    /// that run away from the operator.
    pub advance: Option<Advance>,
    /// How far lines that are walked backwards land beyond where they should, mm.
    pub offset: f64,
    /// How far the lines stay away from the edge of the area, mm.
    pub inset: f64,
    /// How separate areas are walked.
    pub islands: Islands,
}

/// Reads `lines` of a step.
pub(super) fn lines(section: Section<'_, '_>) -> Option<Lines> {
    let walked = read_rows(&section, true);
    let mut angles = vec![walked.angle];
    angles.extend(cross(&section).into_iter().map(|angle| angle.0));
    if walked.quickest && angles.len() > 1 {
        section.contradicts(
            "cross",
            "lines cross those of an angle, and angle = \"quickest\" leaves it open",
            "take cross out, or say the angle",
        );
    }
    let inset = section.distance("inset").unwrap_or(0.0);
    let islands = section.choice("islands", &ISLANDS).unwrap_or(Islands::Quickest);
    section.finish();
    Some(Lines {
        spacing: walked.spacing?,
        angles,
        quickest_angle: walked.quickest,
        directions: walked.directions,
        run_up: walked.run_up,
        advance: walked.advance,
        offset: walked.offset,
        inset,
        islands,
    })
}

/// Reads `cross`: one more angle, or a list of them.
fn cross(section: &Section<'_, '_>) -> Vec<Angle> {
    let Some(value) = section.value("cross") else { return Vec::new() };
    let read = |item| section.read_quantity("cross", item, parse::<Angle>);
    match value.get_ref() {
        DeValue::Array(items) => items.iter().filter_map(read).collect(),
        _ => read(value).into_iter().collect(),
    }
}
