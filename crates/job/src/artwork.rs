//! `[[artwork]]`: a drawing, and what is made of it before any step sees it.

use super::select::{Origin, ShapeInfo};
use super::{Anchor, Beside, Mirror, Size, Take, Window, beside, place, select, window};
use tinkite_artwork::{Shape, Trace};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::Point;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Angle, Length, Power, parse, parse_spacing};
use tinkite_machine::section::Section;
use toml::Spanned;
use toml::de::DeValue;

/// Which kind of content takes part.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Only {
    /// Lines and areas, no bitmaps.
    Vectors,
    /// Bitmaps, no lines or areas.
    Bitmaps,
}

/// What becomes of things that later paint lies over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Under {
    /// Fills are engraved whole; otherwise what of them shows.
    pub keeps_fills: bool,
    /// Of lines only what shows is followed; otherwise they are whole.
    pub drops_lines: bool,
}

/// Another paint for some shapes.
#[derive(Debug, Clone, PartialEq)]
pub struct Paint {
    /// Which shapes, by any of these.
    pub take: Vec<Take>,
    /// The fill that they get, or none; not said: it stays.
    pub fill: Option<Option<Colour>>,
    /// The same of their line.
    pub stroke: Option<Option<Colour>>,
}

/// What is drawn into a bitmap, as the page shows it, and how finely.
#[derive(Debug, Clone, PartialEq)]
pub struct Rendered {
    /// Which shapes, by any of these; empty: all that have no plain colour.
    pub take: Vec<Take>,
    /// Pixels per inch.
    pub dpi: f64,
}

/// A drawing of a job and how it is laid on the sheet.
#[derive(Debug, Clone, PartialEq)]
pub struct ArtworkUse {
    /// The file, as the job names it (relative to the job).
    pub file: String,
    /// What the job calls it.
    pub name: Option<String>,
    /// Which page of a PDF, from 1.
    pub page: u32,
    /// Whether dashed lines are their dashes; otherwise they are whole lines.
    pub dashes: bool,
    /// What takes part, when not all does.
    pub only: Option<Only>,
    /// How large it is made.
    pub size: Size,
    /// How many of it are laid, with `pack`.
    pub count: u32,
    /// Counter-clockwise turn in radians, applied after the size.
    pub turn: f64,
    /// Mirroring, applied first.
    pub mirror: Option<Mirror>,
    /// What one unit of the drawing is, mm, where the file leaves it in doubt.
    pub mm_per_unit: Option<f64>,
    /// Resolution of a bitmap file, pixels per inch, instead of what the file says.
    pub dpi: Option<f64>,
    /// Whether what lies outside the page is cut away.
    pub crop: bool,
    /// The part of its page that takes part.
    pub window: Option<Window>,
    /// Colours that differ by at most this in each of red, green and blue are one.
    pub colour_tolerance: Option<u8>,
    /// How bitmaps are turned into outlines, and their colour.
    pub trace: Option<(Trace, Colour)>,
    /// Shapes that take no part.
    pub leave_out: Vec<Take>,
    /// Ends of lines painted alike that lie within this of each other are joined, mm.
    pub join_gaps: Option<f64>,
    /// Whether stretches that are drawn twice in one colour are dropped.
    pub drop_doubles: bool,
    /// Shapes that get another paint; the first that takes a shape counts.
    pub paint: Vec<Paint>,
    /// What is drawn into a bitmap, as the page shows it.
    pub render: Option<Rendered>,
    /// What becomes of things that later paint lies over.
    pub under: Under,
    /// Which of its points lies `at` that place on the sheet; none leaves it where its page puts it.
    pub at: Option<(Anchor, Point)>,
    /// Beside which other one it lies.
    pub beside: Option<Beside>,
}

/// Wider gaps (mm) are no slips of the pen.
const WIDEST_GAP: f64 = 5.0;

/// Reads one `[[artwork]]`.
pub(super) fn read(mut section: Section<'_, '_>) -> Option<ArtworkUse> {
    section.name = "[[artwork]]".into();
    let file = section.required_text("file", "file = \"drawing.svg\"");
    let name = section.text("name").map(str::to_string);
    let page = section.whole("page", 1..=100_000).unwrap_or(1) as u32;
    let dashes = section.flag("dashes").unwrap_or(false);
    let only = section.choice("only", &[("vectors", Only::Vectors), ("bitmaps", Only::Bitmaps)]);
    let size = place::size(&section);
    let count = section.whole("count", 1..=500).unwrap_or(1) as u32;
    let turn = place::turn(&section);
    let mirror = place::mirror(&section);
    let leave_out = select::read(&section, "leave-out");
    let join_gaps = section.positive::<Length>("join-gaps").map(|length| length.0);
    if join_gaps.is_some_and(|gap| gap > WIDEST_GAP) {
        let span = section.span_of("join-gaps");
        section.out_of_range("join-gaps", span, &section.written("join-gaps"), "at most 5 mm");
    }
    let mm_per_unit = section.text("units").and_then(|text| {
        let unit = place::mm_per_unit(text);
        if unit.is_none() {
            let message = format!("units in {} cannot be \"{text}\"", section.name);
            let help = "say how many units go into an inch, cm or mm: \"90/in\"";
            section.report(Problem::error(Code::Quantity, message, help), section.span_of("units"));
        }
        unit
    });
    let dpi = section.quantity_by("dpi", parse_spacing).map(|spacing| 25.4 / spacing.0);
    let crop = section.choice("crop", &[("page", ())]).is_some();
    let window = window::read(&section);
    let colour_tolerance = section.whole("colour-tolerance", 0..=64).map(|n| n as u8);
    let trace = section.section("trace").and_then(trace);
    let drop_doubles = section.flag("drop-doubles").unwrap_or(false);
    let paint = section.sections("paint").into_iter().filter_map(paint).collect();
    let render = render(&section);
    let under = under(&section);
    let at = place::own_place(&section);
    let beside = beside::read(&section);
    section.finish();
    Some(ArtworkUse {
        file: file?.to_string(),
        name,
        page,
        dashes,
        only,
        size,
        count,
        turn,
        mirror,
        mm_per_unit,
        dpi,
        crop,
        window,
        colour_tolerance,
        trace,
        leave_out,
        join_gaps,
        drop_doubles,
        paint,
        render,
        under,
        at,
        beside,
    })
}

/// Reads `under = "keep"` or `"drop"` for all, or `under = { lines = …, fills = … }`.
fn under(section: &Section<'_, '_>) -> Under {
    const WORDS: [(&str, bool); 2] = [("keep", true), ("drop", false)];
    let is_table = |value: &Spanned<DeValue<'_>>| matches!(value.get_ref(), DeValue::Table(_));
    if !section.value("under").is_some_and(is_table) {
        return match section.choice("under", &WORDS) {
            Some(keeps) => Under { keeps_fills: keeps, drops_lines: !keeps },
            None => Under::default(),
        };
    }
    let Some(inner) = section.section("under") else { return Under::default() };
    let keeps_fills = inner.choice("fills", &WORDS).unwrap_or(false);
    let keeps_lines = inner.choice("lines", &WORDS).unwrap_or(true);
    inner.finish();
    Under { keeps_fills, drops_lines: !keeps_lines }
}

impl ArtworkUse {
    /// Where its shapes come from.
    #[must_use]
    pub fn origin(&self) -> Origin {
        Origin { file: self.file.clone(), name: self.name.clone() }
    }

    /// Whether a shape is drawn into a bitmap: what gets another paint or takes no part is not.
    #[must_use]
    pub fn renders(&self, shape: &Shape) -> bool {
        let Some(render) = &self.render else { return false };
        let open = shape.contours(OPEN_WITHIN).iter().any(|contour| !contour.closed);
        let origin = self.origin();
        let info = ShapeInfo { shape, open, origin: Some(&origin) };
        let by = |takes: &[Take]| takes.iter().any(|take| take.holds(&info, false));
        let taken = if render.take.is_empty() { !shape.odd.is_none() } else { by(&render.take) };
        taken && !by(&self.leave_out) && !self.paint.iter().any(|paint| by(&paint.take))
    }
}

/// Whether a line is open is seen on curves this near, mm.
const OPEN_WITHIN: f64 = 0.01;

/// More pixels per inch are no picture that a beam could burn.
const FINEST: f64 = 2540.0;

/// Reads `render = "254 dpi"` or `render = { take = …, dpi = … }`.
fn render(section: &Section<'_, '_>) -> Option<Rendered> {
    let fine = |section: &Section<'_, '_>, key: &'static str| {
        let dpi = section.quantity_by(key, parse_spacing).map(|spacing| 25.4 / spacing.0)?;
        let fits = (1.0..=FINEST).contains(&dpi);
        if !fits {
            let (span, got) = (section.span_of(key), section.written(key));
            section.out_of_range(key, span, &got, "between 1 and 2540 dpi");
        }
        fits.then_some(dpi)
    };
    let is_table = |value: &Spanned<DeValue<'_>>| matches!(value.get_ref(), DeValue::Table(_));
    if !section.value("render").is_some_and(is_table) {
        return Some(Rendered { take: Vec::new(), dpi: fine(section, "render")? });
    }
    let inner = section.section("render")?;
    let take = select::read(&inner, "take");
    if !inner.has("dpi") {
        inner.missing("dpi", "dpi = \"254 dpi\"");
    }
    let dpi = fine(&inner, "dpi");
    inner.finish();
    Some(Rendered { take, dpi: dpi? })
}

/// Reads one of `paint = [{ … }]`.
fn paint(section: Section<'_, '_>) -> Option<Paint> {
    let take = select::read(&section, "take");
    if !section.has("take") {
        section.missing("take", "take = { kind = \"gradient\" }, the shapes that are meant");
    }
    let one = |key: &'static str| match section.text(key) {
        Some("none") => Some(None),
        Some(_) => super::drawn::colour(&section, key).map(Some),
        None => None,
    };
    let (fill, stroke) = (one("fill"), one("stroke"));
    if !section.has("fill") && !section.has("stroke") {
        section.missing("fill", "fill = \"#555555\", stroke = \"red\", or \"none\"");
    }
    section.finish();
    (!take.is_empty()).then_some(Paint { take, fill, stroke })
}

/// Reads `trace = { … }`; what is left out has its default.
fn trace(section: Section<'_, '_>) -> Option<(Trace, Colour)> {
    let usual = Trace::default();
    let range = |key: &'static str, value: f64, most: f64, words: &str| {
        let fits = (0.0..=most).contains(&value);
        if !fits {
            section.out_of_range(key, section.span_of(key), &section.written(key), words);
        }
        fits.then_some(value)
    };
    let threshold = section.quantity::<Power>("threshold").map_or(usual.threshold, |p| p.0);
    let threshold = range("threshold", threshold, 1.0, "between 0 % (black) and 100 % (white)");
    let smooth = section.quantity::<Angle>("smooth").map_or(usual.smooth, |a| a.0);
    let smooth = range("smooth", smooth, std::f64::consts::PI, "between 0 deg and 180 deg");
    let speck = section.quantity_by("speck", parse::<Length>).map_or(usual.speck, |l| l.0);
    let speck = range("speck", speck, 1000.0, "between 0 mm and 1000 mm");
    let colour = super::drawn::colour(&section, "colour");
    let colour = if section.has("colour") { colour? } else { Colour::new(0, 0, 0) };
    section.finish();
    Some((Trace { threshold: threshold?, smooth: smooth?, speck: speck? }, colour))
}
