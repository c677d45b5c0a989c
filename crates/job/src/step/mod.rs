//! Steps: cut, score, engrave.

mod engrave;
mod follow;
mod image;
mod lines;
mod passes;
mod ramp;
mod relief;
mod rows;
mod skip;

pub use engrave::{Engrave, Fill, Overlaps, Rings, Shoulder};
pub use follow::{Bridges, Corners, Every, Follow, Lead, LeadShape, Pierce, Side, Start};
pub use image::{Dither, Image, Screen, ScreenKind, Shade, Sharpen, Tone};
pub use lines::{Islands, Lines};
pub use passes::{Pass, PassesBy};
pub use ramp::{Ramp, RampEnd};
pub use relief::{DeepFrom, Relief};
pub use rows::{Advance, Directions};

use super::select::{self, Take};
use crate::make::Make;
use crate::used::RecipeUse;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Frequency, Power, Speed};
use tinkite_machine::Machine;
use tinkite_machine::section::Section;
use toml::de::DeValue;

/// What a step does with the shapes it takes.
#[derive(Debug, Clone, PartialEq)]
pub enum Operation {
    /// Follows the lines, to go through.
    Cut(Follow),
    /// Follows the lines, to mark only.
    Score(Follow),
    /// Fills areas.
    Engrave(Engrave),
}

impl Operation {
    /// The word for it.
    #[must_use]
    pub fn name(&self) -> &'static str {
        match self {
            Self::Cut(_) => "cut",
            Self::Score(_) => "score",
            Self::Engrave(_) => "engrave",
        }
    }

    /// Whether it goes through the stock.
    #[must_use]
    pub fn is_cut(&self) -> bool {
        matches!(self, Self::Cut(_))
    }

    /// How lines are followed, where they are.
    #[must_use]
    pub fn follow(&self) -> Option<&Follow> {
        match self {
            Self::Cut(follow) | Self::Score(follow) => Some(follow),
            Self::Engrave(_) => None,
        }
    }

    /// How areas are filled, where they are.
    #[must_use]
    pub fn engrave(&self) -> Option<&Engrave> {
        match self {
            Self::Engrave(engrave) => Some(engrave),
            _ => None,
        }
    }
}

/// In which order the paths of a step are run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Order {
    /// What lies inside a closed line before that line, and short travel.
    HolesFirst,
    /// The same, and each outermost part is finished before the next begins.
    PartByPart,
    /// As the file has them.
    AsDrawn,
    /// Short travel only.
    Nearest,
    /// One after the other towards an edge of the bed, by where they begin; what lies inside still goes first.
    Towards(Advance),
    /// These ids first, in this order, then the others with what lies inside first.
    Listed(Vec<String>),
}

/// One step, decided.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    /// Its name; unique in the job.
    pub name: String,
    /// Alternatives: a shape is taken when one of them holds.
    pub take: Vec<Take>,
    /// Whether it is left out unless it is asked for by name.
    pub skip: bool,
    /// What is done.
    pub operation: Operation,
    /// Speed and power of each time a line is walked; never empty.
    pub passes: Vec<Pass>,
    /// What is walked again before the next pass begins.
    pub passes_by: PassesBy,
    /// How far above the surface the focus lies in the first pass, mm; below zero is deeper.
    pub focus: f64,
    /// By how much it is lowered with each further pass, mm.
    pub focus_drop: f64,
    /// How power changes along the path.
    pub ramp: Ramp,
    /// Whether air blows, on machines that switch it.
    pub air: bool,
    /// Frequency of the source's pulses, Hz, where the step says one.
    pub frequency: Option<f64>,
    /// In which order its paths are run.
    pub order: Order,
    /// What it took from a recipe, where it names one.
    pub recipe: Option<RecipeUse>,
    /// Where it stands in the job file, for problems.
    pub span: std::ops::Range<usize>,
}

impl Step {
    /// Speed of the first pass.
    #[must_use]
    pub fn speed(&self) -> Speed {
        self.passes.first().map_or(Speed(0.0), |pass| pass.speed)
    }

    /// Power of the first pass.
    #[must_use]
    pub fn power(&self) -> Power {
        self.passes.first().map_or(Power(0.0), |pass| pass.power)
    }

    /// By how much a pass counted from 0 is stronger than the first.
    #[must_use]
    pub fn share(&self, pass: usize) -> f64 {
        self.passes[pass].power.0 / self.power().0
    }

    /// The power of a pass counted from 0 where nothing weakens it: in a bitmap, black.
    #[must_use]
    pub fn full_power(&self, pass: usize) -> Power {
        let to = self.operation.engrave().and_then(|engrave| match &engrave.fill {
            Fill::Image(image) => image.power_to,
            _ => None,
        });
        to.map_or(self.passes[pass].power, |to| Power(to.0 * self.share(pass)))
    }

    /// The fastest of its passes.
    #[must_use]
    pub fn fastest(&self) -> Speed {
        Speed(self.passes.iter().map(|pass| pass.speed.0).fold(0.0, f64::max))
    }

    /// The slowest of its passes.
    #[must_use]
    pub fn slowest(&self) -> Speed {
        Speed(self.passes.iter().map(|pass| pass.speed.0).fold(f64::INFINITY, f64::min))
    }

    /// Height of the focus in a pass counted from 0, mm above the surface.
    #[must_use]
    pub fn height(&self, pass: usize) -> f64 {
        self.focus - self.focus_drop * pass as f64
    }
}

/// Keys that only steps which follow lines have.
const FOLLOWING: [&str; 11] = [
    "kerf",
    "side",
    "deepest-bite",
    "pierce",
    "lead-in",
    "lead-out",
    "overlap",
    "start",
    "bridges",
    "corners",
    "shared-edges",
];

/// Keys that only steps which fill areas have.
const FILLING: [&str; 10] = [
    "lines", "rings", "image", "relief", "per-pass", "area", "boundary", "grow", "overlaps",
    "shoulder",
];

/// Keys of a step that say how, whatever it makes.
const SETTINGS: [&str; 9] =
    ["speed", "power", "passes", "passes-by", "focus", "focus-drop", "ramp", "air", "frequency"];

/// Keys of a step that say where, and cannot stand in a recipe.
const PLACES: [&str; 1] = ["boundary"];

/// Whether a key says how a step of some make is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Fits {
    /// It does.
    Yes,
    /// For another make it would.
    OtherMake,
    /// It does not.
    No,
}

/// The keys that say how a step of this make is done.
pub(super) fn settings(make: Make) -> impl Iterator<Item = &'static str> {
    let own: &[&str] = if make == Make::Engrave { &FILLING } else { &FOLLOWING };
    SETTINGS.iter().chain(own).copied().filter(|key| !PLACES.contains(key))
}

/// Whether a key says how a step of this make is done.
pub(super) fn setting(key: &str, make: Make) -> Fits {
    let other = if make == Make::Engrave { Make::Cut } else { Make::Engrave };
    if settings(make).any(|known| known == key) {
        Fits::Yes
    } else if settings(other).any(|known| known == key) {
        Fits::OtherMake
    } else {
        Fits::No
    }
}

/// Reads one `[[step]]`, the `number`th of the job.
pub(super) fn read(mut section: Section<'_, '_>, number: usize, machine: &Machine) -> Option<Step> {
    let name = section.text("name").map_or_else(|| format!("step {number}"), str::to_string);
    section.name = format!("step {number} (\"{name}\")");
    let skip = skip::read(&section)?;
    if !section.has("take") {
        section.missing("take", "take = { stroke = \"red\" }, which shapes the step takes");
    }
    let take = select::read(&section, "take");
    if !section.has("make") {
        section.missing("make", "make = \"cut\", \"score\" or \"engrave\"");
    }
    let kind = section.choice("make", &Make::WORDS);
    // Whatever it names lies under the table already.
    section.has("recipe");
    let said = section.has("passes");
    let passes = passes::read(&section, machine);
    let passes_by = section
        .choice("passes-by", &[("path", PassesBy::Path), ("sheet", PassesBy::Sheet)])
        .unwrap_or(PassesBy::Path);
    let (focus, focus_drop) = passes::focus(&section, passes.as_ref().map_or(1, Vec::len), machine);
    let air = section.flag("air").unwrap_or(true);
    let order = order(&section);
    let ramp = ramp::read(&section, &machine.beam);
    let frequency = section.positive::<Frequency>("frequency").map(|asked| asked.0);
    let make = match kind {
        Some(Make::Engrave) => {
            refuse_keys(&section, &FOLLOWING, "fills areas", "set make = \"cut\" or \"score\"");
            engrave::read(&section, machine).map(Operation::Engrave)
        }
        Some(kind) => {
            refuse_keys(&section, &FILLING, "follows outlines", "set make = \"engrave\"");
            let follow = follow::read(&section, &machine.beam);
            let loops = |f: &Follow| matches!(f.corners, Some(Corners::Loop(_)));
            if kind == Make::Score && follow.as_ref().is_some_and(loops) {
                section.contradicts(
                    "corners",
                    "a loop runs through scrap, and beside a line that is scored there is none",
                    "take it out, or make = \"cut\"",
                );
            }
            follow.map(if kind == Make::Cut { Operation::Cut } else { Operation::Score })
        }
        None => {
            for key in FOLLOWING.iter().chain(&FILLING) {
                section.has(key);
            }
            None
        }
    };
    let relief = matches!(&make, Some(Operation::Engrave(Engrave { fill: Fill::Relief(_), .. })));
    for (key, why) in [
        ("order", "layers lie under each other, and are cut in that order"),
        ("passes-by", "each layer gets all its passes before the one under it"),
    ] {
        if relief && section.has(key) {
            let message = format!("{} cuts a relief: {why}", section.name);
            section.contradicts(key, &message, &format!("take {key} out"));
        }
    }
    let span = section.whole_span();
    section.finish();
    let engraves = matches!(make, Some(Operation::Engrave(_)));
    let passes = passes.map(|passes| match &make {
        Some(Operation::Engrave(engrave)) if !said => by_depth(passes, engrave),
        _ => passes,
    });
    Some(Step {
        name,
        take,
        skip,
        operation: make?,
        passes: passes?,
        passes_by,
        focus,
        focus_drop,
        ramp: ramp?,
        air,
        frequency,
        // Rows and rings have an order of their own.
        order: order.unwrap_or(if engraves { Order::Nearest } else { Order::HolesFirst }),
        recipe: None,
        span,
    })
}

/// The passes that a layer of a relief takes, where it was measured how deep one goes.
fn by_depth(passes: Vec<Pass>, engrave: &Engrave) -> Vec<Pass> {
    let Fill::Relief(relief) = &engrave.fill else { return passes };
    match (relief.per_pass, passes.first()) {
        (Some(deep), Some(first)) => {
            let count = (relief.thickness() / deep - 1e-6).ceil().clamp(1.0, 1000.0);
            vec![*first; count as usize]
        }
        _ => passes,
    }
}

/// Refuses keys that have no meaning for what the step does.
fn refuse_keys(section: &Section<'_, '_>, keys: &[&'static str], does: &str, cure: &str) {
    for key in keys {
        if section.has(key) {
            let message = format!("{} {does}, so {key} has no meaning there", section.name);
            let help = format!("take {key} out, or {cure}");
            section
                .report(Problem::error(Code::KeyWithoutUse, message, help), section.span_of(key));
        }
    }
}

fn order(section: &Section<'_, '_>) -> Option<Order> {
    if matches!(section.value("order").map(|v| v.get_ref()), Some(DeValue::Array(_))) {
        let items = section.list("order").unwrap_or_default();
        let ids: Vec<String> =
            items.iter().filter_map(|i| i.get_ref().as_str()).map(str::to_string).collect();
        if ids.len() < items.len() || ids.is_empty() {
            section.contradicts(
                "order",
                &format!("order in {} should be a list of ids in quotes", section.name),
                "write order = [\"first-id\", \"second-id\"]",
            );
            return None;
        }
        return Some(Order::Listed(ids));
    }
    let words = [
        ("holes-first", Order::HolesFirst),
        ("part-by-part", Order::PartByPart),
        ("as-drawn", Order::AsDrawn),
        ("nearest", Order::Nearest),
    ];
    let towards = rows::ADVANCES.map(|(word, advance)| (word, Order::Towards(advance)));
    let words: Vec<(&'static str, &Order)> =
        words.iter().chain(&towards).map(|(word, order)| (*word, order)).collect();
    section.choice("order", &words).cloned()
}
