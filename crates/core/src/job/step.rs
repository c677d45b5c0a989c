//! Steps: cut, score, engrave.

use super::reader::Section;
use super::select::{self, Take};
use crate::problem::Problem;
use crate::quantity::{Angle, Length, Power, Speed, parse_spacing};

/// What a step does with the shapes it takes.
#[derive(Debug, Clone, PartialEq)]
pub enum Make {
    /// Follows the lines, to go through.
    Cut,
    /// Follows the lines, to mark only.
    Score,
    /// Fills the insides with parallel lines.
    Engrave(Lines),
}

impl Make {
    /// The word for it.
    #[must_use]
    pub fn name(&self) -> &'static str {
        match self {
            Self::Cut => "cut",
            Self::Score => "score",
            Self::Engrave(_) => "engrave",
        }
    }
}

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

/// How an area is filled with parallel lines.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Lines {
    /// Distance between neighbouring lines, mm.
    pub spacing: f64,
    /// Direction of the lines, radians counter-clockwise from X.
    pub angle: f64,
    /// In which directions they are walked.
    pub directions: Directions,
    /// Length before and after each line in which the head moves at speed with the beam off, mm.
    pub run_up: f64,
    /// Towards which edge the lines follow each other.
    pub advance: Advance,
}

/// In which order the paths of a step are run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Order {
    /// What lies inside a closed line before that line, and short travel.
    HolesFirst,
    /// As the file has them.
    AsDrawn,
    /// Short travel only.
    Nearest,
}

/// One step, decided.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    /// Its name; unique in the job.
    pub name: String,
    /// Alternatives: a shape is taken when one of them holds.
    pub take: Vec<Take>,
    /// What is done.
    pub make: Make,
    /// Speed along the line.
    pub speed: Speed,
    /// Power asked for.
    pub power: Power,
    /// How many times each line is walked.
    pub passes: u32,
    /// Whether air blows, on machines that switch it.
    pub air: bool,
    /// In which order its paths are run.
    pub order: Order,
    /// Where it stands in the job file, for problems.
    pub span: std::ops::Range<usize>,
}

/// Keys of a step that are part of the product and not yet of this version.
const NOT_YET: [&str; 15] = [
    "recipe",
    "focus",
    "focus-drop",
    "frequency",
    "kerf",
    "pierce",
    "lead-in",
    "lead-out",
    "overlap",
    "bridges",
    "ramp",
    "rings",
    "image",
    "shoulder",
    "relief",
];

/// Run-up when the job does not say: enough for most small machines at engraving speed.
const RUN_UP: f64 = 3.0;

/// Reads one `[[step]]`, the `number`th of the job.
pub(super) fn read(mut section: Section<'_, '_>, number: usize) -> Option<Step> {
    let name = section.text("name").map_or_else(|| format!("step {number}"), str::to_string);
    section.name = format!("step {number} (\"{name}\")");
    if !section.has("take") {
        section.missing("take", "take = { stroke = \"red\" }, which shapes the step takes");
    }
    let take = select::read(&section, "take");
    if !section.has("make") {
        section.missing("make", "make = \"cut\", \"score\" or \"engrave\"");
    }
    let make = section.choice("make", &[("cut", 0), ("score", 1), ("engrave", 2)]);
    let speed = section.required_positive::<Speed>("speed", "speed = \"20 mm/s\"");
    let power = section.required_positive::<Power>("power", "power = \"60 %\"");
    let passes = section.whole("passes", 1..=1000).unwrap_or(1) as u32;
    let air = section.flag("air").unwrap_or(true);
    let orders = [
        ("holes-first", Order::HolesFirst),
        ("as-drawn", Order::AsDrawn),
        ("nearest", Order::Nearest),
    ];
    let order = if section.text("order") == Some("upwards") {
        section.not_yet(&["order"]);
        None
    } else {
        section.choice("order", &orders)
    };
    section.not_yet(&NOT_YET);
    section.not_yet(&["area", "boundary", "grow"]);
    let engraves = make == Some(2);
    if !engraves && section.has("lines") {
        section.report(
            Problem::error(
                "lines-on-outline",
                format!("{} follows outlines, so lines has no meaning there", section.name),
                "take lines out, or set make = \"engrave\"",
            ),
            section.span_of("lines"),
        );
    }
    let lines = match section.section("lines") {
        Some(inner) => lines(inner),
        None => {
            if engraves && !section.has("lines") {
                section.missing(
                    "lines",
                    "lines = { spacing = \"0.1 mm\" }, how far apart the lines are",
                );
            }
            None
        }
    };
    let span = section.whole_span();
    section.finish();
    Some(Step {
        name,
        take,
        make: match make? {
            0 => Make::Cut,
            1 => Make::Score,
            _ => Make::Engrave(lines?),
        },
        speed: speed?,
        power: power?,
        passes,
        air,
        order: order.unwrap_or(Order::HolesFirst),
        span,
    })
}

fn lines(section: Section<'_, '_>) -> Option<Lines> {
    if !section.has("spacing") {
        section.missing("spacing", "spacing = \"0.1 mm\" (or \"254 dpi\")");
    }
    let spacing = section.quantity_by("spacing", parse_spacing);
    let angle = section.quantity::<Angle>("angle").map_or(0.0, |angle| angle.0);
    let run_up = section.quantity::<Length>("run-up").map_or(RUN_UP, |length| length.0);
    let directions = section
        .choice("directions", &[("both", Directions::Both), ("one", Directions::One)])
        .unwrap_or(Directions::Both);
    if spacing.is_some_and(|spacing| spacing.0 <= 0.0) {
        let span = section.span_of("spacing");
        section.out_of_range("spacing", span, &section.written("spacing"), "above zero");
    }
    if run_up < 0.0 {
        let span = section.span_of("run-up");
        section.out_of_range("run-up", span, &section.written("run-up"), "zero or more");
    }
    // Lines that run away from the operator can only follow each other sideways.
    let steep = angle.cos().abs() < 1e-9;
    let level = angle.sin().abs() < 1e-9;
    let advance = section.choice("advance", &ADVANCES).unwrap_or(if steep {
        Advance::Rightwards
    } else {
        Advance::Upwards
    });
    let along = match advance {
        Advance::Upwards | Advance::Downwards => steep,
        Advance::Rightwards | Advance::Leftwards => level,
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
    section.not_yet(&["dpi", "inset", "cross", "islands", "offset"]);
    section.finish();
    Some(Lines { spacing: spacing.filter(|s| s.0 > 0.0)?.0, angle, directions, run_up, advance })
}
