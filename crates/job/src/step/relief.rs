//! Reliefs: stock that is taken away layer by layer.

use super::lines::Lines;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Angle, Length, Power, Speed, plain};
use tinkite_machine::section::Section;

/// What is deep.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DeepFrom {
    /// The form of a solid.
    Solid,
    /// Dark pixels.
    Dark,
    /// Light pixels.
    Light,
}

/// How a relief is made.
#[derive(Debug, Clone, PartialEq)]
pub struct Relief {
    /// The lines of the first layer.
    pub lines: Lines,
    /// From the surface to the deepest place, mm.
    pub depth: f64,
    /// How many layers.
    pub layers: u32,
    /// What is deep; none follows from what is taken: a solid's form, else dark.
    pub from: Option<DeepFrom>,
    /// Whether a solid's form stands and the ground about it goes; else its form is sunk.
    pub raised: bool,
    /// By how much lines turn from layer to layer, radians counter-clockwise.
    pub turn: f64,
    /// How much of a solid's foot is left out, mm of the solid.
    pub base: f64,
    /// What is finer than this is evened out, mm; 0 is nothing.
    pub smooth: f64,
    /// Walls lean by this much on the whole depth, mm; 0 is upright.
    pub draft: f64,
    /// How deep one pass goes, mm, where it was measured.
    pub per_pass: Option<f64>,
    /// A last, weak layer over all that was taken away: its speed and power.
    pub finish: Option<(Speed, Power)>,
    /// Whether it is that layer.
    pub finishes: bool,
}

impl Relief {
    /// How thick a layer is, mm.
    #[must_use]
    pub fn thickness(&self) -> f64 {
        self.depth / f64::from(self.layers)
    }
}

/// More layers are days of burning.
const MOST_LAYERS: i64 = 1000;

/// Reads `relief`, with the lines that it is engraved by.
pub(super) fn read(
    section: Section<'_, '_>,
    lines: Option<Lines>,
    per_pass: Option<f64>,
    machine: &tinkite_machine::Machine,
) -> Option<Relief> {
    let depth = section.required_positive::<Length>("depth", "depth = \"1.2 mm\", at its deepest");
    let depth = depth.map(|length| length.0);
    let layers = section.whole("layers", 1..=MOST_LAYERS).map(|n| n as u32);
    let layer = section.positive::<Length>("layer").map(|length| length.0);
    if section.has("layers") && section.has("layer") {
        section.contradicts(
            "layer",
            "layers says how many there are, and layer how thick they are",
            "keep one of them",
        );
    }
    let wanted = layer.or(per_pass);
    let layers = match (layers, depth, wanted) {
        (Some(layers), ..) => Some(layers),
        (None, Some(depth), Some(thickness)) => {
            let count = (depth / thickness - 1e-9).ceil().max(1.0);
            if count > MOST_LAYERS as f64 {
                let span = section.span_of(if layer.is_some() { "layer" } else { "depth" });
                let what = format!(
                    "layers of {} mm in {} mm are {count:.0}, and {MOST_LAYERS} are the most",
                    plain(thickness, 4),
                    plain(depth, 3)
                );
                let help = "make layers thicker, or the relief less deep";
                section.report(Problem::error(Code::OutOfRange, what, help), span);
                None
            } else {
                Some(count as u32)
            }
        }
        (None, Some(_), None) if !section.has("layers") => {
            section
                .missing("layers", "layers = 20, or layer = \"0.05 mm\", or per-pass in the step");
            None
        }
        _ => None,
    };
    let words = [("solid", DeepFrom::Solid), ("dark", DeepFrom::Dark), ("light", DeepFrom::Light)];
    let from = section.choice("from", &words);
    let raised = section.flag("raised");
    if raised.is_some() && matches!(from, Some(DeepFrom::Dark | DeepFrom::Light)) {
        section.contradicts(
            "raised",
            "raised is for solids; of a picture, from says what is deep",
            "take raised out; from = \"light\" turns it round",
        );
    }
    let turn = section.quantity::<Angle>("turn").map_or(0.0, |angle| angle.0);
    let length = |key: &'static str| section.distance(key).unwrap_or(0.0);
    let (base, smooth, draft) = (length("base"), length("smooth"), length("draft"));
    let finish = section.section("finish").map(|inner| {
        if !inner.has("speed") {
            inner.missing("speed", "speed = \"300 mm/s\"");
        }
        let top = machine.slower_top_speed();
        let speed = inner.value("speed").and_then(|value| inner.read_speed("speed", value, top));
        if !inner.has("power") {
            inner.missing("power", "power = \"12 %\"");
        }
        let power = inner.power("power", &machine.beam);
        inner.finish();
        Some((speed?, power?))
    });
    section.finish();
    Some(Relief {
        lines: lines?,
        depth: depth?,
        layers: layers?,
        from,
        raised: raised.unwrap_or(true),
        turn,
        base,
        smooth,
        draft,
        per_pass,
        finish: finish.map_or(Some(None), |finish| finish.map(Some))?,
        finishes: false,
    })
}
