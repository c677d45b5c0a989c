//! Artwork: what somebody drew, in millimetres with y up, whatever file it came in.
//!
//! An [`Artwork`] no longer holds units, references or inherited style; every shape keeps where it
//! came from, so that a problem can be shown in the file.

mod bitmap;
mod clip;
mod cropped;
mod depth;
mod format;
pub mod layers;
mod lettering;
mod measure;
mod outermost;
pub mod relief;
mod solid;
pub mod trouble;

pub use bitmap::area::Whitened;
pub use bitmap::trace::{self, Trace, Traced};
pub use bitmap::{Bitmap, over_white};
pub use clip::{Clipped, Region, clipped, rings};
pub use depth::{Depth, Mesh};
pub use format::{Format, is_binary_stl};
pub use lettering::{Lettering, NoLetters, NoOutlines, SINGLE_LINE};
pub use measure::{Measure, Which, measure, measure_among};
pub use outermost::mark_outermost;
pub use solid::Solid;
pub use trouble::trouble;

use rayon::prelude::*;

use std::sync::Arc;
use tinkite_base::colour::Colour;
use tinkite_base::geometry::region::FillRule;
use tinkite_base::geometry::{Affine, BezPath, Contour, Point, Rect, drawn_bounds, fit, hull};
pub use tinkite_base::problem::{Code, Location, Problem, Problems, few};

/// The layers of an artwork and whatever is doubtful about its shapes, on lines and arcs within `tolerance` mm
/// of what was drawn: both from the same contours, and at the same time.
#[must_use]
pub fn looked_at(artwork: &Artwork, tolerance: f64) -> (Vec<layers::Layer>, Problems) {
    let contours = contours_of(artwork, tolerance);
    rayon::join(
        || layers::layers_of(artwork, &contours, tolerance),
        || trouble::trouble_of(artwork, &contours),
    )
}

/// The contours of each shape.
fn contours_of(artwork: &Artwork, tolerance: f64) -> Vec<Vec<Contour>> {
    artwork.shapes.par_iter().map(|shape| shape.contours(tolerance)).collect()
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
#[derive(Debug, Clone, Eq, Default)]
pub struct Source {
    /// Its id, as written there.
    pub id: Option<String>,
    /// Its name by its place in the drawing's order, where it has no id or shares it.
    pub name: Option<Box<str>>,
    /// Names of the groups and layers round it, outermost first.
    pub groups: Vec<String>,
    /// Line in the file, from 1.
    pub line: Option<u32>,
    /// Whether all of it lies beyond the page.
    pub off_page: bool,
    /// Whether it is closed and lies inside no other closed shape; [`mark_outermost`] finds out.
    pub outermost: bool,
}

impl PartialEq for Source {
    /// Whether it is the same thing, wherever its parts lie.
    fn eq(&self, other: &Self) -> bool {
        (&self.id, &self.groups, self.line) == (&other.id, &other.groups, other.line)
    }
}

impl Source {
    /// How people find it: its id, or its place in the drawing's order; its line in the file while it has neither.
    #[must_use]
    pub fn label(&self) -> String {
        match (self.id.as_deref().or(self.name.as_deref()), self.line) {
            (Some(name), _) => name.into(),
            (None, Some(line)) => format!("line {line}"),
            (None, None) => "a shape without a name".into(),
        }
    }

    /// What nothing else in its drawing is called: its id, or its place where it has none or shares it.
    #[must_use]
    pub fn own_name(&self) -> Option<&str> {
        self.name.as_deref().or(self.id.as_deref())
    }

    /// All that it is called: its id and its place, where it has them.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.id.as_deref().into_iter().chain(self.name.as_deref())
    }

    /// Whether it is called this.
    #[must_use]
    pub fn is_called(&self, name: &str) -> bool {
        self.names().any(|own| own == name)
    }

    /// As a place in `file`.
    #[must_use]
    pub fn place(&self, file: &str) -> Location {
        Location { file: file.into(), line: self.line, span: None, thing: self.id.clone() }
    }
}

/// How a shape's inside is painted.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fill {
    /// Its colour.
    pub colour: Colour,
    /// What counts as inside.
    pub rule: FillRule,
    /// 0 hides what was painted before. Any other number lets it show through, except for what is part
    /// of the same veil: one group of half-transparent things has one number.
    pub veil: u32,
}

/// How a shape's line is painted.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stroke {
    /// Its colour.
    pub colour: Colour,
    /// Its width in mm, as drawn.
    pub width: f64,
    /// Whether what was painted before shows through.
    pub veiled: bool,
}

/// A paint that is no colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Odd {
    /// It changes from colour to colour.
    Gradient,
    /// It repeats a drawing.
    Pattern,
    /// A mask, a filter or a blend mode changes what shows of it.
    Effect,
    /// What shows of it is in a bitmap, which lies over what was painted before.
    Rendered,
}

/// What of a shape is painted with something that is no colour.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct OddPaint {
    /// The inside, and what counts as that.
    pub fill: Option<(Odd, FillRule)>,
    /// The line, and its width in mm.
    pub stroke: Option<(Odd, f64)>,
}

impl OddPaint {
    /// Whether either is painted so.
    #[must_use]
    pub fn is(&self, odd: Odd) -> bool {
        self.fill.is_some_and(|(fill, _)| fill == odd)
            || self.stroke.is_some_and(|(stroke, _)| stroke == odd)
    }

    /// Whether nothing is.
    #[must_use]
    pub fn is_none(&self) -> bool {
        *self == Self::default()
    }
}

/// Kinds of paint that are seen through somewhere, or white.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Faint {
    /// Gradients.
    pub gradient: bool,
    /// Patterns.
    pub pattern: bool,
}

impl Faint {
    /// Whether any is.
    #[must_use]
    pub fn any(self) -> bool {
        self.gradient || self.pattern
    }

    /// Some paint of that kind is.
    pub fn add(&mut self, odd: Odd) {
        self.gradient |= odd == Odd::Gradient;
        self.pattern |= odd == Odd::Pattern;
    }
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
    /// Whether it is the outline of live text.
    pub text: bool,
    /// What of it is painted with something that is no colour: neither fill nor stroke until the job
    /// says one.
    pub odd: OddPaint,
    /// Its place in the order of painting: what has a higher number lies over it.
    pub painted: u32,
}

impl Shape {
    /// The shape as lines and arcs within `tolerance` mm.
    #[must_use]
    pub fn contours(&self, tolerance: f64) -> Vec<Contour> {
        fit::contours(&self.path, tolerance)
    }

    /// The area alone, where that is painted, and the line alone.
    pub fn apart(self) -> (Option<Self>, Self) {
        let has_area = self.fill.is_some() || self.odd.fill.is_some();
        let area = has_area.then(|| {
            let odd = OddPaint { stroke: None, ..self.odd };
            Self { stroke: None, odd, ..self.clone() }
        });
        let odd = OddPaint { fill: None, ..self.odd };
        (area, Self { fill: None, odd, ..self })
    }

    /// The area of its line, with edges within so many mm; joins and ends are those that lines have when
    /// nothing is said (SVG 1.1, section 11.4).
    pub fn line_area(&self, within: f64) -> BezPath {
        let style = kurbo::Stroke::new(self.line_width())
            .with_join(kurbo::Join::Miter)
            .with_miter_limit(4.0)
            .with_caps(kurbo::Cap::Butt);
        kurbo::stroke(self.path.iter(), &style, &kurbo::StrokeOpts::default(), within)
    }

    /// How wide its line is drawn, mm; 0 without a line.
    #[must_use]
    pub fn line_width(&self) -> f64 {
        let odd = self.odd.stroke.map(|(_, width)| width);
        self.stroke.map(|stroke| stroke.width).or(odd).unwrap_or(0.0)
    }
}

/// A bitmap that stands in the artwork.
#[derive(Debug, Clone, PartialEq)]
pub struct Image {
    /// Where it was drawn.
    pub source: Source,
    /// Carries a place in pixels (x right, y down, from the upper left corner) to mm.
    pub to_mm: Affine,
    /// Width and height in pixels.
    pub pixels: (u32, u32),
    /// The pixels; none for a bitmap that could not be read.
    pub bitmap: Option<Arc<Bitmap>>,
    /// How deep it is, for reliefs, where that is known better than by its pixels.
    pub depth: Option<Arc<Depth>>,
    /// Whether it was drawn from shapes that have no plain colour.
    pub rendered: bool,
    /// Its place in the order of painting, among shapes and bitmaps.
    pub painted: u32,
    /// Where nothing under it shows through, mm: rings that do not cross.
    pub hides: Vec<Vec<Point>>,
}

impl Image {
    /// Width and height in mm, along the bitmap's own sides.
    #[must_use]
    pub fn size(&self) -> (f64, f64) {
        let [a, b, c, d, ..] = self.to_mm.as_coeffs();
        let (width, height) = (f64::from(self.pixels.0), f64::from(self.pixels.1));
        (width * a.hypot(b), height * c.hypot(d))
    }

    /// Its outline, mm: the corners of its pixels.
    pub fn outline(pixels: (u32, u32), to_mm: Affine) -> Vec<Point> {
        let (w, h) = (f64::from(pixels.0), f64::from(pixels.1));
        [(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)].map(|at| to_mm * Point::from(at)).to_vec()
    }

    /// What is drawn in its place where an effect changes what shows of it.
    pub fn changed(self) -> Shape {
        let mut path = BezPath::new();
        for (n, p) in Self::outline(self.pixels, self.to_mm).into_iter().enumerate() {
            if n == 0 { path.move_to(p) } else { path.line_to(p) }
        }
        path.close_path();
        let odd = OddPaint { fill: Some((Odd::Effect, FillRule::NonZero)), stroke: None };
        let (source, painted) = (self.source, self.painted);
        Shape { path, fill: None, stroke: None, source, text: false, odd, painted }
    }

    /// The rectangle that it covers, mm.
    #[must_use]
    pub fn bounds(&self) -> Rect {
        let (width, height) = (f64::from(self.pixels.0), f64::from(self.pixels.1));
        self.to_mm.transform_rect_bbox(Rect::new(0.0, 0.0, width, height))
    }
}

/// Something in the file that this version cannot turn into lines.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unread {
    /// Live text.
    Text,
    /// Text whose lines are broken by the box or shape that it flows in.
    Flowed,
    /// A bitmap.
    Bitmap,
    /// A mask, filter or blend mode on shapes that were read.
    Effect,
    /// A gradient or pattern as paint.
    Paint,
}

impl Unread {
    fn story(self) -> (Code, &'static str, &'static str) {
        match self {
            Self::Text => (
                Code::LiveText,
                "live text without any font to draw it with",
                "turn it into outlines in the drawing program, or leave it out: leave-out = [{ kind = \"text\" }]",
            ),
            Self::Flowed => (
                Code::FlowedText,
                "text that flows in a box or a shape is not read: only the program that wrote it knows where its lines break",
                "turn it into outlines (or plain text) in the drawing program, or leave it out: leave-out = [{ kind = \"text\" }]",
            ),
            Self::Bitmap => (
                Code::Bitmap,
                "a bitmap could not be read",
                "save it as PNG, embed it in the drawing, or leave it out: leave-out = [{ kind = \"bitmap\" }]",
            ),
            Self::Effect => (
                Code::Effect,
                "a mask, filter or blend mode changes pixels, not shapes",
                "draw it as the page shows it: render = \"254 dpi\" in [[artwork]], and a step that takes kind = \"rendered\"; or apply it in the drawing program, so that only plain shapes remain",
            ),
            Self::Paint => (
                Code::OddPaint,
                "a gradient or pattern is not a colour that a step could take",
                "give it a plain colour: paint = [{ take = { kind = \"gradient\" }, fill = \"#555555\" }] in [[artwork]]; or draw it as the page shows it: render = \"254 dpi\", and a step that takes kind = \"rendered\"; or leave it out: leave-out = [{ kind = \"gradient\" }] (or \"pattern\")",
            ),
        }
    }

    /// As problems that refuse a job: one of each kind, with how many there are and the first of them.
    #[must_use]
    pub fn problems(unread: &[(Self, Source)], file: &str) -> Vec<Problem> {
        let kinds = [Self::Text, Self::Flowed, Self::Bitmap, Self::Effect, Self::Paint];
        let of = |kind: Self| {
            let found: Vec<&Source> = unread
                .iter()
                .filter(|(other, _)| *other == kind)
                .map(|(_, source)| source)
                .collect();
            let first = *found.first()?;
            let (code, what, cure) = kind.story();
            let names: Vec<String> = found.iter().map(|source| source.label()).collect();
            let message = match found.len() {
                1 => what.to_string(),
                many => format!("{what}: {many} of them, {}", few(&names, 3)),
            };
            Some(Problem::error(code, message, cure).at(first.place(file)).naming(names))
        };
        kinds.into_iter().filter_map(of).collect()
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
    /// The solid model, in a file that is one.
    pub solid: Option<Solid>,
    /// What could not be read, and where it stands.
    pub unread: Vec<(Unread, Source)>,
    /// Which paint lets something through, or is white somewhere: no plain colour can stand for it.
    pub faint: Faint,
    /// What is doubtful about the file itself.
    pub problems: Problems,
}

impl Artwork {
    /// One in which nothing is drawn yet.
    pub fn empty(file: &str, format: Format) -> Self {
        Self {
            file: file.into(),
            format,
            units: Units { source: String::new(), mm_per_unit: 1.0, doubtful: false },
            page: None,
            shapes: Vec::new(),
            images: Vec::new(),
            solid: None,
            unread: Vec::new(),
            faint: Faint::default(),
            problems: Problems::new(),
        }
    }

    /// The rectangle round all shapes' lines and all bitmaps; `None` when nothing is drawn.
    #[must_use]
    pub fn extents(&self) -> Option<Rect> {
        let shapes = self.shapes.par_iter().filter_map(|shape| drawn_bounds(&shape.path));
        let shapes = shapes.reduce_with(|a, b| a.union(b));
        hull(shapes.into_iter().chain(self.images.iter().map(Image::bounds)))
    }

    /// Names of the groups and layers that hold shapes, in the order in which they first appear.
    #[must_use]
    pub fn groups(&self) -> Vec<&str> {
        let mut seen = std::collections::BTreeSet::new();
        let names = self.shapes.iter().flat_map(|shape| &shape.source.groups);
        names.map(String::as_str).filter(|name| seen.insert(*name)).collect()
    }

    /// Everything doubtful, for a report on the file alone: what cannot be read is a warning here,
    /// since a job may leave it out.
    #[must_use]
    pub fn doubts(&self) -> Problems {
        let mut all = self.problems.clone();
        for problem in Unread::problems(&self.unread, &self.file) {
            all.push(Problem { severity: tinkite_base::problem::Severity::Warning, ..problem });
        }
        all
    }

    /// Moves everything.
    pub fn transform(&mut self, by: Affine) {
        for shape in &mut self.shapes {
            shape.path.apply_affine(by);
        }
        for image in &mut self.images {
            image.to_mm = by * image.to_mm;
            image.hides.iter_mut().flatten().for_each(|p| *p = by * *p);
        }
    }
}

/// The dashes of a line as lines of their own; `lengths` of dashes and gaps by turns. A pattern
/// without length, or with more dashes than anyone could mean, leaves the line whole.
pub fn dashes(path: BezPath, lengths: &[f64], offset: f64) -> BezPath {
    use kurbo::Shape as _;
    const MOST_DASHES: f64 = 1e6;
    let sum: f64 = lengths.iter().sum();
    let sound = sum > 0.0 && lengths.iter().all(|d| *d >= 0.0) && offset.is_finite();
    if !sound || path.perimeter(sum.max(1e-3)) / sum * lengths.len() as f64 > MOST_DASHES {
        return path;
    }
    kurbo::dash(path.elements().iter().copied(), offset, lengths).collect()
}
