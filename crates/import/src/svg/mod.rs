//! SVG: style, references and transforms are resolved by `usvg`; where everything stands in the
//! file, what it is called there and what got lost is ours to know.

mod census;
mod exact;
mod geometry;
mod label;
mod mask;
mod page;
mod styles;
mod values;

use crate::Reading;
use crate::fonts::{FontSupply, Missing};
use crate::opacity::Opacity;
use crate::rendered::pixels;
use crate::resolved::{affine, curves};
use census::Census;
use exact::Exact;
use std::collections::BTreeSet;
use std::sync::Arc;
use tinkite_artwork::{
    Artwork, Faint, Fill, Format, Image, Odd, OddPaint, Shape, Source, Stroke, Unread,
};
use tinkite_artwork::{Clipped, Region, clipped, rings};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::region::{self, FillRule};
use tinkite_base::geometry::{Affine, Point};
use tinkite_base::problem::{Code, Location, Problem, Problems, Severity, count, few};
use tinkite_base::shield::shield;

/// Millimetres in a CSS pixel: 96 to the inch (CSS Values 3, section 6.2).
const MM_PER_PX: f64 = 25.4 / 96.0;

/// Reads an SVG document.
///
/// # Errors
/// Text that is not XML or not SVG, and pages without a size.
pub(super) fn read(name: &str, bytes: &[u8], how: &Reading<'_>) -> Result<Artwork, Problems> {
    let text = crate::encoding::xml(bytes).map_err(|encoding| {
        let message = format!("the text of this SVG is not in {encoding}, or that is not known");
        let help = "export the drawing as plain SVG, in UTF-8";
        Problems::from(Problem::error(Code::Format, message, help).at(Location::file(name)))
    })?;
    let text = text.trim_start_matches('\u{feff}');
    let options = usvg::roxmltree::ParsingOptions { allow_dtd: true, ..Default::default() };
    let settled = styles::settle(text);
    let labelled = &*label::read_label(&settled);
    let document = usvg::roxmltree::Document::parse_with_options(labelled, options)
        // Where it breaks off counts in the text as it was written.
        .map_err(|error| Problems::from(not_xml(name, text, error)))?;
    let text = labelled;
    let root = document.root_element();
    if root.tag_name().name() != "svg" {
        return Err(Problem::error(
            Code::Format,
            format!(
                "this is XML, but its outermost element is <{}>, not <svg>",
                root.tag_name().name()
            ),
            "export the drawing as plain SVG",
        )
        .at(Location::file(name))
        .into());
    }
    census::sane(name, text, &document)?;
    let mut problems = Problems::new();
    let page = page::read(name, &root, &mut problems);
    let missing = Missing::default();
    let fonts = if text.contains("<text") { how.fonts.fonts() } else { Arc::default() };
    let options = offline(fonts, how.fonts, &missing);
    let (census, tree) = rayon::join(
        || values::readable(name, text, &document).map(|()| Census::take(text, &document)),
        || shield(|| usvg::Tree::from_xmltree(&document, &options)),
    );
    let census = census?;
    let tree = tree.map_err(|_| Problems::from(broken(name)))?;
    let tree = tree.map_err(|error| Problems::from(not_svg(name, &error)))?;
    drop(options);
    let lacking = missing.letters();
    missing.report(name, &mut problems);

    let height = f64::from(tree.size().height());
    let sides = page::pixels(&root).unwrap_or((f64::from(tree.size().width()), height));
    let to_mm = Affine::new([MM_PER_PX, 0.0, 0.0, -MM_PER_PX, 0.0, height * MM_PER_PX]);
    let mut reader = Reader {
        exact: Exact { document: &document, census: &census, view: page::view(&root, sides) },
        blur: 0.0,
        lacking,
        census: &census,
        dashes: how.dashes,
        renders: how.render.is_some(),
        changed: 0,
        painted: 0,
        at: to_mm,
        clips: Vec::new(),
        veils: Opacity::default(),
        seen: BTreeSet::new(),
        out: Collected::default(),
    };
    reader.group(tree.root(), None);
    let Reader { seen, mut out, veils, .. } = reader;
    veils.report(name, &mut problems);
    for problem in out.broken.drain(..) {
        problems.push(problem.at(Location::file(name)));
    }
    report_clipped(name, &out, &mut problems);
    report_coarse(name, &out.coarse, &mut problems);
    let mut artwork = Artwork {
        units: page.units,
        page: page
            .has_size
            .then(|| (f64::from(tree.size().width()) * MM_PER_PX, height * MM_PER_PX)),
        shapes: out.shapes,
        images: out.images,
        unread: out.unread,
        faint: out.faint,
        problems,
        ..Artwork::empty(name, Format::Svg)
    };
    census.report_unseen(&seen, &mut artwork);
    if let Some(render) = &how.render {
        crate::rendered::apply(&mut artwork, render, |window| pixels(&tree, MM_PER_PX, window));
    }
    if artwork.page.is_none()
        && let Some(extents) = artwork.extents()
    {
        artwork.transform(Affine::translate(-extents.origin().to_vec2()));
    }
    Ok(artwork)
}

/// Options under which nothing outside the document is ever fetched.
fn offline<'a>(
    fonts: Arc<usvg::fontdb::Database>,
    supply: &'a dyn FontSupply,
    missing: &'a Missing,
) -> usvg::Options<'a> {
    usvg::Options {
        fontdb: fonts,
        font_resolver: missing.resolver(supply),
        image_href_resolver: usvg::ImageHrefResolver {
            resolve_string: Box::new(|_, _| None),
            ..usvg::ImageHrefResolver::default()
        },
        ..usvg::Options::default()
    }
}

/// What breaks the text as it was written; `error` was met in the text as the library reads it.
fn not_xml(name: &str, text: &str, error: usvg::roxmltree::Error) -> Problem {
    use usvg::roxmltree::{Document, Error, ParsingOptions};
    let options = ParsingOptions { allow_dtd: true, ..ParsingOptions::default() };
    let error = Document::parse_with_options(text, options).err().unwrap_or(error);
    let pos = error.pos();
    let line = text.lines().nth(pos.row.saturating_sub(1) as usize).unwrap_or_default();
    // The library counts and names bytes.
    let sign = line.chars().nth(pos.col.saturating_sub(1) as usize);
    let said = match (&error, sign) {
        (Error::InvalidChar(wanted, ..), Some(sign)) => {
            format!("expected '{}', not '{sign}'", char::from(*wanted))
        }
        (Error::InvalidChar2(wanted, ..), Some(sign)) => format!("expected {wanted}, not '{sign}'"),
        _ => {
            let said = error.to_string();
            said.rsplit_once(" at ").map_or(said.clone(), |(what, _)| what.to_string())
        }
    };
    Problem::error(
        Code::NotXml,
        format!("the file is not well-formed XML: {said} in column {}", pos.col),
        "open it in the drawing program and save it again as plain SVG",
    )
    .at(Location::line(name, pos.row))
}

/// A file on which the library gave up without a word.
fn broken(name: &str) -> Problem {
    let help = "open it in the drawing program and save it again as plain SVG";
    Problem::error(Code::Format, "the file has numbers that no drawing can have", help)
        .at(Location::file(name))
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
    Problem::error(Code::Format, message, help).at(Location::file(name))
}

/// How much larger a transform makes what it carries.
fn scale_of(by: Affine) -> f64 {
    by.determinant().abs().sqrt()
}

/// Refuses shapes that lie so far from the origin that rounding moves them.
fn report_coarse(name: &str, coarse: &[Source], problems: &mut Problems) {
    let Some(first) = coarse.first() else { return };
    let mut names: Vec<String> = coarse.iter().map(Source::label).collect();
    names.dedup();
    let message = format!(
        "the numbers of {} are so large that their place is not known to {} mm: {}",
        count(coarse.len(), "shape"),
        exact::MOST,
        few(&names, 6)
    );
    let help = "move the drawing to the origin of its page in the drawing program; text becomes outlines, and what is used many times becomes copies";
    let problem = Problem::error(Code::AbsurdSize, message, help);
    problems.push(problem.at(first.place(name)).naming(names));
}

/// Says what clip paths did.
fn report_clipped(name: &str, out: &Collected, problems: &mut Problems) {
    let mut say = |n: usize, what: &str, help: &str| {
        if n > 0 {
            let message = format!("{} {what}", count(n, "shape"));
            problems.push(Problem::note(Code::Clipped, message, help).at(Location::file(name)));
        }
    };
    say(out.cut, "cut by a clip path", "what shows on the page is what is read");
    say(out.gone, "wholly outside a clip path, left out", "they do not show on the page either");
}

#[derive(Default)]
struct Collected {
    shapes: Vec<Shape>,
    images: Vec<Image>,
    unread: Vec<(Unread, Source)>,
    /// Paint for which no plain colour can stand.
    faint: Faint,
    /// Shapes that a clip path cut, and such as it left nothing of.
    cut: usize,
    gone: usize,
    /// Bitmaps that cannot be read.
    broken: Vec<Problem>,
    /// Shapes whose place is not known well enough.
    coarse: Vec<Source>,
}

/// Walks the resolved tree and gathers shapes.
struct Reader<'c> {
    census: &'c Census,
    exact: Exact<'c, 'c>,
    /// By how much the groups round may be out of place, mm: the library rounds what carries them.
    blur: f64,
    /// Letters that no font has.
    lacking: BTreeSet<char>,
    dashes: bool,
    /// Whether what has no plain colour will be drawn; then what effects change has none.
    renders: bool,
    /// How many things were painted so far.
    painted: u32,
    /// How many groups round change what shows of the shapes in them.
    changed: usize,
    /// From the units of the group at hand to mm. Groups are followed from the outside: what the library says
    /// of the whole way is wrong for symbols that are used with a transform.
    at: Affine,
    /// What is left of the page by the clip paths round, in mm.
    clips: Vec<Region>,
    veils: Opacity,
    /// Numbers of the elements that came through.
    seen: BTreeSet<usize>,
    out: Collected,
}

impl Reader<'_> {
    /// `label` is that of the nearest element round this group that the census knows.
    fn group(&mut self, group: &usvg::Group, label: Option<usize>) {
        let label = self.index_of(group.id()).or(label);
        let (outer, blur) = (self.at, self.blur);
        let (by, off) = self.exact.transform(group);
        self.at = outer * by;
        self.blur += off * scale_of(outer);
        self.inside(group, label);
        (self.at, self.blur) = (outer, blur);
    }

    fn inside(&mut self, group: &usvg::Group, label: Option<usize>) {
        self.veils.enter(f64::from(group.opacity().get()), darkens(group.blend_mode()));
        if self.veils.hides_all() {
            self.pass_over(group, label);
            return self.veils.leave();
        }
        let masked = group.mask().map(|mask| mask::region(mask, self.at));
        let plain_mask = masked.as_ref().is_some_and(Option::is_some);
        let before = self.clips.len();
        let clipped = group.clip_path().map(|clip| region_of(clip, self.at));
        for region in clipped.into_iter().chain(masked.flatten()) {
            let region = self.clips.last().map_or(region.clone(), |outer| outer.and(&region));
            self.clips.push(region);
        }
        let changes = group.mask().is_some() && !plain_mask
            || !group.filters().is_empty()
            || group.blend_mode() != usvg::BlendMode::Normal && !darkens(group.blend_mode());
        self.changed += usize::from(changes);
        if changes {
            let inner = group.children().iter().find_map(|child| self.index_of(child.id()));
            let source = self.source(inner.or(label));
            self.out.unread.push((Unread::Effect, source));
        }
        for child in group.children() {
            match child {
                usvg::Node::Group(inner) => self.group(inner, label),
                usvg::Node::Path(path) => self.path(path, label),
                usvg::Node::Image(image) => self.image(image, label),
                usvg::Node::Text(text) => self.text(text, label),
            }
        }
        if !group.filters().is_empty() && self.renders {
            self.take_filter(group, label);
        }
        self.changed -= usize::from(changes);
        self.clips.truncate(before);
        self.veils.leave();
    }

    /// A filter paints beside its shapes as well: the whole rectangle is its.
    fn take_filter(&mut self, group: &usvg::Group, label: Option<usize>) {
        let r = group.layer_bounding_box();
        let r = kurbo::Rect::new(r.x().into(), r.y().into(), r.right().into(), r.bottom().into());
        let path = self.at * kurbo::Shape::to_path(&r, 0.1);
        let fill = Some((Odd::Effect, FillRule::NonZero));
        let odd = OddPaint { fill, stroke: None };
        let source = self.source(label);
        let painted = self.next();
        self.push(Shape { path, fill: None, stroke: None, source, text: false, odd, painted });
    }

    /// Nothing of it shows, and nothing of it is missed.
    fn pass_over(&mut self, group: &usvg::Group, label: Option<usize>) {
        self.seen.extend(label);
        for child in group.children() {
            let label = self.index_of(child.id()).or(label);
            self.seen.extend(label);
            match child {
                usvg::Node::Group(inner) => self.pass_over(inner, label),
                // It is counted as what shows nothing.
                _ => drop(self.veils.paint(Colour::new(0, 0, 0), 1.0)),
            }
        }
    }

    fn text(&mut self, text: &usvg::Text, label: Option<usize>) {
        let label = self.index_of(text.id()).or(label);
        if label.is_some_and(|label| self.census.flows(label)) {
            return;
        }
        let lacks =
            |chunk: &usvg::TextChunk| chunk.text().chars().any(|c| self.lacking.contains(&c));
        if text.chunks().iter().any(lacks) {
            // Boxes in place of letters are nothing that somebody wrote.
            self.seen.extend(label);
            let source = self.source(label);
            self.out.unread.push((Unread::Text, source));
            return;
        }
        let before = self.out.shapes.len();
        self.group(text.flattened(), label);
        for shape in &mut self.out.shapes[before..] {
            shape.text = true;
        }
    }

    /// The next place in the order of painting.
    fn next(&mut self) -> u32 {
        self.painted += 1;
        self.painted
    }

    /// Takes a shape in, as far as the clip paths round it let it through.
    fn push(&mut self, shape: Shape) {
        let Some(region) = self.clips.last() else { return self.out.shapes.push(shape) };
        match clipped(shape, region) {
            Clipped::Kept(shape) => self.out.shapes.push(shape),
            Clipped::Cut(parts) => {
                self.out.cut += 1;
                self.out.shapes.extend(parts);
            }
            Clipped::Gone => self.out.gone += 1,
        }
    }

    fn index_of(&self, id: &str) -> Option<usize> {
        if id.is_empty() { None } else { self.census.number(id) }
    }

    fn source(&self, label: Option<usize>) -> Source {
        label.map(|label| self.census.source(label)).unwrap_or_default()
    }

    fn path(&mut self, path: &usvg::Path, label: Option<usize>) {
        let label = self.index_of(path.id()).or(label);
        if !path.is_visible() {
            return;
        }
        self.seen.extend(label);
        let source = self.source(label);
        let scale = scale_of(self.at);
        let mut strange = OddPaint::default();
        let fill = path.fill().and_then(|fill| {
            let rule = winding(fill.rule());
            let colour = self
                .plain(fill.paint(), &source)
                .map_err(|o| strange.fill = Some((o, rule)))
                .ok()?;
            let (colour, veil) = self.veils.paint(colour, f64::from(fill.opacity().get()))?;
            Some(Fill { colour, rule, veil })
        });
        let stroke = path.stroke().and_then(|stroke| {
            let width = f64::from(stroke.width().get()) * scale;
            let colour = self
                .plain(stroke.paint(), &source)
                .map_err(|o| strange.stroke = Some((o, width)))
                .ok()?;
            let (colour, veil) = self.veils.paint(colour, f64::from(stroke.opacity().get()))?;
            Some(Stroke { colour, width, veiled: veil > 0 })
        });
        let (mut fill, mut stroke) = (fill, stroke);
        if self.changed > 0 && self.renders {
            let effect = |(_, rule)| (Odd::Effect, rule);
            let plain = fill.take().map(|fill| (Odd::Effect, fill.rule));
            strange.fill = strange.fill.map(effect).or(plain);
            let plain = stroke.take().map(|stroke| (Odd::Effect, stroke.width));
            strange.stroke = strange.stroke.map(|(_, width)| (Odd::Effect, width)).or(plain);
        }
        if fill.is_some() || stroke.is_some() || !strange.is_none() {
            let own = self.index_of(path.id()).and_then(|n| self.exact.curves(path, n, scale));
            let off = if own.is_some() { 0.0 } else { exact::rounding(path) * scale };
            if self.blur + off > exact::MOST {
                self.out.coarse.push(source.clone());
            }
            let own = own.unwrap_or_else(|| curves(path.data(), Affine::IDENTITY));
            let drawn = self.at * own.clone();
            let (text, odd, painted) = (false, strange, self.next());
            let shape = Shape { path: drawn, fill, stroke, source, text, odd, painted };
            match path.stroke().and_then(usvg::Stroke::dasharray).filter(|_| self.dashes) {
                Some(lengths) => {
                    // Dashes count in the line's own units, and are lines of their own.
                    let lengths: Vec<f64> = lengths.iter().map(|d| f64::from(*d)).collect();
                    let offset = path.stroke().map_or(0.0, |s| f64::from(s.dashoffset()));
                    let dashes = self.at * tinkite_artwork::dashes(own, &lengths, offset);
                    let (area, line) = shape.apart();
                    area.into_iter().for_each(|area| self.push(area));
                    self.push(Shape { path: dashes, ..line });
                }
                None => self.push(shape),
            }
        }
    }

    fn plain(&mut self, paint: &usvg::Paint, source: &Source) -> Result<Colour, Odd> {
        let odd = match paint {
            usvg::Paint::Color(c) => return Ok(Colour::new(c.red, c.green, c.blue)),
            usvg::Paint::Pattern(_) => Odd::Pattern,
            _ => Odd::Gradient,
        };
        self.out.unread.push((Unread::Paint, source.clone()));
        if self.veils.shows() < 1.0 || is_faint(paint) {
            self.out.faint.add(odd);
        }
        Err(odd)
    }

    fn image(&mut self, image: &usvg::Image, label: Option<usize>) {
        let label = self.index_of(image.id()).or(label);
        self.seen.extend(label);
        let source = self.source(label);
        let (bytes, format) = match image.kind() {
            usvg::ImageKind::SVG(tree) => {
                return self.group(tree.root(), label);
            }
            usvg::ImageKind::PNG(bytes) => (bytes, Some(Format::Png)),
            usvg::ImageKind::JPEG(bytes) => (bytes, Some(Format::Jpeg)),
            usvg::ImageKind::GIF(bytes) => (bytes, Some(Format::Gif)),
            usvg::ImageKind::WEBP(bytes) => (bytes, Some(Format::WebP)),
        };
        let (painted, mut opaque, shows) = (self.next(), false, self.veils.shows());
        let size = image.size();
        let drawn = (size.width() as u32, size.height() as u32);
        let bitmap = match format.map(|format| crate::bitmap::decode(bytes, format)) {
            Some(Ok(decoded)) => {
                opaque = decoded.opaque && shows >= 1.0;
                Some(decoded.bitmap.mix_with_white(shows))
            }
            Some(Err(problem)) => {
                self.out.broken.push(Problem { severity: Severity::Warning, ..problem });
                None
            }
            None => None,
        };
        let pixels = bitmap.as_ref().map_or(drawn, |b| (b.width, b.height));
        let fit = |drawn: f32, found: u32| f64::from(drawn) / f64::from(found.max(1));
        let fit =
            Affine::scale_non_uniform(fit(size.width(), pixels.0), fit(size.height(), pixels.1));
        if bitmap.is_none() {
            self.out.unread.push((Unread::Bitmap, source.clone()));
        }
        let mut to_mm = self.at * fit;
        let outline = Image::outline(pixels, to_mm);
        let mut bitmap = bitmap;
        if let (Some(bitmap), Some(region)) = (&mut bitmap, self.clips.last())
            && region.crop(bitmap, &mut to_mm)
        {
            self.out.cut += 1;
        }
        let pixels = bitmap.as_ref().map_or(pixels, |b| (b.width, b.height));
        let hidden = opaque.then(|| Region::within(self.clips.last(), outline));
        let hides = hidden.unwrap_or_default();
        let image = Image {
            depth: None,
            source,
            to_mm,
            pixels,
            bitmap: bitmap.map(Arc::new),
            rendered: false,
            painted,
            hides,
        };
        if self.changed > 0 && self.renders {
            return self.push(image.changed());
        }
        self.out.images.push(image);
    }
}

/// What a clip path lets through, in mm; `at` leads from the units of what it clips to mm.
fn region_of(clip: &usvg::ClipPath, at: Affine) -> Region {
    fn gather(group: &usvg::Group, at: Affine, out: &mut Vec<Vec<Point>>) {
        let at = at * affine(group.transform());
        for child in group.children() {
            match child {
                usvg::Node::Group(inner) => gather(inner, at, out),
                usvg::Node::Path(path) if path.is_visible() => {
                    let rule = path.fill().map_or(FillRule::NonZero, |f| winding(f.rule()));
                    let own = region::unite(&rings(&curves(path.data(), at)), rule);
                    *out = region::combined(out, &own, region::Combine::Union);
                }
                usvg::Node::Text(text) => gather(text.flattened(), at, out),
                _ => {}
            }
        }
    }
    let mut inside = Vec::new();
    gather(clip.root(), at * affine(clip.transform()), &mut inside);
    let region = Region::of(&region::path(&inside, true), FillRule::EvenOdd);
    // A clip path may itself be clipped.
    clip.clip_path().map_or(region.clone(), |c| region.and(&region_of(c, at)))
}

/// Whether a gradient or pattern lets something through, or is white somewhere. A pattern mostly has gaps.
fn is_faint(paint: &usvg::Paint) -> bool {
    let stops = match paint {
        usvg::Paint::LinearGradient(gradient) => gradient.stops(),
        usvg::Paint::RadialGradient(gradient) => gradient.stops(),
        usvg::Paint::Pattern(_) => return true,
        usvg::Paint::Color(_) => return false,
    };
    stops.iter().any(|stop| {
        let c = stop.color();
        let colour = Colour::new(c.red, c.green, c.blue);
        stop.opacity().get() < 1.0 || colour == Colour::WHITE || colour.is_nearly_white()
    })
}

/// Whether a blend mode lets what lies under show through and is its own colour over paper.
fn darkens(mode: usvg::BlendMode) -> bool {
    matches!(mode, usvg::BlendMode::Multiply | usvg::BlendMode::Darken)
}

fn winding(rule: usvg::FillRule) -> FillRule {
    match rule {
        usvg::FillRule::NonZero => FillRule::NonZero,
        usvg::FillRule::EvenOdd => FillRule::EvenOdd,
    }
}

#[cfg(test)]
mod tests;
