//! What has no plain colour, drawn as the page shows it: one bitmap, to be engraved.
//!
//! The bitmap is the whole page at its resolution. Of it belongs to the bitmap what was painted without a
//! plain colour and what shows through that; what a plain paint lies over later belongs to the shape with
//! that paint, and is white here. Below, such shapes cover what lies under them, so that nothing is burnt
//! twice.

use kurbo::Shape as _;
use resvg::tiny_skia;
use std::sync::Arc;
use tinkite_artwork::{Artwork, Bitmap, Fill, Image, Odd, OddPaint, Shape, Source, Unread};
use tinkite_base::geometry::region::{self, FillRule};
use tinkite_base::geometry::{BezPath, PathEl, Rect, hull};
use tinkite_base::problem::{Code, Location, Problem, count};
use tinkite_base::quantity::plain;
use tinkite_base::shield::shield;

/// What is drawn, and how finely.
#[derive(Clone, Copy)]
pub struct Render<'a> {
    /// Pixels per inch.
    pub dpi: f64,
    /// Which shapes, beside those that a mask, a filter or a blend mode changes; none: all that have no
    /// plain colour.
    pub takes: Option<&'a (dyn Fn(&Shape) -> bool + Sync)>,
}

/// The part of a page that is drawn.
#[derive(Debug, Clone, Copy)]
pub(super) struct Window {
    /// Left and upper edge, mm, y up.
    pub(super) left: f64,
    pub(super) top: f64,
    /// Pixels across and down.
    pub(super) width: u32,
    pub(super) height: u32,
    /// Pixels per mm.
    pub(super) resolution: f64,
}

/// More pixels than this are refused: two pictures of them in four bytes each are 300 MB, and what a renderer
/// holds for filters comes on top.
const MOST_PIXELS: f64 = 36e6;

/// Draws what `how` takes out of `artwork` into a bitmap of it. `page` draws the page: red, green, blue
/// and opacity of each pixel of a window, over white.
pub(super) fn apply(
    artwork: &mut Artwork,
    how: &Render<'_>,
    page: impl FnOnce(Window) -> Option<Vec<u8>>,
) {
    let taken = |shape: &Shape| {
        let odd = !shape.odd.is_none();
        shape.odd.is(Odd::Effect) || how.takes.map_or(odd, |takes| takes(shape))
    };
    let chosen: Vec<bool> = artwork.shapes.iter().map(taken).collect();
    let of = |n: usize| chosen[n].then(|| painted_bounds(&artwork.shapes[n])).flatten();
    let Some(mut region) = hull((0..chosen.len()).filter_map(of)) else {
        let help = "take render out, or name what it shall take";
        let problem = Problem::warning(Code::TakesNothing, "render finds nothing to draw", help);
        return artwork.problems.push(problem.at(Location::file(&artwork.file)));
    };
    if let Some((width, height)) = artwork.page {
        region = region.intersect(Rect::new(0.0, 0.0, width, height));
    }
    let resolution = how.dpi / 25.4;
    let (width, height) =
        ((region.width() * resolution).ceil(), (region.height() * resolution).ceil());
    if width * height > MOST_PIXELS {
        let message = format!(
            "at {} dpi what has no plain colour would be {width} x {height} pixels",
            plain(how.dpi, 1)
        );
        let help = "render with fewer dpi: a laser resolves about 10 pixels per mm, 254 dpi; or give it a plain colour with paint";
        let problem = Problem::error(Code::HugeBitmap, message, help);
        return artwork.problems.push(problem.at(Location::file(&artwork.file)));
    }
    let window = Window {
        left: region.x0,
        top: region.y1,
        width: (width as u32).max(1),
        height: (height as u32).max(1),
        resolution,
    };
    let drawn = page(window).and_then(|pixels| {
        let own = render_own(artwork, &chosen, window)?;
        let mut bitmap = crate::bitmap::of_pixels(window.width, window.height, pixels)?;
        for (grey, own) in bitmap.grey.iter_mut().zip(own.pixels()) {
            if own.alpha() == 0 {
                *grey = u8::MAX;
            }
        }
        Some(bitmap)
    });
    let Some(bitmap) = drawn else {
        let help = "save the drawing as plain SVG, or give it plain colours";
        let message = "what has no plain colour cannot be drawn";
        let problem = Problem::error(Code::Effect, message, help);
        return artwork.problems.push(problem.at(Location::file(&artwork.file)));
    };
    place(artwork, &chosen, window, bitmap);
}

/// A window of a page as the renderer draws it, over white; a unit of the page is so many mm.
pub(super) fn pixels(tree: &usvg::Tree, mm_per_unit: f64, window: Window) -> Option<Vec<u8>> {
    let mut pixels = tiny_skia::Pixmap::new(window.width, window.height)?;
    pixels.fill(tiny_skia::Color::WHITE);
    let scale = window.resolution * mm_per_unit;
    let height = f64::from(tree.size().height()) * mm_per_unit;
    let down = (height - window.top) * window.resolution;
    let left = window.left * window.resolution;
    let to_window = tiny_skia::Transform::from_row(
        scale as f32,
        0.0,
        0.0,
        scale as f32,
        -left as f32,
        -down as f32,
    );
    shield(|| resvg::render(tree, to_window, &mut pixels.as_mut())).ok()?;
    // Over white nothing is transparent: colours are not multiplied with anything.
    Some(pixels.take())
}

/// Puts the bitmap into the artwork in place of what it shows.
fn place(artwork: &mut Artwork, chosen: &[bool], window: Window, bitmap: Bitmap) {
    let first = chosen.iter().position(|chosen| *chosen).unwrap_or(0);
    let line = artwork.shapes.get(first).and_then(|shape| shape.source.line);
    let many = chosen.iter().filter(|chosen| **chosen).count();
    let step = 1.0 / window.resolution;
    artwork.images.push(Image {
        depth: None,
        source: Source { id: Some("rendered".into()), line, ..Source::default() },
        to_mm: tinkite_base::geometry::Affine::new([
            step,
            0.0,
            0.0,
            -step,
            window.left,
            window.top,
        ]),
        pixels: (window.width, window.height),
        bitmap: Some(Arc::new(bitmap)),
        rendered: true,
        // What lies over it was counted when it was drawn.
        painted: u32::MAX,
        hides: Vec::new(),
    });
    let lost: Vec<Source> = artwork
        .shapes
        .iter()
        .zip(chosen)
        .filter(|(shape, chosen)| !**chosen && !shape.odd.is_none())
        .map(|(shape, _)| shape.source.clone())
        .collect();
    artwork.unread.retain(|(unread, source)| match unread {
        Unread::Paint => lost.contains(source),
        Unread::Effect => false,
        _ => true,
    });
    let shapes = std::mem::take(&mut artwork.shapes);
    for (shape, chosen) in shapes.into_iter().zip(chosen) {
        if !*chosen {
            artwork.shapes.push(shape);
            continue;
        }
        let covers = |rule: FillRule| OddPaint { fill: Some((Odd::Rendered, rule)), stroke: None };
        let stroked = takes_line(&shape).then(|| shape.line_area(LINE_WITHIN)).map(|path| Shape {
            path,
            fill: None,
            stroke: None,
            odd: covers(FillRule::NonZero),
            ..shape.clone()
        });
        let odd = inside(&shape).map_or(OddPaint::default(), covers);
        let stroke = shape.stroke.filter(|_| stroked.is_none());
        artwork.shapes.push(Shape { fill: None, stroke, odd, ..shape });
        artwork.shapes.extend(stroked);
    }
    let message = format!(
        "{} drawn as the page shows it, {} x {} pixels of {} mm",
        count(many, "shape"),
        window.width,
        window.height,
        plain(step, 4)
    );
    let help = "a step takes it by kind = \"rendered\"";
    let note = Problem::note(Code::Rendered, message, help);
    artwork.problems.push(note.at(Location { line, ..Location::file(&artwork.file) }));
}

/// What counts as the inside of a shape, if that is painted.
fn inside(shape: &Shape) -> Option<FillRule> {
    shape.fill.map(|Fill { rule, .. }| rule).or(shape.odd.fill.map(|(_, rule)| rule))
}

/// Whether the line of a shape goes into the bitmap with it.
fn takes_line(shape: &Shape) -> bool {
    shape.odd.stroke.is_some() || shape.odd.is_none() && shape.stroke.is_some()
}

/// The edge of a line's area lies this near to its own, mm.
const LINE_WITHIN: f64 = 0.01;

/// The rectangle round what goes into the bitmap.
fn painted_bounds(shape: &Shape) -> Option<Rect> {
    let bounds = shape.path.bounding_box();
    let wide = if takes_line(shape) { shape.line_width() / 2.0 } else { 0.0 };
    let painted = inside(shape).is_some() || takes_line(shape);
    (painted && bounds.is_finite()).then(|| bounds.inflate(wide, wide))
}

/// Which pixels belong to the bitmap: opaque ones.
fn render_own(artwork: &Artwork, chosen: &[bool], window: Window) -> Option<tiny_skia::Pixmap> {
    let shapes = &artwork.shapes;
    let mut own = tiny_skia::Pixmap::new(window.width, window.height)?;
    let to_pixels = |x: f64, y: f64| {
        let at = ((x - window.left) * window.resolution, (window.top - y) * window.resolution);
        (at.0 as f32, at.1 as f32)
    };
    let begun = chosen.iter().position(|chosen| *chosen)?;
    let own_is = |own: bool| {
        let clear = tiny_skia::BlendMode::Clear;
        let blend_mode = if own { tiny_skia::BlendMode::Source } else { clear };
        tiny_skia::Paint { anti_alias: false, blend_mode, ..tiny_skia::Paint::default() }
    };
    let still = tiny_skia::Transform::identity();
    let mut images: Vec<&Image> =
        artwork.images.iter().filter(|image| image.painted > shapes[begun].painted).collect();
    images.sort_by_key(|image| std::cmp::Reverse(image.painted));
    let clear = |own: &mut tiny_skia::Pixmap, image: &Image| {
        if let Some(path) = pixel_path(&region::path(&image.hides, true), to_pixels) {
            own.fill_path(&path, &own_is(false), tiny_skia::FillRule::EvenOdd, still, None);
        }
    };
    for (shape, chosen) in shapes.iter().zip(chosen).skip(begun) {
        while let Some(image) = images.pop_if(|image| image.painted < shape.painted) {
            clear(&mut own, image);
        }
        let Some(path) = pixel_path(&shape.path, to_pixels) else { continue };
        if let Some(rule) = inside(shape) {
            let rule = match rule {
                FillRule::NonZero => tiny_skia::FillRule::Winding,
                FillRule::EvenOdd => tiny_skia::FillRule::EvenOdd,
            };
            own.fill_path(&path, &own_is(*chosen), rule, still, None);
        }
        if shape.stroke.is_some() || shape.odd.stroke.is_some() {
            let width = (shape.line_width() * window.resolution) as f32;
            let stroke = tiny_skia::Stroke { width, ..tiny_skia::Stroke::default() };
            own.stroke_path(&path, &own_is(*chosen && takes_line(shape)), &stroke, still, None);
        }
    }
    images.iter().rev().for_each(|image| clear(&mut own, image));
    Some(own)
}

fn pixel_path(
    path: &BezPath,
    to_pixels: impl Fn(f64, f64) -> (f32, f32),
) -> Option<tiny_skia::Path> {
    let mut out = tiny_skia::PathBuilder::new();
    let at = |p: tinkite_base::geometry::Point| to_pixels(p.x, p.y);
    for element in path.elements() {
        match *element {
            PathEl::MoveTo(p) => {
                let (x, y) = at(p);
                out.move_to(x, y);
            }
            PathEl::LineTo(p) => {
                let (x, y) = at(p);
                out.line_to(x, y);
            }
            PathEl::QuadTo(a, p) => {
                let ((ax, ay), (x, y)) = (at(a), at(p));
                out.quad_to(ax, ay, x, y);
            }
            PathEl::CurveTo(a, b, p) => {
                let ((ax, ay), (bx, by), (x, y)) = (at(a), at(b), at(p));
                out.cubic_to(ax, ay, bx, by, x, y);
            }
            PathEl::ClosePath => out.close(),
        }
    }
    out.finish()
}
