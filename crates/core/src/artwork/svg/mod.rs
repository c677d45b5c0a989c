//! SVG: style, references and transforms are resolved by `usvg`; where everything stands in the
//! file, what it is called there and what got lost is ours to know.

mod census;
mod page;

use super::{Artwork, Fill, Format, Image, Shape, Source, Stroke, Unread};
use crate::colour::Colour;
use crate::geometry::region::FillRule;
use crate::geometry::{Affine, BezPath, Point};
use crate::problem::{Place, Problem, Problems};
use census::Census;
use std::collections::BTreeSet;
use usvg::tiny_skia_path::PathSegment;

/// Millimetres in a CSS pixel: 96 to the inch (CSS Values 3, section 6.2).
const MM_PER_PX: f64 = 25.4 / 96.0;

/// Reads an SVG document.
///
/// # Errors
/// Text that is not XML or not SVG, and pages without a size.
pub(super) fn read(name: &str, text: &str) -> Result<Artwork, Problems> {
    let options = usvg::roxmltree::ParsingOptions { allow_dtd: true, ..Default::default() };
    let document = usvg::roxmltree::Document::parse_with_options(text, options)
        .map_err(|error| Problems::from(not_xml(name, &error)))?;
    let root = document.root_element();
    if root.tag_name().name() != "svg" {
        return Err(Problem::error(
            "format",
            format!(
                "this is XML, but its outermost element is <{}>, not <svg>",
                root.tag_name().name()
            ),
            "export the drawing as plain SVG",
        )
        .at(Place::file(name))
        .into());
    }
    let census = Census::take(name, text, &document)?;
    let mut problems = Problems::new();
    let page = page::read(name, &root, &mut problems);
    let tree = usvg::Tree::from_str(&census.labelled_text, &offline())
        .map_err(|error| Problems::from(not_svg(name, &error)))?;

    let height = f64::from(tree.size().height());
    let to_mm = Affine::new([MM_PER_PX, 0.0, 0.0, -MM_PER_PX, 0.0, height * MM_PER_PX]);
    let mut reader =
        Reader { census: &census, to_mm, seen: BTreeSet::new(), out: Collected::default() };
    reader.group(tree.root(), None);
    let Reader { seen, out, .. } = reader;
    let mut artwork = Artwork {
        file: name.into(),
        format: Format::Svg,
        units: page.units,
        page: page
            .has_size
            .then(|| (f64::from(tree.size().width()) * MM_PER_PX, height * MM_PER_PX)),
        shapes: out.shapes,
        images: out.images,
        unread: out.unread,
        problems,
    };
    census.report_unseen(&seen, &mut artwork);
    if artwork.page.is_none()
        && let Some(extents) = artwork.extents()
    {
        artwork.transform(Affine::translate(-extents.origin().to_vec2()));
    }
    Ok(artwork)
}

/// Options under which nothing outside the document is ever fetched.
fn offline() -> usvg::Options<'static> {
    usvg::Options {
        image_href_resolver: usvg::ImageHrefResolver {
            resolve_string: Box::new(|_, _| None),
            ..usvg::ImageHrefResolver::default()
        },
        ..usvg::Options::default()
    }
}

fn not_xml(name: &str, error: &usvg::roxmltree::Error) -> Problem {
    Problem::error(
        "not-xml",
        format!("the file is not well-formed XML: {error}"),
        "open it in the drawing program and save it again as plain SVG",
    )
    .at(Place::line(name, error.pos().row))
}

fn not_svg(name: &str, error: &usvg::Error) -> Problem {
    let (message, help) = match error {
        usvg::Error::InvalidSize => (
            "the page has no size: width, height or view box is zero or missing".into(),
            "give the page a width and a height in mm in the drawing program",
        ),
        usvg::Error::ElementsLimitReached => (
            "the drawing has more than a million elements, or nests too deeply".into(),
            "simplify the drawing, or split it into several files",
        ),
        other => (format!("the file cannot be read as SVG: {other}"), "save it again as plain SVG"),
    };
    Problem::error("format", message, help).at(Place::file(name))
}

#[derive(Default)]
struct Collected {
    shapes: Vec<Shape>,
    images: Vec<Image>,
    unread: Vec<(Unread, Source)>,
}

/// Walks the resolved tree and gathers shapes.
struct Reader<'c> {
    census: &'c Census,
    to_mm: Affine,
    /// Labels of the elements that came through.
    seen: BTreeSet<String>,
    out: Collected,
}

impl Reader<'_> {
    /// `label` is that of the nearest element round this group that the census knows.
    fn group(&mut self, group: &usvg::Group, label: Option<&str>) {
        let label = self.known(group.id()).or(label);
        if group.clip_path().is_some() || group.mask().is_some() || !group.filters().is_empty() {
            let inner = group.children().iter().find_map(|child| self.known(child.id()));
            let source = self.source(inner.or(label));
            self.out.unread.push((Unread::Effect, source));
        }
        for child in group.children() {
            match child {
                usvg::Node::Group(inner) => self.group(inner, label),
                usvg::Node::Path(path) => self.path(path, label),
                usvg::Node::Image(image) => self.image(image, label),
                usvg::Node::Text(_) => {}
            }
        }
    }

    fn known<'a>(&self, id: &'a str) -> Option<&'a str> {
        self.census.knows(id).then_some(id)
    }

    fn source(&self, label: Option<&str>) -> Source {
        label.map(|label| self.census.source(label)).unwrap_or_default()
    }

    fn path(&mut self, path: &usvg::Path, label: Option<&str>) {
        let label = self.known(path.id()).or(label);
        if !path.is_visible() {
            return;
        }
        if let Some(label) = label {
            self.seen.insert(label.to_string());
        }
        let source = self.source(label);
        let transform = affine(path.abs_transform());
        let scale = transform.determinant().abs().sqrt() * MM_PER_PX;
        let fill = path.fill().and_then(|fill| {
            let rule = match fill.rule() {
                usvg::FillRule::NonZero => FillRule::NonZero,
                usvg::FillRule::EvenOdd => FillRule::EvenOdd,
            };
            Some(Fill { colour: self.plain(fill.paint(), &source)?, rule })
        });
        let stroke = path.stroke().and_then(|stroke| {
            let width = f64::from(stroke.width().get()) * scale;
            Some(Stroke { colour: self.plain(stroke.paint(), &source)?, width })
        });
        if fill.is_some() || stroke.is_some() {
            let path = curves(path.data(), self.to_mm * transform);
            self.out.shapes.push(Shape { path, fill, stroke, source });
        }
    }

    fn plain(&mut self, paint: &usvg::Paint, source: &Source) -> Option<Colour> {
        if let usvg::Paint::Color(c) = paint {
            return Some(Colour::new(c.red, c.green, c.blue));
        }
        self.out.unread.push((Unread::Paint, source.clone()));
        None
    }

    fn image(&mut self, image: &usvg::Image, label: Option<&str>) {
        let label = self.known(image.id()).or(label);
        if let Some(label) = label {
            self.seen.insert(label.to_string());
        }
        let source = self.source(label);
        let bounds = image.abs_bounding_box();
        let size = image.size();
        self.out.images.push(Image {
            source: source.clone(),
            size: (f64::from(bounds.width()) * MM_PER_PX, f64::from(bounds.height()) * MM_PER_PX),
            pixels: Some((size.width() as u32, size.height() as u32)),
        });
        self.out.unread.push((Unread::Bitmap, source));
    }
}

fn affine(t: usvg::Transform) -> Affine {
    Affine::new([t.sx, t.ky, t.kx, t.sy, t.tx, t.ty].map(f64::from))
}

fn curves(path: &usvg::tiny_skia_path::Path, to_mm: Affine) -> BezPath {
    let point = |p: usvg::tiny_skia_path::Point| to_mm * Point::new(f64::from(p.x), f64::from(p.y));
    let mut curves = BezPath::with_capacity(path.len());
    for segment in path.segments() {
        match segment {
            PathSegment::MoveTo(p) => curves.move_to(point(p)),
            PathSegment::LineTo(p) => curves.line_to(point(p)),
            PathSegment::QuadTo(a, p) => curves.quad_to(point(a), point(p)),
            PathSegment::CubicTo(a, b, p) => curves.curve_to(point(a), point(b), point(p)),
            PathSegment::Close => curves.close_path(),
        }
    }
    curves
}

#[cfg(test)]
mod tests;
