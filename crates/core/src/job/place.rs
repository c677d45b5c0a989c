//! Size, turn and place of the artwork on the bed, as the job says them.

use super::reader::Section;
use crate::geometry::{Point, Rect};
use crate::problem::Problem;
use crate::quantity::{Angle, Length, parse};

/// How large the artwork is made; proportions are kept.
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

/// Where the drawing sits: `anchor` of its extents lies at `at`, in mm on the machine's axes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Placement {
    /// Which point of the extents.
    pub anchor: Anchor,
    /// Where it lies, from the machine's origin; none keeps the drawing where its page put it, with
    /// the page's lower left corner on the bed's front left corner.
    pub at: Option<Point>,
    /// How often everything is repeated.
    pub copies: Copies,
}

/// Copies in rows and columns; the anchor is that of all of them together.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Copies {
    /// Across; at least 1.
    pub columns: u32,
    /// Away from the operator; at least 1.
    pub rows: u32,
    /// Between the extents of neighbours, mm.
    pub gap: f64,
}

impl Default for Copies {
    fn default() -> Self {
        Self { columns: 1, rows: 1, gap: 0.0 }
    }
}

/// Reads `[place]`.
pub(super) fn placement(section: Section<'_, '_>) -> Placement {
    if let Some(zero) = section.text("zero") {
        match zero {
            "bed" => {}
            "stock" | "head" => section.not_yet(&["zero"]),
            _ => {
                section.choice("zero", &[("bed", ()), ("stock", ()), ("head", ())]);
            }
        }
    }
    let anchor = section.choice("anchor", &ANCHORS);
    let at = section.point("at", parse::<Length>);
    if anchor.is_some() && !section.has("at") {
        section.missing("at", "at = [\"10 mm\", \"10 mm\"], where the anchor lies");
    }
    let copies = section.section("copies").map_or(Copies::default(), copies);
    section.not_yet(&["mark"]);
    section.finish();
    Placement { anchor: anchor.unwrap_or(ANCHORS[0].1), at, copies }
}

/// More copies than this along one side are a slip of the pen.
const MOST_COPIES: i64 = 500;

fn copies(section: Section<'_, '_>) -> Copies {
    let many = |key| section.whole(key, 1..=MOST_COPIES).unwrap_or(1) as u32;
    let (columns, rows) = (many("columns"), many("rows"));
    let gap = section.quantity::<Length>("gap").map_or(0.0, |length| length.0);
    if gap < 0.0 {
        let span = section.span_of("gap");
        section.out_of_range("gap", span, &section.written("gap"), "zero or more");
    }
    section.not_yet(&["pitch", "turn"]);
    section.finish();
    Copies { columns, rows, gap }
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
    let mut given = all.into_iter().flatten();
    let size = given.next().unwrap_or(Size::True);
    if given.next().is_some() {
        section.report(
            Problem::error(
                "two-sizes",
                "the artwork has more than one of scale, width and height; proportions are kept, so one says it all",
                "keep one of them",
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
