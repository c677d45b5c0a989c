//! What a page paints, taken down as shapes.

use super::layer_name;
use super::spots::{Spots, colours};
use crate::opacity::Opacity;
use hayro_interpret::font::{Glyph, GlyphRun};
use hayro_interpret::hayro_syntax::object::Dict;
use hayro_interpret::pattern::Pattern;
use hayro_interpret::{
    BlendMode, ClipPath, Device, DrawMode, DrawProps, Image as Painted, ImageData, ImageDrawProps,
    LumaData, Paint, SoftMask, StrokeProps,
};
use std::sync::Arc;
use tinkite_artwork::{Artwork, Fill, Image, Odd, OddPaint, Shape, Source, Stroke, Unread};
use tinkite_artwork::{Bitmap, over_white};
use tinkite_artwork::{Clipped, Region, clipped};
use tinkite_base::geometry::region::FillRule;
use tinkite_base::geometry::{Affine, BezPath};
use tinkite_base::problem::{Code, Location, Problem, count};

/// More painting than this ends the reading: forms within forms can make billions of few.
const MOST_CALLS: usize = 1_000_000;

/// Thrown when a page paints more than [`MOST_CALLS`] things; the interpreter cannot be asked to stop.
pub(super) struct Exhausted;

/// Takes down what is painted, in mm.
pub(super) struct Tracer<'a> {
    artwork: &'a mut Artwork,
    spots: Spots,
    dashes: bool,
    clips: Vec<Region>,
    /// Names of the layers and other marks round what is painted.
    marks: Vec<Option<String>>,
    calls: usize,
    /// How many things a clip left nothing of, and how many it cut.
    gone: usize,
    cut: usize,
    invisible: usize,
    veils: Opacity,
    /// How many things were painted so far.
    painted: u32,
    /// Whether what has no plain colour will be drawn; then what effects change has none.
    renders: bool,
    /// Of each group round: whether it changes what shows of the things in it.
    changed: Vec<bool>,
}

impl<'a> Tracer<'a> {
    pub(super) fn new(
        artwork: &'a mut Artwork,
        spots: Spots,
        (dashes, renders): (bool, bool),
    ) -> Self {
        Self {
            artwork,
            spots,
            dashes,
            clips: Vec::new(),
            marks: Vec::new(),
            calls: 0,
            gone: 0,
            cut: 0,
            invisible: 0,
            veils: Opacity::default(),
            painted: 0,
            renders,
            changed: Vec::new(),
        }
    }

    /// Says what was left out.
    pub(super) fn finish(self) {
        let file = self.artwork.file.clone();
        self.veils.report(&file, &mut self.artwork.problems);
        let mut say = |n: usize, code, what: &str, help: &str| {
            if n > 0 {
                let message = format!("{} {what}", count(n, "thing"));
                let note = Problem::note(code, message, help).at(Location::file(&file));
                self.artwork.problems.push(note);
            }
        };
        let help = "they do not show on the page either";
        say(self.gone, Code::Clipped, "wholly outside a clip path, left out", help);
        say(
            self.cut,
            Code::Clipped,
            "cut by a clip path",
            "what shows on the page is what is read",
        );
        say(self.invisible, Code::NotVisible, "painted invisibly and left out", help);
    }

    fn count(&mut self) {
        self.calls += 1;
        if self.calls > MOST_CALLS {
            std::panic::resume_unwind(Box::new(Exhausted));
        }
    }

    fn source(&self, spot: Option<&String>) -> Source {
        let number = self.artwork.shapes.len() + self.artwork.images.len() + 1;
        Source {
            id: Some(format!("object-{number}")),
            groups: self.marks.iter().flatten().chain(spot).cloned().collect(),
            ..Source::default()
        }
    }

    fn push(&mut self, shape: Shape) {
        let Some(region) = self.clips.last() else { return self.artwork.shapes.push(shape) };
        match clipped(shape, region) {
            Clipped::Kept(shape) => self.artwork.shapes.push(shape),
            Clipped::Cut(parts) => {
                self.cut += 1;
                self.artwork.shapes.extend(parts);
            }
            Clipped::Gone => self.gone += 1,
        }
    }

    fn paint(&mut self, path: BezPath, props: &DrawProps<'_>, mode: &DrawMode, text: bool) {
        if path.elements().is_empty() {
            return;
        }
        let (fill, stroke) = match mode {
            DrawMode::Fill(rule) => (Some(*rule), None),
            DrawMode::Stroke(stroke) => (None, Some(stroke)),
            DrawMode::FillAndStroke(rule, stroke) => (Some(*rule), Some(stroke)),
            DrawMode::Invisible => {
                self.invisible += 1;
                return;
            }
        };
        self.painted += 1;
        let painted = self.painted;
        let scale = props.transform.determinant().abs().sqrt();
        let Some((colour, full, opacity)) = colours(&props.paint) else {
            let source = self.source(None);
            self.artwork.unread.push((Unread::Paint, source.clone()));
            let odd = match &props.paint {
                Paint::Pattern(pattern) if matches!(**pattern, Pattern::Tiling(_)) => Odd::Pattern,
                _ => Odd::Gradient,
            };
            // What colours a shading comes to is not known before it is drawn.
            self.artwork.faint.add(odd);
            let odd = OddPaint {
                fill: fill.map(|rule| (odd, winding(rule))),
                stroke: stroke.map(|s| (odd, f64::from(s.line_width) * scale)),
            };
            let path = props.transform * path;
            return self.push(Shape { path, fill: None, stroke: None, source, text, odd, painted });
        };
        let effect =
            self.changed.contains(&true) || props.soft_mask.is_some() || changes(props.blend_mode);
        if props.soft_mask.is_some() || changes(props.blend_mode) {
            let source = self.source(None);
            self.artwork.unread.push((Unread::Effect, source));
        }
        let spot = full.and_then(|full| self.spots.get(&full)).cloned();
        let source = self.source(spot.as_ref());
        self.veils.enter(1.0, darkens(props.blend_mode));
        let shown = self.veils.paint(colour, opacity);
        self.veils.leave();
        let Some((colour, veil)) = shown else { return };
        if effect && self.renders {
            let odd = OddPaint {
                fill: fill.map(|rule| (Odd::Effect, winding(rule))),
                stroke: stroke.map(|s| (Odd::Effect, f64::from(s.line_width) * scale)),
            };
            let path = props.transform * path;
            return self.push(Shape { path, fill: None, stroke: None, source, text, odd, painted });
        }
        let fill = fill.map(|rule| Fill { colour, rule: winding(rule), veil });
        let odd = OddPaint::default();
        let width = stroke.map(|s| f64::from(s.line_width) * scale);
        let stroked = width.map(|width| Stroke { colour, width, veiled: veil > 0 });
        if let Some(stroke) = stroke.filter(|s| self.dashes && !s.dash_array.is_empty()) {
            // The dashes are lines of their own; the area stays whole.
            let dashes = props.transform * dash(path.clone(), stroke);
            if fill.is_some() {
                let area = props.transform * path;
                self.push(Shape {
                    path: area,
                    fill,
                    stroke: None,
                    source: source.clone(),
                    text,
                    odd,
                    painted,
                });
            }
            return self.push(Shape {
                path: dashes,
                fill: None,
                stroke: stroked,
                source,
                text,
                odd,
                painted,
            });
        }
        let path = props.transform * path;
        self.push(Shape { path, fill, stroke: stroked, source, text, odd, painted });
    }
}

/// Whether a blend mode lets what lies under show through and is its own colour over paper.
fn darkens(mode: BlendMode) -> bool {
    matches!(mode, BlendMode::Multiply | BlendMode::Darken)
}

/// Whether what shows under a blend mode is no plain colour.
fn changes(mode: BlendMode) -> bool {
    mode != BlendMode::Normal && !darkens(mode)
}

fn winding(rule: hayro_interpret::FillRule) -> FillRule {
    match rule {
        hayro_interpret::FillRule::NonZero => FillRule::NonZero,
        hayro_interpret::FillRule::EvenOdd => FillRule::EvenOdd,
    }
}

/// The dashes of a line as lines of their own.
fn dash(path: BezPath, stroke: &StrokeProps) -> BezPath {
    let lengths: Vec<f64> = stroke.dash_array.iter().map(|d| f64::from(*d)).collect();
    tinkite_artwork::dashes(path, &lengths, f64::from(stroke.dash_offset))
}

impl<'a> Device<'a> for Tracer<'_> {
    fn draw_path(&mut self, path: &BezPath, props: DrawProps<'a>, mode: &DrawMode) {
        self.count();
        self.paint(path.clone(), &props, mode, false);
    }

    fn push_clip_path(&mut self, clip: &ClipPath) {
        self.count();
        let region = Region::of(&clip.path, winding(clip.fill));
        let region = self.clips.last().map_or(region.clone(), |outer| outer.and(&region));
        self.clips.push(region);
    }

    fn pop_clip(&mut self) {
        self.clips.pop();
    }

    fn push_transparency_group(
        &mut self,
        opacity: f32,
        mask: Option<SoftMask<'a>>,
        blend: BlendMode,
    ) {
        self.count();
        self.veils.enter(f64::from(opacity), darkens(blend));
        self.changed.push(mask.is_some() || changes(blend));
        if mask.is_some() || changes(blend) {
            let source = self.source(None);
            self.artwork.unread.push((Unread::Effect, source));
        }
    }

    fn pop_transparency_group(&mut self) {
        self.changed.pop();
        self.veils.leave();
    }

    fn draw_glyph_run(&mut self, run: &GlyphRun<'_, 'a>, props: DrawProps<'a>, mode: &DrawMode) {
        self.count();
        let mut path = BezPath::new();
        for glyph in run.glyphs() {
            match &**glyph {
                Glyph::Outline(outline) => path.extend(glyph.transform() * outline.outline()),
                Glyph::Type3(drawn) => {
                    drawn.interpret(self, props.transform, glyph.transform(), &props.paint);
                }
            }
        }
        self.paint(path, &props, mode, true);
    }

    fn draw_image(&mut self, image: Painted<'a, '_>, props: ImageDrawProps<'a>) {
        self.count();
        let mut bitmap: Option<Bitmap> = None;
        // A stencil is ink, and what lies beside it shows through.
        let mut transparent = true;
        let declared = (image.width(), image.height());
        if u64::from(declared.0) * u64::from(declared.1) <= 300_000_000 {
            match &image {
                Painted::Raster(raster) => {
                    raster.with_rgba(
                        |data, alpha| {
                            transparent = alpha.is_some();
                            bitmap = Some(grey(data, alpha.as_ref()));
                        },
                        None,
                    );
                }
                Painted::Stencil(stencil) => stencil.with_stencil(
                    |mask, paint| {
                        let ink = colours(paint).map_or(0, |(c, ..)| lightness(c.rgb));
                        let grey = mask.data.iter().map(|a| over_white(ink, *a)).collect();
                        bitmap = Some(Bitmap { width: mask.width, height: mask.height, grey });
                    },
                    None,
                ),
            }
        }
        let source = self.source(None);
        let pixels = bitmap.as_ref().map_or(declared, |b| (b.width, b.height));
        // The transform counts in declared pixels; the decoder may have found another number.
        let fit = |declared: u32, found: u32| f64::from(declared) / f64::from(found.max(1));
        let mut to_mm = props.transform
            * Affine::scale_non_uniform(fit(declared.0, pixels.0), fit(declared.1, pixels.1));
        if bitmap.is_none() {
            self.artwork.unread.push((Unread::Bitmap, source.clone()));
        }
        let opaque = !transparent && self.veils.shows() >= 1.0 && props.soft_mask.is_none();
        let mut bitmap = bitmap.map(|bitmap| bitmap.mix_with_white(self.veils.shows()));
        let outline = Image::outline(pixels, to_mm);
        if let (Some(bitmap), Some(region)) = (&mut bitmap, self.clips.last())
            && region.crop(bitmap, &mut to_mm)
        {
            self.cut += 1;
        }
        let pixels = bitmap.as_ref().map_or(pixels, |b| (b.width, b.height));
        let hidden = opaque.then(|| Region::within(self.clips.last(), outline));
        let hides = hidden.unwrap_or_default();
        self.painted += 1;
        let image = Image {
            depth: None,
            source,
            to_mm,
            pixels,
            bitmap: bitmap.map(Arc::new),
            rendered: false,
            painted: self.painted,
            hides,
        };
        let own = props.soft_mask.is_some() || changes(props.blend_mode);
        if own {
            self.artwork.unread.push((Unread::Effect, image.source.clone()));
        }
        if (own || self.changed.contains(&true)) && self.renders {
            return self.push(image.changed());
        }
        self.artwork.images.push(image);
    }

    fn begin_marked_content(&mut self, tag: &[u8], properties: Option<&Dict<'_>>) {
        let name = match (tag, properties) {
            (b"OC", Some(group)) => layer_name(group),
            _ => None,
        };
        self.marks.push(name);
    }

    fn end_marked_content(&mut self) {
        self.marks.pop();
    }
}

/// Lightness of a colour (ITU-R BT.709).
fn lightness([r, g, b]: [u8; 3]) -> u8 {
    ((2126 * u32::from(r) + 7152 * u32::from(g) + 722 * u32::from(b)) / 10_000) as u8
}

fn grey(data: ImageData, alpha: Option<&LumaData>) -> Bitmap {
    let (width, height) = (data.width(), data.height());
    let mut grey: Vec<u8> = match data {
        ImageData::Luma(luma) => luma.data,
        ImageData::Rgb(rgb) => {
            rgb.data.chunks_exact(3).map(|p| lightness([p[0], p[1], p[2]])).collect()
        }
    };
    if let Some(alpha) = alpha.filter(|a| (a.width, a.height) == (width, height)) {
        for (grey, alpha) in grey.iter_mut().zip(&alpha.data) {
            *grey = over_white(*grey, *alpha);
        }
    }
    Bitmap { width, height, grey }
}
