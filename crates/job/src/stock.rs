//! `[stock]`: how large the material is, and how thick.

use super::select::{self, Take};
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::Length;
use tinkite_machine::section::Section;

/// How large the stock is.
#[derive(Debug, Clone, PartialEq)]
pub enum StockSize {
    /// This large, mm, with its front left corner at the bed's.
    Fixed {
        /// Across the bed.
        width: f64,
        /// Away from the operator.
        depth: f64,
    },
    /// Round everything that is burnt, with this margin on each side, mm.
    Round(f64),
    /// As it is drawn, an offcut for instance: what these take, closed lines that are not burnt.
    Drawn(Vec<Take>),
}

/// Material on the bed.
#[derive(Debug, Clone, PartialEq)]
pub struct Stock {
    /// How large it is, when the job says so.
    pub size: Option<StockSize>,
    /// Its thickness, mm, when the job says so.
    pub thickness: Option<f64>,
}

/// Reads `[stock]`.
pub(super) fn read(section: Section<'_, '_>) -> Option<Stock> {
    let thickness = section.positive::<Length>("thickness").map(|length| length.0);
    let sized = ["width", "depth"].into_iter().any(|key| section.has(key));
    let said = [section.has("outline"), section.has("margin"), sized];
    if said.iter().filter(|said| **said).count() > 1 {
        let key = if said[0] { "outline" } else { "margin" };
        let message = "the stock's size is said in two ways";
        let help = "keep one of outline (as it is drawn), margin (round the artwork), or width and depth (as it is)";
        section.report(Problem::error(Code::TwoSizes, message, help), section.span_of(key));
    }
    let size = if said[0] {
        Some(StockSize::Drawn(select::read(&section, "outline")))
    } else if said[1] {
        let margin = section.quantity::<Length>("margin").map(|length| length.0);
        if margin.is_some_and(|m| m < 0.0) {
            let span = section.span_of("margin");
            section.out_of_range("margin", span, &section.written("margin"), "zero or more");
        }
        Some(StockSize::Round(margin.filter(|m| *m >= 0.0)?))
    } else if thickness.is_some() && !sized {
        None
    } else {
        let width = section.required_positive::<Length>("width", "width = \"300 mm\"");
        let depth = section.required_positive::<Length>("depth", "depth = \"200 mm\"");
        match (width, depth) {
            (Some(width), Some(depth)) => Some(StockSize::Fixed { width: width.0, depth: depth.0 }),
            _ => return None,
        }
    };
    section.finish();
    Some(Stock { size, thickness })
}
