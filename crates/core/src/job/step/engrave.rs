//! How areas are filled: with parallel lines, with rings, or with a bitmap's pixels.

use super::image::{self, Image};
use crate::job::machine::Beam;
use crate::job::reader::{LONGEST, Section};
use crate::job::select::{self, Take};
use crate::problem::Problem;
use crate::quantity::{Angle, Length, Power, parse, parse_spacing};
use toml::de::DeValue;

/// Towards which edge engraved lines follow each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Advance {
    /// Away from the operator: smoke drifts over what is not yet done.
    Upwards,
    /// Towards the operator.
    Downwards,
    /// To the right.
    Rightwards,
    /// To the left.
    Leftwards,
}

/// Words for advances.
const ADVANCES: [(&str, Advance); 4] = [
    ("upwards", Advance::Upwards),
    ("downwards", Advance::Downwards),
    ("rightwards", Advance::Rightwards),
    ("leftwards", Advance::Leftwards),
];

/// In which directions engraved lines are walked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Directions {
    /// There and back.
    Both,
    /// Always the same way.
    One,
}

/// How separate areas of a step are walked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Islands {
    /// A line runs through all of them before the next begins.
    Together,
    /// One is finished before the next begins.
    OneByOne,
}

/// How an area is filled with parallel lines.
#[derive(Debug, Clone, PartialEq)]
pub struct Lines {
    /// Distance between neighbouring lines, mm.
    pub spacing: f64,
    /// Directions of the lines, radians counter-clockwise from X; the first, then those that cross
    /// it, each over the whole area.
    pub angles: Vec<f64>,
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

/// How an area is filled with lines that follow its outline.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rings {
    /// Distance between neighbouring rings, mm.
    pub spacing: f64,
    /// How far the first ring stays away from the outline, mm.
    pub inset: f64,
    /// Whether the innermost ring is run first.
    pub outwards: bool,
}

/// What fills an area.
#[derive(Debug, Clone, PartialEq)]
pub enum Fill {
    /// Parallel lines.
    Lines(Lines),
    /// Lines that follow the outline.
    Rings(Rings),
    /// The pixels of bitmaps.
    Image(Image),
}

/// What counts as inside where shapes of a step overlap.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Overlaps {
    /// All that lies in any of them, once.
    Union,
    /// What lies in an odd number of them.
    EvenOdd,
}

/// Power that rises with the distance from the edge of the drawing.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shoulder {
    /// Power at the edge.
    pub from: Power,
    /// At which distance the step's own power is reached, mm.
    pub over: f64,
}

/// How areas are filled.
#[derive(Debug, Clone, PartialEq)]
pub struct Engrave {
    /// What fills them.
    pub fill: Fill,
    /// Whether what lies outside the shapes is meant.
    pub outside: bool,
    /// The closed shapes that bound the area; none of them: the stock does, where it is needed.
    pub boundary: Vec<Take>,
    /// By how much the drawing is grown first, mm; below zero shrinks it.
    pub grow: f64,
    /// What counts as inside where shapes overlap.
    pub overlaps: Overlaps,
    /// Weaker power near the edge of the drawing.
    pub shoulder: Option<Shoulder>,
}

impl Engrave {
    /// Distance between neighbouring lines, rings or rows, mm.
    #[must_use]
    pub fn spacing(&self) -> f64 {
        match &self.fill {
            Fill::Lines(lines) => lines.spacing,
            Fill::Rings(rings) => rings.spacing,
            Fill::Image(image) => image.spacing,
        }
    }
}

/// Reads what a step that engraves says about areas.
pub(super) fn read(section: &Section<'_, '_>, beam: &Beam) -> Option<Engrave> {
    let given: Vec<&str> =
        ["lines", "rings", "image"].into_iter().filter(|key| section.has(key)).collect();
    let fill = match given.as_slice() {
        ["lines"] => section.section("lines").and_then(lines).map(Fill::Lines),
        ["rings"] => section.section("rings").and_then(rings).map(Fill::Rings),
        ["image"] => section.section("image").and_then(|s| image::read(s, beam)).map(Fill::Image),
        [] => {
            section.missing(
                "lines",
                "lines = { spacing = \"0.1 mm\" }, how far apart the lines are (or rings; image for bitmaps)",
            );
            None
        }
        several => {
            let message = format!("{} has {}", section.name, several.join(" and "));
            section.contradicts(several[1], &message, "keep one of them; two steps can do both");
            None
        }
    };
    let outside = section.choice("area", &[("inside", false), ("outside", true)]).unwrap_or(false);
    let boundary =
        if section.has("boundary") { select::read(section, "boundary") } else { Vec::new() };
    let grow = section.quantity::<Length>("grow");
    let grow = grow.and_then(|length| section.within("grow", length, LONGEST)).unwrap_or(0.0);
    let overlaps = section
        .choice("overlaps", &[("union", Overlaps::Union), ("even-odd", Overlaps::EvenOdd)])
        .unwrap_or(Overlaps::Union);
    let shoulder = section.section("shoulder").map(|inner| shoulder(inner, beam));
    if given == ["image"] {
        for key in ["area", "boundary", "grow", "overlaps", "shoulder"] {
            if section.has(key) {
                section.contradicts(
                    key,
                    &format!("{} engraves bitmaps, so {key} has no meaning there", section.name),
                    "take it out; a bitmap is engraved as large as it lies",
                );
            }
        }
    }
    if given == ["rings"] && section.has("shoulder") {
        section.contradicts(
            "shoulder",
            "shoulders are made of parallel lines, not of rings",
            "give the step lines in place of rings",
        );
    }
    Some(Engrave {
        fill: fill?,
        outside,
        boundary,
        grow,
        overlaps,
        shoulder: shoulder.map_or(Some(None), |shoulder| shoulder.map(Some))?,
    })
}

fn shoulder(section: Section<'_, '_>, beam: &Beam) -> Option<Shoulder> {
    if !section.has("from") {
        section.missing("from", "from = \"15 %\", the power at the edge");
    }
    let from = section.power("from", beam);
    let over = section.required_positive::<Length>("over", "over = \"0.8 mm\"");
    let over = over.and_then(|length| section.within("over", length, LONGEST));
    section.finish();
    Some(Shoulder { from: from?, over: over? })
}

/// Reads `spacing`, which must be there and above zero, mm.
pub(super) fn spacing(section: &Section<'_, '_>) -> Option<f64> {
    if !section.has("spacing") {
        section.missing("spacing", "spacing = \"0.1 mm\" (or \"254 dpi\")");
    }
    let spacing = section.quantity_by("spacing", parse_spacing)?;
    if spacing.0 <= 0.0 {
        let span = section.span_of("spacing");
        section.out_of_range("spacing", span, &section.written("spacing"), "above zero");
        return None;
    }
    Some(spacing.0)
}

/// What parallel lines of areas and rows of pixels have in common.
pub(super) struct Walked {
    pub(super) spacing: Option<f64>,
    pub(super) angle: f64,
    pub(super) directions: Directions,
    pub(super) run_up: Option<f64>,
    pub(super) advance: Option<Advance>,
    pub(super) offset: f64,
}

pub(super) fn walked(section: &Section<'_, '_>) -> Walked {
    let spacing = spacing(section);
    let angle = section.quantity::<Angle>("angle").map_or(0.0, |angle| angle.0);
    let run_up = section.distance("run-up");
    let directions = section
        .choice("directions", &[("both", Directions::Both), ("one", Directions::One)])
        .unwrap_or(Directions::Both);
    let advance = section.choice("advance", &ADVANCES);
    let offset = section.quantity::<Length>("offset").map_or(0.0, |length| length.0);
    if offset != 0.0 && directions == Directions::One {
        section.contradicts(
            "offset",
            "offset moves lines that are walked backwards, and directions = \"one\" has none",
            "take offset out, or walk both directions",
        );
    }
    check_advance(section, angle, advance);
    Walked { spacing, angle, directions, run_up, advance, offset }
}

/// Lines cannot follow each other in the direction in which they run.
fn check_advance(section: &Section<'_, '_>, angle: f64, advance: Option<Advance>) {
    let along = match advance {
        None => false,
        Some(Advance::Upwards | Advance::Downwards) => angle.cos().abs() < 1e-9,
        Some(Advance::Rightwards | Advance::Leftwards) => angle.sin().abs() < 1e-9,
    };
    if along {
        section.report(
            Problem::error(
                "advance",
                "the lines cannot follow each other in the direction in which they run",
                "choose another advance or another angle",
            ),
            section.span_of("advance"),
        );
    }
}

fn lines(section: Section<'_, '_>) -> Option<Lines> {
    let walked = walked(&section);
    let mut angles = vec![walked.angle];
    angles.extend(cross(&section).into_iter().map(|angle| angle.0));
    let inset = section.distance("inset").unwrap_or(0.0);
    let islands = section
        .choice("islands", &[("together", Islands::Together), ("one-by-one", Islands::OneByOne)])
        .unwrap_or(Islands::Together);
    section.finish();
    Some(Lines {
        spacing: walked.spacing?,
        angles,
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

fn rings(section: Section<'_, '_>) -> Option<Rings> {
    let spacing = spacing(&section);
    let inset = section.distance("inset");
    let outwards =
        section.choice("towards", &[("middle", false), ("outline", true)]).unwrap_or(false);
    section.finish();
    let spacing = spacing?;
    Some(Rings { spacing, inset: inset.unwrap_or(spacing / 2.0), outwards })
}
