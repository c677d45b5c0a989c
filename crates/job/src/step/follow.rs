//! How lines are followed: kerf, pierce, leads, overlap, start and bridges.

use tinkite_base::geometry::Point;
use tinkite_base::quantity::{Duration, Length, Power, parse};
use tinkite_machine::Beam;
use tinkite_machine::section::{LONGEST, Section};
use toml::de::DeValue;

/// On which side of a closed line the beam runs, when it has a width.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// Outside outlines, inside holes: parts keep their size.
    Scrap,
    /// Outside every closed line.
    Outside,
    /// Inside every closed line.
    Inside,
    /// On the line as drawn.
    OnLine,
}

/// When the beam pierces.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Every {
    /// Before every pass.
    Pass,
    /// Before the first pass only.
    First,
}

/// Standing still at the start to burn through.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pierce {
    /// Power while it stands.
    pub power: Power,
    /// For how long, s.
    pub dwell: f64,
    /// Before which passes.
    pub every: Every,
}

/// The form of a lead.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LeadShape {
    /// Straight.
    Straight,
    /// A quarter circle that touches the line.
    Arc,
}

/// A way to the line, or away from it, through the scrap.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Lead {
    /// Its length along the way, mm.
    pub length: f64,
    /// Its form.
    pub shape: LeadShape,
}

/// Where a closed line is begun.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Start {
    /// Where it is nearest.
    Nearest,
    /// At a corner.
    Corner,
    /// In the middle of a long piece.
    Flat,
    /// As near as possible to this point of the bed's axes, mm.
    Near(Point),
}

/// Places at which a part stays attached to the sheet.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bridges {
    /// How many each closed line gets; `None` when they are spaced.
    pub count: Option<u32>,
    /// At most how far apart they are, mm, when they are spaced.
    pub spacing: f64,
    /// How wide each is, mm.
    pub width: f64,
    /// How far they stay away from corners, mm.
    pub corner: f64,
    /// Parts whose longer side is shorter than this get none, mm.
    pub smallest: f64,
    /// Power across a bridge; none leaves the beam off.
    pub power: Option<Power>,
}

/// What is done where a line turns sharply.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Corners {
    /// Outer corners of closed lines: a loop through the scrap, so that the head need not slow down. Its radius, mm;
    /// none: as large as the speed needs.
    Loop(Option<f64>),
    /// The beam stands still in every corner for so long, s.
    Dwell(f64),
}

/// How lines are followed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Follow {
    /// Width that the beam removes, mm.
    pub kerf: f64,
    /// On which side of closed lines the beam runs.
    pub side: Side,
    /// How deep a line may cut into a part that is not its own, mm; deeper is refused.
    pub deepest_bite: f64,
    /// Piercing.
    pub pierce: Option<Pierce>,
    /// The way in.
    pub lead_in: Option<Lead>,
    /// The way out.
    pub lead_out: Option<Lead>,
    /// How far a closed line is followed beyond its start, mm.
    pub overlap: f64,
    /// Where closed lines are begun.
    pub start: Start,
    /// Bridges.
    pub bridges: Option<Bridges>,
    /// What is done at corners; none: they are followed as they are.
    pub corners: Option<Corners>,
    /// Whether edges that neighbouring parts share are followed once.
    pub shared_edges: bool,
}

/// Reads what a step that follows lines says about them.
pub(super) fn read(section: &Section<'_, '_>, beam: &Beam) -> Option<Follow> {
    let sides = [
        ("scrap", Side::Scrap),
        ("outside", Side::Outside),
        ("inside", Side::Inside),
        ("on-line", Side::OnLine),
    ];
    let side = section.choice("side", &sides).unwrap_or(Side::Scrap);
    let kerf = section.distance("kerf").unwrap_or(0.0);
    let shared_edges = section.flag("shared-edges").unwrap_or(false);
    if shared_edges && kerf > 0.0 && side != Side::OnLine {
        section.contradicts(
            "shared-edges",
            "an edge that two parts share is followed on the line, so kerf cannot be made up for",
            "say side = \"on-line\", or take kerf or shared-edges out",
        );
    }
    let deepest_bite = section.distance("deepest-bite").unwrap_or(kerf / 2.0);
    let pierce = optional(section, "pierce", |s| pierce(s, beam));
    let lead_in = lead(section, "lead-in");
    let lead_out = lead(section, "lead-out");
    let overlap = section.distance("overlap").unwrap_or(0.0);
    let start = start(section);
    let bridges = optional(section, "bridges", |s| bridges(s, beam));
    let corners = corners(section);
    Some(Follow {
        kerf,
        side,
        deepest_bite,
        pierce: pierce?,
        lead_in: lead_in?,
        lead_out: lead_out?,
        overlap,
        start: start?,
        bridges: bridges?,
        corners: corners?,
        shared_edges,
    })
}

/// A table that may be missing: `None` when it is there and wrong.
fn optional<'s, 't, T>(
    section: &Section<'s, 't>,
    key: &'static str,
    read: impl Fn(Section<'s, 't>) -> Option<T>,
) -> Option<Option<T>> {
    if !section.has(key) {
        return Some(None);
    }
    section.section(key).and_then(read).map(Some)
}

fn pierce(section: Section<'_, '_>, beam: &Beam) -> Option<Pierce> {
    if !section.has("power") {
        section.missing("power", "power = \"65 %\"");
    }
    let power = section.power("power", beam);
    let dwell = section.required_positive::<Duration>("dwell", "dwell = \"0.3 s\"");
    if dwell.is_some_and(|time| time.0 > 60.0) {
        let span = section.span_of("dwell");
        section.out_of_range("dwell", span, &section.written("dwell"), "at most 60 s");
    }
    let every = section.choice("every", &[("pass", Every::Pass), ("first", Every::First)]);
    section.finish();
    Some(Pierce { power: power?, dwell: dwell?.0, every: every.unwrap_or(Every::Pass) })
}

/// A lead is a length, or a table of length and shape.
fn lead(section: &Section<'_, '_>, key: &'static str) -> Option<Option<Lead>> {
    let Some(value) = section.value(key) else { return Some(None) };
    if matches!(value.get_ref(), DeValue::Table(_)) {
        let table = section.section(key)?;
        let length = table.required_positive::<Length>("length", "length = \"1.5 mm\"");
        let length = length.and_then(|length| table.within("length", length, LONGEST));
        let shapes = [("straight", LeadShape::Straight), ("arc", LeadShape::Arc)];
        let shape = table.choice("shape", &shapes).unwrap_or(LeadShape::Straight);
        table.finish();
        return Some(Some(Lead { length: length?, shape }));
    }
    let length = section.distance(key)?;
    Some((length > 0.0).then_some(Lead { length, shape: LeadShape::Straight }))
}

/// A word, or a point of the bed's axes. Left out, leads start away from corners.
fn start(section: &Section<'_, '_>) -> Option<Start> {
    if matches!(section.value("start").map(|v| v.get_ref()), Some(DeValue::Array(_))) {
        return section.point("start", parse::<Length>).map(Start::Near);
    }
    let words = [("nearest", Start::Nearest), ("corner", Start::Corner), ("flat", Start::Flat)];
    let leads = section.has("lead-in") || section.has("lead-out");
    let left_out = if leads { Start::Flat } else { Start::Nearest };
    if section.has("start") { section.choice("start", &words) } else { Some(left_out) }
}

/// The word for loops, or a table that says how large they are, or how long the beam stands.
fn corners(section: &Section<'_, '_>) -> Option<Option<Corners>> {
    let Some(value) = section.value("corners") else { return Some(None) };
    if matches!(value.get_ref(), DeValue::String(word) if word == "dwell") {
        section.missing("dwell", "corners = { dwell = \"0.1 s\" }, for how long");
        return None;
    }
    if !matches!(value.get_ref(), DeValue::Table(_)) {
        return section.choice("corners", &[("loop", Corners::Loop(None))]).map(Some);
    }
    let table = section.section("corners")?;
    if table.has("loop") == table.has("dwell") {
        table.contradicts(
            "loop",
            "corners have either a loop or a dwell",
            "say corners = \"loop\", { loop = \"1 mm\" } or { dwell = \"0.1 s\" }",
        );
    }
    let radius = table.positive::<Length>("loop");
    let radius = radius.and_then(|radius| table.within("loop", radius, LONGEST));
    let dwell = table.positive::<Duration>("dwell");
    if dwell.is_some_and(|time| time.0 > 60.0) {
        let span = table.span_of("dwell");
        table.out_of_range("dwell", span, &table.written("dwell"), "at most 60 s");
    }
    table.finish();
    match (radius, dwell) {
        (Some(radius), None) => Some(Some(Corners::Loop(Some(radius)))),
        (None, Some(dwell)) => Some(Some(Corners::Dwell(dwell.0))),
        _ => None,
    }
}

fn bridges(section: Section<'_, '_>, beam: &Beam) -> Option<Bridges> {
    let count = section.whole("count", 1..=1000).map(|n| n as u32);
    let spacing = section.positive::<Length>("spacing").map(|length| length.0);
    let width = section.required_positive::<Length>("width", "width = \"0.6 mm\"");
    if count.is_some() == spacing.is_some() {
        section.contradicts(
            "count",
            "bridges have either a count for each closed line or a spacing",
            "say count = 4, or spacing = \"40 mm\"",
        );
    }
    let corner = section.distance("corner");
    let smallest = section.distance("smallest").unwrap_or(0.0);
    let power = section.power("power", beam);
    section.finish();
    let width = width?.0;
    Some(Bridges {
        count,
        spacing: spacing.unwrap_or(f64::INFINITY),
        width,
        corner: corner.unwrap_or(2.0 * width),
        smallest,
        power,
    })
}
