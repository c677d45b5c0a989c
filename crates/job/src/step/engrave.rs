//! How areas are filled: with parallel lines, with rings, or with a bitmap's pixels.

use super::image::{self, Image};
use super::lines::{Islands, Lines, lines};
use super::relief::{self, Relief};
use super::rows::spacing;
use crate::select::{self, Take};
use tinkite_machine::section::{LONGEST, Section};
use tinkite_machine::{Beam, Machine};

use tinkite_base::quantity::{Length, Power};

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
    /// The depths of solids and pictures, layer by layer.
    Relief(Relief),
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
            Fill::Relief(relief) => relief.lines.spacing,
        }
    }
}

/// Reads what a step that engraves says about areas.
pub(super) fn read(section: &Section<'_, '_>, machine: &Machine) -> Option<Engrave> {
    let given: Vec<&str> =
        ["lines", "rings", "image"].into_iter().filter(|key| section.has(key)).collect();
    let fill = match given.as_slice() {
        ["lines"] if section.has("relief") => relief(section, machine).map(Fill::Relief),
        ["lines"] => section.section("lines").and_then(lines).map(Fill::Lines),
        ["rings"] => section.section("rings").and_then(rings).map(Fill::Rings),
        ["image"] => {
            section.section("image").and_then(|s| image::read(s, &machine.beam)).map(Fill::Image)
        }
        [] if section.has("relief") => {
            section.has("per-pass");
            section.missing(
                "lines",
                "lines = { spacing = \"0.05 mm\" }: a relief is engraved by lines",
            );
            None
        }
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
    let shoulder = section.section("shoulder").map(|inner| shoulder(inner, &machine.beam));
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
    if !section.has("relief") && section.has("per-pass") {
        section.contradicts(
            "per-pass",
            "per-pass says how many passes each layer of a relief takes, and this step has none",
            "say passes, or relief = { depth, … }",
        );
    }
    if section.has("relief") {
        for key in ["area", "grow", "overlaps", "shoulder"] {
            if section.has(key) {
                section.contradicts(
                    key,
                    &format!("{} cuts a relief, so {key} has no meaning there", section.name),
                    "take it out; boundary bounds its ground, draft in relief makes walls lean",
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

/// Reads a relief with its lines.
fn relief(section: &Section<'_, '_>, machine: &Machine) -> Option<Relief> {
    let lines = section.section("lines").and_then(lines);
    let plain = |lines: &Lines| {
        lines.angles.len() == 1
            && !lines.quickest_angle
            && lines.inset == 0.0
            && lines.islands != Islands::OneByOne
    };
    if lines.as_ref().is_some_and(|lines| !plain(lines)) {
        section.contradicts(
            "lines",
            "lines of a relief neither cross, nor stay away from edges, nor go island by island",
            "take cross, inset and islands out; turn in relief turns them from layer to layer",
        );
    }
    let per_pass = section.positive::<Length>("per-pass").map(|length| length.0);
    let inner = section.section("relief")?;
    relief::read(inner, lines, per_pass, machine)
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
