//! Where the focus lies, for whoever brings it onto the stock.

use crate::section::Section;
use tinkite_base::quantity::{Length, parse};

/// What is known of the focus beside its axis.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Focus {
    /// How far above the bed it lies when Z stands at the machine's own zero, mm.
    pub height: Option<f64>,
    /// How far the head stands above the surface when the focus lies on it, mm: the height of the gauge
    /// block.
    pub block: Option<f64>,
    /// How far the head must rise from where its probe touches the surface until the focus lies on it, mm;
    /// below zero it must go further down.
    pub probe: Option<f64>,
}

impl Focus {
    /// Where Z stands, mm on the machine's axis, when the focus lies on stock of a thickness in mm.
    #[must_use]
    pub fn on_surface(&self, thickness: f64) -> Option<f64> {
        self.height.map(|height| thickness - height)
    }

    /// How far the head stands above the bed, mm, when the focus lies on stock of a thickness in mm.
    #[must_use]
    pub fn above_bed(&self, thickness: f64) -> Option<f64> {
        self.block.map(|block| block + thickness)
    }
}

/// No head and no gauge block is farther away, mm.
const FARTHEST: f64 = 1000.0;

/// Reads `[focus]`. Height and probe need an axis that moves it.
pub(super) fn read(section: Section<'_, '_>, has_axis: bool) -> Focus {
    let height = section.quantity_by("height", parse::<Length>).map(|height| height.0);
    if height.is_some_and(|height| height.abs() > FARTHEST) {
        let span = section.span_of("height");
        section.out_of_range("height", span, &section.written("height"), "within 1000 mm");
    }
    if height.is_some() && !has_axis {
        let help = "take height out, or say top-speed, acceleration and range of [axis.z]";
        section.contradicts("height", "nothing moves the focus: there is no [axis.z]", help);
    }
    let block = section.positive::<Length>("block").map(|block| block.0);
    if block.is_some_and(|block| block > FARTHEST) {
        let span = section.span_of("block");
        section.out_of_range("block", span, &section.written("block"), "within 1000 mm");
    }
    let probe = section.quantity_by("probe", parse::<Length>).map(|rise| rise.0);
    if probe.is_some_and(|rise| rise.abs() > FARTHEST) {
        let span = section.span_of("probe");
        section.out_of_range("probe", span, &section.written("probe"), "within 1000 mm");
    }
    if probe.is_some() && !has_axis {
        let help = "take probe out, or say top-speed, acceleration and range of [axis.z]";
        section.contradicts("probe", "nothing moves the focus: there is no [axis.z]", help);
    }
    section.finish();
    Focus { height, block, probe }
}
