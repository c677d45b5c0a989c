//! A sheet for the focus on stock that leans: one height of the head is every focus.

use super::{SwatchKind, Varied};
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Length, plain};
use tinkite_machine::section::Section;

/// Stock that leans, so that one height of the head is every focus.
#[derive(Debug, Clone, Copy)]
pub(super) struct Ramp {
    /// From one square to the next, mm.
    pub(super) pitch: f64,
    /// How much higher the left end lies than the right one, mm; below zero is lower.
    left_higher: f64,
    /// How far apart the first and the last square are, mm.
    length: f64,
}

impl Ramp {
    /// How the stock is laid, for whoever lays it.
    pub(super) fn words(&self) -> String {
        let side = if self.left_higher > 0.0 { "left" } else { "right" };
        let (rise, length) = (plain(self.left_higher.abs(), 2), plain(self.length, 1));
        format!("on a ramp: {side} end {rise} mm higher on {length} mm")
    }
}

/// A ramp as `[swatch]` says it: how long it is while the surface rises by what the focus is varied over.
pub(super) fn ramp(
    section: &Section<'_, '_>,
    kind: SwatchKind,
    varied: &[Varied],
    least: f64,
) -> Option<Ramp> {
    let length = section.positive::<Length>("ramp")?.0;
    let span = section.span_of("ramp");
    let wrong = |what: String, help: &str| {
        section.report(Problem::error(Code::Swatch, what, help), span.clone());
        None
    };
    let help = r#"write kind = "focus" and across = { focus = ["-5 mm", "5 mm"], count = 11 }, without down"#;
    let ([heights], SwatchKind::Focus) = (varied, kind) else {
        return wrong("a ramp is for a sheet that varies the focus alone".into(), help);
    };
    let all: Vec<f64> = heights.numbers.iter().filter_map(|n| n.parse().ok()).collect();
    let steps: Vec<f64> = all.windows(2).map(|two| two[1] - two[0]).collect();
    let even = steps.iter().all(|step| (step - steps[0]).abs() < 0.02 * steps[0].abs());
    if heights.unit != "mm" || all.len() != heights.numbers.len() || steps.is_empty() || !even {
        return wrong("on a ramp heights follow evenly, in mm".into(), help);
    }
    let pitch = length / steps.len() as f64;
    if pitch < least {
        let what = format!(
            "{} squares of this width take {} mm, and the ramp is {} mm long",
            all.len(),
            plain(least * steps.len() as f64, 1),
            plain(length, 1)
        );
        return wrong(what, "say a longer ramp, a smaller cell or gap, or a lower count");
    }
    // Where the focus lies deeper in the stock, the stock lies higher.
    Some(Ramp { pitch, left_higher: all[all.len() - 1] - all[0], length })
}
