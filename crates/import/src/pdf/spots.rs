//! Names of spot colours.
//!
//! The interpreter resolves a spot colour to what it looks like and forgets its name. So each
//! separation that the page knows is painted once, at full strength, on a device that only looks;
//! what was painted in the same full colour is that spot.

use super::name_text;
use hayro_interpret::font::GlyphRun;
use hayro_interpret::hayro_syntax::Pdf;
use hayro_interpret::hayro_syntax::content::TypedIter;
use hayro_interpret::hayro_syntax::object::{Array, Name, Object};
use hayro_interpret::hayro_syntax::page::{Page, Resources};
use hayro_interpret::{
    BlendMode, ClipPath, Context, Device, DrawMode, DrawProps, Image, ImageDrawProps,
    InterpreterCache, InterpreterSettings, Paint, SoftMask, interpret,
};
use std::collections::BTreeMap;
use tinkite_base::colour::Colour;
use tinkite_base::geometry::{Affine, BezPath};

/// Names of spots by their full colour.
pub(super) type Spots = BTreeMap<Colour, String>;

/// The colour of a paint, the full colour of its ink when it is a single one, and its opacity.
pub(super) fn colours(paint: &Paint<'_>) -> Option<(Colour, Option<Colour>, f64)> {
    let Paint::Color(colour) = paint else { return None };
    let seen = |rgba: [u8; 4]| Colour::new(rgba[0], rgba[1], rgba[2]);
    let space = colour.color_space();
    let full = (space.num_components() == 1).then(|| seen(space.to_rgba(&[1.0], 1.0).to_rgba8()));
    let rgba = colour.to_rgba().to_rgba8();
    Some((seen(rgba), full, f64::from(rgba[3]) / 255.0))
}

/// The separations among the page's colour spaces.
pub(super) fn of<'a>(
    page: &Page<'a>,
    pdf: &'a Pdf,
    cache: &InterpreterCache<'a>,
    settings: &InterpreterSettings,
) -> Spots {
    let resources = page.resources();
    let mut spots = Spots::new();
    let mut keys: Vec<Vec<u8>> =
        resources.color_spaces.keys().map(|key| key.as_ref().to_vec()).collect();
    keys.sort();
    for key in keys {
        let space = resources.color_spaces.get::<Object<'_>>(&key[..]);
        let Some(Object::Array(space)) = space else { continue };
        let Some(ink) = separation(&space) else { continue };
        if let Some(full) = full(&key, resources, pdf, cache, settings) {
            spots.insert(full, ink);
        }
    }
    spots
}

fn separation(space: &Array<'_>) -> Option<String> {
    let mut parts = space.flex_iter();
    let kind = parts.next::<Name<'_>>()?;
    let ink = parts.next::<Name<'_>>()?;
    let process = ["All", "None", "Cyan", "Magenta", "Yellow", "Black"];
    let name = name_text(&ink);
    (kind.as_ref() == b"Separation" && !process.contains(&name.as_str())).then_some(name)
}

fn full<'a>(
    key: &[u8],
    resources: &Resources<'a>,
    pdf: &'a Pdf,
    cache: &InterpreterCache<'a>,
    settings: &InterpreterSettings,
) -> Option<Colour> {
    let plain = key.iter().all(|b| b.is_ascii_alphanumeric() || b"-_.+".contains(b));
    let name = std::str::from_utf8(key).ok().filter(|_| plain)?;
    let content = format!("/{name} cs 1 scn 0 0 1 1 re f");
    let unit = kurbo::Rect::new(0.0, 0.0, 1.0, 1.0);
    let mut context = Context::new(Affine::IDENTITY, unit, cache, pdf.xref(), settings.clone());
    let mut eye = Eye(None);
    interpret(TypedIter::new(content.as_bytes()), resources, &mut context, &mut eye);
    eye.0
}

/// Sees the colour of what is painted first.
struct Eye(Option<Colour>);

impl<'a> Device<'a> for Eye {
    fn draw_path(&mut self, _: &BezPath, props: DrawProps<'a>, _: &DrawMode) {
        if self.0.is_none() {
            self.0 = colours(&props.paint).map(|(seen, ..)| seen);
        }
    }
    fn push_clip_path(&mut self, _: &ClipPath) {}
    fn push_transparency_group(&mut self, _: f32, _: Option<SoftMask<'a>>, _: BlendMode) {}
    fn draw_glyph_run(&mut self, _: &GlyphRun<'_, 'a>, _: DrawProps<'a>, _: &DrawMode) {}
    fn draw_image(&mut self, _: Image<'a, '_>, _: ImageDrawProps<'a>) {}
    fn pop_clip(&mut self) {}
    fn pop_transparency_group(&mut self) {}
}
