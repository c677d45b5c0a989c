//! Size, turn and place of the artwork on the bed, as the job says them.

use super::copies::{Copies, copies};
use super::pack::{self, Pack};
use tinkite_base::geometry::{Point, Rect};
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Angle, Length, parse};
use tinkite_machine::section::Section;

/// How large the artwork is made; proportions are kept unless it is stretched.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Size {
    /// As large as it was drawn.
    True,
    /// This many times as large.
    Scale(f64),
    /// So that the drawing is this wide, mm.
    Width(f64),
    /// So that the drawing is this high, mm.
    Height(f64),
    /// This wide and this high, mm, whatever becomes of the proportions.
    Stretched(f64, f64),
}

/// Mirroring about the middle of the drawing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mirror {
    /// Left becomes right.
    LeftRight,
    /// Top becomes bottom.
    TopBottom,
}

/// One of the nine points of the drawing's extents.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Anchor {
    /// 0 left, 0.5 middle, 1 right.
    pub x: f64,
    /// 0 bottom, 0.5 middle, 1 top.
    pub y: f64,
}

/// Words for anchors.
const ANCHORS: [(&str, Anchor); 9] = [
    ("bottom-left", Anchor { x: 0.0, y: 0.0 }),
    ("bottom", Anchor { x: 0.5, y: 0.0 }),
    ("bottom-right", Anchor { x: 1.0, y: 0.0 }),
    ("left", Anchor { x: 0.0, y: 0.5 }),
    ("centre", Anchor { x: 0.5, y: 0.5 }),
    ("right", Anchor { x: 1.0, y: 0.5 }),
    ("top-left", Anchor { x: 0.0, y: 1.0 }),
    ("top", Anchor { x: 0.5, y: 1.0 }),
    ("top-right", Anchor { x: 1.0, y: 1.0 }),
];

impl Anchor {
    /// The point of `extents` that it names.
    #[must_use]
    pub fn of(self, extents: Rect) -> Point {
        Point::new(extents.x0 + self.x * extents.width(), extents.y0 + self.y * extents.height())
    }
}

/// What a program counts from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Zero {
    /// The machine's own zero.
    #[default]
    Bed,
    /// The zero that the operator has set on the stock.
    Stock,
    /// Where the head stands when the program begins, and where it leaves it.
    Head,
}

/// Words for zeros.
const ZEROS: [(&str, Zero); 3] = [("bed", Zero::Bed), ("stock", Zero::Stock), ("head", Zero::Head)];

impl Zero {
    /// What lies there, in words.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Bed => "the machine's zero",
            Self::Stock => "the zero set on the stock",
            Self::Head => "where the head stands",
        }
    }

    /// The word for it in a job file.
    #[must_use]
    pub fn name(self) -> &'static str {
        ZEROS.iter().find(|(_, zero)| *zero == self).map_or("", |(name, _)| name)
    }

    /// The zero that a word in a job file means.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        ZEROS.iter().find(|(word, _)| *word == name).map(|(_, zero)| *zero)
    }
}

/// Where the drawing sits: `anchor` of its extents lies at `at`, in mm on the machine's axes.
#[derive(Debug, Clone, PartialEq)]
pub struct Placement {
    /// What the program counts from.
    pub zero: Zero,
    /// Which point of the extents.
    pub anchor: Anchor,
    /// Where it lies, from the machine's origin; none keeps the drawing where its page put it, with
    /// the page's lower left corner on the bed's front left corner.
    pub at: Option<Point>,
    /// How often everything is repeated.
    pub copies: Copies,
    /// Parts are laid where their outlines fit, instead of at one place.
    pub pack: Option<Pack>,
    /// Points of the drawing and where they were found on the bed; they decide instead of `at`.
    pub marks: Vec<RegistrationMark>,
}

impl Default for Placement {
    fn default() -> Self {
        Self {
            zero: Zero::Bed,
            anchor: ANCHORS[0].1,
            at: None,
            copies: Copies::default(),
            pack: None,
            marks: Vec::new(),
        }
    }
}

/// A point of the drawing.
#[derive(Debug, Clone, PartialEq)]
pub enum Spot {
    /// At these coordinates of the sized drawing on its page, mm.
    At(Point),
    /// The middle of the shape with this id.
    Shape(String),
}

/// A point of the drawing and where it is on the bed.
#[derive(Debug, Clone, PartialEq)]
pub struct RegistrationMark {
    /// Where it is drawn.
    pub drawn: Spot,
    /// Where it was found, mm on the machine's axes.
    pub found: Point,
}

/// Reads `[place]`.
pub(super) fn placement(section: Section<'_, '_>) -> Placement {
    let zero = section.choice("zero", &ZEROS).unwrap_or_default();
    // A zero that was set for this very job is where the anchor goes, unless told otherwise.
    let own = if zero == Zero::Bed || section.has("at") {
        own_place(&section)
    } else {
        Some((section.choice("anchor", &ANCHORS).unwrap_or(ANCHORS[0].1), Point::ZERO))
    };
    let packed = section.has("pack");
    let copies = section.section("copies").map_or(Copies::default(), |c| copies(c, packed));
    let pack = section.section("pack").and_then(pack::read);
    if packed {
        let shape = ["columns", "rows", "gap", "pitch", "turn"];
        let said = section.section("copies").and_then(|c| shape.into_iter().find(|k| c.has(k)));
        let odd = said.map(|key| format!("copies.{key}"));
        let odd = odd.or_else(|| section.has("at").then(|| "at".to_string()));
        let odd = odd.or_else(|| section.has("mark").then(|| "marks".to_string()));
        if let Some(odd) = odd {
            let message =
                format!("pack finds a place for every part, so {odd} would contradict it");
            let help = "take one of them out; copies = { count = 12 } says how many, pack the gap";
            let code = Code::TwoSizes;
            section.report(Problem::error(code, message, help), section.span_of("pack"));
        }
    }
    let sections = section.sections("mark");
    let spans: Vec<_> = sections.iter().map(|mark| mark.whole_span()).collect();
    let marks: Vec<RegistrationMark> = sections.into_iter().enumerate().filter_map(mark).collect();
    let refuse = |message: &str, help: &str| {
        let span = spans.first().cloned().unwrap_or_default();
        section.report(Problem::error(Code::Marks, message, help), span);
    };
    if marks.len() == 1 && spans.len() == 1 {
        refuse("one mark fixes no turn and no size", "measure a second one, far from the first");
    }
    if !marks.is_empty() && (section.has("at") || copies.several()) {
        refuse(
            "marks say where one drawing lies, so at and copies would contradict them",
            "take at and copies out, or the marks",
        );
    }
    section.finish();
    let (anchor, at) = own.map_or((ANCHORS[0].1, None), |(anchor, at)| (anchor, Some(at)));
    Placement { zero, anchor, at, copies, pack, marks }
}

/// Reads `anchor` and `at`.
pub(super) fn own_place(section: &Section<'_, '_>) -> Option<(Anchor, Point)> {
    let anchor = section.choice("anchor", &ANCHORS);
    let at = section.point("at", parse::<Length>);
    if anchor.is_some() && !section.has("at") {
        section.missing("at", "at = [\"10 mm\", \"10 mm\"], where the anchor lies");
    }
    Some((anchor.unwrap_or(ANCHORS[0].1), at?))
}

fn mark((n, mut section): (usize, Section<'_, '_>)) -> Option<RegistrationMark> {
    section.name = format!("mark {}", n + 1);
    let found = section.point("found", parse::<Length>);
    if !section.has("found") {
        section.missing("found", "found = [\"102.5 mm\", \"60.2 mm\"], as measured on the bed");
    }
    let shape = section.text("shape").map(|id| Spot::Shape(id.into()));
    let drawn = section.point("drawn", parse::<Length>).map(Spot::At);
    if !section.has("shape") && !section.has("drawn") {
        section
            .missing("drawn", "drawn = [\"10 mm\", \"10 mm\"] on the page, or shape = \"its-id\"");
    }
    section.finish();
    Some(RegistrationMark { drawn: shape.or(drawn)?, found: found? })
}

/// Reads the size of an artwork: at most one of `scale`, `width`, `height`.
pub(super) fn size(section: &Section<'_, '_>) -> Size {
    let scale = section.number("scale");
    if scale.is_some_and(|scale| scale <= 0.0) {
        let span = section.span_of("scale");
        section.out_of_range("scale", span, &section.written("scale"), "above zero");
    }
    let all = [
        scale.filter(|s| *s > 0.0).map(Size::Scale),
        section.positive::<Length>("width").map(|w| Size::Width(w.0)),
        section.positive::<Length>("height").map(|h| Size::Height(h.0)),
    ];
    let stretch = section.flag("stretch").unwrap_or(false);
    if let (None, Some(Size::Width(width)), Some(Size::Height(height)), true) =
        (all[0], all[1], all[2], stretch)
    {
        return Size::Stretched(width, height);
    }
    if stretch {
        let help = "give both width and height, or take stretch out";
        let message = "stretch needs both a width and a height, and no scale";
        section.report(Problem::error(Code::TwoSizes, message, help), section.span_of("stretch"));
    }
    let mut given = all.into_iter().flatten();
    let size = given.next().unwrap_or(Size::True);
    if given.next().is_some() {
        section.report(
            Problem::error(
                Code::TwoSizes,
                "the artwork has more than one of scale, width and height; proportions are kept, so one says it all",
                "keep one of them, or say stretch = true with width and height",
            ),
            section.span_of("width"),
        );
    }
    size
}

/// What one unit is, in mm, when so many go into a length: `"90/in"`, `"72/in"`, `"1/mm"`.
pub(super) fn mm_per_unit(text: &str) -> Option<f64> {
    let (count, length) = text.split_once('/')?;
    let count: f64 = count.trim().parse().ok().filter(|n| (1e-3..=1e6).contains(n))?;
    parse::<Length>(&format!("1 {}", length.trim())).ok().map(|length| length.0 / count)
}

/// Reads the turn of an artwork, in radians.
pub(super) fn turn(section: &Section<'_, '_>) -> f64 {
    section.quantity::<Angle>("turn").map_or(0.0, |angle| angle.0)
}

/// Reads the mirroring of an artwork.
pub(super) fn mirror(section: &Section<'_, '_>) -> Option<Mirror> {
    section
        .choice("mirror", &[("left-right", Mirror::LeftRight), ("top-bottom", Mirror::TopBottom)])
}
