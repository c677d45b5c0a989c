//! What parallel lines of areas and rows of pixels have in common: how far apart they are, and how
//! they are walked.

use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Angle, Length, parse_spacing};
use tinkite_machine::section::Section;

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
pub(super) const ADVANCES: [(&str, Advance); 4] = [
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
    /// Whether the angle is open: whatever is quickest.
    pub(super) quickest: bool,
    pub(super) directions: Directions,
    pub(super) run_up: Option<f64>,
    pub(super) advance: Option<Advance>,
    pub(super) offset: f64,
}

/// The angle that is whatever is quickest.
const QUICKEST: &str = "quickest";

/// `free`: the angle may be left to what is quickest.
pub(super) fn read_rows(section: &Section<'_, '_>, free: bool) -> Walked {
    let spacing = spacing(section);
    let quickest = free && section.text("angle") == Some(QUICKEST);
    let angle = match quickest {
        true => 0.0,
        false => section.quantity::<Angle>("angle").map_or(0.0, |angle| angle.0),
    };
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
    if let (true, Some(_)) = (quickest, advance) {
        section.contradicts(
            "advance",
            "advance says where lines follow each other, and angle = \"quickest\" which way they run is open",
            "take advance out, or say the angle",
        );
    }
    Walked { spacing, angle, quickest, directions, run_up, advance, offset }
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
                Code::Advance,
                "the lines cannot follow each other in the direction in which they run",
                "choose another advance or another angle",
            ),
            section.span_of("advance"),
        );
    }
}
