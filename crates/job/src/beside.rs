//! `[[artwork]] beside`: a drawing that lies beside another one.

use std::ops::Range;
use tinkite_base::geometry::{Rect, Vec2};
use tinkite_base::problem::{Code, Problem, nearest};
use tinkite_machine::section::Section;

/// Where a drawing lies, by another one on the same sheet.
#[derive(Debug, Clone, PartialEq)]
pub struct Beside {
    /// The other one: its name, or its file.
    pub of: String,
    /// On which side of it.
    pub edge: Edge,
    /// Between the two, mm.
    pub gap: f64,
    /// How they line up along that side.
    pub align: Align,
    /// Where it stands in the job file.
    pub span: Range<usize>,
}

/// A side of a drawing, seen from the front.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Edge {
    /// To the right.
    Right,
    /// To the left.
    Left,
    /// Away from the operator.
    Above,
    /// Towards the operator.
    Below,
}

/// How two drawings line up.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Align {
    /// Lower or left edges.
    Low,
    /// Middles.
    Middle,
    /// Upper or right edges.
    High,
}

const EDGES: [(&str, Edge); 4] =
    [("right", Edge::Right), ("left", Edge::Left), ("above", Edge::Above), ("below", Edge::Below)];
const UPRIGHT: [(&str, Align); 3] =
    [("bottom", Align::Low), ("centre", Align::Middle), ("top", Align::High)];
const LEVEL: [(&str, Align); 3] =
    [("left", Align::Low), ("centre", Align::Middle), ("right", Align::High)];

/// Reads `beside = { of, side, gap, align }`.
pub(super) fn read(section: &Section<'_, '_>) -> Option<Beside> {
    let span = section.span_of("beside");
    let inner = section.section("beside")?;
    let of = inner.required_text("of", "of = \"panel\", the name or the file of another artwork");
    let edge = inner.choice("side", &EDGES).unwrap_or(Edge::Right);
    let gap = inner.distance("gap").unwrap_or(0.0);
    let words = if matches!(edge, Edge::Right | Edge::Left) { &UPRIGHT } else { &LEVEL };
    let align = inner.choice("align", words).unwrap_or(Align::Middle);
    inner.finish();
    if section.has("at") || section.has("anchor") {
        section.contradicts(
            "beside",
            "beside says where the drawing lies, and so do at and anchor",
            "take one of them out",
        );
    }
    Some(Beside { of: of?.to_string(), edge, gap, align, span })
}

impl Beside {
    /// The number of the artwork that is meant, among those before it.
    ///
    /// # Errors
    /// None of them is called so.
    pub fn find_by_name<'n>(
        &self,
        before: impl Iterator<Item = (Option<&'n str>, &'n str)> + Clone,
    ) -> Result<usize, Problem> {
        let mut numbered = before.clone().enumerate();
        let is_it = |(name, file): (Option<&str>, &str)| name == Some(&self.of) || file == self.of;
        if let Some((n, _)) = numbered.find(|(_, one)| is_it(*one)) {
            return Ok(n);
        }
        let names: Vec<&str> = before.map(|(name, file)| name.unwrap_or(file)).collect();
        let help = match nearest(&self.of, names.iter().copied()) {
            Some(near) => format!("did you mean \"{near}\"?"),
            None if names.is_empty() => "it must stand behind the other [[artwork]]".into(),
            None => format!("before it stand: {}", names.join(", ")),
        };
        let message =
            format!("beside names \"{}\", and no artwork before it is called so", self.of);
        Err(Problem::error(Code::UnknownWord, message, help))
    }

    /// How far a drawing must move to lie beside the other one.
    #[must_use]
    pub fn shift(&self, own: Rect, other: Rect) -> Vec2 {
        let along = |low: (f64, f64), high: (f64, f64)| match self.align {
            Align::Low => low.1 - low.0,
            Align::Middle => f64::midpoint(low.1, high.1) - f64::midpoint(low.0, high.0),
            Align::High => high.1 - high.0,
        };
        let across = || along((own.y0, other.y0), (own.y1, other.y1));
        let level = || along((own.x0, other.x0), (own.x1, other.x1));
        match self.edge {
            Edge::Right => Vec2::new(other.x1 + self.gap - own.x0, across()),
            Edge::Left => Vec2::new(other.x0 - self.gap - own.x1, across()),
            Edge::Above => Vec2::new(level(), other.y1 + self.gap - own.y0),
            Edge::Below => Vec2::new(level(), other.y0 - self.gap - own.y1),
        }
    }
}
