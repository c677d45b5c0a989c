//! Artwork: what somebody drew, in millimetres with y up, whatever file it came in.
//!
//! An [`Artwork`] no longer holds units, references or inherited style; every shape keeps where it
//! came from, so that a problem can be shown in the file.

pub mod layers;
mod svg;
mod trouble;

pub use trouble::trouble;

use crate::colour::Colour;
use crate::geometry::region::FillRule;
use crate::geometry::{Affine, BezPath, Contour, Rect, fit, hull};
use crate::problem::{Place, Problem, Problems};

/// Kinds of file that can be read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Format {
    /// Scalable Vector Graphics.
    Svg,
}

impl Format {
    /// The name people know it by.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Svg => "SVG",
        }
    }
}

/// Where the true size came from.
#[derive(Debug, Clone, PartialEq)]
pub struct Units {
    /// In words, for people.
    pub source: String,
    /// How many mm one unit of the drawing is.
    pub mm_per_unit: f64,
    /// Whether that is a guess: the file speaks of pixels, or of nothing.
    pub doubtful: bool,
}

/// Where in the file a shape was drawn.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Source {
    /// Its id, as written there.
    pub id: Option<String>,
    /// Names of the groups and layers round it, outermost first.
    pub groups: Vec<String>,
    /// Line in the file, from 1.
    pub line: Option<u32>,
}

impl Source {
    /// How people find it: its id, or its line.
    #[must_use]
    pub fn label(&self) -> String {
        match (&self.id, self.line) {
            (Some(id), _) => id.clone(),
            (None, Some(line)) => format!("line {line}"),
            (None, None) => "a shape without a name".into(),
        }
    }

    /// As a place in `file`.
    #[must_use]
    pub fn place(&self, file: &str) -> Place {
        Place { file: file.into(), line: self.line, span: None, thing: self.id.clone() }
    }
}

/// How a shape's inside is painted.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fill {
    /// Its colour.
    pub colour: Colour,
    /// What counts as inside.
    pub rule: FillRule,
}

/// How a shape's line is painted.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stroke {
    /// Its colour.
    pub colour: Colour,
    /// Its width in mm, as drawn.
    pub width: f64,
}

/// One drawn thing: its curves, its paint and where it came from.
#[derive(Debug, Clone, PartialEq)]
pub struct Shape {
    /// The curves, in mm, y up.
    pub path: BezPath,
    /// Paint of the inside.
    pub fill: Option<Fill>,
    /// Paint of the line.
    pub stroke: Option<Stroke>,
    /// Where it was drawn.
    pub source: Source,
}

impl Shape {
    /// The shape as lines and arcs within `tolerance` mm.
    #[must_use]
    pub fn contours(&self, tolerance: f64) -> Vec<Contour> {
        fit::contours(&self.path, tolerance)
    }
}

/// A bitmap that stands in the artwork.
#[derive(Debug, Clone, PartialEq)]
pub struct Image {
    /// Where it was drawn.
    pub source: Source,
    /// Width and height in mm.
    pub size: (f64, f64),
    /// Width and height in pixels, when the bitmap says so.
    pub pixels: Option<(u32, u32)>,
}

/// Something in the file that this version cannot turn into lines.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unread {
    /// Live text.
    Text,
    /// A bitmap.
    Bitmap,
    /// A clip path, mask or filter on shapes that were read.
    Effect,
    /// A gradient or pattern as paint.
    Paint,
}

impl Unread {
    fn story(self) -> (&'static str, &'static str, &'static str) {
        match self {
            Self::Text => (
                "live-text",
                "live text is not read",
                "turn it into outlines in the drawing program, or leave it out: leave-out = [{ kind = \"text\" }]",
            ),
            Self::Bitmap => (
                "bitmap",
                "a bitmap is not engraved by this version",
                "leave it out: leave-out = [{ kind = \"bitmap\" }]",
            ),
            Self::Effect => (
                "effect",
                "a clip path, mask or filter is not applied by this version",
                "apply it in the drawing program, so that only plain shapes remain",
            ),
            Self::Paint => (
                "odd-paint",
                "a gradient or pattern is not a colour that a step could take",
                "give the shape a plain colour in the drawing program",
            ),
        }
    }

    /// As a problem that refuses a job.
    #[must_use]
    pub fn problem(self, source: &Source, file: &str) -> Problem {
        let (code, what, cure) = self.story();
        Problem::error(code, what, cure).at(source.place(file))
    }
}

/// What was drawn, at its true size.
#[derive(Debug, Clone)]
pub struct Artwork {
    /// The file's name, as given.
    pub file: String,
    /// Its kind.
    pub format: Format,
    /// Where the true size came from.
    pub units: Units,
    /// The page's width and height in mm, when the file has one. Its lower left corner is the
    /// origin of all coordinates; without a page the drawing's own lower left corner is.
    pub page: Option<(f64, f64)>,
    /// The shapes, in drawing order.
    pub shapes: Vec<Shape>,
    /// Bitmaps.
    pub images: Vec<Image>,
    /// What could not be read, and where it stands.
    pub unread: Vec<(Unread, Source)>,
    /// What is doubtful about the file itself.
    pub problems: Problems,
}

impl Artwork {
    /// The rectangle round all shapes' lines; none for an artwork without shapes.
    #[must_use]
    pub fn extents(&self) -> Option<Rect> {
        use kurbo::Shape as _;
        hull(self.shapes.iter().map(|shape| shape.path.bounding_box()))
    }

    /// Everything doubtful, for a report on the file alone: what cannot be read is a warning here,
    /// since a job may leave it out.
    #[must_use]
    pub fn doubts(&self) -> Problems {
        let mut all = self.problems.clone();
        for (unread, source) in &self.unread {
            let problem = unread.problem(source, &self.file);
            all.push(Problem { severity: crate::problem::Severity::Warning, ..problem });
        }
        all
    }

    /// Moves everything.
    pub(crate) fn transform(&mut self, by: Affine) {
        for shape in &mut self.shapes {
            shape.path.apply_affine(by);
        }
    }
}

/// Larger files (bytes) are refused: nobody draws a quarter of a gigabyte on purpose.
pub const LARGEST_FILE: u64 = 256 << 20;

/// Coordinates beyond this (mm) are a mistake of units or a broken file.
const LARGEST_COORDINATE: f64 = 1e6;

/// Reads artwork from the bytes of the file called `name`.
///
/// # Errors
/// Files that are empty, too large, of a kind that is not read, or broken.
pub fn read(name: &str, bytes: &[u8]) -> Result<Artwork, Problems> {
    let refuse = |code, message: &str, help: &str| {
        Err(Problems::from(Problem::error(code, message, help).at(Place::file(name))))
    };
    if bytes.is_empty() {
        return refuse("empty-file", "the file is empty", "save the drawing again");
    }
    if bytes.len() as u64 > LARGEST_FILE {
        return refuse(
            "huge-file",
            &format!("the file has more than the {} MB that are read", LARGEST_FILE >> 20),
            "simplify the drawing, or split it into several files",
        );
    }
    if let Some(kind) = foreign_kind(bytes) {
        return refuse(
            "format",
            &format!("this is {kind}, and this version reads SVG"),
            "export the drawing as plain SVG",
        );
    }
    let Ok(text) = std::str::from_utf8(bytes) else {
        return refuse(
            "format",
            "this is neither SVG nor any other text in UTF-8",
            "export the drawing as plain SVG, in UTF-8",
        );
    };
    let artwork = svg::read(name, text.trim_start_matches('\u{feff}'))?;
    checked(artwork)
}

/// What the first bytes say when they are another known kind of file.
fn foreign_kind(bytes: &[u8]) -> Option<&'static str> {
    let starts = |magic: &[u8]| bytes.starts_with(magic);
    if starts(b"\x89PNG") {
        Some("a PNG bitmap")
    } else if starts(b"\xff\xd8\xff") {
        Some("a JPEG bitmap")
    } else if starts(b"GIF8") {
        Some("a GIF bitmap")
    } else if starts(b"BM") && bytes.contains(&0) {
        Some("a BMP bitmap")
    } else if starts(b"II*\0") || starts(b"MM\0*") {
        Some("a TIFF bitmap")
    } else if starts(b"%PDF") {
        Some("a PDF")
    } else if starts(b"\x1f\x8b") {
        Some("a compressed file (perhaps a compressed SVG)")
    } else if bytes.get(..22).is_some_and(|head| head.ends_with(b" Binary DXF\r\n\x1a\0"))
        || bytes.trim_ascii_start().starts_with(b"0\nSECTION")
        || bytes.trim_ascii_start().starts_with(b"0\r\nSECTION")
    {
        Some("a DXF drawing")
    } else {
        None
    }
}

/// Refuses what no machine could run: nothing drawn, and coordinates out of this world.
fn checked(artwork: Artwork) -> Result<Artwork, Problems> {
    let mut problems = Problems::new();
    for shape in &artwork.shapes {
        let far = shape.path.elements().iter().filter_map(kurbo::PathEl::end_point).find(|p| {
            !p.is_finite() || p.x.abs() > LARGEST_COORDINATE || p.y.abs() > LARGEST_COORDINATE
        });
        if far.is_some() {
            problems.push(
                Problem::error(
                    "absurd-size",
                    format!(
                        "{} reaches further than {} m",
                        shape.source.label(),
                        LARGEST_COORDINATE / 1000.0
                    ),
                    "look for a stray point or a wrong unit, and mend it in the drawing program",
                )
                .at(shape.source.place(&artwork.file)),
            );
        }
    }
    problems.unless_refused(artwork)
}
