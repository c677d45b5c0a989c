//! `[place] pack`: parts laid where their outlines fit.

use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Angle, Length};
use tinkite_machine::section::Section;

/// A part is tried in at most so many directions.
const MOST_TURNS: f64 = 24.0;

/// How parts are laid close to each other.
#[derive(Debug, Clone, PartialEq)]
pub struct Pack {
    /// Between the outlines of neighbours, at least, mm.
    pub gap: f64,
    /// From the edge of the stock, at least, mm.
    pub margin: f64,
    /// Directions in which a part may lie, in radians; the first is as it is drawn.
    pub turns: Vec<f64>,
}

/// Reads `pack`.
pub(super) fn read(section: Section<'_, '_>) -> Option<Pack> {
    let distance = |key: &'static str| {
        let length = section.quantity::<Length>(key)?;
        if length.0 < 0.0 {
            let span = section.span_of(key);
            section.out_of_range(key, span, &section.written(key), "zero or more");
        }
        Some(length.0.max(0.0))
    };
    let gap = distance("gap");
    if !section.has("gap") {
        section.missing("gap", "gap = \"1.5 mm\", between the outlines of neighbours");
    }
    let margin = distance("margin");
    let turn = section.quantity::<Angle>("turn").map(|angle| angle.0);
    let whole = std::f64::consts::TAU;
    let count = turn.map_or(1.0, |turn| whole / turn);
    if !(0.99..=MOST_TURNS + 0.01).contains(&count) || (count - count.round()).abs() > 1e-6 {
        let message = format!("parts cannot be turned in steps of {}", section.written("turn"));
        let help = "say a part of a whole turn, no less than \"15 deg\": \"90 deg\", \"180 deg\"";
        section.report(Problem::error(Code::OutOfRange, message, help), section.span_of("turn"));
    }
    let keeps_grain = section.flag("keep-grain").unwrap_or(false);
    section.finish();
    let count = count.round().clamp(1.0, MOST_TURNS) as u32;
    let turns = (0..count).map(|n| f64::from(n) * whole / f64::from(count));
    // Along the grain is along it the other way round, too.
    let along = |turn: &f64| (turn.sin()).abs() < 1e-9;
    let turns = turns.filter(|turn| !keeps_grain || along(turn)).collect();
    Some(Pack { gap: gap?, margin: margin.unwrap_or(gap?), turns })
}
